"""Whether what was read back holds the bits that were meant, compared where it lies, compiled.

A file of halves and floats comes back as float from the second reader, channels side by side: taken apart
and converted plane by plane, comparing cost as much as reading.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

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
def same_as_half(
    back: NDArray[np.uint32], meant: NDArray[np.uint16], float_of_half: NDArray[np.uint32]
) -> bool:
    """Compare (H, W) bits of floats with those of the halves that they came from."""
    for y in range(meant.shape[0]):
        differs = np.uint32(0)
        for x in range(meant.shape[1]):
            differs |= back[y, x] ^ float_of_half[meant[y, x]]
        if differs:
            return False
    return True
