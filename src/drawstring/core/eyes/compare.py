"""What is wrong between two eyes, told from their pixels: offset, turn, size, light, order, doubling.

Points that stand out are followed from the left picture into the right one. Their vertical displacement has
no business being there: over the picture it is an offset, a turn about the middle and a difference in size,

    down = v + t (x - cx) + (s - 1) (y - cy),

fitted robustly. Their brightness ratio is the exposure; the sign of their horizontal displacement against
nearness tells which eye is which.

Sources: B. D. Lucas, T. Kanade, "An iterative image registration technique", IJCAI 1981; J. Shi, C. Tomasi,
"Good features to track", CVPR 1994 (both as implemented in OpenCV); P. J. Huber, "Robust statistics", 1981.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Picture, Plane
from drawstring.core.eyes.parallax import Shades, estimate, for_looking

_POINTS = 1200
_ENOUGH = 25
_GRID = (8, 6)
Points = NDArray[np.float32]


@dataclass(frozen=True)
class Compared:
    """One frame's two eyes beside each other; lengths in pixels of the full picture.

    Attributes
    ----------
    points : int
        How many points were followed there and back.
    offset : float
        How far the right picture's content lies below the left's.
    turn_degrees, scale : float
        How far it is turned clockwise, and how large it is.
    spread : float
        How far single points are from this (median).
    gain : (float, float, float)
        Brightness of the right by the left, R G B.
    nearest, farthest : float
        Parallax of the points: lowest and highest.
    order : float
        Above 0 the eyes are the right way round, below 0 swapped; how sure, up to 1. 0 is unsure.
    told_by : str
        "depth" or "occlusion".
    is_doubled : bool
        Whether both eyes show the very same.
    """

    points: int
    offset: float = 0.0
    turn_degrees: float = 0.0
    scale: float = 1.0
    spread: float = 0.0
    gain: tuple[float, float, float] = (1.0, 1.0, 1.0)
    nearest: float = 0.0
    farthest: float = 0.0
    order: float = 0.0
    told_by: str = ""
    is_doubled: bool = False

    def as_dict(self) -> dict[str, Any]:
        """Give it as plain data."""
        return asdict(self)


def compare(left: Picture, right: Picture, near: Plane | None = None, *, step: int = 1) -> Compared:
    """Compare two eyes of one frame.

    Parameters
    ----------
    left, right : (H, W, 3 or more) scene-linear
        Of one size.
    near : (H, W), optional
        1 / distance of the left eye's pixels, 0 where there is nothing.
    step : int
        Of a proxy: answers are in pixels of the full picture.
    """
    if np.array_equal(left[..., :3], right[..., :3]):
        return Compared(0, is_doubled=True)
    one, other = for_looking(left), for_looking(right)
    here, there = followed(one, other)
    if len(here) < _ENOUGH:
        return Compared(len(here))
    height, width = one.shape
    middle = np.array([(width - 1) / 2, (height - 1) / 2])
    across, down = here - middle, there - here
    parts = np.stack([np.ones(len(here)), across[:, 0], across[:, 1]], axis=-1)
    (offset, turn, size), kept = _fitted(parts, down[:, 1])
    rest = down[kept, 1] - parts[kept] @ (offset, turn, size)
    order, by = _order(here[kept], down[kept, 0], near, left, right)
    low, high = np.percentile(down[kept, 0], [1, 99])
    doubled = bool(np.abs(down[kept]).max() < 0.02 and np.abs(one.astype(int) - other).mean() < 0.5)
    return Compared(
        int(kept.sum()),
        round(float(offset) * step, 3),
        round(float(np.degrees(np.arctan(turn))), 4),
        round(1 + float(size), 5),
        round(float(np.median(np.abs(rest))) * step, 3),
        _gains(left, right, here[kept], there[kept]),
        round(float(low) * step, 2),
        round(float(high) * step, 2),
        round(order, 3),
        by,
        doubled,
    )


def followed(one: Shades, other: Shades) -> tuple[Points, Points]:
    """Follow points from one picture into another and back; give those that return: (N, 2) each, x and y."""
    corners = cv2.goodFeaturesToTrack(one, _POINTS, 0.005, 5)
    if corners is None:
        return np.empty((0, 2), np.float32), np.empty((0, 2), np.float32)
    how: dict[str, Any] = {
        "winSize": (15, 15), "maxLevel": 5,
        "criteria": (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 60, 0.001),
    }  # fmt: skip
    # Exposure is compared, not followed: both are brought to one contrast first.
    flat = [cv2.createCLAHE(2.0, (8, 8)).apply(side) for side in (one, other)]
    follow: Any = cv2.calcOpticalFlowPyrLK
    there, found, _ = follow(flat[0], flat[1], corners, None, **how)
    back, returned, _ = follow(flat[1], flat[0], there, None, **how)
    home = np.linalg.norm(back - corners, axis=-1).ravel() < 0.25
    ok = (found.ravel() == 1) & (returned.ravel() == 1) & home
    return corners.reshape(-1, 2)[ok], there.reshape(-1, 2)[ok]


def _fitted(
    parts: NDArray[np.floating], values: NDArray[np.floating]
) -> tuple[NDArray[Any], NDArray[np.bool_]]:
    """Fit by least squares again and again, leaving out what lies far off."""
    kept = np.abs(values - np.median(values)) <= max(
        2.0, 4 * float(np.median(np.abs(values - np.median(values))))
    )
    found = np.zeros(parts.shape[1])
    for _ in range(8):
        found, *_ = np.linalg.lstsq(parts[kept], values[kept], rcond=None)
        rest = np.abs(values - parts @ found)
        # 1.4826 times the median deviation is the standard deviation of what is normally spread.
        now = rest <= max(0.05, 2.5 * 1.4826 * float(np.median(rest[kept])))
        if now.sum() < _ENOUGH or (now == kept).all():
            break
        kept = now
    return found, kept


def _gains(left: Picture, right: Picture, here: Points, there: Points) -> tuple[float, float, float]:
    gains = []
    for channel in range(3):
        a, b = (
            cv2.remap(
                cv2.blur(np.ascontiguousarray(side[..., channel], np.float32), (5, 5)),
                points[:, 0], points[:, 1], cv2.INTER_LINEAR,
            ).ravel()
            for side, points in ((left, here), (right, there))
        )  # fmt: skip
        lit = (a > 1e-4) & (b > 1e-4)
        gains.append(round(float(np.median(b[lit] / a[lit])), 4) if lit.sum() > 10 else 1.0)
    return gains[0], gains[1], gains[2]


def _order(
    here: Points, across: NDArray[np.floating], near: Plane | None, left: Picture, right: Picture
) -> tuple[float, str]:
    if near is not None:
        rows, cols = np.round(here[:, 1]).astype(int), np.round(here[:, 0]).astype(int)
        closeness = near[rows, cols]
        if np.std(closeness) > 1e-9 and np.std(across) > 0.05:
            # Nearer points lie further left in the right eye.
            return -float(np.corrcoef(closeness, across)[0, 1]), "depth"
    return by_occlusion(left, right), "occlusion"


def by_occlusion(left: Picture, right: Picture) -> float:
    """Tell the order of two eyes without depth: above 0 right, below 0 swapped, up to 1.

    What only the left eye sees lies at the left rim of near things and belongs to what is behind them, on
    its left. Where the eyes are swapped it lies at their right rim and belongs to what is on its right. So
    the colour of such places is compared with what lies on either side.
    """
    known = estimate(left, right)
    light = np.asarray(np.sqrt(np.maximum(np.nan_to_num(left[..., :3]), 0)), np.float32)
    votes_left = votes_right = 0
    height, width = known.sure.shape
    for row in range(0, height, 2):
        unseen = ~known.sure[row]
        edges = np.flatnonzero(np.diff(np.concatenate([[0], unseen.view(np.int8), [0]])))
        for begin, end in zip(edges[::2], edges[1::2], strict=True):
            size = end - begin
            if size < 3 or size > width // 10 or begin < 4 or end > width - 4:
                continue
            before, after = known.parallax[row, begin - 2], known.parallax[row, end + 1]
            # A gap of just the step's size is what one eye alone sees; other gaps are places not matched.
            step = before - after
            if not 2 < step < 1.5 * size or step < 0.5 * size:
                continue
            strip = light[row, begin + 1 : end - 1].mean(axis=0)
            to_left = float(np.abs(strip - light[row, begin - 4 : begin - 1].mean(axis=0)).sum())
            to_right = float(np.abs(strip - light[row, end + 1 : end + 4].mean(axis=0)).sum())
            if abs(to_left - to_right) > 0.03:
                votes_left += to_left < to_right
                votes_right += to_right < to_left
    total = votes_left + votes_right
    return (votes_left - votes_right) / total if total >= 30 else 0.0


def signature(picture: Picture) -> list[float]:
    """Give a frame's brightness in a grid of 8 x 6, from which movement over time is compared."""
    shades = for_looking(picture).astype(np.float32) / 255
    small = cv2.resize(shades, _GRID, interpolation=cv2.INTER_AREA)
    return [round(float(v), 4) for v in small.ravel()]


def late_by(
    left: Mapping[int, Sequence[float]], right: Mapping[int, Sequence[float]], most: int = 6
) -> tuple[int, float]:
    """Tell by how many frames the right eye is late against the left.

    Movement, the change of each grid field from frame to frame, is correlated at every delay.

    Parameters
    ----------
    left, right : mapping of frame number to a signature
    most : int
        The largest delay looked for.

    Returns
    -------
    frames, sure
        Negative where the right one is early; sure is how far the best delay beats the second, 0 to 1.
    """
    found: dict[int, float] = {}
    for delay in range(-most, most + 1):
        pairs = [n for n in sorted(left) if n + 1 in left and n + delay in right and n + 1 + delay in right]
        if len(pairs) < 5:
            continue
        a = np.array([np.subtract(left[n + 1], left[n]) for n in pairs]).ravel()
        b = np.array([np.subtract(right[n + 1 + delay], right[n + delay]) for n in pairs]).ravel()
        size = float(np.linalg.norm(a) * np.linalg.norm(b))
        if size > 1e-6:
            found[delay] = float(a @ b) / size
    if len(found) < 3:
        return 0, 0.0
    best = max(found, key=lambda delay: found[delay])
    others = [alike for delay, alike in found.items() if delay != best]
    return best, max(0.0, min(1.0, (found[best] - max(others)) / max(1e-6, 1 - max(others)))) if found[
        best
    ] > 0.3 else 0.0
