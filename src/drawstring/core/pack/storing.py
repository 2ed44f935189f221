"""Values put into their stored type, and what that costs.

Float to half rounds to nearest even. A finite value beyond half's reach (65,504) would turn into
infinity; it is held at the limit and counted, never changed silently.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Stored, only_read
from drawstring.core.halves import half_of, single_of
from drawstring.core.kernels import kernel

HALF_MAX = 65504.0
"""The largest finite half: (2 - 2**-10) * 2**15, IEEE 754-2019 binary16."""


@dataclass(frozen=True)
class Stowed:
    """A channel as it will be written, how many values were held at half's limit, and how far rounded."""

    values: Stored
    held: int
    rounded: float = 0.0
    """Largest difference between a finite value within half's reach and what is stored of it."""


def stow(plane: Stored, stored: str) -> Stowed:
    """Put a channel into its stored type.

    Parameters
    ----------
    plane : (H, W) float16, float32 or uint32
    stored : str
        "half", "float" or "uint".

    Returns
    -------
    Stowed

    Examples
    --------
    >>> stow(np.float32([[0.5, 70000, np.inf]]), "half")
    Stowed(values=array([[5.00e-01, 6.55e+04,      inf]], dtype=float16), held=1, rounded=0.0)
    """
    if stored == "uint" or plane.dtype == np.uint32:
        return Stowed(np.asarray(plane, np.uint32), 0)
    if stored == "float":
        return Stowed(np.asarray(plane, np.float32), 0)
    if plane.dtype == np.float16:
        return Stowed(plane, 0)
    single = np.ascontiguousarray(plane, np.float32)
    made = np.empty(single.shape, np.uint16)
    held, rounded = _halve_held(only_read(single.view(np.uint32)).ravel(), made.ravel())
    return Stowed(made.view(np.float16), int(held), float(np.uint32(rounded).view(np.float32)))


@kernel(nogil=True)
def _halve_held(bits: NDArray[np.uint32], made: NDArray[np.uint16]) -> tuple[np.uint32, np.uint32]:
    """Round to halves, held at their limit; give how many were, and the largest difference's bits."""
    held, largest = np.uint32(0), np.uint32(0)
    for i in range(bits.size):
        size = bits[i] & np.uint32(0x7FFFFFFF)
        # 65,520 and above rounds to infinity; what lies between still rounds to the limit itself.
        is_held = np.uint32(0x477FF000) <= size and size < np.uint32(0x7F800000)
        sign = np.uint32(bits[i] & np.uint32(0x80000000))
        kept = np.uint32(sign | np.uint32(0x477FE000)) if is_held else np.uint32(bits[i])
        half = half_of(kept)
        made[i] = half
        back = np.uint32(single_of(half)).view(np.float32)
        apart = np.float32(back - np.uint32(kept).view(np.float32)).view(np.uint32) & np.uint32(0x7FFFFFFF)
        # Of numbers without a sign the larger one has the larger bits; infinity less itself is no number.
        told = np.uint32(apart) if apart < np.uint32(0x7F800000) else np.uint32(0)
        largest = max(largest, told)
        held += np.uint32(is_held)
    return held, largest
