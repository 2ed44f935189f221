"""Mattes from numbers and colours that stand for things: numeric ID passes, pictures painted in flat colours.

A numeric ID has hard rims by nature. A flat-coloured picture is anti-aliased: a rim pixel mixes the colours
on either side, and how much of which is found from the two nearest flat ones.
"""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from drawstring.core.alpha.nearest import nearest
from drawstring.core.arrays import Mask, Picture, Plane, Stored

RIM_PX = 3.0
"""A mixed pixel belongs to flat ones at most this far away."""


def whole_numbers(plane: Stored) -> np.ndarray:
    """Read an ID plane as whole numbers, shares of the highest code of 16 bits put back: (H, W) int64."""
    numbers = np.nan_to_num(plane.astype(np.float64), posinf=0, neginf=0)
    if plane.dtype != np.uint32 and numbers.size and 0 < numbers.max() <= 1 and (numbers % 1 != 0).any():
        numbers = numbers * 65535
    return np.round(numbers).astype(np.int64)


def numbered(plane: Stored, numbers: Iterable[int]) -> Plane:
    """Give where one of several numbers stands: (H, W) float32, 0 or 1."""
    return np.isin(whole_numbers(plane), list(numbers)).astype(np.float32)


def coloured(picture: Picture, colours: Iterable[tuple[float, float, float]], tolerance: float) -> Plane:
    """Give how much of each pixel bears one of several flat colours: (H, W) float32, 0 to 1.

    Parameters
    ----------
    picture : (H, W, 3) float32
        The colour-coded picture, with the values its colours were chosen by.
    colours : iterable of (R, G, B)
    tolerance : float
        How far a channel may lie from the colour and still be it.
    """
    chosen = np.zeros(picture.shape[:2], bool)
    for colour in colours:
        chosen |= (np.abs(picture - np.asarray(colour, np.float32)) <= tolerance).all(axis=-1)
    flat = _flat(picture, tolerance)
    other = flat & ~chosen
    made = (chosen & flat).astype(np.float32)
    mixed = ~flat
    if not mixed.any() or not (chosen & flat).any():
        return np.asarray(chosen, np.float32)
    if not other.any():
        return made + mixed
    near_own, own = _nearest(chosen & flat, picture)
    _, beside = _nearest(other, picture)
    near = mixed & (near_own <= RIM_PX)
    span = own[near] - beside[near]
    along = ((picture[near] - beside[near]) * span).sum(axis=-1) / np.maximum(
        (span * span).sum(axis=-1), 1e-9
    )
    made[near] = np.clip(along, 0, 1)
    return made


def _flat(picture: Picture, tolerance: float) -> Mask:
    """Whether a neighbour to the side and one above or below bear the same colour."""
    same = np.zeros((4, *picture.shape[:2]), bool)
    for i, (dy, dx) in enumerate(((0, 1), (0, -1), (1, 0), (-1, 0))):
        beside = np.roll(picture, (dy, dx), axis=(0, 1))
        same[i] = (np.abs(beside - picture) <= tolerance).all(axis=-1)
    return np.asarray((same[0] | same[1]) & (same[2] | same[3]))


def _nearest(where: Mask, picture: Picture) -> tuple[Plane, Picture]:
    away, at = nearest(where)
    return away, picture.reshape(-1, picture.shape[-1])[at]
