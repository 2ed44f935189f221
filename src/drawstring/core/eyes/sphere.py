"""All-round (lat-long) pictures: turned, looked into, and checked for level, seam and poles.

A pixel's place is a direction: longitude from -180 at the left edge to 180, latitude from 90 on top to -90.
Directions are (right, down, forward), as `drawstring.core.camera` has them. A turn by yaw, pitch and roll
says where the viewer looks: yaw to the right, pitch up, roll clockwise, applied in this order.

Light is sampled by the cubic spline through its pixels (M. Unser, "Splines: a perfect fit for signal and
image processing", IEEE Signal Processing Magazine 16(6), 1999), which goes on round the back and over
the poles: two decibels better than a cubic convolution when a turn is undone. Distances and names take
the nearest pixel.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Picture, Plane, Stored
from drawstring.core.bands import in_bands
from drawstring.core.kernels import kernel

_AGREE = 0.5

Turn = NDArray[np.float64]
"""(3, 3): a direction seen by the turned viewer, into the picture's own."""


def turn_of(yaw: float, pitch: float = 0.0, roll: float = 0.0) -> Turn:
    """Give the matrix of a turn; degrees.

    Examples
    --------
    >>> np.round(turn_of(90) @ [0, 0, 1], 6) + 0.0
    array([1., 0., 0.])
    """
    a, b, c = (math.radians(v) for v in (yaw, pitch, roll))
    about_down = np.array([[math.cos(a), 0, math.sin(a)], [0, 1, 0], [-math.sin(a), 0, math.cos(a)]])
    about_right = np.array([[1, 0, 0], [0, math.cos(b), -math.sin(b)], [0, math.sin(b), math.cos(b)]])
    about_forward = np.array([[math.cos(c), -math.sin(c), 0], [math.sin(c), math.cos(c), 0], [0, 0, 1]])
    return np.asarray(about_down @ about_right @ about_forward)


@kernel(nogil=True)
def _turned_rows(first, last, width, height, turn, x, y):  # type: ignore[no-untyped-def]
    aside, ahead = np.empty(width), np.empty(width)
    for col in range(width):
        round_ = ((col + 0.5) / width - 0.5) * 2 * math.pi
        aside[col], ahead[col] = math.sin(round_), math.cos(round_)
    for row in range(first, last):
        lift = (0.5 - (row + 0.5) / height) * math.pi
        dy, flat = -math.sin(lift), math.cos(lift)
        for col in range(width):
            _place(turn, aside[col] * flat, dy, ahead[col] * flat, row, col, x, y, width, height)


@kernel(nogil=True)
def _flat_rows(first, last, width, height, half, turn, x, y, into_width, into_height):  # type: ignore[no-untyped-def]
    for row in range(first, last):
        dy = (2 * (row + 0.5) / height - 1) * half * height / width
        for col in range(width):
            dx = (2 * (col + 0.5) / width - 1) * half
            long = math.sqrt(dx * dx + dy * dy + 1)
            _place(turn, dx / long, dy / long, 1 / long, row, col, x, y, into_width, into_height)


@kernel(nogil=True)
def _place(turn, dx, dy, dz, row, col, x, y, width, height):  # type: ignore[no-untyped-def]
    sx = turn[0, 0] * dx + turn[0, 1] * dy + turn[0, 2] * dz
    sy = turn[1, 0] * dx + turn[1, 1] * dy + turn[1, 2] * dz
    sz = turn[2, 0] * dx + turn[2, 1] * dy + turn[2, 2] * dz
    x[row, col] = (math.atan2(sx, sz) / (2 * math.pi) + 0.5) * width - 0.5
    y[row, col] = (0.5 - math.asin(min(max(-sy, -1.0), 1.0)) / math.pi) * height - 0.5


@kernel(nogil=True)
def _sample_rows(first, last, x, y, wide, made):  # type: ignore[no-untyped-def]
    """Sample `wide` (`_ROUND` more lines and columns on every side, planes in fours) by a cubic spline."""
    across, down = np.empty(4, np.float32), np.empty(4, np.float32)
    # Counted from the first value on, unsigned: looking places up in three dimensions takes twice as long.
    flat, count = wide.ravel(), wide.shape[2]
    line = wide.shape[1] * count
    for row in range(first, last):
        for col in range(x.shape[1]):
            left, top = math.floor(x[row, col]), math.floor(y[row, col])
            _weights(np.float32(x[row, col] - left), across)
            _weights(np.float32(y[row, col] - top), down)
            corner = (int(top) - 1 + _ROUND) * line + (int(left) - 1 + _ROUND) * count
            for c in range(0, count, 4):
                # Four planes at once, held in registers: this is where the time goes.
                one = two = three = four = np.float32(0)
                for j in range(4):
                    at = np.uint64(corner + j * line + c)
                    one += down[j] * _across(flat, at, count, across)
                    two += down[j] * _across(flat, at + np.uint64(1), count, across)
                    three += down[j] * _across(flat, at + np.uint64(2), count, across)
                    four += down[j] * _across(flat, at + np.uint64(3), count, across)
                made[row, col, c], made[row, col, c + 1] = one, two
                made[row, col, c + 2], made[row, col, c + 3] = three, four


@kernel(nogil=True, inline="always")
def _across(flat, at, count, weights):  # type: ignore[no-untyped-def]
    """Weigh four neighbours in a row."""
    step = np.uint64(count)
    return (
        weights[0] * flat[at]
        + weights[1] * flat[at + step]
        + weights[2] * flat[at + step + step]
        + weights[3] * flat[at + step + step + step]
    )


@kernel(nogil=True)
def _weights(t, into):  # type: ignore[no-untyped-def]
    """Give the cubic B-spline's four weights at `t` behind the second of four coefficients."""
    sixth, back = np.float32(1 / 6), np.float32(1) - t
    into[0] = sixth * back * back * back
    into[1] = np.float32(2 / 3) - np.float32(0.5) * t * t * (2 - t)
    into[2] = np.float32(2 / 3) - np.float32(0.5) * back * back * (1 + t)
    into[3] = sixth * t * t * t


_POLE = np.float32(np.sqrt(3) - 2)
"""Of the recursive filter that turns pixels into the spline's coefficients."""

_ROUND = 12
"""Lines and columns added, so that the spline finds what lies behind the seam and over the poles.

What a pixel so far away adds is below a ten millionth."""


@kernel(nogil=True)
def _coefficients_rows(first, last, wide):  # type: ignore[no-untyped-def]
    """Turn pixels into coefficients along rows, in place; planes in fours."""
    count = wide.shape[1]
    for row in range(first, last):
        for c in range(wide.shape[2]):
            wide[row, 0, c] *= 6 / (1 - _POLE)
        for col in range(1, count):
            for c in range(wide.shape[2]):
                wide[row, col, c] = 6 * wide[row, col, c] + _POLE * wide[row, col - 1, c]
        for c in range(wide.shape[2]):
            wide[row, count - 1, c] *= _POLE / (_POLE - 1)
        for col in range(count - 2, -1, -1):
            for c in range(wide.shape[2]):
                wide[row, col, c] = _POLE * (wide[row, col + 1, c] - wide[row, col, c])


@kernel(nogil=True)
def _coefficients_columns(first, last, wide):  # type: ignore[no-untyped-def]
    """Turn pixels into coefficients along columns, in place."""
    count = wide.shape[0]
    for col in range(first, last):
        for c in range(wide.shape[2]):
            wide[0, col, c] *= 6 / (1 - _POLE)
    for row in range(1, count):
        for col in range(first, last):
            for c in range(wide.shape[2]):
                wide[row, col, c] = 6 * wide[row, col, c] + _POLE * wide[row - 1, col, c]
    for col in range(first, last):
        for c in range(wide.shape[2]):
            wide[count - 1, col, c] *= _POLE / (_POLE - 1)
    for row in range(count - 2, -1, -1):
        for col in range(first, last):
            for c in range(wide.shape[2]):
                wide[row, col, c] = _POLE * (wide[row + 1, col, c] - wide[row, col, c])


def _goes_on(planes: Picture) -> Picture:
    """Add what lies round the back and over the poles on every side of (H, W, C), and planes up to fours."""
    height, width, count = planes.shape
    wide = np.zeros((height + 2 * _ROUND, width + 2 * _ROUND, -(-count // 4) * 4), np.float32)
    inside = wide[:, _ROUND : _ROUND + width]
    inside[_ROUND : _ROUND + height, :, :count] = planes
    inside[:_ROUND, :, :count] = np.roll(planes[:_ROUND][::-1], width // 2, axis=1)
    inside[_ROUND + height :, :, :count] = np.roll(planes[-_ROUND:][::-1], width // 2, axis=1)
    wide[:, :_ROUND], wide[:, -_ROUND:] = inside[:, -_ROUND:], inside[:, :_ROUND]
    return wide


@dataclass(frozen=True)
class Sight:
    """Where each made pixel looks: columns and rows of the lat-long picture, (H, W) float64."""

    x: NDArray[np.float64]
    y: NDArray[np.float64]

    def light(self, plane: Plane, *, threads: int = 1) -> Plane:
        """Sample a plane whose values may be mixed, or several: (H, W) or (H, W, C) float32."""
        planes = np.asarray(plane, np.float32).reshape(*plane.shape[:2], -1)
        known = np.isfinite(planes)
        # A pixel that is no number would be in every coefficient of its row and column.
        wide = _goes_on(planes if known.all() else np.where(known, planes, np.float32(0)))
        in_bands(lambda first, last: _coefficients_rows(first, last, wide), len(wide), threads)
        in_bands(lambda first, last: _coefficients_columns(first, last, wide), wide.shape[1], threads)
        made = np.empty((*self.x.shape, wide.shape[2]), np.float32)
        in_bands(
            lambda first, last: _sample_rows(first, last, self.x, self.y, wide, made), len(made), threads
        )
        if not known.all():
            self._spread(made, planes, known)
        return made[..., : planes.shape[2]] if plane.ndim == 3 else made[..., 0]

    def _spread(self, made: Picture, planes: Picture, known: NDArray[np.bool_]) -> None:
        """Put what is no number where it lies now, and beside it, as far as four pixels reach."""
        for c in range(planes.shape[2]):
            odd = np.where(known[..., c], np.float32(0), planes[..., c])
            grown = cv2.dilate((~known[..., c]).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
            number = odd[~known[..., c]].sum() if grown.any() else np.float32(0)
            made[..., c][self.exact(grown)] = number

    def exact(self, plane: Stored) -> Stored:
        """Take the nearest pixel: (H, W) of the type that came."""
        rows = np.clip(np.round(self.y).astype(int), 0, plane.shape[0] - 1)
        return np.asarray(plane[rows, np.round(self.x).astype(int) % plane.shape[1]])


def turned(width: int, height: int, turn: Turn, *, threads: int = 1) -> Sight:
    """Give where a turned lat-long picture of the same size looks."""
    x, y, rows = np.empty((height, width)), np.empty((height, width)), np.ascontiguousarray(turn)
    in_bands(lambda first, last: _turned_rows(first, last, width, height, rows, x, y), height, threads)
    return Sight(x, y)


def flat_view(
    size: tuple[int, int], into: tuple[int, int], turn: Turn, field_degrees: float, *, threads: int = 1
) -> Sight:
    """Give where a flat picture looks: what a pin-hole camera would see.

    Parameters
    ----------
    size : (width, height)
        Of the flat picture.
    into : (width, height)
        Of the lat-long picture.
    turn : Turn
    field_degrees : float
        Angle of view across, below 180.
    """
    width, height = size
    x, y = np.empty((height, width)), np.empty((height, width))
    half = math.tan(math.radians(field_degrees) / 2)
    in_bands(
        lambda first, last: _flat_rows(first, last, width, height, half, turn, x, y, *into), height, threads
    )
    return Sight(x, y)


@dataclass(frozen=True)
class SphereCheck:
    """What an all-round picture's edges say.

    Attributes
    ----------
    seam : float
        Difference across the left and right edge, by that between neighbouring columns; about 1 is right.
    top, bottom : float
        How much the first and last row change along themselves, by what neighbouring rows do; small is right.
    pitch, roll : float or None
        How far the camera looked up, and was rolled clockwise, in degrees, from the picture's upright lines
        or its horizon alone; None where too little tells. Turning by their opposites makes it level.
    sure : float
    by : str
        "upright lines" or "the horizon"; empty where neither tells.
    """

    seam: float
    top: float
    bottom: float
    pitch: float | None
    roll: float | None
    sure: float
    by: str = ""


def check_sphere(picture: Picture) -> SphereCheck:
    """Look at a lat-long picture's seam, poles and level.

    Parameters
    ----------
    picture : (H, W, 3 or more) scene-linear, 2:1
    """
    light = np.nan_to_num(
        picture[..., :3].astype(np.float32) @ np.array([0.2126, 0.7152, 0.0722], np.float32)
    )
    top = max(float(np.percentile(light, 99.5)), 1e-6)
    shown = np.asarray(np.sqrt(np.clip(light / top, 0, 1)), np.float32)
    # Noise is in every difference alike; three columns' mean on either side leave what is a step.
    across = np.abs(shown[:, :3].mean(axis=1) - shown[:, -3:].mean(axis=1)).mean()
    width = shown.shape[1]
    inside = [
        np.abs(shown[:, at : at + 3].mean(axis=1) - shown[:, at - 3 : at].mean(axis=1)).mean()
        for at in range(3, width - 3, max(1, width // 64))
    ]
    # Grain lies along the pole, too: what counts is change over a stretch of it.
    long = max(3, width // 32)
    spread = [float(np.std(cv2.blur(rows.mean(axis=0)[None], (long, 1)))) for rows in (shown[:2], shown[-2:])]
    usual = max(float(np.median(np.std(shown, axis=1))), 1e-4)
    pitch, roll, sure = _level(shown)
    by = "upright lines" if pitch is not None else ""
    if pitch is None:
        far = _horizon(shown)
        if far is not None:
            (pitch, roll, sure), by = far, "the horizon"
    return SphereCheck(
        float(across) / max(float(np.median(inside)), 1e-5),
        spread[0] / usual,
        spread[1] / usual,
        pitch,
        roll,
        sure,
        by,
    )


def _horizon(shown: Plane) -> tuple[float, float, float] | None:
    """Find the level from where the sky ends: on open ground that is a great circle around the viewer.

    From the top down, each column's sky ends where it changes more than skies do. A circle is voted for
    by its normal in steps of half a degree, so that hills, houses and masts on a part of it do not
    matter, then fitted by weighted least squares. Told only where half of all columns, on all sides, lie
    on it within a third of a degree.
    """
    height, width = shown.shape
    smooth = cv2.GaussianBlur(shown, (0, 0), max(1.0, height / 400))
    change = np.abs(np.diff(smooth, axis=0))
    sky = change[height // 20 : height // 4]
    limit = max(4 * float(np.percentile(sky, 99)), 0.25 * float(np.percentile(change, 99.5)), 0.01)
    ends = change > limit
    first = np.argmax(ends, axis=0)
    cols = np.flatnonzero(ends.any(axis=0) & (first > height // 5) & (first < height * 4 // 5))
    if len(cols) < width // 2:
        return None
    # The edge lies where the change is steepest, a little below where it begins.
    below = np.stack([change[np.minimum(first[cols] + k, height - 2), cols] for k in range(5)])
    rows = first[cols] + below.argmax(axis=0) + 1
    lift = (0.5 - rows / height) * np.pi
    round_ = ((cols + 0.5) / width - 0.5) * 2 * np.pi
    p = np.stack([np.sin(round_) * np.cos(lift), -np.sin(lift), np.cos(round_) * np.cos(lift)], axis=-1)
    steps = np.radians(np.arange(-25, 25.1, 0.5))
    pitch, roll = (grid.ravel() for grid in np.meshgrid(steps, steps))
    ways = np.stack([np.sin(roll), np.cos(roll) * np.cos(pitch), -np.sin(pitch) * np.cos(roll)])
    few = p[:: max(1, len(p) // 360)]
    votes = (np.abs(few @ ways) < np.sin(np.radians(0.5))).mean(axis=0)
    u = ways[:, int(votes.argmax())]
    for limit_degrees in (1.0, 0.6, 0.4, 0.4):
        off = np.abs(np.degrees(np.arcsin(np.clip(p @ u, -1, 1))))
        weight = np.where(off < limit_degrees, 1 / (0.1 + off), 0)
        if np.count_nonzero(weight) < 20:
            return None
        _, _, axes = np.linalg.svd(p * weight[:, None], full_matrices=False)
        u = axes[2] * np.sign(axes[2][1] or 1)
    on_it = np.abs(np.degrees(np.arcsin(np.clip(p @ u, -1, 1)))) < 1 / 3
    sides = np.bincount(cols[on_it] * 8 // width, minlength=8) > width // 40
    share = float(on_it.sum()) / width
    if share < _AGREE or sides.sum() < 5:
        return None
    return float(np.degrees(np.arctan2(-u[2], u[1]))), float(np.degrees(np.arctan2(u[0], u[1]))), share


def _level(shown: Plane) -> tuple[float | None, float | None, float]:
    """Find how far upright lines lean: every one of them lies in a plane that holds the vertical.

    For points on straight edges near upright, the plane through the eye and the edge has the normal
    n = p x t; the vertical u is square to the normals of as many as possible: voted for in steps of a
    degree, then by weighted least squares. Told only where half of all such edges agree within a degree: a
    yard of cones and ropes tells nothing. (Edge directions by the structure tensor: J. Bigun, G. Granlund,
    "Optimal orientation detection of linear symmetry", ICCV 1987.)
    """
    gx, gy = cv2.Sobel(shown, cv2.CV_32F, 1, 0), cv2.Sobel(shown, cv2.CV_32F, 0, 1)
    xx, yy, xy = (cv2.GaussianBlur(product, (0, 0), 2.0) for product in (gx * gx, gy * gy, gx * gy))
    strength, apart = xx + yy, np.sqrt((xx - yy) ** 2 + 4 * xy**2)
    angle = 0.5 * np.arctan2(2 * xy, xx - yy)
    ux, uy = np.cos(angle), np.sin(angle)
    height, width = shown.shape
    middle = slice(height // 5, height - height // 5)
    mask = np.zeros_like(shown, bool)
    mask[middle] = True
    mask &= strength > max(float(np.percentile(strength[middle], 94)), 1e-6)
    mask &= (apart > 0.85 * strength) & (np.abs(ux) > 2.2 * np.abs(uy))
    rows, cols = np.nonzero(mask)
    if len(rows) < 200:
        return None, None, 0.0
    lift = (0.5 - (rows + 0.5) / height) * np.pi
    round_ = ((cols + 0.5) / width - 0.5) * 2 * np.pi
    p = np.stack([np.sin(round_) * np.cos(lift), -np.sin(lift), np.cos(round_) * np.cos(lift)], axis=-1)
    # Along the edge the brightness stays: one step (-uy, ux) in pixels, which are equal angles both ways.
    east = np.stack([np.cos(round_), np.zeros_like(round_), -np.sin(round_)], axis=-1)
    north = np.stack([-np.sin(round_) * np.sin(lift), -np.cos(lift), -np.cos(round_) * np.sin(lift)], axis=-1)
    t = (-uy[rows, cols] * np.cos(lift))[:, None] * east - ux[rows, cols][:, None] * north
    n = np.cross(p, t)
    n /= np.maximum(np.linalg.norm(n, axis=1, keepdims=True), 1e-9)
    steps = np.radians(np.arange(-20, 21))
    pitch, roll = (grid.ravel() for grid in np.meshgrid(steps, steps))
    ways = np.stack([np.sin(roll), np.cos(roll) * np.cos(pitch), -np.sin(pitch) * np.cos(roll)])
    votes = (np.abs(n @ ways) < np.sin(np.radians(1))).mean(axis=0)
    u, share = ways[:, int(votes.argmax())], float(votes.max())
    if share < _AGREE:
        return None, None, share
    for limit in (3, 2, 2, 1.5, 1.5):
        lean = np.abs(np.degrees(np.arcsin(np.clip(n @ u, -1, 1))))
        weight = np.where(lean < limit, 1 / (0.3 + lean), 0)
        _, _, axes = np.linalg.svd(n * weight[:, None], full_matrices=False)
        u = axes[2] * np.sign(axes[2][1] or 1)
    return float(np.degrees(np.arctan2(-u[2], u[1]))), float(np.degrees(np.arctan2(u[0], u[1]))), share
