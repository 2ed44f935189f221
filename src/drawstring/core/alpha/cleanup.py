"""Mattes cleaned: a curve with two ends and a gamma, grown or shrunk, softened, holes filled, specks dropped.

A matte is (H, W) float32, 0 to 1. Lengths are pixels of the matte that is given; each function returns a
new one.
"""

from __future__ import annotations

import math

import cv2
import numpy as np

from drawstring.core.arrays import Plane


def curve(matte: Plane, *, low: float = 0.0, high: float = 1.0, gamma: float = 1.0) -> Plane:
    """Push near-black to nothing and near-white to solid.

    ((m - low) / (high - low)) ** (1 / gamma), held to 0 to 1.

    Examples
    --------
    >>> curve(np.float32([[0.1, 0.5, 0.9]]), low=0.1, high=0.9, gamma=2).astype(float).round(4).tolist()
    [[0.0, 0.7071, 1.0]]
    """
    if low == 0 and high == 1 and gamma == 1:
        return np.clip(matte, 0, 1).astype(np.float32)
    u = np.clip((matte - np.float32(low)) / np.float32(max(high - low, 1e-6)), 0, 1)
    return np.asarray(u ** np.float32(1 / gamma) if gamma != 1 else u, np.float32)


def grown(matte: Plane, px: float) -> Plane:
    """Grow a matte by `px` in all directions, or shrink it where `px` is below 0; parts of pixels count.

    A flat-topped disc's highest (lowest) value, mixed between the two discs on whole radii on either side,
    so that a straight rim moves by just `px`.
    """
    if abs(px) < 1e-3:
        return np.array(matte, np.float32)
    reach = abs(px)
    inner, outer, share = math.floor(reach), math.floor(reach) + 1, reach - math.floor(reach)
    first = _extreme(matte, inner, px > 0)
    if share < 1e-3:
        return first
    second = _extreme(matte, outer, px > 0)
    return np.asarray(first + (second - first) * np.float32(share), np.float32)


def _extreme(matte: Plane, radius: int, is_grown: bool) -> Plane:
    if radius == 0:
        return np.array(matte, np.float32)
    y, x = np.mgrid[-radius : radius + 1, -radius : radius + 1]
    disc = (x * x + y * y <= (radius + 0.25) ** 2).astype(np.uint8)
    work = cv2.dilate if is_grown else cv2.erode
    # Beyond the frame nothing is known: the border repeats what lies at it.
    return np.asarray(work(np.asarray(matte, np.float32), disc, borderType=cv2.BORDER_REPLICATE), np.float32)


def softened(matte: Plane, px: float) -> Plane:
    """Blur a matte by a gaussian whose two deviations are `px`."""
    if px < 0.1:
        return np.array(matte, np.float32)
    return np.asarray(cv2.GaussianBlur(matte, (0, 0), px / 2, borderType=cv2.BORDER_REPLICATE), np.float32)


def filled(matte: Plane, area: float) -> Plane:
    """Fill holes of at most `area` pixels that the matte goes all around: they become solid."""
    return _without_islands(matte, area, is_hole=True)


def without_specks(matte: Plane, area: float) -> Plane:
    """Drop separate pieces of at most `area` pixels."""
    return _without_islands(matte, area, is_hole=False)


def _without_islands(matte: Plane, area: float, *, is_hole: bool) -> Plane:
    made = np.array(matte, np.float32)
    if area <= 0:
        return made
    # A speck is counted with its rim, a hole to where it is half filled.
    islands = ((made < 0.5) if is_hole else (made > 0.02)).astype(np.uint8)
    count, labels, facts, _ = cv2.connectedComponentsWithStats(islands, connectivity=4 if is_hole else 8)
    if count < 2:
        return made
    gone = facts[:, cv2.CC_STAT_AREA] <= area
    gone[0] = False
    if is_hole:
        height, width = made.shape
        left, top = facts[:, cv2.CC_STAT_LEFT], facts[:, cv2.CC_STAT_TOP]
        right, bottom = left + facts[:, cv2.CC_STAT_WIDTH], top + facts[:, cv2.CC_STAT_HEIGHT]
        gone &= (left > 0) & (top > 0) & (right < width) & (bottom < height)
        wanted = gone[labels]
        # With the hole's soft rim: what lies beside it is as solid as its surroundings.
        wanted = cv2.dilate(wanted.astype(np.uint8), np.ones((3, 3), np.uint8)).astype(bool)
        made[wanted] = 1
    else:
        made[gone[labels]] = 0
    return made
