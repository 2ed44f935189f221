"""How unsharp each pixel is, from its distance: the thin-lens model behind focus, and one set by hand.

`z` is the distance along the view axis in scene units, float32, (H, W). "Nothing there" arrives as inf and is
answered as the lens answers it: the blur of the horizon. Radii are in pixels of the full picture, below 0
nearer than the focus. No file, shot or screen is known here.

Source: M. Potmesil, I. Chakravarty, "A lens and aperture camera model for synthetic image generation",
Computer Graphics 15(3), 1981, pp. 297-305 (its circle of confusion). A tilted lens is sharp on a plane: the
slopes of the film turn it into a distance of its own for each pixel.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from drawstring.core.arrays import Plane
from drawstring.core.camera import Camera, Place, slopes
from drawstring.core.depth.focus_settings import FocusBy, FocusSettings, RadiusIn
from drawstring.core.errors import SettingError


@dataclass(frozen=True)
class Blur:
    """A lens at one frame, ready to be asked for radii.

    Attributes
    ----------
    settings : FocusSettings
        Of one frame.
    width_px : int
        Of the display window.
    unit_m : float
        A scene unit in metres.
    focal_mm, filmback_mm : float
        By the settings or the camera; 0 where radii are set by hand and nothing is known.
    """

    settings: FocusSettings
    width_px: int
    unit_m: float
    focal_mm: float
    filmback_mm: float

    @property
    def limit_px(self) -> float:
        """No radius is larger than this."""
        return self.settings.limit / 100 * self.width_px

    def radius(self, z: Plane) -> Plane:
        """Give the radius of the circle of confusion at distances along the axis; pixels, signed, float32.

        Examples
        --------
        By hand, opening 25 mm, focus 2 m: 25 * 50 * (z - 2000) / (z * 1950) mm across the film.

        >>> lens = Blur(FocusSettings(distance=2, stop=2, limit=20), 1920, 1.0, focal_mm=50, filmback_mm=36)
        >>> lens.radius(np.float32([[1, 2, 4, np.inf]])).round(2)
        array([[-17.09,   0.  ,   8.55,  17.09]], dtype=float32)
        """
        one = self.settings
        if one.by is FocusBy.RADIUS:
            largest = [one.near_radius, one.far_radius]
            if one.radius_in is RadiusIn.WIDTH:
                largest = [radius / 100 * self.width_px for radius in largest]
            before = np.clip((one.distance - z) / one.near_reach, 0, 1) * largest[0]
            after = np.clip((z - one.distance) / one.far_reach, 0, 1) * largest[1]
            radius = np.where(z < one.distance, -before, after)
        else:
            s = one.distance * self.unit_m * 1000
            f = self.focal_mm
            # (z - s) / z written as 1 - s/z stays finite where z is inf.
            with np.errstate(divide="ignore"):
                at_film_mm = f / one.stop * f / (s - f) * (1 - one.distance / np.asarray(z, np.float64))
            radius = at_film_mm / 2 * (self.width_px / self.filmback_mm)
        return np.asarray(np.clip(radius, -self.limit_px, self.limit_px), np.float32)

    def sharp_range(self, radius_px: float = 0.5) -> tuple[float, float]:
        """Give the nearest and furthest distance whose blur stays within a radius; inf for no end."""
        z = np.geomspace(self.settings.distance / 1000, self.settings.distance * 1000, 8001)
        within = np.abs(self.radius(z.astype(np.float32))) <= radius_px
        if not within.any():
            return self.settings.distance, self.settings.distance
        low, high = z[within][0], z[within][-1]
        return float(low), float(high) if high < z[-1] else math.inf


def lens_for(settings: FocusSettings, camera: Camera, *, width_px: int, unit_m: float) -> Blur:
    """Make the lens of one frame.

    Raises
    ------
    SettingError
        The lens is not known, or the focus lies within the focal length, where no distance is sharp.
    """
    focal = settings.focal_mm or camera.focal_mm or 0.0
    film = settings.filmback_mm or camera.filmback_mm or 0.0
    if settings.by is FocusBy.LENS:
        if not focal or not film:
            name = "focal_mm" if not focal else "filmback_mm"
            raise SettingError(
                f"The {'focal length' if not focal else 'film width'} is not known.",
                where=f"depth.focus.{name}",
                why="The header does not tell it, and the size of the blur follows from it.",
                remedy="Type it, or focus by largest radius.",
            )
        if settings.distance * unit_m * 1000 <= focal:
            raise SettingError(
                f"The focus, {settings.distance:g}, lies within the focal length ({focal:g} mm).",
                where="depth.focus.distance",
                why="A lens is sharp nowhere nearer than its focal length.",
                remedy="Focus further away; check the scene's unit if the number looks right.",
            )
    return Blur(settings, width_px, unit_m, focal, film)


def blur_radius(z: Plane, lens: Blur, camera: Camera, place: Place) -> Plane:
    """Give the signed blur radius at every pixel, the sharp plane tilted as settled.

    Parameters
    ----------
    z : (H, W) float32, scene units, along the axis
        inf where there is nothing.
    lens : Blur
    camera : Camera
        For the slopes of the film, needed only for a tilt; a half-angle of 20 degrees stands in for an
        unknown one.
    place : Place

    Returns
    -------
    (H, W) float32, pixels of the full picture
    """
    one = lens.settings
    if not one.tilt and not one.swing:
        return lens.radius(z)
    known = camera if camera.has_lens and not camera.is_latlong else Camera(focal_mm=1.0, filmback_mm=0.728)
    right, down = slopes(known, place, z.shape)
    # The plane through the focus: z (1 - down tan(tilt) ... ) = s. Up is -down, so its top leans away.
    lean = 1.0 + np.tan(np.radians(one.tilt)) * down - np.tan(np.radians(one.swing)) * right
    return lens.radius(
        np.asarray(np.where(lean > 1e-3, z * np.maximum(lean, 1e-3), one.distance / 1e3), np.float32)
    )
