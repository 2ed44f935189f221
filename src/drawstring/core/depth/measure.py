"""How much picture lies at each distance, streamed over frames and exact to a twentieth of a percent.

The bits of a positive float32 sort like its value, so its upper bits number a bin without a
logarithm: eleven bits of mantissa make bins 2**-11 (0.05 %) wide at every distance. Tallies of frames
add up, so a shot is measured in one pass over its depth channel, in any order, on any number of workers.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

import cv2
import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Counts, Mask, Plane
from drawstring.core.depth.axis import AlongFound
from drawstring.core.depth.background import HUGE, nothing_there
from drawstring.core.depth.edges import edge_map

_SHIFT = 12
_BINS = 1 << (31 - _SHIFT)
COARSE = 128
"""Fine bins in one coarse bin: sixteen coarse bins to a doubling of distance, for drawing."""


@dataclass(frozen=True)
class DepthTally:
    """What was counted in one frame or many.

    Attributes
    ----------
    pixels, nothing, nan, negative : int
        All pixels; those without a distance; the faulty ones among these.
    nearest, furthest : float
        Exact ends, in the scene's unit, of pixels that are whole: neither mixed at an edge nor within
        two pixels of where there is nothing, unless there are no others. NaN where no pixel holds a
        distance.
    first_bin : int
        Number of the first fine bin in `counts`.
    counts : (N,) int64
        Pixels in each fine bin.
    edges, mixed : int
        Pixels beside a step in depth, and those of them that mix its two sides (see `edges`).
    infinite, zero, huge : int
        In which ways "nothing there" was written.
    """

    pixels: int
    nothing: int
    nan: int
    negative: int
    nearest: float
    furthest: float
    first_bin: int
    counts: Counts
    edges: int = 0
    mixed: int = 0
    infinite: int = 0
    zero: int = 0
    huge: int = 0

    @property
    def seen(self) -> int:
        """Pixels that hold a distance."""
        return self.pixels - self.nothing

    def percentile(self, percent: float) -> float:
        """Give the distance below which `percent` of the seen pixels lie, right to 0.05 %; NaN for none."""
        if not self.seen:
            return math.nan
        if percent <= 0:
            return self.nearest
        if percent >= 100:
            return self.furthest
        below = np.cumsum(self.counts)
        at = int(np.searchsorted(below, percent / 100 * self.seen))
        low, high = bin_edges(np.array([self.first_bin + at, self.first_bin + at + 1]))
        middle = float(low + high) / 2
        # Within the bin of an end, the end itself is known exactly.
        middle = max(middle, self.nearest) if at == 0 and self.nearest <= high else middle
        return min(middle, self.furthest) if at == len(self.counts) - 1 and self.furthest >= low else middle

    def share_nearer(self, distance: float) -> float:
        """Give the share of seen pixels nearer than a distance, to the width of one bin."""
        return self._count_below(distance) / self.seen if self.seen else 0.0

    def share_further(self, distance: float) -> float:
        """Give the share of seen pixels further than a distance, to the width of one bin."""
        return 1 - self._count_below(math.nextafter(distance, math.inf)) / self.seen if self.seen else 0.0

    def _count_below(self, distance: float) -> float:
        if not len(self.counts) or distance <= 0:
            return 0.0
        at = _bin_of(distance) - self.first_bin
        if at < 0 or distance == self.nearest:
            # Whatever lies before the nearest whole pixel is mixed with nothing, unless it is a bin nearer.
            return float(self.counts[: max(0, at)].sum())
        if at >= len(self.counts):
            return float(self.seen)
        low, high = bin_edges(np.array([self.first_bin + at, self.first_bin + at + 1]))
        inside = float(self.counts[at]) * (distance - low) / (high - low)
        return float(self.counts[:at].sum()) + float(inside)

    def coarse(self) -> tuple[int, list[int]]:
        """Give the counts for drawing: number of the first coarse bin, pixels in each."""
        if not len(self.counts):
            return 0, []
        first = self.first_bin // COARSE
        last = (self.first_bin + len(self.counts) - 1) // COARSE
        padded = np.zeros((last - first + 1) * COARSE, np.int64)
        offset = self.first_bin - first * COARSE
        padded[offset : offset + len(self.counts)] = self.counts
        return first, padded.reshape(-1, COARSE).sum(axis=1).tolist()


def tally(z: Plane, alpha: Plane | None = None, *, nothing: Mask | None = None) -> DepthTally:
    """Count one frame.

    Parameters
    ----------
    z : (H, W) float32, scene units
    alpha : (H, W) float32, optional
        Where it is 0 there is nothing; where it is between 0 and 1, what is mixed with nothing.
    nothing : (H, W) bool, optional
        When it is known already.

    Returns
    -------
    DepthTally
    """
    nothing = nothing_there(z, alpha) if nothing is None else nothing
    seen = np.ascontiguousarray(z[~nothing], np.float32)
    rest = z[nothing]
    nan, negative = int(np.isnan(rest).sum()), int((rest < 0).sum())
    ways = int(np.isposinf(rest).sum()), int((rest == 0).sum()), int(((rest >= HUGE) & (rest < np.inf)).sum())
    empty = np.zeros(0, np.int64)
    if not seen.size:
        return DepthTally(z.size, z.size, nan, negative, math.nan, math.nan, 0, empty, 0, 0, *ways)
    found = edge_map(z, nothing, alpha)
    edges, mixed = found.counts
    ends = z[_whole(nothing) & (found.kind != 2)]
    ends = ends if ends.size else seen
    bins = seen.view(np.int32) >> _SHIFT
    first = int(bins.min())
    counts = np.bincount(bins - first).astype(np.int64)
    return DepthTally(
        z.size, z.size - seen.size, nan, negative, float(ends.min()), float(ends.max()), first, counts,
        edges, mixed, *ways,
    )  # fmt: skip


def _whole(nothing: Mask) -> Mask:
    """Tell which pixels lie more than two pixels from any without a distance, and so hold nothing of it."""
    return np.asarray(cv2.dilate(nothing.astype(np.uint8), np.ones((5, 5), np.uint8)) == 0)


@dataclass(frozen=True)
class FrameDistances:
    """What was counted of one frame.

    Its first view's distances, other views' by name, and along which line they were measured.
    """

    first: DepthTally
    views: Mapping[str, DepthTally] = field(default_factory=dict)
    along: AlongFound | None = None


def merged(tallies: Iterable[DepthTally]) -> DepthTally:
    """Add up tallies of several frames."""
    total = np.zeros(_BINS + 1, np.int64)
    pixels = nothing = nan = negative = edges = mixed = infinite = zero = huge = 0
    nearest, furthest = math.inf, -math.inf
    for one in tallies:
        pixels, nothing = pixels + one.pixels, nothing + one.nothing
        nan, negative = nan + one.nan, negative + one.negative
        edges, mixed = edges + one.edges, mixed + one.mixed
        infinite, zero, huge = infinite + one.infinite, zero + one.zero, huge + one.huge
        if one.seen:
            nearest, furthest = min(nearest, one.nearest), max(furthest, one.furthest)
            total[one.first_bin : one.first_bin + len(one.counts)] += one.counts
    used = np.flatnonzero(total)
    if not len(used):
        return DepthTally(
            pixels, nothing, nan, negative, math.nan, math.nan, 0, total[:0], 0, 0, infinite, zero, huge
        )
    first, last = int(used[0]), int(used[-1])
    return DepthTally(
        pixels, nothing, nan, negative, nearest, furthest, first, total[first : last + 1].copy(),
        edges, mixed, infinite, zero, huge,
    )  # fmt: skip


def bin_edges(numbers: NDArray[np.int64], *, coarse: bool = False) -> NDArray[np.float64]:
    """Give the distance at which each bin begins.

    Parameters
    ----------
    numbers : (N,) int
        Bin numbers.
    coarse : bool
        Whether they are numbers of coarse bins.
    """
    fine = np.asarray(numbers, np.int64) * (COARSE if coarse else 1)
    return (fine << _SHIFT).astype(np.int32).view(np.float32).astype(np.float64)


def _bin_of(distance: float) -> int:
    return int(np.float32(distance).view(np.int32)) >> _SHIFT
