"""Light brought to another size where rows stay rows: along columns and rows, one after the other."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from drawstring.core.arrays import Picture, Plane
from drawstring.core.bands import in_bands
from drawstring.core.framing.filters import FUSED, RADIUS, TABLES, Filter, Grid, nearby, taps_of
from drawstring.core.kernels import kernel


def resized_picture(
    picture: Picture, x: Grid, y: Grid, size: tuple[float, float], kind: Filter, *,
    is_held: bool = False, is_filled: bool = False, threads: int = 1,
) -> Picture:  # fmt: skip
    """Bring a picture to another size.

    Parameters
    ----------
    picture : (H, W, C) float32
        One channel, or any four of them together.
    x, y : (w,) and (h,) float64
        Middles of what goes out, where pixel j reaches from j to j + 1.
    size : (across, down)
        Of an outgoing pixel, in pixels that came.
    kind : Filter
    is_held : bool
        Whether results stay between the values that count positively: no rings.
    is_filled : bool
        Whether what lies outside is filled from the edge; else nothing is there.

    Returns
    -------
    (h, w, C) float32
    """
    source = np.ascontiguousarray(picture, np.float32)
    height, width, count = source.shape
    assert count in (1, 4), count
    table, radius = TABLES[kind], RADIUS[kind]
    down = taps_of(table, radius, y, size[1], height, is_filled)
    across = taps_of(table, radius, x, size[0], width, is_filled)
    made = np.empty((len(y), len(x), count), np.float32)
    flat = source.reshape(height, width * count)

    def bring(first: int, last: int) -> None:
        _bring(first, last, down, y, across, x, size, count, is_held, flat, made)

    in_bands(bring, len(y), threads)
    return made


def in_fours(planes: Sequence[Plane]) -> list[Picture]:
    """Put planes side by side, up to four at a time, as the samplers take them: (H, W, 1 or 4) float32."""
    if len(planes) == 1:
        return [np.ascontiguousarray(planes[0], np.float32)[..., None]]
    fours = []
    for begin in range(0, len(planes), 4):
        some = planes[begin : begin + 4]
        picture = np.zeros((*some[0].shape, 4), np.float32)
        for i, plane in enumerate(some):
            picture[..., i] = plane
        fours.append(picture)
    return fours


def apart_again(pictures: Sequence[Picture], count: int) -> list[Plane]:
    """Give the planes that `in_fours` put together, each in one piece."""
    return [np.ascontiguousarray(picture[..., i]) for picture in pictures for i in range(picture.shape[2])][
        :count
    ]


@kernel(nogil=True, fastmath=FUSED, error_model="numpy")
def _bring(first, last, down, y, across, x, size, count, held, flat, made):  # type: ignore[no-untyped-def]
    tops, heights, shares = down
    lefts, widths, weights = across
    height, line = flat.shape
    width = line // count
    row_of, low, high = np.empty(line, np.float32), np.empty(line, np.float32), np.empty(line, np.float32)
    for row in range(first, last):
        # What lies below each other, all columns and channels of a line at once.
        row_of[:] = 0
        for k in range(heights[row]):
            at, weight = min(max(tops[row] + k, 0), height - 1), shares[row, k]
            for i in range(line):
                row_of[i] += weight * flat[at, i]
        begins, ends = nearby(y[row], size[1], tops[row], heights[row])
        if held and begins < ends:
            low[:] = np.inf
            high[:] = -np.inf
            for k in range(begins, ends):
                at = min(max(tops[row] + k, 0), height - 1)
                for i in range(line):
                    value = flat[at, i]
                    low[i] = value if value < low[i] else low[i]
                    high[i] = value if value > high[i] else high[i]
            for i in range(line):
                value = row_of[i]
                value = low[i] if value < low[i] else value
                row_of[i] = high[i] if value > high[i] else value
        out = made[row]
        if count == 4:
            _four(row_of, width, lefts, widths, weights, x, size[0], held, out)
        else:
            _one(row_of, width, lefts, widths, weights, x, size[0], held, out)


@kernel(nogil=True, fastmath=FUSED, error_model="numpy")
def _one(row, width, lefts, widths, weights, x, size, held, out):  # type: ignore[no-untyped-def]
    for col in range(len(lefts)):
        left, total = lefts[col], np.float32(0)
        for k in range(widths[col]):
            total += weights[col, k] * row[min(max(left + k, 0), width - 1)]
        begins, ends = nearby(x[col], size, left, widths[col]) if held else (0, 0)
        if begins < ends:
            low = high = row[min(max(left + begins, 0), width - 1)]
            for k in range(begins + 1, ends):
                value = row[min(max(left + k, 0), width - 1)]
                low = value if value < low else low
                high = value if value > high else high
            total = low if total < low else high if total > high else total
        out[col, 0] = total


@kernel(nogil=True, fastmath=FUSED, error_model="numpy")
def _four(row, width, lefts, widths, weights, x, size, held, out):  # type: ignore[no-untyped-def]
    # Numbers without a sign need no look at whether they count from the end.
    c1, c2, c3, c4 = np.uint64(1), np.uint64(2), np.uint64(3), np.uint64(4)
    flat, most = weights.ravel(), np.uint64(weights.shape[1])
    made = out.ravel()
    for col in range(len(lefts)):
        left, taps = lefts[col], widths[col]
        one = two = three = four = np.float32(0)
        of, to = np.uint64(col) * most, np.uint64(col) * c4
        if left >= 0 and left + taps <= width:
            at = np.uint64(left) * c4
            for k in range(np.uint64(taps)):
                weight = flat[of + np.uint64(k)]
                one += weight * row[at]
                two += weight * row[at + c1]
                three += weight * row[at + c2]
                four += weight * row[at + c3]
                at += c4
        else:
            for k in range(taps):
                weight, at = flat[of + np.uint64(k)], np.uint64(min(max(left + k, 0), width - 1)) * c4
                one += weight * row[at]
                two += weight * row[at + c1]
                three += weight * row[at + c2]
                four += weight * row[at + c3]
        made[to], made[to + c1], made[to + c2], made[to + c3] = one, two, three, four
        begins, ends = nearby(x[col], size, left, taps) if held else (0, 0)
        if begins >= ends:
            continue
        for c in range(c4):
            at = np.uint64(min(max(left + begins, 0), width - 1)) * c4 + c
            low = high = row[at]
            for k in range(begins + 1, ends):
                value = row[np.uint64(min(max(left + k, 0), width - 1)) * c4 + c]
                low = value if value < low else low
                high = value if value > high else high
            total = made[to + c]
            total = low if total < low else total
            made[to + c] = high if total > high else total
