"""Rays through a picture's pixels, points along them, and points seen as pixels."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Plane
from drawstring.core.camera import Camera, Place, directions, slopes
from drawstring.core.kernels import kernel

Points = NDArray[np.float32]
"""(H, W, 3) float32."""


@dataclass(frozen=True)
class Rays:
    """A picture's rays.

    Attributes
    ----------
    eye : (3,) float64
    ways : (H, W, 3) float32
        Times a distance, as it is settled (along the axis or the ray), a way from the eye.
    sees : (6,) float64
        What turns points into pixels: see `pixel`.
    axes : (3, 3) float64
        Right, down and forward.
    """

    eye: NDArray[np.float64]
    ways: Points
    sees: NDArray[np.float64]
    axes: NDArray[np.float64]

    @property
    def is_round(self) -> bool:
        """Whether the picture shows all directions."""
        return bool(self.sees[0])


def rays_of(camera: Camera, place: Place, shape: tuple[int, ...], *, is_ray: bool) -> Rays | None:
    """Give a picture's rays; None where its camera is not known.

    Parameters
    ----------
    camera : Camera
    place : Place
    shape : (H, W)
    is_ray : bool
        Whether distances are counted along the ray; else along the axis.
    """
    told = seeing(camera, place, shape, is_ray=is_ray)
    if told is None:
        return None
    eye, sees, axes = told
    if camera.is_latlong:
        found = directions(camera, place, shape)
        assert found is not None
        return Rays(eye, found.astype(np.float32), sees, axes)
    right, down = slopes(camera, place, shape)
    ways = np.empty((*shape[:2], 3), np.float32)
    _fill(right.ravel(), down.ravel(), axes, sees[1], ways)
    return Rays(eye, ways, sees, axes)


def seeing(
    camera: Camera, place: Place, shape: tuple[int, ...], *, is_ray: bool
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]] | None:
    """Give eye, numbers and axes by which a camera turns points into pixels; None where it is not known."""
    axes, eye = camera.axes, camera.position
    if axes is None or eye is None or not camera.has_lens:
        return None
    step = place.step
    if camera.is_latlong:
        x = (place.window.x_min - place.display.x_min) / step
        y = (place.window.y_min - place.display.y_min) / step
        # An all-round picture has no axis: its distances are along the ray.
        sees = np.array([1.0, 1.0, place.display.width / step, place.display.height / step, x, y])
        return eye, sees, axes
    right, down = slopes(camera, place, (2, 2))
    across, high = np.diff(right.ravel())[0], np.diff(down.ravel())[0]
    sees = np.array([0.0, 1.0 if is_ray else 0.0, right.flat[0], across, down.flat[0], high])
    return eye, sees, axes


@kernel(nogil=True)
def _fill(right, down, axes, counts, ways):  # type: ignore[no-untyped-def]
    for row in range(ways.shape[0]):
        for col in range(ways.shape[1]):
            x, y = right[col], down[row]
            size = 1.0
            if counts > 0:
                size = 1.0 / np.sqrt(x * x + y * y + 1.0)
            for i in range(3):
                ways[row, col, i] = (x * axes[0, i] + y * axes[1, i] + axes[2, i]) * size


@kernel(nogil=True)
def pixel(sees, axes, x, y, z):  # type: ignore[no-untyped-def]
    """Give column, row and distance of a point, from the eye: pixel j's middle lies at j.

    The distance is counted as it is settled; it is 0 or less behind the camera.
    """
    a = x * axes[0, 0] + y * axes[0, 1] + z * axes[0, 2]
    b = x * axes[1, 0] + y * axes[1, 1] + z * axes[1, 2]
    c = x * axes[2, 0] + y * axes[2, 1] + z * axes[2, 2]
    far = np.sqrt(a * a + b * b + c * c)
    if sees[0] > 0:
        turn = np.arctan2(a, c)
        lift = np.arcsin(min(1.0, max(-1.0, -b / max(far, 1e-30))))
        col = (turn / (2 * np.pi) + 0.5) * sees[2] - sees[4] - 0.5
        row = (0.5 - lift / np.pi) * sees[3] - sees[5] - 0.5
        return col, row, far
    if c <= 1e-12:
        return -1e9, -1e9, c
    return (a / c - sees[2]) / sees[3], (b / c - sees[4]) / sees[5], far if sees[1] > 0 else c


@kernel(nogil=True)
def _seen(sees, axes, eye, points, made):  # type: ignore[no-untyped-def]
    for i in range(points.shape[0]):
        col, row, far = pixel(sees, axes, points[i, 0] - eye[0], points[i, 1] - eye[1], points[i, 2] - eye[2])
        made[i, 0], made[i, 1], made[i, 2] = col, row, far


def pixels_of(rays: Rays, points: NDArray[np.float64]) -> NDArray[np.float64]:
    """Give where points are seen: (N, 3) of column, row and distance; pixel j's middle lies at j."""
    return seen_points((rays.eye, rays.sees, rays.axes), points)


def seen_points(
    told: tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]], points: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Do the same by what `seeing` gives."""
    eye, sees, axes = told
    made = np.empty((len(points), 3))
    _seen(sees, np.ascontiguousarray(axes), eye, np.ascontiguousarray(points, np.float64), made)
    return made


def points_at(rays: Rays, z: Plane) -> Points:
    """Give the points that lie at distances: (H, W, 3) float32; not finite where there is none."""
    return np.asarray(rays.eye.astype(np.float32) + rays.ways * np.asarray(z, np.float32)[..., None])


@kernel(nogil=True)
def normals_from(ways, z, nothing, made, first, last):  # type: ignore[no-untyped-def]
    """Find which way surfaces face from their points: across each pixel's calmer neighbours.

    Parameters
    ----------
    ways : (H, W, 3) float32
    z : (H, W) float32
    nothing : (H, W) bool
    made : (H, W, 3) float32
        Written to: unit length, towards the eye; 0 where there is nothing.
    first, last : int
        The rows to do.
    """
    height, width = z.shape
    for row in range(first, last):
        for col in range(width):
            made[row, col, 0] = made[row, col, 1] = made[row, col, 2] = 0
            if nothing[row, col]:
                continue
            here = z[row, col]
            ax = ay = az = bx = by = bz = 0.0
            is_whole = True
            for way in range(2):
                best, step = np.inf, 0
                for side in (-1, 1):
                    r, c = (row, col + side) if way == 0 else (row + side, col)
                    if r < 0 or c < 0 or r >= height or c >= width or nothing[r, c]:
                        continue
                    gap = abs(z[r, c] - here)
                    if gap < best:
                        best, step = gap, side
                if step == 0:
                    is_whole = False
                    break
                r, c = (row, col + step) if way == 0 else (row + step, col)
                dx = (ways[r, c, 0] * z[r, c] - ways[row, col, 0] * here) * step
                dy = (ways[r, c, 1] * z[r, c] - ways[row, col, 1] * here) * step
                dz = (ways[r, c, 2] * z[r, c] - ways[row, col, 2] * here) * step
                if way == 0:
                    ax, ay, az = dx, dy, dz
                else:
                    bx, by, bz = dx, dy, dz
            if not is_whole:
                continue
            nx, ny, nz = by * az - bz * ay, bz * ax - bx * az, bx * ay - by * ax
            length = np.sqrt(nx * nx + ny * ny + nz * nz)
            if length < 1e-30:
                continue
            if nx * ways[row, col, 0] + ny * ways[row, col, 1] + nz * ways[row, col, 2] > 0:
                length = -length
            made[row, col, 0], made[row, col, 1], made[row, col, 2] = nx / length, ny / length, nz / length
