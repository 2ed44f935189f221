"""Filters by which light is brought to another size, and their weights.

Every filter is a function of the distance from the middle of what goes out, counted in pixels of whichever
picture is coarser there; its weights are made to add up to 1 over the pixels there are. Sources: cubic
convolution, R. Keys, IEEE Trans. ASSP 29(6), 1981 (a = -1/2); Mitchell, D. Mitchell and A. Netravali,
"Reconstruction filters in computer graphics", SIGGRAPH 1988 (B = C = 1/3); Lanczos, C. Duchon, J. Applied
Meteorology 18, 1979, three lobes; area: the share of every pixel that is covered.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from drawstring.core.choices import Choice
from drawstring.core.kernels import kernel

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


RADIUS = {Filter.AREA: 0.5, Filter.CUBIC: 2.0, Filter.MITCHELL: 2.0, Filter.LANCZOS: 3.0}
"""How far a filter reaches, in pixels of the coarser picture."""


FUSED = {"contract"}
"""A product and a sum in one step where the processor has it: as exact, and half the time."""

FINE = 1024
"""Places to a pixel at which weights are kept; read between two of them they are right to 2e-6."""


def _lobes(kind: Filter, x: Grid) -> Grid:
    """Give a filter's weights at distances, in pixels."""
    x = np.abs(x)
    if kind is Filter.LANCZOS:
        return np.where(x < 3, np.sinc(x) * np.sinc(x / 3), 0.0)
    if kind is Filter.CUBIC:
        near, far = (1.5 * x - 2.5) * x * x + 1, ((-0.5 * x + 2.5) * x - 4) * x + 2
    else:
        near = ((7 * x - 12) * x * x + 16 / 3) / 6
        far = (((-7 / 3 * x + 12) * x - 20) * x + 32 / 3) / 6
    return np.where(x < 1, near, np.where(x < 2, far, 0.0))


def _kept(kind: Filter) -> NDArray[np.float32]:
    """Give its weights from 3 pixels before to 3 behind: each with how much it rises to the next."""
    lobes = _lobes(kind, np.arange(-3 * FINE, 3 * FINE + 4) / FINE)
    return np.stack([lobes[:-1], np.diff(lobes)], axis=-1).astype(np.float32)


TABLES = {kind: np.zeros((2, 2), np.float32) if kind is Filter.AREA else _kept(kind) for kind in Filter}


@kernel(nogil=True, inline="always", fastmath=FUSED, error_model="numpy")
def weigh(table, radius, middle, size, count, is_filled, into):  # type: ignore[no-untyped-def]
    """Weigh pixels about a place; give the first one and how many. Without any, none.

    `middle` is a place where pixel j reaches from j to j + 1; `size` is that of an outgoing pixel. A radius
    of half a pixel means areas.
    """
    if not is_filled and (middle < 0 or middle >= count):
        return 0, 0
    is_area = radius == 0.5
    size = size if size == size else 1.0  # not known beside what a lens does not show
    wide = max(1.0, size)
    if is_area:
        reach = 0.5 * max(size, 1e-9)
        first, last = int(math.floor(middle - reach)), int(math.ceil(middle + reach))
    else:
        reach = radius * wide
        first, last = int(math.ceil(middle - reach - 0.5)), int(math.floor(middle + reach - 0.5)) + 1
    if not is_filled:
        first, last = max(0, first), min(count, last)
    total = np.float32(0)
    if is_area:
        for j in range(first, last):
            weight = np.float32(max(0.0, min(j + 1.0, middle + reach) - max(float(j), middle - reach)))
            into[j - first] = weight
            total += weight
    else:
        begins = np.float32(((first + 0.5 - middle) / wide + 3.0) * FINE)
        step = np.float32(FINE / wide)
        for j in range(last - first):
            place = begins + np.float32(j) * step
            # Never below 0 (rounded towards it), nor beyond the table's end by more than rounding leaves.
            low = np.int32(place)
            at = np.uint64(low)
            weight = table[at, 0] + (place - np.float32(low)) * table[at, 1]
            into[j] = weight
            total += weight
    if total == 0.0:
        nearest = min(max(int(math.floor(middle)), first), last - 1)
        for j in range(first, last):
            into[j - first] = 1.0 if j == nearest else 0.0
        total = np.float32(1)
    # One division for all of them: they take most of the time.
    share = np.float32(1) / total
    for j in range(last - first):
        into[j] *= share
    return first, last - first


@kernel(nogil=True)
def taps_of(table, radius, middles, size, count, is_filled):  # type: ignore[no-untyped-def]
    """Weigh pixels about every place along one direction."""
    most = int(2 * math.ceil(radius * max(1.0, size)) + 3)
    firsts, lengths = np.zeros(len(middles), np.int64), np.zeros(len(middles), np.int64)
    weights = np.zeros((len(middles), most), np.float32)
    for i in range(len(middles)):
        firsts[i], lengths[i] = weigh(table, radius, middles[i], size, count, is_filled, weights[i])
    return firsts, lengths, weights


@kernel(nogil=True, inline="always")
def nearby(middle, size, first, count):  # type: ignore[no-untyped-def]
    """Give which of the weighed pixels lie next to a place, from and to: what is held stays between these.

    The lobes beyond, which sharpen, reach over an edge to things that have nothing to do with it.
    """
    wide = max(1.0, size) + 1e-6
    low = int(math.ceil(middle - wide - 0.5)) - first
    high = int(math.floor(middle + wide - 0.5)) + 1 - first
    return max(0, low), min(count, high)
