"""Ranked names through geometry: neighbours' coverages are weighed, equal names added up, the largest kept.

A name is never mixed with another: where a rim lies between two pixels, both things cover their share of the
pixel that goes out, as if it had been rendered there. Weights are those of linear sampling, so that shares
of a pixel still add up to what its neighbours' add up to, wherever no more things meet than there are ranks.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numba import njit
from numpy.typing import NDArray

from drawstring.core.arrays import Stored


def recombined(
    ranks: Sequence[Stored], x: NDArray[np.float64], y: NDArray[np.float64], *, wraps: bool = False
) -> list[Stored]:
    """Sample names and coverages in turn at fractional places.

    Parameters
    ----------
    ranks : sequence of (H, W)
        Names and coverages in turn, as the specification orders channels; names as float32 bits.
    x, y : (h, w) float64
        Column and row in the source of every pixel that goes out; outside the source nothing covers.
    wraps : bool
        Whether columns go round, as in an all-round picture.

    Returns
    -------
    list of (h, w)
        As many, of the types that came, the larger coverages first.
    """
    pairs = len(ranks) // 2
    names = np.stack(
        [np.ascontiguousarray(plane, np.float32).view(np.uint32) for plane in ranks[0 : 2 * pairs : 2]]
    )
    shares = np.stack([np.asarray(plane, np.float32) for plane in ranks[1 : 2 * pairs : 2]])
    made_names = np.zeros((pairs, *x.shape), np.uint32)
    made_shares = np.zeros((pairs, *x.shape), np.float32)
    _recombine(names, shares, x, y, wraps, made_names, made_shares)
    sampled: list[Stored] = []
    for i in range(pairs):
        sampled += [made_names[i].view(np.float32), made_shares[i].astype(ranks[2 * i + 1].dtype)]
    return sampled


@njit(cache=True, nogil=True)
def _recombine(names, shares, x, y, wraps, made_names, made_shares):  # type: ignore[no-untyped-def]
    pairs, height, width = names.shape
    bits = np.empty(4 * pairs, np.uint32)
    much = np.empty(4 * pairs, np.float32)
    for row in range(x.shape[0]):
        for col in range(x.shape[1]):
            left, top = np.floor(x[row, col]), np.floor(y[row, col])
            across, down = x[row, col] - left, y[row, col] - top
            count = 0
            for tap in range(4):
                right, below = tap & 1, tap >> 1
                weight = (across if right else 1 - across) * (down if below else 1 - down)
                i, j = int(top) + below, int(left) + right
                if wraps:
                    j %= width
                if weight <= 0 or i < 0 or i >= height or j < 0 or j >= width:
                    continue
                for rank in range(pairs):
                    share = shares[rank, i, j] * weight
                    if not share > 0:
                        continue
                    known = 0
                    while known < count and bits[known] != names[rank, i, j]:
                        known += 1
                    if known == count:
                        bits[count], much[count] = names[rank, i, j], 0
                        count += 1
                    much[known] += share
            for rank in range(min(pairs, count)):
                best = rank
                for other in range(rank + 1, count):
                    if much[other] > much[best]:
                        best = other
                bits[rank], bits[best] = bits[best], bits[rank]
                much[rank], much[best] = much[best], much[rank]
                made_names[rank, row, col] = bits[rank]
                made_shares[rank, row, col] = much[rank]
