"""Filters by which light is brought to another size, and the samplers that use them.

Every filter is a function of the distance from the middle of what goes out, counted in pixels of whichever
picture is coarser there; its weights are made to add up to 1 over the pixels there are. Sources: cubic
convolution, R. Keys, IEEE Trans. ASSP 29(6), 1981 (a = -1/2); Mitchell, D. Mitchell and A. Netravali,
"Reconstruction filters in computer graphics", SIGGRAPH 1988 (B = C = 1/3); Lanczos, C. Duchon, J. Applied
Meteorology 18, 1979, three lobes; area: the share of every pixel that is covered.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numba import njit
from numpy.typing import NDArray

from drawstring.core.arrays import Plane
from drawstring.core.bands import in_bands
from drawstring.core.choices import Choice

Grid = NDArray[np.float64]


class Filter(Choice):
    """How light is filtered."""

    LANCZOS = "lanczos"
    """Sharpest; rings a little at hard edges."""
    CUBIC = "cubic"
    """Sharp, rings less."""
    MITCHELL = "mitchell"
    """Softer, hardly rings."""
    AREA = "area"
    """The mean of what a pixel covers; never rings."""


_NUMBERS = {Filter.AREA: 0, Filter.CUBIC: 1, Filter.MITCHELL: 2, Filter.LANCZOS: 3}
RADIUS = {Filter.AREA: 0.5, Filter.CUBIC: 2.0, Filter.MITCHELL: 2.0, Filter.LANCZOS: 3.0}
"""How far a filter reaches, in pixels of the coarser picture."""


FUSED = {"contract"}
"""A product and a sum in one step where the processor has it: as exact, and half the time."""

_FINE = 1024
_THIRDS = np.arange(3 * _FINE + 2) / _FINE
_LOBES = np.where(_THIRDS < 3, np.sinc(_THIRDS) * np.sinc(_THIRDS / 3), 0.0)
"""Lanczos' three lobes at so many places to a pixel; read between two of them it is right to 4e-7."""


@njit(cache=True, nogil=True, inline="always")
def _weight(kind, x):  # type: ignore[no-untyped-def]
    x = abs(x)
    if kind == 1:
        if x < 1:
            return (1.5 * x - 2.5) * x * x + 1
        return ((-0.5 * x + 2.5) * x - 4) * x + 2 if x < 2 else 0.0
    if kind == 2:
        if x < 1:
            return ((7.0 * x - 12.0) * x * x + 16.0 / 3.0) / 6.0
        if x < 2:
            return (((-7.0 / 3.0 * x + 12.0) * x - 20.0) * x + 32.0 / 3.0) / 6.0
        return 0.0
    if x >= 3:
        return 0.0
    at = x * _FINE
    low = int(at)
    return _LOBES[low] + (at - low) * (_LOBES[low + 1] - _LOBES[low])


@njit(cache=True, nogil=True, inline="always")
def _fill(kind, radius, middle, size, count, is_filled, into):  # type: ignore[no-untyped-def]
    """Weigh pixels about a place; give the first one and how many. Without any, none.

    `middle` is a place where pixel j reaches from j to j + 1; `size` is that of an outgoing pixel.
    """
    if not is_filled and (middle < 0 or middle >= count):
        return 0, 0
    wide = max(1.0, size)
    reach = radius * wide if kind else 0.5 * max(size, 1e-9)
    first, last = int(math.floor(middle - reach)), int(math.ceil(middle + reach))
    if not is_filled:
        first, last = max(0, first), min(count, last)
    total, narrow = 0.0, 1.0 / wide
    for j in range(first, last):
        if kind:
            weight = _weight(kind, (j + 0.5 - middle) * narrow)
        else:
            weight = max(0.0, min(j + 1.0, middle + reach) - max(float(j), middle - reach))
        into[j - first] = weight
        total += weight
    if total == 0.0:
        nearest = min(max(int(math.floor(middle)), first), last - 1)
        for j in range(first, last):
            into[j - first] = 1.0 if j == nearest else 0.0
        total = 1.0
    # One division for all of them: they take most of the time.
    share = np.float32(1.0 / total)
    for j in range(last - first):
        into[j] *= share
    return first, last - first


@njit(cache=True, nogil=True)
def taps_of(kind, radius, middles, size, count, is_filled):  # type: ignore[no-untyped-def]
    """Weigh pixels about every place along one direction."""
    most = int(2 * math.ceil(radius * max(1.0, size)) + 3)
    firsts, lengths = np.zeros(len(middles), np.int64), np.zeros(len(middles), np.int64)
    weights = np.zeros((len(middles), most), np.float32)
    for i in range(len(middles)):
        firsts[i], lengths[i] = _fill(kind, radius, middles[i], size, count, is_filled, weights[i])
    return firsts, lengths, weights


@njit(cache=True, nogil=True, inline="always")
def _near(middle, size, first, count):  # type: ignore[no-untyped-def]
    """Give which of the weighed pixels lie next to a place, from and to: what is held stays between these.

    The lobes beyond, which sharpen, reach over an edge to things that have nothing to do with it.
    """
    wide = max(1.0, size) + 1e-6
    low = int(math.ceil(middle - wide - 0.5)) - first
    high = int(math.floor(middle + wide - 0.5)) + 1 - first
    return max(0, low), min(count, high)


@njit(cache=True, nogil=True, fastmath=FUSED)
def _down_rows(first, last, firsts, lengths, weights, middles, size, held, plane, made):  # type: ignore[no-untyped-def]
    """Weigh lines: what lies below each other."""
    height, width = plane.shape
    low, high = np.empty(width, np.float32), np.empty(width, np.float32)
    for row in range(first, last):
        for col in range(width):
            made[row, col] = 0
        for k in range(lengths[row]):
            at, weight = min(max(firsts[row] + k, 0), height - 1), weights[row, k]
            for col in range(width):
                made[row, col] += weight * plane[at, col]
        begins, ends = _near(middles[row], size, firsts[row], lengths[row])
        if not held or begins >= ends:
            continue
        # Line by line, so that many columns are done at once.
        for k in range(begins, ends):
            at = min(max(firsts[row] + k, 0), height - 1)
            for col in range(width):
                value = plane[at, col]
                if k == begins:
                    low[col] = high[col] = value
                else:
                    low[col] = value if value < low[col] else low[col]
                    high[col] = value if value > high[col] else high[col]
        for col in range(width):
            value = made[row, col]
            value = low[col] if value < low[col] else value
            made[row, col] = high[col] if value > high[col] else value


@njit(cache=True, nogil=True, fastmath=FUSED)
def _across_rows(first, last, firsts, lengths, weights, middles, size, held, plane, made):  # type: ignore[no-untyped-def]
    """Weigh columns: what lies beside each other."""
    width = plane.shape[1]
    for row in range(first, last):
        for col in range(made.shape[1]):
            total = np.float32(0)
            for k in range(lengths[col]):
                total += weights[col, k] * plane[row, min(max(firsts[col] + k, 0), width - 1)]
            begins, ends = _near(middles[col], size, firsts[col], lengths[col]) if held else (0, 0)
            if begins < ends:
                low = high = plane[row, min(max(firsts[col] + begins, 0), width - 1)]
                for k in range(begins + 1, ends):
                    value = plane[row, min(max(firsts[col] + k, 0), width - 1)]
                    low = value if value < low else low
                    high = value if value > high else high
                total = low if total < low else high if total > high else total
            made[row, col] = total


def resized(
    plane: Plane, x: Grid, y: Grid, size: tuple[float, float], kind: Filter, *,
    is_held: bool = False, is_filled: bool = False, threads: int = 1,
) -> Plane:  # fmt: skip
    """Bring one plane to another size; see `all_resized`."""
    (made,) = all_resized([plane], x, y, size, kind, is_held=is_held, is_filled=is_filled, threads=threads)
    return made


def all_resized(
    planes: Sequence[Plane], x: Grid, y: Grid, size: tuple[float, float], kind: Filter, *,
    is_held: bool = False, is_filled: bool = False, threads: int = 1,
) -> list[Plane]:  # fmt: skip
    """Bring planes of one size to another: along their columns, then along their rows.

    Parameters
    ----------
    planes : sequence of (H, W) float32
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
    list of (h, w) float32
    """
    number, radius = _NUMBERS[kind], RADIUS[kind]
    sources = [np.ascontiguousarray(plane, np.float32) for plane in planes]
    height, width = sources[0].shape
    tops, heights, shares = taps_of(number, radius, y, size[1], height, is_filled)
    firsts, lengths, weights = taps_of(number, radius, x, size[0], width, is_filled)
    lines = [np.empty((len(y), width), np.float32) for _ in sources]
    made = [np.empty((len(y), len(x)), np.float32) for _ in sources]

    def bring(first: int, last: int) -> None:
        # Both directions of a band, one plane after the other: its lines are still at hand.
        for source, between, into in zip(sources, lines, made, strict=True):
            _down_rows(first, last, tops, heights, shares, y, size[1], is_held, source, between)
            _across_rows(first, last, firsts, lengths, weights, x, size[0], is_held, between, into)

    in_bands(bring, len(y), threads)
    return made


@njit(cache=True, nogil=True, fastmath=FUSED)
def _sample_rows(first, last, kind, radius, x, y, across, down, held, filled, planes, made):  # type: ignore[no-untyped-def]
    """Weigh what lies about every place, in both directions at once; planes in fours."""
    height, width, count = planes.shape
    most = int(2 * math.ceil(radius * 32.0) + 3)
    beside, below = np.empty(most, np.float32), np.empty(most, np.float32)
    flat, line = planes.ravel(), width * count
    # Numbers without a sign need no look at whether they count from the end.
    step, down_one = np.uint64(count), np.uint64(line)
    second, third, fourth = np.uint64(1), np.uint64(2), np.uint64(3)
    lows, highs = np.empty(4, np.float32), np.empty(4, np.float32)
    for row in range(first, last):
        for col in range(x.shape[1]):
            u, v = x[row, col], y[row, col]
            wide = high = 0
            if np.isfinite(u) and np.isfinite(v):
                left, wide = _fill(kind, radius, u, across[row, col], width, filled, beside)
                top, high = _fill(kind, radius, v, down[row, col], height, filled, below)
            if wide == 0 or high == 0:
                made[row, col] = 0
                continue
            left_near, right_near = _near(u, across[row, col], left, wide)
            top_near, below_near = _near(v, down[row, col], top, high)
            is_within = left >= 0 and left + wide <= width and top >= 0 and top + high <= height
            for c in range(0, count, 4):
                one = two = three = four = np.float32(0)
                if is_within:
                    begins = np.uint64(top) * down_one + np.uint64(left) * step + np.uint64(c)
                    for j in range(np.uint64(high)):
                        to = begins + np.uint64(j) * down_one
                        for i in range(np.uint64(wide)):
                            weight = below[j] * beside[i]
                            one += weight * flat[to]
                            two += weight * flat[to + second]
                            three += weight * flat[to + third]
                            four += weight * flat[to + fourth]
                            to += step
                else:
                    for j in range(high):
                        at = min(max(top + j, 0), height - 1) * line + c
                        for i in range(wide):
                            weight = below[j] * beside[i]
                            near = at + min(max(left + i, 0), width - 1) * count
                            one += weight * flat[near]
                            two += weight * flat[near + 1]
                            three += weight * flat[near + 2]
                            four += weight * flat[near + 3]
                if held and left_near < right_near and top_near < below_near:
                    lows[:], highs[:] = np.inf, -np.inf
                    for j in range(top_near, below_near):
                        at = min(max(top + j, 0), height - 1) * line + c
                        for i in range(left_near, right_near):
                            near = at + min(max(left + i, 0), width - 1) * count
                            for k in range(4):
                                lows[k], highs[k] = (
                                    min(lows[k], flat[near + k]),
                                    max(highs[k], flat[near + k]),
                                )
                    one, two = min(max(one, lows[0]), highs[0]), min(max(two, lows[1]), highs[1])
                    three, four = min(max(three, lows[2]), highs[2]), min(max(four, lows[3]), highs[3])
                made[row, col, c], made[row, col, c + 1] = one, two
                made[row, col, c + 2], made[row, col, c + 3] = three, four


@njit(cache=True, nogil=True)
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


def sampled(
    planes: Sequence[Plane], x: Grid, y: Grid, sizes: tuple[Grid, Grid], kind: Filter, *,
    is_held: bool = False, is_filled: bool = False, threads: int = 1,
) -> list[Plane]:  # fmt: skip
    """Sample planes at any places, as wide as a pixel is there.

    Parameters
    ----------
    planes : sequence of (H, W) float32
    x, y : (h, w) float64
        Where pixel j reaches from j to j + 1; NaN where nothing is.
    sizes : two (h, w) float64
        Of an outgoing pixel across and down, in pixels that came; up to 32.
    """
    source = np.zeros((*planes[0].shape, -(-len(planes) // 4) * 4), np.float32)
    for c, plane in enumerate(planes):
        source[..., c] = plane
    made = np.empty((*x.shape, source.shape[2]), np.float32)
    across, down = (np.minimum(size, 32.0) for size in sizes)
    in_bands(
        lambda a, b: _sample_rows(
            a, b, _NUMBERS[kind], RADIUS[kind], x, y, across, down, is_held, is_filled, source, made
        ),
        x.shape[0],
        threads,
    )
    return [np.ascontiguousarray(made[..., c]) for c in range(len(planes))]
