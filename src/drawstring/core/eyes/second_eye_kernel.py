"""Rows moved by their parallax, nearer things before farther ones, compiled; see `second_eye`."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from drawstring.core.kernels import kernel

ACROSS = 4
"""Samples of a made pixel on each of its lines; how many lines is the caller's choice."""

_JOINED = 0.03
"""Neighbours whose reciprocal distances differ by less than this share are one surface."""


@kernel(nogil=True)
def move_rows(
    first: int,
    last: int,
    near: NDArray[np.float32],
    shift: NDArray[np.float32],
    share: NDArray[np.float32],
    other: NDArray[np.int32],
    at: NDArray[np.float32],
    samples: NDArray[np.int32],
    holes: NDArray[np.float32],
) -> None:
    """Find, for every made pixel, which pixels it shows.

    Parameters
    ----------
    first, last : int
        The rows to do.
    near : (H, W) float32
        1 / distance; 0 where there is nothing.
    shift : (H, W) float32
        How far right a pixel's point moves.
    share, other : (H, W)
        As `drawstring.core.depth.parting.part` found them.
    at : (H, W) float32
        Written to: the column, in source pixels, that a pixel within one surface shows; NaN elsewhere.
    samples : (H, W, lines * ACROSS) int32
        Written to: flat number of the source pixel that each sample shows.
    holes : (H, W) float32
        Written to: the share that the source did not see.
    """
    height, width = near.shape
    fine = width * ACROSS
    lines = samples.shape[2] // ACROSS
    most = 2 * width
    begins, ends = np.empty(most, np.float32), np.empty(most, np.float32)
    owner, depth, move = np.empty(most, np.int32), np.empty(most, np.float32), np.empty(most, np.float32)
    closest, shows, column = np.empty(fine, np.float32), np.empty(fine, np.int32), np.empty(fine, np.float32)
    surface, filled = np.empty(width, np.int32), np.empty(fine, np.bool_)
    for row in range(first, last):
        _surfaces(near[row], share[row], surface)
        for sub in range(lines):
            v = (sub + 0.5) / lines
            count = _spans(row, v, near, shift, share, other, begins, ends, owner, depth, move)
            closest[:] = -1.0
            shows[:] = -1
            _lay(count, begins, ends, owner, depth, move, closest, shows, column, width)
            for k in range(fine):
                filled[k] = shows[k] >= 0
            _fill(closest, shows, column)
            for col in range(width):
                lacking = 0
                for k in range(ACROSS):
                    samples[row, col, sub * ACROSS + k] = shows[col * ACROSS + k]
                    lacking += 0 if filled[col * ACROSS + k] else 1
                here = np.float32(np.nan)
                if lacking == 0:
                    here = _centre(col * ACROSS, row * width, surface, shows, column)
                if sub == 0:
                    holes[row, col] = np.float32(lacking / (ACROSS * lines))
                    at[row, col] = here
                else:
                    holes[row, col] += np.float32(lacking / (ACROSS * lines))
                    # All lines of samples have to agree that the pixel lies within one surface.
                    if np.isnan(here):
                        at[row, col] = here


@kernel(nogil=True)
def _surfaces(near, share, surface):  # type: ignore[no-untyped-def]
    """Give each pixel of a row the number of its surface (joined neighbours); -1 for rims."""
    number = 0
    for col in range(len(near)):
        if share[col] < 0.98:
            surface[col] = -1
            number += 1
            continue
        if col > 0 and not _is_joined(near[col], near[col - 1]):
            number += 1
        surface[col] = number


@kernel(nogil=True)
def _spans(row, v, near, shift, share, other, begins, ends, owner, depth, move):  # type: ignore[no-untyped-def]
    """Part a row's pixels into spans of one surface each, from left to right; give how many."""
    width = near.shape[1]
    count = 0
    for col in range(width):
        index = row * width + col
        far = other[row, col]
        s = share[row, col]
        if far < 0 or s >= 0.98:
            begins[count], ends[count] = col, col + 1
            owner[count], depth[count], move[count] = index, near[row, col], shift[row, col]
            count += 1
            continue
        far_row, far_col = far // width, far % width
        down, right = far_row - row, far_col - col
        own_row = row - (1 if down > 0 else -1 if down < 0 else 0)
        own_col = col - (1 if right > 0 else -1 if right < 0 else 0)
        own = own_row * width + own_col
        if right == 0:
            is_own = v < s if down > 0 else v > 1 - s
            begins[count], ends[count] = col, col + 1
            owner[count] = own if is_own else far
            depth[count] = near[row, col] if is_own else near[far_row, far_col]
            move[count] = shift[row, col] if is_own else shift[far_row, far_col]
            count += 1
            continue
        edge = np.float32(col + s) if right > 0 else np.float32(col + 1 - s)
        for half in range(2):
            is_own = (half == 0) == (right > 0)
            begins[count] = col if half == 0 else edge
            ends[count] = edge if half == 0 else col + 1
            owner[count] = own if is_own else far
            depth[count] = near[row, col] if is_own else near[far_row, far_col]
            move[count] = shift[row, col] if is_own else shift[far_row, far_col]
            if ends[count] > begins[count]:
                count += 1
    return count


@kernel(nogil=True)
def _is_joined(a: float, b: float) -> bool:
    return abs(a - b) <= _JOINED * max(a, b)


@kernel(nogil=True)
def _lay(count, begins, ends, owner, depth, move, closest, shows, column, width):  # type: ignore[no-untyped-def]
    """Move spans to their place; where several come to lie, the nearest is seen."""
    fine = width * ACROSS
    for i in range(count):
        lead = move[i]
        trail = move[i]
        if i > 0 and _is_joined(depth[i], depth[i - 1]):
            lead = (move[i] + move[i - 1]) / 2
        if i + 1 < count and _is_joined(depth[i], depth[i + 1]):
            trail = (move[i] + move[i + 1]) / 2
        start, stop = begins[i] + lead, ends[i] + trail
        if stop <= start:
            continue
        slope = (ends[i] - begins[i]) / (stop - start)
        low = max(0, int(np.ceil(start * ACROSS - 0.5)))
        high = min(fine - 1, int(np.ceil(stop * ACROSS - 0.5)) - 1)
        for k in range(low, high + 1):
            if depth[i] > closest[k]:
                closest[k], shows[k] = depth[i], owner[i]
                column[k] = begins[i] + ((k + 0.5) / ACROSS - start) * slope


@kernel(nogil=True)
def _fill(closest, shows, column):  # type: ignore[no-untyped-def]
    """Fill what nobody covers from the farther of its two sides, mirrored, never from before it."""
    fine = len(shows)
    k = 0
    while k < fine:
        if shows[k] >= 0:
            k += 1
            continue
        begin = k
        while k < fine and shows[k] < 0:
            k += 1
        left, right = begin - 1, k
        from_left = right >= fine or (left >= 0 and closest[left] <= closest[right])
        edge = left if from_left else right
        if edge < 0 or edge >= fine:
            continue
        way = -1 if from_left else 1
        deep = closest[edge]
        for j in range(k - begin):
            to = begin + j if from_left else k - 1 - j
            source = edge + way * j
            # Only what lies as far back goes on; else the last that does is repeated.
            while (
                j > 0
                and (
                    source < 0
                    or source >= fine
                    or shows[source] < 0
                    or abs(closest[source] - deep) > 0.1 * max(deep, 1e-9)
                )
                and source != edge
            ):
                source -= way
            shows[to], column[to] = shows[source], column[source]
    for k in range(fine):
        if shows[k] < 0:
            shows[k] = 0


@kernel(nogil=True)
def _centre(base, begin, surface, shows, column):  # type: ignore[no-untyped-def]
    """Give the source column in a pixel's middle where its samples and their neighbours are one surface."""
    width = len(surface)
    number = -1
    for k in range(base, base + ACROSS):
        source = shows[k] - begin
        if source < 0 or source >= width:
            return np.float32(np.nan)
        if k == base:
            number = surface[source]
        if surface[source] < 0 or surface[source] != number:
            return np.float32(np.nan)
    middle = base + ACROSS // 2
    x = (column[middle - 1] + column[middle]) / 2 - 0.5
    # What the cubic reaches for has to be of this surface, too.
    low = int(np.floor(x))
    for source in range(max(0, low - 1), min(width, low + 3)):
        if surface[source] != number:
            return np.float32(np.nan)
    return np.float32(x)


@kernel(nogil=True)
def gather_rows(
    first: int,
    last: int,
    plane: NDArray[np.float32],
    at: NDArray[np.float32],
    samples: NDArray[np.int32],
    made: NDArray[np.float32],
) -> None:
    """Take a plane of light along: cubic within a surface, the mean of the samples at its rims.

    Source of the cubic: R. Keys, "Cubic convolution interpolation for digital image processing", IEEE TASSP
    29(6), 1981.
    """
    width = plane.shape[1]
    flat = plane.ravel()
    for row in range(first, last):
        for col in range(width):
            x = at[row, col]
            low = int(np.floor(x)) if not np.isnan(x) else 0
            if np.isnan(x) or low < 1 or low + 2 >= width:
                total = np.float32(0)
                for k in range(samples.shape[2]):
                    total += flat[samples[row, col, k]]
                made[row, col] = total / samples.shape[2]
                continue
            t = x - low
            before, here, there, after = (
                plane[row, low - 1],
                plane[row, low],
                plane[row, low + 1],
                plane[row, low + 2],
            )
            made[row, col] = here + 0.5 * t * (
                there
                - before
                + t * (2 * before - 5 * here + 4 * there - after + t * (3 * (here - there) + after - before))
            )
