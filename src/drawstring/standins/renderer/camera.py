"""Cameras and the views rendered through them.

A camera is where it stands, where it looks and its lens; a view is what is rendered of it: size, window
(a tile, or more than the picture for overscan), eye, projection, open lens. All are parameters of the
same ray.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from drawstring.core.io.facts import Window

PINHOLE, LATLONG = range(2)


@dataclass(frozen=True)
class Camera:
    """A camera at one frame: metres, y up.

    Attributes
    ----------
    position, target : (x, y, z)
    focal_mm, filmback_mm : float
        Lens and width of the film.
    stop : float
        0 is a pin-hole; else the opening is `focal_mm / stop`.
    focus_m : float
        Where an open lens is sharp.
    interaxial_m, convergence_m : float
        For an eye: the eyes' distance, and where they come together; 0 never.
    is_toed_in : bool
        Whether eyes are turned towards each other instead of having their film backs shifted.
    """

    position: tuple[float, float, float]
    target: tuple[float, float, float]
    focal_mm: float = 35.0
    filmback_mm: float = 36.0
    stop: float = 0.0
    focus_m: float = 10.0
    interaxial_m: float = 0.0
    convergence_m: float = 0.0
    is_toed_in: bool = False
    near_clip_m: float = 0.1
    far_clip_m: float = 1000.0

    def axes(self) -> NDArray[np.float64]:
        """Give right, up and forward as rows."""
        forward = np.subtract(self.target, self.position)
        forward = forward / np.linalg.norm(forward)
        right = np.cross(forward, [0.0, 1.0, 0.0])
        right /= np.linalg.norm(right)
        return np.array([right, np.cross(right, forward), forward])

    def through(self, eye: float) -> tuple[Camera, float]:
        """Give the camera of an eye (-1 left, 0 centre, 1 right), and its film back's shift as slope."""
        if not eye:
            return self, 0.0
        offset = eye * self.interaxial_m / 2
        right, _, forward = self.axes()
        place = np.array(self.position) + offset * right
        if self.is_toed_in and self.convergence_m:
            aims = np.array(self.position) + forward * self.convergence_m
            return replace(self, position=_point(place), target=_point(aims)), 0.0
        eyes = replace(self, position=_point(place), target=_point(place + forward))
        return eyes, -offset / self.convergence_m if self.convergence_m else 0.0

    def world_to_camera(self) -> NDArray[np.float64]:
        """Give the matrix as OpenEXR's `worldToCamera` wants it: row vectors, looking along -z."""
        right, up, forward = self.axes()
        turn = np.eye(4)
        turn[:3, 0], turn[:3, 1], turn[:3, 2] = right, up, -forward
        turn[3, :3] = -np.array(self.position) @ turn[:3, :3]
        return turn


@dataclass(frozen=True)
class View:
    """What is rendered of a camera.

    Attributes
    ----------
    width, height : int
        The display window.
    window : Window, optional
        The data window, where it is not the display window: a tile or overscan.
    projection : int
        PINHOLE or LATLONG.
    eye : float
        -1 left, 0 centre, 1 right.
    samples : int
        Along one side of a pixel; 2 means four samples.
    lamps : tuple of int, optional
        Only these lamps shine.
    is_thrifty : bool
        Whether a pixel whose opposite corners meet one surface is content with these two samples.
        An open lens always takes all.
    is_denoised : bool
        Whether grain is taken out of what few samples tell badly. An open lens blurs it away by itself.
    lens_k : three float
        Radial terms by which the lens bends, in half widths: bent = straight (1 + k1 r2 + k2 r4 + k3 r6).
    """

    width: int
    height: int
    window: Window | None = None
    projection: int = PINHOLE
    eye: float = 0.0
    samples: int = 2
    lamps: tuple[int, ...] | None = None
    is_thrifty: bool = True
    is_denoised: bool = True
    lens_k: tuple[float, float, float] = (0.0, 0.0, 0.0)

    @property
    def data_window(self) -> Window:
        """The rendered window."""
        return self.window or Window(0, 0, self.width - 1, self.height - 1)

    def rays(self, camera: Camera) -> NDArray[np.float64]:
        """Give the numbers from which the kernels make rays: (24,) float64."""
        # A lat-long eye turns with the ray; the kernel moves it.
        eyes, shift = camera.through(0 if self.projection == LATLONG else self.eye)
        right, up, forward = eyes.axes()
        half = camera.filmback_mm / 2 / camera.focal_mm
        around = self.eye * camera.interaxial_m / 2 if self.projection == LATLONG else 0.0
        opening = camera.focal_mm / camera.stop / 2000 if camera.stop else 0.0
        return np.array(
            [
                *eyes.position, *right, *up, *forward, half, self.width, self.height, self.projection, shift,
                opening, camera.focus_m, float(self.is_thrifty), around, *self.lens_k,
            ]
        )  # fmt: skip


def _point(at: NDArray[np.float64]) -> tuple[float, float, float]:
    return float(at[0]), float(at[1]), float(at[2])
