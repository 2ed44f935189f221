"""Numbers that no picture should hold, counted in what is written: NaN, infinity, light below 0."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Stored
from drawstring.core.kernels import kernel

Counts = tuple[int, int, int]
"""Values that are NaN, infinite, below 0."""


def odd_values(planes: Iterable[Stored]) -> Counts:
    """Count values of some channels; whole numbers are never odd.

    Examples
    --------
    >>> odd_values([np.float16([[1, np.nan, -0.0]]), np.float32([[np.inf, -2, -np.inf]])])
    (1, 2, 1)
    """
    nan = infinite = negative = 0
    for plane in planes:
        if plane.dtype == np.float16:
            found = _count(np.ascontiguousarray(plane).view(np.uint16).ravel(), 0x7C00, 0x8000)
        elif plane.dtype == np.float32:
            found = _count(np.ascontiguousarray(plane).view(np.uint32).ravel(), 0x7F800000, 0x80000000)
        else:
            continue
        nan, infinite, negative = nan + found[0], infinite + found[1], negative + found[2]
    return nan, infinite, negative


@kernel()
def _count(bits: NDArray[np.unsignedinteger], infinity: int, sign: int) -> tuple[int, int, int]:
    """Count by bits, as half floats are slow to compare (IEEE 754-2019: the exponent all ones)."""
    nan = infinite = negative = 0
    for i in range(bits.size):
        size = bits[i] & (sign - 1)
        if size > infinity:
            nan += 1
        elif size == infinity:
            infinite += 1
        elif bits[i] & sign and size:
            negative += 1
    return nan, infinite, negative
