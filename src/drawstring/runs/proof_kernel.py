"""Whether what was read back holds the bits that were meant, or how far off it is, compared where it lies.

A file of halves and floats comes back as float from the second reader, channels side by side: taken apart
and converted plane by plane, comparing cost as much as reading. Compiled.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from drawstring.core.halves import single_of
from drawstring.core.kernels import kernel


@kernel(nogil=True)
def same(back: NDArray[np.unsignedinteger], meant: NDArray[np.unsignedinteger]) -> bool:
    """Compare (H, W) bits of one type; `back` may lie between other channels."""
    for y in range(meant.shape[0]):
        differs = 0
        for x in range(meant.shape[1]):
            differs |= back[y, x] ^ meant[y, x]
        if differs:
            return False
    return True


@kernel(nogil=True)
def same_as_half(back: NDArray[np.uint32], meant: NDArray[np.uint16]) -> bool:
    """Compare (H, W) bits of floats with those of the halves that they came from."""
    for y in range(meant.shape[0]):
        differs = np.uint32(0)
        for x in range(meant.shape[1]):
            differs |= back[y, x] ^ single_of(meant[y, x])
        if differs:
            return False
    return True


@kernel(nogil=True)
def how_far(back: NDArray[np.float32], meant: NDArray[np.float32]) -> tuple[bool, float, int]:
    """Tell how far values are from those that were meant, both (H, W); `back` may lie between other channels.

    Returns
    -------
    (differs, largest, odd)
        Whether any value is another one, where NaN equals NaN, and 0 is not -0; the largest difference of two
        numbers; how often only one of both is a number.
    """
    largest, odd, signs = 0.0, 0, False
    for y in range(meant.shape[0]):
        for x in range(meant.shape[1]):
            value, wanted = np.float64(back[y, x]), np.float64(meant[y, x])
            # Of two numbers it is a number: no two floats are too far apart for a double.
            apart = abs(value - wanted)
            if apart < np.inf:
                largest = max(largest, apart)
                signs |= np.signbit(value) != np.signbit(wanted)
            elif not (value == wanted or (np.isnan(value) and np.isnan(wanted))):
                odd += 1
    return largest > 0 or odd > 0 or signs, largest, odd
