"""The compiled inner loops of focus: what lies hidden behind edges, and every pixel spread over its blur.

`focus` says what is done and why; here it is done row by row, without Python's lock, so that several threads
can each take a band of rows.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from drawstring.core.kernels import kernel

Floats = NDArray[np.float32]
Numbers = NDArray[np.int32]


@kernel(nogil=True)
def look_behind(
    key: Floats, radius: Floats, gap: float, down: bool, forward: bool, found: Numbers, steps: Numbers
) -> None:
    """Go along rows or columns one way; note for pixels just past an edge what lies behind them.

    Parameters
    ----------
    key : (H, W) float32
        Grows with distance.
    radius : (H, W) float32
        Blur, which says how far behind an edge one can see.
    gap : float
        A step of the key that parts two things.
    down, forward : bool
        Along columns instead of rows; towards higher numbers.
    found, steps : (H, W) int32
        Written to: flat number of the pixel that lies behind (-1 none), and how far away it is.
    """
    height, width = key.shape
    lines, length = (width, height) if down else (height, width)
    for line in range(lines):
        behind, away = -1, 0
        behind_key = np.float32(0)
        for i in range(length):
            at = i if forward else length - 1 - i
            row, col = (at, line) if down else (line, at)
            here = key[row, col]
            if i > 0:
                last = at - 1 if forward else at + 1
                before_row, before_col = (last, line) if down else (line, last)
                before = key[before_row, before_col]
                if before > here + gap:
                    # The pixel at the edge mixes both sides; the one before it does not.
                    two = last - 1 if forward else last + 1
                    from_row, from_col = before_row, before_col
                    if 0 <= two < length:
                        two_row, two_col = (two, line) if down else (line, two)
                        if abs(key[two_row, two_col] - before) < gap:
                            from_row, from_col = two_row, two_col
                    behind, away = from_row * width + from_col, 0
                    behind_key = before
            if behind >= 0:
                away += 1
                reach = max(abs(radius[row, col]), abs(radius[behind // width, behind % width])) + 2
                if away > reach or here > behind_key - gap:
                    behind = -1
                else:
                    found[row, col], steps[row, col] = behind, away


@kernel(nogil=True)
def fill_behind(
    first: int, last: int, picture: Floats, key: Floats, radius: Floats, found: Numbers, steps: Numbers,
    near_enough: float, colour: Floats, key_behind: Floats, radius_behind: Floats,
) -> None:  # fmt: skip
    """Make up what lies hidden in rows `first` to `last`, from four directions, the nearer the more.

    Parameters
    ----------
    found, steps : (4, H, W) int32
    near_enough : float
        Things whose keys differ by less are mixed; of others the closest in the picture counts.
    colour, key_behind, radius_behind : (H, W, 4) and (H, W) float32
        Written to; `radius_behind` is NaN where nothing is hidden.
    """
    width = key.shape[1]
    for row in range(first, last):
        for col in range(width):
            best, least = -1, 1 << 30
            for side in range(4):
                if found[side, row, col] >= 0 and steps[side, row, col] < least:
                    best, least = side, steps[side, row, col]
            if best < 0:
                radius_behind[row, col] = np.nan
                continue
            at = found[best, row, col]
            wanted = key[at // width, at % width]
            weight = np.float32(0)
            sums = np.zeros(6, np.float32)
            for side in range(4):
                at = found[side, row, col]
                if at < 0:
                    continue
                y, x = at // width, at % width
                if abs(key[y, x] - wanted) > near_enough:
                    continue
                share = np.float32(1) / np.float32(steps[side, row, col])
                weight += share
                for i in range(4):
                    sums[i] += share * picture[y, x, i]
                sums[4] += share * key[y, x]
                sums[5] += share * radius[y, x]
            for i in range(4):
                colour[row, col, i] = sums[i] / weight
            key_behind[row, col] = sums[4] / weight
            radius_behind[row, col] = sums[5] / weight


_QUICK = {"contract", "reassoc", "arcp"}
"""What the compiler may do for speed; NaN and inf stay what they are."""

_NEXT = np.uint64(1)


@kernel(nogil=True, inline="always", error_model="numpy", fastmath=_QUICK)
def _add(line, value, x, left, right, weight, width):
    """Add one pixel's light to a row of differences: evenly from `left` to `right` of it, ends in part."""
    begin, end = max(x + left + 0.5, 0.0), min(x + right + 0.5, float(width))
    if end <= begin:
        return
    # Without a sign: else each of the places is asked whether it counts from the end.
    i, j = np.uint64(begin), np.uint64(end)
    f, g = begin - np.float64(i), end - np.float64(j)
    for c in range(5):
        v = weight * (value[c] if c < 4 else 1.0)
        line[i, c] += v * (1.0 - f)
        line[i + _NEXT, c] += v * f
        line[j, c] -= v * (1.0 - g)
        line[j + _NEXT, c] -= v * g


@kernel(nogil=True, error_model="numpy", fastmath=_QUICK)
def spread_rows(
    first: int, last: int, picture: Floats, radius: Floats, layer: NDArray[np.int16], behind: Floats,
    radius_behind: Floats, layer_behind: NDArray[np.int16], reach: Numbers, layers: int, fine: float,
    rows: Numbers, left: Floats, right: Floats, weight: Floats, out: Floats,
) -> None:  # fmt: skip
    """Make rows `first` to `last` of the focused picture.

    Parameters
    ----------
    layer, layer_behind : (H, W) int16
        0 is nearest; -1 for nothing hidden.
    reach : (H,) int32
        How many rows up and down the pixels of each row spread.
    fine : float
        Radii of the tables for one pixel.
    rows : (Q,) int32; left, right : (Q, 2 N + 1) float32; weight : (Q,) float32
        Of each radius: rows to either side, where its shape begins and ends in each row, one part's share.
    out : (H, W, 4) float32
        Written to.
    """
    height, width = radius.shape
    middle = left.shape[1] // 2
    lines = np.zeros((layers, width + 2, 5), np.float64)
    used = np.zeros(layers, np.bool_)
    taken = np.zeros((width, 5), np.float64)  # light and coverage of nearer layers, and what they left
    furthest = reach.max()
    for y in range(first, last):
        for sy in range(max(0, y - furthest), min(height, y + furthest + 1)):
            dy = y - sy
            if abs(dy) > reach[sy]:
                continue
            for x in range(width):
                r = radius[sy, x]
                q = int(abs(r) * fine + 0.5)
                if abs(dy) <= rows[q]:
                    k = layer[sy, x]
                    used[k] = True
                    # Nearer than the focus the lens's own shape stands on its head.
                    if r < 0:
                        at = middle - dy
                        _add(lines[k], picture[sy, x], x, -right[q, at], -left[q, at], weight[q], width)
                    else:
                        at = middle + dy
                        _add(lines[k], picture[sy, x], x, left[q, at], right[q, at], weight[q], width)
                k = layer_behind[sy, x]
                if k >= 0:
                    r = radius_behind[sy, x]
                    q = int(abs(r) * fine + 0.5)
                    if abs(dy) <= rows[q]:
                        used[k] = True
                        if r < 0:
                            at = middle - dy
                            _add(lines[k], behind[sy, x], x, -right[q, at], -left[q, at], weight[q], width)
                        else:
                            at = middle + dy
                            _add(lines[k], behind[sy, x], x, left[q, at], right[q, at], weight[q], width)
        taken[:, :4] = 0.0
        taken[:, 4] = 1.0
        for k in range(layers):
            if used[k]:
                used[k] = False
                _lay_under(lines[k], taken)
                lines[k] = 0.0
        for x in range(width):
            whole = 1.0 - taken[x, 4]
            for c in range(4):
                out[y, x, c] = picture[y, x, c] if whole < 1e-4 else taken[x, c] / whole


@kernel(nogil=True, inline="always", error_model="numpy", fastmath=_QUICK)
def _lay_under(line, taken):
    """Put a layer's row behind the nearer ones: each takes of a lens's opening what those left of it."""
    c0 = c1 = c2 = c3 = seen = 0.0
    for x in range(len(taken)):
        c0 += line[x, 0]
        c1 += line[x, 1]
        c2 += line[x, 2]
        c3 += line[x, 3]
        seen += line[x, 4]
        room = taken[x, 4]
        if seen <= 1e-7 or room <= 1e-6:
            continue
        share = min(seen, room) / seen
        taken[x, 0] += c0 * share
        taken[x, 1] += c1 * share
        taken[x, 2] += c2 * share
        taken[x, 3] += c3 * share
        taken[x, 4] = room - min(seen, room)
