"""Values that can't be mixed brought to another size: none comes out that did not come in."""

from __future__ import annotations

import math

import numpy as np

from drawstring.core.arrays import Stored, only_read
from drawstring.core.bands import in_bands
from drawstring.core.choices import Choice
from drawstring.core.framing.filters import Grid
from drawstring.core.kernels import kernel


class Exact(Choice):
    """How values that can't be mixed are brought to another size."""

    NEAREST = "nearest"
    """That of the pixel in the middle."""
    LOWEST = "lowest"
    """The lowest that a pixel covers: for distances the nearest thing."""
    HIGHEST = "highest"
    MOST = "most", "what covers most"
    """The value that covers most of a pixel."""


@kernel(nogil=True)
def _choose_rows(first, last, how, x, y, across, down, filled, plane, made):  # type: ignore[no-untyped-def]
    """Take one of the values that lie under a pixel: lowest (1), highest (2), what covers most (3)."""
    height, width = plane.shape
    kinds, shares = np.empty(1100, plane.dtype), np.empty(1100, np.float64)
    for row in range(first, last):
        for col in range(x.shape[1]):
            u, v = x[row, col], y[row, col]
            if not (np.isfinite(u) and np.isfinite(v)):
                continue
            if not filled and (u < 0 or v < 0 or u >= width or v >= height):
                continue
            here = min(max(int(math.floor(v)), 0), height - 1), min(max(int(math.floor(u)), 0), width - 1)
            best = plane[here]
            wide, high = max(across[row, col], 1e-9) / 2, max(down[row, col], 1e-9) / 2
            left, right = max(0, int(math.floor(u - wide))), min(width, int(math.ceil(u + wide)))
            top, below = max(0, int(math.floor(v - high))), min(height, int(math.ceil(v + high)))
            if how and across[row, col] <= 1 and down[row, col] <= 1:
                right = left  # enlarged: there is nothing to choose between
            count = 0
            for j in range(top, below):
                tall = min(j + 1.0, v + high) - max(float(j), v - high)
                for i in range(left, right):
                    share = tall * (min(i + 1.0, u + wide) - max(float(i), u - wide))
                    if share < 1e-6:
                        continue
                    value = plane[j, i]
                    if how == 1:
                        best = min(best, value)
                    elif how == 2:
                        best = max(best, value)
                    else:
                        known = 0
                        while known < count and kinds[known] != value:
                            known += 1
                        if known == count:
                            if count == len(kinds):
                                continue
                            kinds[count], shares[count] = value, 0.0
                            count += 1
                        shares[known] += share
            if how == 3 and count:
                most = 0
                for k in range(1, count):
                    if shares[k] > shares[most]:
                        most = k
                best = kinds[most]
            made[row, col] = best


_HOW = {Exact.NEAREST: 0, Exact.LOWEST: 1, Exact.HIGHEST: 2, Exact.MOST: 3}


def chosen(
    plane: Stored, x: Grid, y: Grid, sizes: tuple[Grid, Grid], how: Exact, *,
    is_filled: bool = False, threads: int = 1,
) -> Stored:  # fmt: skip
    """Take true values of a plane: none comes out that did not come in; 0 where nothing is.

    Parameters
    ----------
    plane : (H, W) of any type
    x, y, sizes
        As `filters.sampled` has them.
    how : Exact
    """
    source = np.ascontiguousarray(plane)
    if how is Exact.NEAREST:
        return _nearest(source, x, y, is_filled=is_filled)
    # Compiled code knows no half floats; every one is a float exactly.
    known = source.astype(np.float32) if source.dtype == np.float16 else source
    made = np.zeros(x.shape, known.dtype)
    u, v, across, down = (only_read(grid) for grid in (x, y, *(np.minimum(size, 32.0) for size in sizes)))
    in_bands(
        lambda a, b: _choose_rows(a, b, _HOW[how], u, v, across, down, is_filled, known, made),
        x.shape[0],
        threads,
    )
    return made.astype(source.dtype)


def _nearest(plane: Stored, x: Grid, y: Grid, *, is_filled: bool) -> Stored:
    height, width = plane.shape
    there = np.isfinite(x) & np.isfinite(y)
    if not is_filled:
        there &= (x >= 0) & (y >= 0) & (x < width) & (y < height)
    cols = np.clip(np.nan_to_num(np.floor(x)), 0, width - 1).astype(np.intp)
    rows = np.clip(np.nan_to_num(np.floor(y)), 0, height - 1).astype(np.intp)
    return np.where(there, plane[rows, cols], np.zeros((), plane.dtype))
