"""What a lens and a shutter come to: the sharp range, and the plate's shutter as open and close.

Sharp range by the thin lens: with opening A = f / N, focus s and the largest circle c that counts as sharp,
all in
mm on the film, near = s A f / (A f + c (s - f)) and far = s A f / (A f - c (s - f)), infinite where the
divisor is
not above 0 (M. Potmesil, I. Chakravarty, 1981; the same as the trade's tables, as the hyperfocal distance is
f^2 / (N c) + f).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from drawstring.core.errors import SettingError


@dataclass(frozen=True)
class SharpRange:
    """From where to where things are sharp; metres, the far end infinite from the hyperfocal distance on."""

    near_m: float
    far_m: float
    hyperfocal_m: float
    circle_mm: float


def sharp_range(
    focal_mm: float, stop: float, focus_m: float, filmback_mm: float, width_px: int, blur_px: float = 2.0
) -> SharpRange:
    """Give the sharp range.

    Parameters
    ----------
    focal_mm, filmback_mm : float
    stop : float
        The opening is `focal_mm / stop`.
    focus_m : float
    width_px : int
        Of the delivery.
    blur_px : float
        The largest circle, across, that still counts as sharp.

    Raises
    ------
    SettingError
        The focus lies within the focal length.

    Examples
    --------
    A 50 mm lens at f/2.8, sharp at 5 m, film 36 mm wide, 0.03 mm allowed:

    >>> told = sharp_range(50, 2.8, 5, 36, 1200, blur_px=1)
    >>> round(told.near_m, 3), round(told.far_m, 3), round(told.hyperfocal_m, 2)
    (4.287, 5.998, 29.81)
    """
    focus = focus_m * 1000
    if focus <= focal_mm:
        raise SettingError(
            f"A focus of {focus_m:g} m lies within the focal length of {focal_mm:g} mm.", where="plan.focus",
            why="No distance would be sharp.", remedy="Type a longer distance.",
        )  # fmt: skip
    circle = blur_px * filmback_mm / width_px
    opening = focal_mm / stop
    reach = circle * (focus - focal_mm)
    near = focus * opening * focal_mm / (opening * focal_mm + reach)
    far = (
        focus * opening * focal_mm / (opening * focal_mm - reach) if opening * focal_mm > reach else math.inf
    )
    return SharpRange(near / 1000, far / 1000, (focal_mm * opening / circle + focal_mm) / 1000, circle)


def shutter_of(angle: float, phase: float = 0.0) -> tuple[float, float]:
    """Give when a shutter opens and closes, in frames from the frame's own time.

    Parameters
    ----------
    angle : float
        The plate's shutter angle, 0 to 360 degrees.
    phase : float
        Where its middle lies, in frames: 0 is centred on the frame.

    Examples
    --------
    >>> shutter_of(180), shutter_of(180, phase=0.25)
    ((-0.25, 0.25), (0.0, 0.5))
    """
    half = angle / 720
    return phase - half, phase + half
