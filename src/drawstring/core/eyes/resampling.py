"""Planes and pictures sampled where a way says: light by cubic convolution, all else by the nearest pixel.

Source: R. Keys, "Cubic convolution interpolation for digital image processing", IEEE TASSP 29(6), 1981, with
a = -1/2: the one whose slopes move by just what is asked.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Stored, as_picture, split
from drawstring.core.bands import in_bands
from drawstring.core.kernels import kernel

Way = NDArray[np.float64]
"""(3, 3): a pixel that goes out, as (column, row, 1), into where it lies in what came."""

_ROUND = 4
"""Lines and columns of nothing added, so that whatever lies outside finds them."""


def resampled(plane: Stored, way: Way, size: tuple[int, int], *, is_mixed: bool, threads: int = 1) -> Stored:
    """Sample a plane, or a picture of light, where a way says; outside there is 0.

    Parameters
    ----------
    plane : (H, W), or (H, W, C) where it is light
    way : (3, 3)
    size : (H, W)
        Of what comes out.
    is_mixed : bool
        Whether it is light: filtered, float32. Else every pixel takes the nearest as it is stored.
    """
    if not is_mixed:
        return _nearest(plane, way, size)
    light = np.asarray(plane, np.float32)
    if _only_moves(way, size, light):
        return _moved(light, way[0, 2], way[1, 2])
    framed = cv2.copyMakeBorder(light, *(_ROUND,) * 4, cv2.BORDER_CONSTANT, value=0)
    framed, made = framed.reshape(*framed.shape[:2], -1), np.empty((*size, *light.shape[2:]), np.float32)
    into = made.reshape(*size, -1)
    in_bands(lambda first, last: _sample_rows(first, last, way, framed, into), size[0], threads)
    return made


def resampled_planes(
    planes: Sequence[Stored], way: Way, size: tuple[int, int], *, is_mixed: bool, threads: int = 1
) -> list[Stored]:
    """Sample planes of one size and kind; where light lies and what that weighs is worked out once."""
    if not is_mixed or len(planes) < 2 or _only_moves(way, size, planes[0]):
        return [resampled(plane, way, size, is_mixed=is_mixed) for plane in planes]
    return split(resampled(as_picture(planes), way, size, is_mixed=True, threads=threads))


def _only_moves(way: Way, size: tuple[int, int], plane: Stored) -> bool:
    return np.array_equal(way[:2, :2], np.eye(2)) and size == plane.shape[:2]


def _moved(light: Stored, right: float, down: float) -> Stored:
    """Take every pixel from so far to the right and down: all have the same weights."""
    for axis, by in ((0, down), (1, right)):
        if by:
            light = _moved_along(light, axis, by)
    return light


def _moved_along(light: Stored, axis: int, by: float) -> Stored:
    whole, length = math.floor(by), light.shape[axis]
    # All that is weighed: from one before the first pixel that is asked for to two behind the last.
    lead = (slice(None),) * axis
    there = light[(*lead, slice(max(whole - 1, 0), max(whole + length + 2, 0)))]
    before = min(max(1 - whole, 0), length + 3)
    framed = np.empty((*light.shape[:axis], length + 3, *light.shape[axis + 1 :]), np.float32)
    framed[(*lead, slice(before))] = 0
    framed[(*lead, slice(before, before + there.shape[axis]))] = there
    framed[(*lead, slice(before + there.shape[axis], None))] = 0
    if by != whole:
        across = np.array([_weights(np.float32(by - whole))], np.float32)
        weights, anchor = (across, (1, 0)) if axis else (across.T, (0, 1))
        framed = cv2.filter2D(framed, -1, weights, anchor=anchor, borderType=cv2.BORDER_CONSTANT)
    return np.ascontiguousarray(framed[(*lead, slice(1, -2))])


def _nearest(plane: Stored, way: Way, size: tuple[int, int]) -> Stored:
    x, y = np.arange(size[1])[None, :], np.arange(size[0])[:, None]
    cols = np.round(way[0, 0] * x + way[0, 1] * y + way[0, 2]).astype(int)
    rows = np.round(way[1, 0] * x + way[1, 1] * y + way[1, 2]).astype(int)
    inside = (cols >= 0) & (cols < plane.shape[1]) & (rows >= 0) & (rows < plane.shape[0])
    taken = plane[np.clip(rows, 0, plane.shape[0] - 1), np.clip(cols, 0, plane.shape[1] - 1)]
    return np.where(inside, taken, np.zeros((), plane.dtype))


@kernel(nogil=True)
def _sample_rows(
    first: int, last: int, way: Way, framed: NDArray[np.float32], made: NDArray[np.float32]
) -> None:
    """Fill rows from (H, W, C) light with `_ROUND` lines and columns of nothing on every side."""
    # Counted from the first value on, unsigned: looking places up in three dimensions takes twice as long.
    flat, into, count = framed.ravel(), made.ravel(), made.shape[2]
    step, line = np.uint64(count), np.uint64(framed.shape[1] * count)
    # What is far outside is as black as what is just outside: no neighbour is a pixel there.
    least, right, bottom = -3.0, framed.shape[1] - 2 * _ROUND + 1.0, framed.shape[0] - 2 * _ROUND + 1.0
    for row in range(first, last):
        to = np.uint64(row * made.shape[1] * count)
        for col in range(made.shape[1]):
            x = min(max(way[0, 0] * col + way[0, 1] * row + way[0, 2], least), right)
            y = min(max(way[1, 0] * col + way[1, 1] * row + way[1, 2], least), bottom)
            left, top = math.floor(x), math.floor(y)
            across, down = _weights(np.float32(x - left)), _weights(np.float32(y - top))
            corner = ((int(top) + _ROUND - 1) * framed.shape[1] + int(left) + _ROUND - 1) * count
            for c in range(count):
                at = np.uint64(corner + c)
                into[to] = (
                    down[0] * _weighed(flat, at, step, across)
                    + down[1] * _weighed(flat, at + line, step, across)
                    + down[2] * _weighed(flat, at + line + line, step, across)
                    + down[3] * _weighed(flat, at + line + line + line, step, across)
                )
                to += np.uint64(1)


@kernel(nogil=True)
def _weighed(flat, at, step, weights):  # type: ignore[no-untyped-def]
    """Weigh four neighbours in a row."""
    return (
        weights[0] * flat[at]
        + weights[1] * flat[at + step]
        + weights[2] * flat[at + step + step]
        + weights[3] * flat[at + step + step + step]
    )


@kernel(nogil=True)
def _weights(part):  # type: ignore[no-untyped-def]
    """Give what four neighbours weigh, `part` of a pixel behind the second."""
    half, most, slope = np.float32(0.5), np.float32(1.5), np.float32(2.5)
    back = np.float32(1) - part
    return (
        -half * part * back * back,
        np.float32(1) + part * part * (most * part - slope),
        np.float32(1) + back * back * (most * back - slope),
        -half * back * part * part,
    )
