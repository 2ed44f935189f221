"""Numbers that no picture should hold, counted in what is written: NaN, infinity, light below 0."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Stored
from drawstring.core.kernels import kernel

Counts = tuple[int, int, int]
"""Values that are NaN, infinite, below 0."""


AT_ONCE = 1 << 17
"""Values looked at and then counted: so few that the processor still has them the second time."""


def odd_values(planes: Iterable[Stored]) -> Counts:
    """Count values of some channels; whole numbers are never odd.

    Examples
    --------
    >>> odd_values([np.float16([[1, np.nan, -0.0]]), np.float32([[np.inf, -2, -np.inf]])])
    (1, 2, 1)
    """
    found: list[Counts] = []
    for plane in planes:
        if plane.dtype not in (np.float16, np.float32):
            continue
        whole, infinity, sign = (
            (np.uint16, 0x7C00, 0x8000) if plane.dtype == np.float16 else (np.uint32, 0x7F800000, 0x80000000)
        )
        bits = np.ascontiguousarray(plane).view(whole).ravel()
        for begin in range(0, bits.size, AT_ONCE):
            some = bits[begin : begin + AT_ONCE]
            # Finite numbers of 0 and above, which is nearly all there is, have the lowest bits.
            if some.max() >= infinity:
                found.append(_count(some, infinity, sign))
    return together(found)


def together(several: Iterable[Counts]) -> Counts:
    """Add counts up."""
    nan = infinite = negative = 0
    for counts in several:
        nan, infinite, negative = nan + counts[0], infinite + counts[1], negative + counts[2]
    return nan, infinite, negative


@kernel()
def _count(bits: NDArray[np.unsignedinteger], infinity: int, sign: int) -> tuple[int, int, int]:
    """Count by bits, as half floats are slow to compare (IEEE 754-2019: the exponent all ones)."""
    nan = infinite = negative = 0
    for i in range(bits.size):
        size = bits[i] & (sign - 1)
        nan += size > infinity
        infinite += size == infinity
        negative += (bits[i] > sign) & (size < infinity)
    return nan, infinite, negative
