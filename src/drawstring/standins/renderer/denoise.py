"""Grain taken out of what few samples tell badly: light from surroundings, and occlusion.

A pixel is averaged with those around it that lie on the same thing, in the same plane and face the same way,
in rounds that reach further each time: H. Dammertz, D. Sewtz, J. Hanika, H. P. A. Lensch, "Edge-avoiding
à-trous wavelet transform for fast global illumination filtering", High Performance Graphics 2010, 67-75. What
lies along the ray tells how far two points may be apart, so that a floor seen flatly is one plane too.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from drawstring.core.kernels import kernel

ROUNDS = 4
_KERNEL = np.array([1 / 16, 1 / 4, 3 / 8, 1 / 4, 1 / 16], np.float32)


def smoothed(
    values: NDArray[np.float32],
    point: NDArray[np.float32],
    eye: NDArray[np.float64],
    *,
    wraps: bool = False,
) -> NDArray[np.float32]:
    """Average values over the surface they lie on.

    Parameters
    ----------
    values : (H, W, C) float32
    point : (H, W, 8) float32
        Depth, position, normal and object (-1 none) of each pixel.
    eye : (3,)
        Where the camera stands.
    wraps : bool
        Whether the picture goes on round its sides.
    """
    before = np.ascontiguousarray(values, np.float32)
    for turn in range(ROUNDS):
        after = np.empty_like(before)
        _round(before, point, np.asarray(eye, np.float64), 1 << turn, wraps, _KERNEL, after)
        before = after
    return before


@kernel(fastmath=True, nogil=True)
def _round(before, point, eye, step, wraps, kernel, after):  # type: ignore[no-untyped-def]
    height, width, count = before.shape
    total = np.zeros(count, np.float32)
    for row in range(height):
        for col in range(width):
            thing = point[row, col, 7]
            if thing < 0:
                for c in range(count):
                    after[row, col, c] = before[row, col, c]
                continue
            x, y, z = point[row, col, 1], point[row, col, 2], point[row, col, 3]
            nx, ny, nz = point[row, col, 4], point[row, col, 5], point[row, col, 6]
            far = math.sqrt((x - eye[0]) ** 2 + (y - eye[1]) ** 2 + (z - eye[2]) ** 2)
            # How far off its plane a neighbour may lie: a little of the distance.
            slack = 1.0 / (0.004 * far + 1e-6)
            total[:] = 0.0
            weights = np.float32(0)
            for j in range(5):
                at_row = row + (j - 2) * step
                if at_row < 0 or at_row >= height:
                    continue
                for i in range(5):
                    at_col = col + (i - 2) * step
                    if wraps:
                        at_col %= width
                    elif at_col < 0 or at_col >= width:
                        continue
                    if point[at_row, at_col, 7] != thing:
                        continue
                    facing = (
                        nx * point[at_row, at_col, 4]
                        + ny * point[at_row, at_col, 5]
                        + nz * point[at_row, at_col, 6]
                    )
                    if facing <= 0.5:
                        continue
                    off = (
                        nx * (point[at_row, at_col, 1] - x)
                        + ny * (point[at_row, at_col, 2] - y)
                        + nz * (point[at_row, at_col, 3] - z)
                    ) * slack
                    facing *= facing
                    facing *= facing
                    facing *= facing
                    weight = kernel[i] * kernel[j] * facing * facing / (1.0 + off * off)
                    weights += weight
                    for c in range(count):
                        total[c] += weight * before[at_row, at_col, c]
            for c in range(count):
                after[row, col, c] = total[c] / weights
