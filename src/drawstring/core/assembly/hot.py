"""Hot pixels: single samples far brighter than all around them, in one term of the picture."""

from __future__ import annotations

import cv2
import numpy as np

from drawstring.core.arrays import Mask
from drawstring.core.assembly.expression import Planes


def hot_pixels(light: Planes, above: float) -> Mask:
    """Find single pixels that are many times as bright as the brightest but one around them.

    A thing that covers two pixels or more has a neighbour like it; a sample that met a lamp by chance has
    none.
    One bright neighbour is let pass, so that two such samples side by side are found, too.

    Parameters
    ----------
    light : (H, W, 3) float32
    above : float
        How many times as bright.

    Returns
    -------
    (H, W) bool
    """
    brightness = np.ascontiguousarray(light.max(axis=-1))
    if brightness.shape[0] < 3 or brightness.shape[1] < 3:
        return np.zeros(brightness.shape, bool)
    around = _neighbours(brightness)
    # The brightest but one around, so that two hot pixels side by side don't hide each other.
    second = np.partition(around, -2, axis=0)[-2]
    typical = np.median(around, axis=0)
    floor = max(float(np.percentile(brightness, 50)), 1e-4) * 0.1
    alone = brightness > above * np.maximum(second, floor)
    return np.asarray(alone & (brightness > above * np.maximum(typical, floor)), bool)


def mended(light: Planes, above: float) -> tuple[Planes, Mask]:
    """Put the median of their neighbours in place of hot pixels; every other pixel stays to the last bit.

    Returns
    -------
    light : (H, W, 3) float32
    where : (H, W) bool
    """
    where = hot_pixels(light, above)
    if not where.any():
        return light, where
    made = light.copy()
    for i in range(light.shape[-1]):
        plane = np.ascontiguousarray(light[..., i])
        made[..., i][where] = np.median(_neighbours(plane), axis=0)[where]
    return made, where


def _neighbours(plane: np.ndarray) -> np.ndarray:
    """Give the eight pixels around each: (8, H, W)."""
    framed = cv2.copyMakeBorder(plane, 1, 1, 1, 1, cv2.BORDER_REFLECT_101)
    height, width = plane.shape
    offsets = [(dy, dx) for dy in range(3) for dx in range(3) if (dy, dx) != (1, 1)]
    return np.stack([framed[dy : dy + height, dx : dx + width] for dy, dx in offsets])
