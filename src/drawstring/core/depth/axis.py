"""Distance along the ray and distance along the camera's axis: told apart, and turned into each other.

With slopes u to the right and v down, a ray is sqrt(1 + u^2 + v^2) as long as its share of the axis. Which of
the two a pass holds is told from the position pass where there is one; else from planes: the reciprocal of
the distance along the axis is an affine function of the film coordinates on any plane, that along the ray is
not (R. Hartley, A. Zisserman, "Multiple View Geometry in Computer Vision", 2nd edition, 2004, ch. 13).

Where no header tells the camera, the points tell it themselves: with points P and an eye at c, the distance
along the axis is linear in P, the square of that along the ray is |P|^2 plus something linear in P. Two
depth passes side by side tell, too: the square of their quotient is 1 + u^2 + v^2.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Mask, Plane
from drawstring.core.camera import Camera, Grid, Place, slopes
from drawstring.core.depth.background import HUGE
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
        "position", "points" (position without a camera), "twin" (another depth pass), "planes",
        "projection" or "nothing".
    focal_share : float or None
        Focal length as a share of the film's width, where points or twin told it.
    """

    along: Along | None
    off_axis: float
    off_ray: float
    by: str
    focal_share: float | None = None


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
    z: Plane,
    nothing: Mask,
    camera: Camera,
    place: Place,
    position: tuple[Plane, Plane, Plane] | None = None,
    twin: Plane | None = None,
) -> AlongFound:
    """Tell along which line a pass was measured.

    Parameters
    ----------
    z : (H, W) float32
    nothing : (H, W) bool
    camera : Camera
    place : Place
    position : three (H, W) float32, optional
        Points in the scene.
    twin : (H, W) float32, optional
        Another depth pass of the same picture.
    """
    if camera.is_latlong:
        return AlongFound(Along.RAY, np.inf, 0.0, "projection")
    if position is not None and camera.position is not None and camera.forward is not None:
        return _by_position(z, nothing, camera, position)
    if position is not None and (told := by_points(z, nothing, position, place)).along is not None:
        return told
    if twin is not None and (told := by_twin(z, twin, nothing, place)).along is not None:
        return told
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


def by_points(z: Plane, nothing: Mask, position: tuple[Plane, Plane, Plane], place: Place) -> AlongFound:
    """Tell the line from points alone, by two least-squares fits; the lens follows from where they lie.

    Parameters
    ----------
    z : (H, W) float32
    nothing : (H, W) bool
    position : three (H, W) float32
        In any unit and any world.
    place : Place
    """
    rows, cols = _sampled(~nothing & np.isfinite(position[0] + position[1] + position[2]))
    if len(rows) < 64:
        return AlongFound(None, np.inf, np.inf, "nothing")
    here = z[rows, cols].astype(np.float64)
    points = np.stack([axis[rows, cols].astype(np.float64) for axis in position], axis=-1)
    points -= points.mean(axis=0)
    points /= max(float(np.abs(points).max()), 1e-12)
    ones, squares = np.ones(len(here)), (points**2).sum(axis=-1)
    off_axis = _off(np.stack([*points.T, ones], axis=-1), here, here, is_square=False)
    off_ray = _off(np.stack([squares, *points.T, ones], axis=-1), here**2, here, is_square=True)
    better, worse = sorted((off_axis, off_ray))
    if better > _AGREES or worse < _TELLING * max(better, 1e-7):
        return AlongFound(None, off_axis, off_ray, "points")
    along = Along.AXIS if off_axis < off_ray else Along.RAY
    lens = _lens_of_points(points, *_film(rows, cols, place, z.shape))
    return AlongFound(along, off_axis, off_ray, "points", lens)


def by_twin(z: Plane, twin: Plane, nothing: Mask, place: Place) -> AlongFound:
    """Tell the line from another depth pass, where one is along the ray and one along the axis.

    Parameters
    ----------
    z, twin : (H, W) float32
        In one unit.
    nothing : (H, W) bool
    place : Place
    """
    rows, cols = _sampled(~nothing & np.isfinite(twin) & (twin > 0) & (twin < HUGE))
    if len(rows) < 64:
        return AlongFound(None, np.inf, np.inf, "nothing")
    x, y = _film(rows, cols, place, z.shape)
    form = np.stack([np.ones(len(x)), x, y, x * x + y * y], axis=-1)
    quotient = (z[rows, cols].astype(np.float64) / twin[rows, cols]) ** 2
    found = []
    for along, squares in ((Along.RAY, quotient), (Along.AXIS, 1 / quotient)):
        fit = np.linalg.lstsq(form, squares, rcond=None)[0]
        left = float(np.median(np.abs(form @ fit - squares)))
        if not 0.0025 < fit[3] < 25 or left > _AGREES:
            continue  # a lens of between a fifth of and twenty times the film's width
        middle = fit[0] - (fit[1] ** 2 + fit[2] ** 2) / (4 * fit[3])
        if abs(middle - 1) < 5 * _AGREES:  # equal where the axis goes through
            found.append((along, left, float(fit[3] ** -0.5)))
    if len(found) != 1:
        return AlongFound(None, np.inf, np.inf, "twin")
    along, left, focal = found[0]
    off_axis, off_ray = (left, np.inf) if along is Along.AXIS else (np.inf, left)
    return AlongFound(along, off_axis, off_ray, "twin", focal)


def _sampled(seen: Mask, most: int = 4000) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """Give rows and columns of evenly spread pixels among those seen."""
    rows, cols = np.nonzero(seen)
    step = max(1, len(rows) // most)
    return rows[::step], cols[::step]


def _film(
    rows: NDArray[np.intp], cols: NDArray[np.intp], place: Place, shape: tuple[int, ...]
) -> tuple[Grid, Grid]:
    """Give where pixels lie on the film, right and down of its middle, as shares of its width."""
    x, y = place.pixels(shape)
    shown = place.display
    right = (np.broadcast_to(x, shape)[rows, cols] - shown.x_min) / shown.width - 0.5
    down = (np.broadcast_to(y, shape)[rows, cols] - shown.y_min) / shown.height - 0.5
    return right, down * shown.height / (shown.width * place.pixel_aspect)


def _off(form: Grid, values: Grid, here: Grid, *, is_square: bool) -> float:
    """Give the median relative error of a fit, the worst fifth left out: pixels at edges mix points."""
    kept = np.ones(len(values), bool)
    error = np.full(len(values), np.inf)
    for _ in range(3):
        guess = form @ np.linalg.lstsq(form[kept], values[kept], rcond=None)[0]
        told = np.sqrt(np.maximum(guess, 0)) if is_square else guess
        error = np.abs(told - here) / here
        kept = error <= np.quantile(error, 0.8)
    return float(np.median(error))


def _lens_of_points(points: Grid, right: Grid, down: Grid) -> float | None:
    """Give the focal length as a share of the film's width; None where points lie in a plane or do not fit.

    The projection from points to film is found by the direct linear transformation and taken apart (Hartley
    and Zisserman, as above, sections 7.1 and 6.2.4).
    """
    whole = np.concatenate([points, np.ones((len(points), 1))], axis=-1)
    none = np.zeros_like(whole)
    across = np.concatenate([whole, none, -right[:, None] * whole], axis=-1)
    along = np.concatenate([none, whole, -down[:, None] * whole], axis=-1)
    kept, projection, error = np.ones(len(points), bool), np.zeros((3, 4)), np.full(len(points), np.inf)
    for _ in range(3):
        _, sizes, ways = np.linalg.svd(np.concatenate([across[kept], along[kept]]), full_matrices=False)
        if sizes[-2] < 1e-6 * sizes[0]:
            return None
        projection = ways[-1].reshape(3, 4)
        shown = whole @ projection.T
        with np.errstate(divide="ignore", invalid="ignore"):
            error = np.hypot(shown[:, 0] / shown[:, 2] - right, shown[:, 1] / shown[:, 2] - down)
        kept = error <= np.nanquantile(error, 0.8)
    from scipy.linalg import rq  # by whoever needs it: it takes long to load

    inner = np.abs(rq(projection[:, :3])[0])
    fits = float(np.nanmedian(error)) < 1e-3 and inner[2, 2] > 0 and inner[1, 1] > 0
    # A lens has one focal length for both directions.
    return float(inner[0, 0] / inner[2, 2]) if fits and abs(inner[0, 0] / inner[1, 1] - 1) < 0.05 else None


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
