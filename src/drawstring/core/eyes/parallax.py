"""Parallax of a pair: exact from depth and cameras, or estimated from the two pictures.

Parallax is how far right of its place in the left picture a point lies in the right one, in pixels.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Mask, Picture, Plane
from drawstring.core.camera import Camera, Place, slopes

Shades = NDArray[np.uint8]

_TURNED = 0.02
"""Degrees between the eyes' directions above which they are told to be toed in."""


@dataclass(frozen=True)
class Rig:
    """How the right eye stands to the left one, in the left one's axes and scene units.

    Attributes
    ----------
    right, down, forward : float
        Where it stands; `right` is the interaxial.
    toe_degrees : float
        How far the eyes' directions run together.
    tilt_degrees : float
        How far one is pitched or rolled against the other.
    convergence : float or None
        Where the film backs' shift brings parallel eyes together; None where nothing tells or it does not.
    """

    right: float
    down: float
    forward: float
    toe_degrees: float
    tilt_degrees: float
    convergence: float | None

    @property
    def is_parallel(self) -> bool:
        """Whether both look the same way."""
        return abs(self.toe_degrees) < _TURNED and self.tilt_degrees < _TURNED


def rig_of(left: Camera, right: Camera) -> Rig | None:
    """Tell how two cameras stand to each other; None where their places are not known."""
    axes, others = left.axes, right.axes
    here, there = left.position, right.position
    if axes is None or others is None or here is None or there is None:
        return None
    side, down, forward = (float(v) for v in axes @ (there - here))
    turn = others @ axes.T  # the right eye's axes, told in the left one's
    toe = -np.degrees(np.arctan2(turn[2, 0], turn[2, 2]))
    pitch = np.degrees(np.arcsin(np.clip(turn[2, 1], -1, 1)))
    roll = np.degrees(np.arctan2(turn[0, 1], turn[0, 0]))
    apart = left.shift - right.shift
    meets = side / apart if apart > 1e-9 and abs(toe) < _TURNED else None
    return Rig(side, down, forward, float(toe), float(max(abs(pitch), abs(roll))), meets)


def projected(z: Plane, camera: Camera, other: Camera, place: Place) -> tuple[Plane, Plane, Plane]:
    """Give where each pixel's point lies in another camera's picture.

    Parameters
    ----------
    z : (H, W)
        Distances along the axis of `camera`; inf where there is nothing.
    camera, other : Camera
        Pin-holes whose lens and place are known.
    place : Place
        Of both pictures.

    Returns
    -------
    right, down : (H, W)
        How far right and down of its own place, in pixels of the full picture.
    distance : (H, W)
        Along the other's axis.
    """
    shape = z.shape
    sx, sy = slopes(camera, place, shape)
    axes, others = camera.axes, other.axes
    here, there = camera.position, other.position
    assert axes is not None and others is not None and here is not None and there is not None
    turn = np.asarray(others @ axes.T, np.float64)
    moved = np.asarray(others @ (here - there), np.float64)
    with np.errstate(divide="ignore", invalid="ignore"):
        near = 1.0 / z.astype(np.float64)
    # Divided by the distance, so that infinitely far points are just directions.
    x, y, deep = (turn[i, 0] * sx + turn[i, 1] * sy + turn[i, 2] + moved[i] * near for i in range(3))
    with np.errstate(divide="ignore", invalid="ignore"):
        to_x, to_y = x / deep, y / deep
        distance = np.where(np.isfinite(z), deep / np.where(near > 0, near, 1), np.inf)
    assert other.focal_mm and other.filmback_mm and camera.focal_mm and camera.filmback_mm
    shown = place.display
    half = other.filmback_mm / 2 / other.focal_mm
    per_slope = shown.width / 2 / half
    own_x, own_y = place.pixels(shape)
    px = shown.x_min + shown.width / 2 + (to_x - other.shift) * per_slope
    py = shown.y_min + shown.height / 2 + (to_y - other.drop) * per_slope * place.pixel_aspect
    return (
        np.asarray(px - own_x, np.float32), np.asarray(py - own_y, np.float32),
        np.asarray(distance, np.float32),
    )  # fmt: skip


@dataclass(frozen=True)
class Estimate:
    """Parallax estimated from two pictures.

    Attributes
    ----------
    parallax : (H, W) float32
        Pixels; NaN where not known.
    sure : (H, W) bool
        Where both directions agree.
    """

    parallax: Plane
    sure: Mask


def for_looking(picture: Picture) -> Shades:
    """Bring scene-linear light to 8 bits, so that dark and bright detail count alike: (H, W) uint8."""
    light = np.nan_to_num(
        picture[..., :3].astype(np.float32) @ np.array([0.2126, 0.7152, 0.0722], np.float32)
    )
    top = max(float(np.percentile(light, 99.5)), 1e-6)
    return np.asarray(np.clip(np.sqrt(np.clip(light / top, 0, 1)) * 255, 0, 255), np.uint8)


def estimate(left: Picture, right: Picture, *, reach: float = 0.06) -> Estimate:
    """Estimate parallax by semi-global matching, both ways.

    Parameters
    ----------
    left, right : (H, W, 3 or more) scene-linear
    reach : float
        The largest parallax looked for, as share of the width, to either side.

    Source: H. Hirschmueller, "Stereo processing by semiglobal matching and mutual information", IEEE TPAMI
    30(2), 2008, as implemented in OpenCV; agreement to one pixel both ways.
    """
    one, other = for_looking(left), for_looking(right)
    width = one.shape[1]
    most = max(16, int(np.ceil(width * reach / 16)) * 16)
    forth = _matched(one, other, most)
    back = _matched(other, one, most)
    cols = np.broadcast_to(np.arange(width), one.shape)
    lands = np.clip(np.round(cols + np.nan_to_num(forth)), 0, width - 1).astype(int)
    returned = np.take_along_axis(back, lands, axis=1)
    with np.errstate(invalid="ignore"):
        sure = np.isfinite(forth) & (np.abs(forth + returned) <= 1)
    return Estimate(np.where(sure, forth, np.float32(np.nan)), np.asarray(sure))


_TRIES = 300
_MOST_UNLIKE = 40.0
"""Levels above which a pixel counts no more: it is hidden in one eye, or shines."""
_LOOKED_AT = 6000


def led_by_depth(left: Picture, right: Picture, known: Estimate, near: Plane) -> Plane | None:
    """Fit parallax to the distances of the left eye: what neither picture's texture tells, depth does.

    Parallel eyes part by `a + b / z`, whatever their lens, distance apart and convergence are. Pairs of
    matches propose both numbers (M. Fischler and R. Bolles, "Random sample consensus", Communications of the
    ACM 24(6), 1981); those are taken by which the right picture, moved, is most like the left one where that
    has contrast.

    Parameters
    ----------
    left, right : (H, W, 3 or more) scene-linear
    known : Estimate
        From these pictures.
    near : (H, W) float32
        1 / distance along the axis, any unit; 0 where there is nothing.

    Returns
    -------
    (H, W) float32, pixels; None where no such line makes the eyes alike.
    """
    rows, cols = np.nonzero(known.sure & np.isfinite(near))
    if len(rows) < 200 or not np.ptp(near[rows, cols]) > 0:
        return None
    one, other = (cv2.GaussianBlur(for_looking(eye).astype(np.float32), (0, 0), 1) for eye in (left, right))
    chance = np.random.default_rng(7)
    # A little everywhere: much of a picture may be black, and chance wants enough places to choose from.
    contrast = np.abs(cv2.Sobel(one, cv2.CV_32F, 1, 0)).ravel().astype(np.float64) + 1e-3
    looked = chance.choice(
        contrast.size, min(_LOOKED_AT, contrast.size // 2), False, contrast / contrast.sum()
    )
    at_rows, at_cols = np.divmod(looked, one.shape[1])
    nearness, meant = near.ravel()[looked], one.ravel()[looked]

    def unlike(line: Sequence[float]) -> float:
        lands = np.asarray(at_cols + line[0] + line[1] * nearness, np.float32)
        shown = cv2.remap(
            other,
            lands[None],
            at_rows[None].astype(np.float32),
            cv2.INTER_LINEAR,
            borderMode=cv2.BORDER_REPLICATE,
        )[0]
        return float(np.minimum(np.abs(shown - meant), _MOST_UNLIKE).mean())

    x, y = near[rows, cols].astype(np.float64), known.parallax[rows, cols].astype(np.float64)
    lines = [(float(np.median(y)), 0.0)]
    for here, there in chance.integers(0, len(x), (_TRIES, 2)):
        if abs(x[here] - x[there]) > 0.02 * x.max():
            slope = (y[here] - y[there]) / (x[here] - x[there])
            lines.append((y[here] - slope * x[here], slope))
    costs = [unlike(line) for line in lines]
    start = np.array(lines[int(np.argmin(costs))])
    step = np.array([[0, 0], [0.5, 0], [0, 0.5 / x.max()]])
    from scipy.optimize import minimize  # by whoever needs it: it takes long to load

    best = minimize(
        unlike, start, method="Nelder-Mead", options={"initial_simplex": start + step, "maxiter": 120}
    )
    if best.fun > 0.7 * np.median(costs):
        return None
    return np.asarray(best.x[0] + best.x[1] * near, np.float32)


def _matched(one: Shades, other: Shades, most: int) -> Plane:
    size = 5
    matcher = cv2.StereoSGBM.create(
        minDisparity=-most, numDisparities=2 * most, blockSize=size, P1=8 * size**2, P2=32 * size**2,
        uniquenessRatio=5, speckleWindowSize=60, speckleRange=2, mode=cv2.STEREO_SGBM_MODE_SGBM_3WAY,
    )  # fmt: skip
    # The matcher can't look past the frame's sides, so it is given more to look at.
    wide = [cv2.copyMakeBorder(side, 0, 0, most, most, cv2.BORDER_REPLICATE) for side in (one, other)]
    found = matcher.compute(*wide).astype(np.float32)[:, most:-most] / 16
    # Its disparity is how far left of its place a point lies in the other picture.
    return np.where(found < -most, np.float32(np.nan), -found).astype(np.float32)


@dataclass(frozen=True)
class ParallaxRange:
    """What parallax a frame has: in pixels; percentiles of what is known."""

    low: float
    high: float
    middle: float
    share_known: float


def range_of(parallax: Plane) -> ParallaxRange | None:
    """Give a frame's range: 0.5 % of the picture lies beyond either end; None where nothing is known."""
    known = parallax[np.isfinite(parallax)]
    if not known.size:
        return None
    low, middle, high = (float(v) for v in np.percentile(known, [0.5, 50, 99.5]))
    return ParallaxRange(low, high, middle, known.size / parallax.size)
