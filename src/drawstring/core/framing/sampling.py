"""Light sampled at any places: what a lens bends, a turn, a card in the scene."""

from __future__ import annotations

import math

import numpy as np

from drawstring.core.arrays import Picture, only_read
from drawstring.core.bands import in_bands
from drawstring.core.framing.filters import FUSED, RADIUS, TABLES, Filter, Grid, nearby, weigh
from drawstring.core.kernels import kernel

MOST_SIZE = 32.0
"""Pixels that came to one that goes out, along either direction: more are left out."""


@kernel(nogil=True)
def _spaced_rows(first, last, places, sizes):  # type: ignore[no-untyped-def]
    """Measure how far neighbours lie apart: differences to both sides, at rims to the one there is."""
    height, width = places.shape
    for row in range(first, last):
        above, under = max(0, row - 1), min(height - 1, row + 1)
        for col in range(width):
            left, right = max(0, col - 1), min(width - 1, col + 1)
            across = (places[row, right] - places[row, left]) / (right - left)
            down = (places[under, col] - places[above, col]) / (under - above)
            sizes[row, col] = math.sqrt(across * across + down * down)


def spaced(places: Grid, threads: int = 1) -> Grid:
    """Give how far neighbours lie apart: the size of a pixel that goes out, in pixels that came.

    Parameters
    ----------
    places : (h, w) float64
        Along one direction of what came; NaN where nothing is.
    """
    if min(places.shape) < 2:
        return np.ones_like(places)
    sizes = np.empty(places.shape)
    held = np.ascontiguousarray(places)
    in_bands(lambda a, b: _spaced_rows(a, b, held, sizes), places.shape[0], threads)
    return sizes


def sampled_picture(
    picture: Picture, x: Grid, y: Grid, sizes: tuple[Grid, Grid], kind: Filter, *,
    is_held: bool = False, is_filled: bool = False, threads: int = 1,
) -> Picture:  # fmt: skip
    """Sample a picture at any places, as wide as a pixel is there.

    Parameters
    ----------
    picture : (H, W, C) float32
        One channel, or any four of them together.
    x, y : (h, w) float64
        Where pixel j reaches from j to j + 1; NaN where nothing is.
    sizes : two (h, w) float64
        Of an outgoing pixel across and down, in pixels that came; up to `MOST_SIZE`.
    kind : Filter
    is_held : bool
        Whether results stay between the values that count positively: no rings.
    is_filled : bool
        Whether what lies outside is filled from the edge; else nothing is there.

    Returns
    -------
    (h, w, C) float32
    """
    count = picture.shape[2]
    # Four take no longer than one.
    source = np.ascontiguousarray(np.repeat(picture, 4, axis=-1) if count == 1 else picture, np.float32)
    made = np.empty((*x.shape, 4), np.float32)
    table, radius = TABLES[kind], RADIUS[kind]
    u, v, across, down = (only_read(grid) for grid in (x, y, *sizes))
    in_bands(
        lambda a, b: _sample_rows(a, b, table, radius, u, v, across, down, is_held, is_filled, source, made),
        x.shape[0],
        threads,
    )
    return made if count == 4 else np.ascontiguousarray(made[..., :1])


@kernel(nogil=True, fastmath=FUSED, error_model="numpy")
def _sample_rows(first, last, table, radius, x, y, across, down, held, filled, picture, made):  # type: ignore[no-untyped-def]
    """Weigh what lies about every place: lines first, all columns and channels of one at once."""
    height, width = picture.shape[:2]
    most = int(2 * math.ceil(radius * MOST_SIZE) + 3)
    beside, below = np.empty(most, np.float32), np.empty(most, np.float32)
    between = np.empty(4 * most, np.float32)
    flat, out = picture.ravel(), made.ravel()
    # Numbers without a sign need no look at whether they count from the end.
    line, c1, c2, c3, c4 = np.uint64(4 * width), np.uint64(1), np.uint64(2), np.uint64(3), np.uint64(4)
    for row in range(first, last):
        to = np.uint64(row * x.shape[1]) * c4
        for col in range(x.shape[1]):
            u, v = x[row, col], y[row, col]
            left = top = wide = high = 0
            if np.isfinite(u) and np.isfinite(v):
                a, b = min(across[row, col], MOST_SIZE), min(down[row, col], MOST_SIZE)
                left, wide = weigh(table, radius, u, a, width, filled, beside)
                top, high = weigh(table, radius, v, b, height, filled, below)
            one = two = three = four = np.float32(0)
            if wide > 0 and high > 0:
                is_within = left >= 0 and left + wide <= width and top >= 0 and top + high <= height
                if is_within:
                    at = np.uint64(top) * line + np.uint64(left) * c4
                    # So many columns as most pixels take: a fixed number is done at once.
                    if wide == 6:
                        _lines(flat, at, line, below, high, 24, between)
                    elif wide == 7:
                        _lines(flat, at, line, below, high, 28, between)
                    elif wide == 8:
                        _lines(flat, at, line, below, high, 32, between)
                    else:
                        _lines(flat, at, line, below, high, 4 * wide, between)
                else:
                    for i in range(4 * wide):
                        between[i] = 0
                    for j in range(high):
                        begins = np.uint64(min(max(top + j, 0), height - 1)) * line
                        for i in range(wide):
                            at = begins + np.uint64(min(max(left + i, 0), width - 1)) * c4
                            for c in range(c4):
                                between[np.uint64(i) * c4 + c] += below[j] * flat[at + c]
                at = np.uint64(0)
                for i in range(np.uint64(wide)):
                    weight = beside[i]
                    one += weight * between[at]
                    two += weight * between[at + c1]
                    three += weight * between[at + c2]
                    four += weight * between[at + c3]
                    at += c4
            out[to], out[to + c1], out[to + c2], out[to + c3] = one, two, three, four
            if held and wide > 0 and high > 0:
                left_near, right_near = nearby(u, across[row, col], left, wide)
                top_near, below_near = nearby(v, down[row, col], top, high)
                if left_near < right_near and top_near < below_near:
                    window = top + top_near, top + below_near, left + left_near, left + right_near
                    _hold(flat, out, to, line, height, width, window)
            to += c4


@kernel(nogil=True, inline="always", fastmath=FUSED, error_model="numpy")
def _lines(flat, at, line, below, high, count, between):  # type: ignore[no-untyped-def]
    """Weigh lines below each other."""
    weight = below[0]
    for q in range(count):
        between[q] = weight * flat[at + np.uint64(q)]
    for j in range(1, high):
        at += line
        weight = below[j]
        for q in range(count):
            between[q] += weight * flat[at + np.uint64(q)]


@kernel(nogil=True, inline="always", fastmath=FUSED, error_model="numpy")
def _hold(flat, out, to, line, height, width, window):  # type: ignore[no-untyped-def]
    """Keep what was made between the pixels next to its place."""
    top, below, left, right = window
    c1, c2, c3, c4 = np.uint64(1), np.uint64(2), np.uint64(3), np.uint64(4)
    low_1 = low_2 = low_3 = low_4 = np.float32(np.inf)
    high_1 = high_2 = high_3 = high_4 = np.float32(-np.inf)
    # Channel by channel in words, which the compiler turns into all four at once.
    for j in range(top, below):
        begins = np.uint64(min(max(j, 0), height - 1)) * line
        for i in range(left, right):
            at = begins + np.uint64(min(max(i, 0), width - 1)) * c4
            one, two, three, four = flat[at], flat[at + c1], flat[at + c2], flat[at + c3]
            low_1 = one if one < low_1 else low_1
            low_2 = two if two < low_2 else low_2
            low_3 = three if three < low_3 else low_3
            low_4 = four if four < low_4 else low_4
            high_1 = one if one > high_1 else high_1
            high_2 = two if two > high_2 else high_2
            high_3 = three if three > high_3 else high_3
            high_4 = four if four > high_4 else high_4
    one, two, three, four = out[to], out[to + c1], out[to + c2], out[to + c3]
    one, two = low_1 if one < low_1 else one, low_2 if two < low_2 else two
    three, four = low_3 if three < low_3 else three, low_4 if four < low_4 else four
    out[to], out[to + c1] = high_1 if one > high_1 else one, high_2 if two > high_2 else two
    out[to + c2], out[to + c3] = high_3 if three > high_3 else three, high_4 if four > high_4 else four
