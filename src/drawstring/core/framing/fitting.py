"""Where a plain render lies within a picture that should hold more: truthful overscan, or merely enlarged.

Rendered with overscan as it should be, a picture shows the plain one pixel for pixel, and more around it.
Where only the size was raised and the camera left alone, it shows the same, enlarged, and nothing more.

Features are matched (D. Lowe, "Distinctive image features from scale-invariant keypoints", IJCV 60(2), 2004;
M. Fischler and R. Bolles, "Random sample consensus", Communications of the ACM 24(6), 1981), then size and
place are refined on all pixels (G. Evangelidis and E. Psarakis, "Parametric image alignment using enhanced
correlation coefficient maximization", IEEE TPAMI 30(10), 2008), as implemented in OpenCV.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Plane
from drawstring.core.choices import Choice


class Told(Choice):
    """What a picture turned out to be against a plain render."""

    OVERSCAN = "overscan", "truthful overscan"
    ENLARGED = "enlarged", "merely enlarged"
    SAME = "same", "the same frame"
    OTHER = "other", "another framing"
    NOTHING = "nothing", "too unlike to tell"


@dataclass(frozen=True)
class FitFound:
    """How a plain render lies in a larger picture.

    Attributes
    ----------
    told : Told
    scale : float
        Pixels of the larger picture to one of the plain one.
    sides : left, top, right, bottom
        How far the larger picture reaches beyond it, in its own pixels.
    alike : float
        Correlation of both where they lie over each other.
    """

    told: Told
    scale: float = 1.0
    sides: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 0.0)
    alike: float = 0.0

    @property
    def too_large(self) -> float:
        """By how much edges come out too large, in percent, where it was merely enlarged."""
        return 100 * (self.scale - 1)


EXACT = 0.001
"""To which a scale is believed: 0.1 %."""
_ALIKE = 0.6
"""Below this correlation pictures show different things."""


def fit_of(plain: Plane, larger: Plane) -> FitFound:
    """Find a plain render within a larger picture of the same moment.

    Parameters
    ----------
    plain, larger : (h, w) and (H, W) float32
        Scene-linear brightness.
    """
    small, large = _shades(plain), _shades(larger)
    way = _matched(small, large)
    if way is None:
        return FitFound(Told.NOTHING)
    way, alike = _refined(small, large, way)
    if alike < _ALIKE:
        return FitFound(Told.NOTHING, alike=alike)
    scale = float(np.sqrt(abs(np.linalg.det(way[:, :2]))))
    height, width = plain.shape
    # Corners of the plain frame, pixels reaching from their number to the next one.
    corners = np.array([[-0.5, -0.5, 1], [width - 0.5, height - 0.5, 1]]) @ way.T + 0.5
    (left, top), (right, bottom) = corners
    sides = float(left), float(top), float(larger.shape[1] - right), float(larger.shape[0] - bottom)
    turned = abs(np.arctan2(way[1, 0], way[0, 0]))
    return FitFound(_told(scale, sides, turned, plain.shape, larger.shape), scale, sides, alike)


def _told(
    scale: float, sides: tuple[float, ...], turned: float, plain: tuple[int, ...], larger: tuple[int, ...]
) -> Told:
    if turned > EXACT:
        return Told.OTHER
    is_whole = max(abs(side) for side in sides) < max(1.0, EXACT * larger[1])
    if is_whole:
        return Told.SAME if plain == larger else Told.ENLARGED
    if abs(scale - 1) <= EXACT and min(sides) > -1:
        return Told.OVERSCAN
    return Told.OTHER


def _shades(plane: Plane) -> NDArray[np.uint8]:
    """Bring light to 8 bits, so that dark and bright detail count alike; what is no number counts as 0."""
    light = np.clip(np.nan_to_num(plane, nan=0.0, posinf=0.0, neginf=0.0), 0, None)
    top = max(float(np.percentile(light, 99.5)), 1e-6)
    return np.asarray(np.sqrt(np.clip(light / top, 0, 1)) * 255, np.uint8)


def _matched(small: NDArray[np.uint8], large: NDArray[np.uint8]) -> NDArray[np.float64] | None:
    """Match features of both: (2, 3), a place of the small one into the large one; None without enough."""
    finder = cv2.SIFT.create(4000)
    here, there = finder.detectAndCompute(small, None), finder.detectAndCompute(large, None)
    if here[1] is None or there[1] is None or min(len(here[0]), len(there[0])) < 12:
        return None
    pairs = cv2.BFMatcher(cv2.NORM_L2).knnMatch(here[1], there[1], k=2)
    good = [pair[0] for pair in pairs if len(pair) == 2 and pair[0].distance < 0.75 * pair[1].distance]
    if len(good) < 8:
        return None
    source = np.array([here[0][one.queryIdx].pt for one in good], np.float32)
    target = np.array([there[0][one.trainIdx].pt for one in good], np.float32)
    cv2.setRNGSeed(7)  # the same pictures give the same answer
    way, _ = cv2.estimateAffinePartial2D(source, target, ransacReprojThreshold=1.5)
    return None if way is None else np.asarray(way, np.float64)


def _refined(
    small: NDArray[np.uint8], large: NDArray[np.uint8], way: NDArray[np.float64]
) -> tuple[NDArray[np.float64], float]:
    """Refine a way on all pixels; give it, and how alike both are then."""
    criteria = cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 80, 1e-7
    everywhere = np.full_like(large, 255)
    try:
        alike, better = cv2.findTransformECC(
            small, large, np.asarray(way, np.float32), cv2.MOTION_AFFINE, criteria, everywhere, 3
        )
    except cv2.error:
        # It does not converge where the two have little in common.
        return way, 0.0
    return np.asarray(better, np.float64), float(alike)
