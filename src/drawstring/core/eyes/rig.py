"""The sums of a stereo rig: how far apart the eyes stand, and what parallax that makes on which screen.

Parallax is how far right of its left picture a point lies in the right one: negative before the screen, 0 at
the convergence distance, positive behind it. For parallel eyes with shifted film backs

    p = b f (1/c - 1/z)

with b the interaxial, f the focal length in pixels, c the convergence distance, z the distance along the axis
(A. Woods, T. Docherty, R. Koch, "Image distortions in stereoscopic video systems", Proc. SPIE 1915, 1993).

Comfort: behind the screen the eyes must not diverge, so parallax stays below the eyes' own distance (65 mm);
before and behind, the angle between the eyes' lines for the point and for the screen stays within 1 degree
(M. Lambooij, W. IJsselsteijn, M. Fortuin, I. Heynderickx, "Visual discomfort and visual fatigue of
stereoscopic displays: a review", Journal of Imaging Science and Technology 53(3), 2009).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np

EYES_MM = 65.0
"""Distance of a grown-up's eyes."""

COMFORT_DEGREES = 1.0


@dataclass(frozen=True)
class Limits:
    """Parallax that a screen allows, in % of the picture's width; near is negative."""

    near: float
    far: float
    reason: str


def limits_for(screen_width_m: float, viewer_m: float) -> Limits:
    """Give the parallax limits of a screen.

    Examples
    --------
    >>> one = limits_for(1.2, 2.5)
    >>> round(one.near, 2), round(one.far, 2)
    (-3.64, 3.64)
    """
    eyes = EYES_MM / 1000
    at_screen = 2 * math.atan(eyes / 2 / viewer_m)
    turn = math.radians(COMFORT_DEGREES)
    near = eyes - 2 * viewer_m * math.tan((at_screen + turn) / 2)
    far = eyes - 2 * viewer_m * math.tan(max(at_screen - turn, 0) / 2)
    share = 100 / screen_width_m
    diverging = far >= eyes - 1e-9
    reason = (
        f"behind the screen up to the eyes' own {EYES_MM:g} mm"
        if diverging
        else f"{COMFORT_DEGREES:g}° more or less than the eyes turn for the screen"
    )
    return Limits(near * share, min(far, eyes) * share, reason)


@dataclass(frozen=True)
class RigSums:
    """What a rig makes: parallax in pixels at some distances.

    Attributes
    ----------
    interaxial, convergence : float
        Scene units.
    ratio : float
        How many interaxials the nearest thing is away.
    at_near, at_subject, at_far : float
        Pixels.
    width : int
    """

    interaxial: float
    convergence: float
    ratio: float
    at_near: float
    at_subject: float
    at_far: float
    width: int

    def share(self, parallax_px: float) -> float:
        """Give a parallax in % of the picture's width."""
        return 100 * parallax_px / self.width


def start_interaxial(nearest: float, ratio: float = 30.0) -> float:
    """Give the interaxial to start from: the distance of the nearest thing by 30.

    The rule of thumb of stereo photography; see L. Lipton, "Foundations of the Stereoscopic Cinema", 1982.
    """
    return nearest / ratio


def parallax_px(z: Any, *, interaxial: float, convergence: float | None, focal_px: float) -> Any:
    """Give the parallax of points at distances along the axis; `convergence` None is parallel eyes.

    Examples
    --------
    >>> parallax_px(5.0, interaxial=0.1, convergence=5.0, focal_px=1000.0)
    0.0
    """
    meets = 1 / convergence if convergence else 0.0
    with np.errstate(divide="ignore"):
        return interaxial * focal_px * (meets - 1 / z)


def sums(
    *, nearest: float, subject: float, farthest: float, interaxial: float, convergence: float,
    focal_px: float, width: int,
) -> RigSums:  # fmt: skip
    """Work out a rig's parallax at the nearest, the subject's and the farthest distance."""
    near, at, far = (
        float(parallax_px(z, interaxial=interaxial, convergence=convergence, focal_px=focal_px))
        for z in (nearest, subject, farthest)
    )
    return RigSums(
        interaxial, convergence, nearest / interaxial if interaxial else math.inf, near, at, far, width
    )
