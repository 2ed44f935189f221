"""A mesh seen through the camera: which way it faces and how far it is, where no pass tells."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Plane
from drawstring.core.kernels import kernel
from drawstring.core.scene.rays import Points, Rays, pixels_of


def seen_mesh(
    rays: Rays, points: NDArray[np.float64], triangles: NDArray[np.int32], normals: NDArray[np.float64],
    shape: tuple[int, int],
) -> tuple[Plane, Points]:  # fmt: skip
    """Draw a mesh: distances (inf where there is none) and normals, (H, W) and (H, W, 3) float32.

    Parameters
    ----------
    rays : Rays
        Of a picture that is not all-round.
    points : (P, 3) float64
        In the scene.
    triangles : (N, 3) int32
    normals : (P, 3) float64
        Of length 0 where the mesh has none: each triangle's own then.
    shape : (H, W)
    """
    z = np.full(shape, np.inf, np.float32)
    facing = np.zeros((*shape, 3), np.float32)
    if len(triangles):
        away = points - rays.eye
        local = away @ rays.axes.T
        places = pixels_of(rays, points)
        _draw(
            places, np.ascontiguousarray(local), np.ascontiguousarray(points, np.float64), triangles,
            np.ascontiguousarray(normals, np.float64), rays.ways, rays.eye, z, facing,
        )  # fmt: skip
    return z, facing


@kernel(nogil=True)
def _draw(places, local, points, triangles, normals, ways, eye, z, facing):  # type: ignore[no-untyped-def]
    height, width = z.shape
    for k in range(triangles.shape[0]):
        a, b, c = triangles[k, 0], triangles[k, 1], triangles[k, 2]
        behind = 0
        for corner in (a, b, c):
            if local[corner, 2] <= 1e-9:
                behind += 1
        if behind == 3:
            continue
        left, right, top, below = 0, width - 1, 0, height - 1
        if behind == 0:
            left = max(0, int(np.ceil(min(places[a, 0], places[b, 0], places[c, 0]))))
            right = min(width - 1, int(np.floor(max(places[a, 0], places[b, 0], places[c, 0]))))
            top = max(0, int(np.ceil(min(places[a, 1], places[b, 1], places[c, 1]))))
            below = min(height - 1, int(np.floor(max(places[a, 1], places[b, 1], places[c, 1]))))
        if right < left or below < top:
            continue
        ux, uy, uz = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1], points[b, 2] - points[a, 2]
        vx, vy, vz = points[c, 0] - points[a, 0], points[c, 1] - points[a, 1], points[c, 2] - points[a, 2]
        nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        length = np.sqrt(nx * nx + ny * ny + nz * nz)
        if length < 1e-30:
            continue
        nx, ny, nz = nx / length, ny / length, nz / length
        ex, ey, ez = points[a, 0] - eye[0], points[a, 1] - eye[1], points[a, 2] - eye[2]
        off = nx * ex + ny * ey + nz * ez
        for row in range(top, below + 1):
            for col in range(left, right + 1):
                along = nx * ways[row, col, 0] + ny * ways[row, col, 1] + nz * ways[row, col, 2]
                if abs(along) < 1e-12:
                    continue
                away = off / along
                if away <= 0 or away >= z[row, col]:
                    continue
                # Shares of the corners, in the triangle's own plane.
                qx = ways[row, col, 0] * away - ex
                qy = ways[row, col, 1] * away - ey
                qz = ways[row, col, 2] * away - ez
                uu, uv, vv = (
                    ux * ux + uy * uy + uz * uz,
                    ux * vx + uy * vy + uz * vz,
                    vx * vx + vy * vy + vz * vz,
                )
                qu, qv = qx * ux + qy * uy + qz * uz, qx * vx + qy * vy + qz * vz
                under = uu * vv - uv * uv
                if under <= 0:
                    continue
                s, t = (vv * qu - uv * qv) / under, (uu * qv - uv * qu) / under
                if s < -1e-9 or t < -1e-9 or s + t > 1 + 1e-9:
                    continue
                z[row, col] = away
                mx = (1 - s - t) * normals[a, 0] + s * normals[b, 0] + t * normals[c, 0]
                my = (1 - s - t) * normals[a, 1] + s * normals[b, 1] + t * normals[c, 1]
                mz = (1 - s - t) * normals[a, 2] + s * normals[b, 2] + t * normals[c, 2]
                size = np.sqrt(mx * mx + my * my + mz * mz)
                if size < 1e-9:
                    mx, my, mz, size = nx, ny, nz, 1.0
                if mx * ways[row, col, 0] + my * ways[row, col, 1] + mz * ways[row, col, 2] > 0:
                    size = -size
                facing[row, col, 0], facing[row, col, 1], facing[row, col, 2] = (
                    mx / size,
                    my / size,
                    mz / size,
                )
