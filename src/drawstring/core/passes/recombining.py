"""Ranked names through geometry: neighbours' coverages are weighed, equal names added up, the largest kept.

A name is never mixed with another: where a rim lies between two pixels, both things cover their share of the
pixel that goes out, as if it had been rendered there. Weights are those of linear sampling, so that shares
of a pixel still add up to what its neighbours' add up to, wherever no more things meet than there are ranks.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Stored, only_read
from drawstring.core.bands import in_bands
from drawstring.core.kernels import kernel

Grid = NDArray[np.float64]


def recombined(
    ranks: Sequence[Stored], x: Grid, y: Grid, *, sizes: tuple[Grid, Grid] | None = None,
    wraps: bool = False, is_filled: bool = False, threads: int = 1,
) -> list[Stored]:  # fmt: skip
    """Sample names and coverages in turn at fractional places.

    Parameters
    ----------
    ranks : sequence of (H, W)
        Names and coverages in turn, as the specification orders channels; names as float32 bits.
    x, y : (h, w) float64
        Column and row in the source of every pixel that goes out; outside the source nothing covers.
    sizes : two (h, w) float64, optional
        Of an outgoing pixel across and down, in pixels that came, up to 32: shares are weighed by
        area. A pixel of size 1, the least, weighs as linear sampling does.
    wraps : bool
        Whether columns go round, as in an all-round picture.
    is_filled : bool
        Whether what lies outside is filled from the edge.

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
    sizes = sizes or (np.ones_like(x), np.ones_like(x))
    u, v, across, down = (only_read(grid) for grid in (x, y, *sizes))
    in_bands(
        lambda a, b: _recombine_rows(
            a, b, names, shares, u, v, across, down, wraps, is_filled, made_names, made_shares
        ),
        x.shape[0],
        threads,
    )
    sampled: list[Stored] = []
    for i in range(pairs):
        sampled += [made_names[i].view(np.float32), made_shares[i].astype(ranks[2 * i + 1].dtype)]
    return sampled


@kernel(nogil=True)
def _recombine_rows(first, last, names, shares, x, y, across, down, wraps, filled, made_names, made_shares):  # type: ignore[no-untyped-def]
    pairs, height, width = names.shape
    bits, much = np.empty(4096, np.uint32), np.empty(4096, np.float32)
    for row in range(first, last):
        for col in range(x.shape[1]):
            # Where a pixel reaches from its number to the next one.
            u, v = x[row, col] + 0.5, y[row, col] + 0.5
            if not (np.isfinite(u) and np.isfinite(v)):
                continue
            wide, high = min(max(across[row, col], 1.0), 32.0), min(max(down[row, col], 1.0), 32.0)
            left, top = u - wide / 2, v - high / 2
            count = 0
            for j in range(int(np.floor(top)), int(np.ceil(top + high))):
                tall = min(j + 1.0, top + high) - max(float(j), top)
                if not filled and (j < 0 or j >= height):
                    continue
                at = min(max(j, 0), height - 1)
                for i in range(int(np.floor(left)), int(np.ceil(left + wide))):
                    weight = tall * (min(i + 1.0, left + wide) - max(float(i), left)) / (wide * high)
                    to = i % width if wraps else i
                    if weight <= 0 or (not filled and (to < 0 or to >= width)):
                        continue
                    to = min(max(to, 0), width - 1)
                    for rank in range(pairs):
                        share = shares[rank, at, to] * weight
                        if not share > 0:
                            continue
                        known = 0
                        while known < count and bits[known] != names[rank, at, to]:
                            known += 1
                        if known == len(bits):
                            continue
                        if known == count:
                            bits[count], much[count] = names[rank, at, to], 0
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
