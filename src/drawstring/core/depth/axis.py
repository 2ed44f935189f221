"""Distance along the ray and distance along the camera's axis: told apart, and turned into each other.

With slopes u to the right and v down, a ray is sqrt(1 + u^2 + v^2) as long as its share of the axis. Which of
the two a pass holds is told from the position pass where there is one; else from planes: the reciprocal of
the distance along the axis is an affine function of the film coordinates on any plane, that along the ray is
not (R. Hartley, A. Zisserman, "Multiple View Geometry in Computer Vision", 2nd edition, 2004, ch. 13).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from drawstring.core.arrays import Mask, Plane
from drawstring.core.camera import Camera, Grid, Place, slopes
from drawstring.core.depth.settings import Along

_BLOCK = 32
_PLANAR = 2e-3
"""A block is taken for a plane when the fit leaves less than this share of its reciprocal distance."""

_TELLING = 3.0
"""How many times better one reading must fit than the other."""

_AGREES = 2e-3
"""A reading agrees with the position pass when its median differs by less than this share."""


@dataclass(frozen=True)
class AlongFound:
    """Which distance a pass holds, and what speaks for it.

    Attributes
    ----------
    along : Along or None
        None where it can't be told.
    off_axis, off_ray : float
        How badly each reading fits: median relative difference to the position pass, or what fitted planes
        leave.
    by : str
        "position", "planes", "projection" or "nothing".
    """

    along: Along | None
    off_axis: float
    off_ray: float
    by: str


def ray_by_axis(camera: Camera, place: Place, shape: tuple[int, ...]) -> Grid:
    """Give how much longer each ray is than its share of the axis: (H, W) float64, 1 in the middle."""
    right, down = slopes(camera, place, shape)
    return np.asarray(np.sqrt(1.0 + right * right + down * down))


def converted(z: Plane, camera: Camera, place: Place, *, held: Along, wanted: Along) -> Plane:
    """Turn distances of one kind into the other; no distance (inf, 0, NaN) stays what it is.

    Parameters
    ----------
    z : (H, W) float32
    camera : Camera
        A pin-hole whose lens is known; through a lat-long camera every distance is along the ray.

    Examples
    --------
    >>> from drawstring.core.io.facts import Window
    >>> camera = Camera(focal_mm=10, filmback_mm=20)  # a right angle wide
    >>> place = Place(Window(0, 0, 1, 0), Window(0, 0, 1, 0))
    >>> converted(np.float32([[10, 10]]), camera, place, held=Along.RAY, wanted=Along.AXIS).round(3)
    array([[8.944, 8.944]], dtype=float32)
    """
    if held is wanted or camera.is_latlong:
        return z
    longer = ray_by_axis(camera, place, z.shape)
    return np.asarray(z / longer if held is Along.RAY else z * longer, np.float32)


def along_of(
    z: Plane, nothing: Mask, camera: Camera, place: Place, position: tuple[Plane, Plane, Plane] | None = None
) -> AlongFound:
    """Tell along which line a pass was measured.

    Parameters
    ----------
    z : (H, W) float32
    nothing : (H, W) bool
    camera : Camera
    place : Place
    position : three (H, W) float32, optional
        Points in the scene; only used where the header says where the camera stands.
    """
    if camera.is_latlong:
        return AlongFound(Along.RAY, np.inf, 0.0, "projection")
    if position is not None and camera.position is not None and camera.forward is not None:
        return _by_position(z, nothing, camera, position)
    if camera.has_lens:
        return _by_planes(z, nothing, camera, place)
    return AlongFound(None, np.inf, np.inf, "nothing")


def _by_position(z: Plane, nothing: Mask, camera: Camera, position: tuple[Plane, Plane, Plane]) -> AlongFound:
    stands, looks = camera.position, camera.forward
    assert stands is not None and looks is not None
    seen = ~nothing & np.isfinite(position[0]) & np.isfinite(position[1]) & np.isfinite(position[2])
    if seen.sum() < 16:
        return AlongFound(None, np.inf, np.inf, "nothing")
    away = np.stack([axis[seen].astype(np.float64) for axis in position], axis=-1) - stands
    here = z[seen].astype(np.float64)
    along_axis, along_ray = away @ looks, np.linalg.norm(away, axis=-1)
    off_axis = float(np.median(np.abs(along_axis - here) / here))
    off_ray = float(np.median(np.abs(along_ray - here) / here))
    if min(off_axis, off_ray) > _AGREES or max(off_axis, off_ray) < _TELLING * max(
        min(off_axis, off_ray), 1e-9
    ):
        return AlongFound(None, off_axis, off_ray, "position")
    return AlongFound(Along.AXIS if off_axis < off_ray else Along.RAY, off_axis, off_ray, "position")


def _by_planes(z: Plane, nothing: Mask, camera: Camera, place: Place) -> AlongFound:
    right, down = (np.broadcast_to(axis, z.shape) for axis in slopes(camera, place, z.shape))
    longer = ray_by_axis(camera, place, z.shape)
    left_axis, left_ray = [], []
    for row in range(0, z.shape[0] - _BLOCK + 1, _BLOCK):
        for col in range(0, z.shape[1] - _BLOCK + 1, _BLOCK):
            at = slice(row, row + _BLOCK), slice(col, col + _BLOCK)
            if nothing[at].any():
                continue
            near = 1.0 / z[at].astype(np.float64).ravel()
            if np.ptp(near) > 0.5 * near.max():
                continue  # an edge runs through it
            film = np.stack([np.ones(near.size), right[at].ravel(), down[at].ravel()], axis=-1)
            axis, ray = _left(film, near), _left(film, near * longer[at].ravel())
            # On a plane one of the two readings fits to the noise of the numbers; elsewhere neither does.
            if min(axis, ray) < _PLANAR:
                left_axis.append(axis)
                left_ray.append(ray)
    if len(left_axis) < 3:
        return AlongFound(None, np.inf, np.inf, "planes")
    off_axis, off_ray = float(np.median(left_axis)), float(np.median(left_ray))
    votes = np.mean(np.array(left_axis) < np.array(left_ray))
    clear = max(off_axis, off_ray) > _TELLING * max(min(off_axis, off_ray), 1e-7)
    if not clear or 0.25 < votes < 0.75:
        return AlongFound(None, off_axis, off_ray, "planes")
    return AlongFound(Along.AXIS if votes >= 0.75 else Along.RAY, off_axis, off_ray, "planes")


def _left(film: Grid, values: Grid) -> float:
    """Give what an affine fit leaves, as a share of the mean."""
    fit, *_ = np.linalg.lstsq(film, values, rcond=None)
    return float(np.sqrt(np.mean((film @ fit - values) ** 2)) / abs(values.mean()))
