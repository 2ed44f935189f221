"""Whether what was read back holds the bits that were meant, or how far off it is. Compiled.

A file of halves and floats comes back as float from the second reader: what was meant is read as such while
it is compared.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from drawstring.core.halves import single_of
from drawstring.core.kernels import kernel


@kernel(nogil=True)
def same(
    back: NDArray[np.unsignedinteger], at: NDArray[np.int64], meant: NDArray[np.unsignedinteger], first: int
) -> NDArray[np.bool_]:
    """Tell which of several planes are what was read back, bit by bit.

    Parameters
    ----------
    back : (C, N) uint16 or uint32
        Bits of some lines of all channels.
    at : (K,) int
        As which channel each plane was read back.
    meant : (K, M) uint16 or uint32
        Bits of the planes, of the same type.
    first : int
        Where in them those lines begin.

    Returns
    -------
    (K,) bool
    """
    are_same = np.ones(len(at), np.bool_)
    for k in range(len(at)):
        read, wanted = back[at[k]], meant[k][first : first + back.shape[1]]
        differs = read[0] ^ wanted[0]
        for x in range(len(read)):
            differs |= read[x] ^ wanted[x]
        are_same[k] = differs == 0
    return are_same


@kernel(nogil=True)
def same_as_halves(
    back: NDArray[np.uint32], at: NDArray[np.int64], meant: NDArray[np.uint16], first: int
) -> NDArray[np.bool_]:
    """Tell, as `same` does, which planes of halves were read back as floats."""
    are_same = np.ones(len(at), np.bool_)
    for k in range(len(at)):
        read, wanted = back[at[k]], meant[k][first : first + back.shape[1]]
        differs = np.uint32(0)
        for x in range(len(read)):
            differs |= read[x] ^ single_of(wanted[x])
        are_same[k] = differs == 0
    return are_same


@kernel(nogil=True)
def how_far(
    back: NDArray[np.float32],
    at: NDArray[np.int64],
    meant: NDArray[np.float32],
    which: NDArray[np.int64],
    first: int,
) -> tuple[NDArray[np.bool_], NDArray[np.float64], NDArray[np.int64]]:
    """Tell how far some planes that were read back are from those that were meant.

    Parameters
    ----------
    back, at, meant, first
        As of `same`, but values instead of bits.
    which : (J,) int
        Which of the K planes are asked for.

    Returns
    -------
    (differs, largest, odd) : each (J,)
        Whether any value is another one, where NaN equals NaN, and 0 is not -0; the largest difference of two
        numbers; how often only one of both is a number.
    """
    differs = np.zeros(len(which), np.bool_)
    largest, odd = np.zeros(len(which)), np.zeros(len(which), np.int64)
    for k in range(len(which)):
        read, wanted = back[at[which[k]]], meant[which[k]][first : first + back.shape[1]]
        # Kept as bits, which grow with a distance: many of them are compared at once.
        furthest, apart, signs = np.int64(0), np.int64(0), np.uint32(0)
        for x in range(len(read)):
            # Of two numbers it is a number: no two floats are too far apart for a double.
            distance = np.abs(np.float64(read[x]) - np.float64(wanted[x]))
            if distance < np.inf:
                furthest = max(furthest, np.float64(distance).view(np.int64))
                signs |= np.float32(read[x]).view(np.uint32) ^ np.float32(wanted[x]).view(np.uint32)
            elif not (read[x] == wanted[x] or (np.isnan(read[x]) and np.isnan(wanted[x]))):
                apart += 1
        largest[k], odd[k] = np.int64(furthest).view(np.float64), apart
        differs[k] = furthest > 0 or apart > 0 or signs >> np.uint32(31) != 0
    return differs, largest, odd
