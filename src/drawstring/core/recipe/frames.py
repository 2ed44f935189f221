"""Planes of the window that was read, cut or filled to the frame, and put back."""

from __future__ import annotations

import numpy as np

from drawstring.core.arrays import Stored
from drawstring.core.camera import Place

Spans = tuple[tuple[slice, slice], tuple[slice, slice]]


def framed(plane: Stored, place: Place | None) -> Stored:
    """Cut or fill a plane to the frame: (H, W) of the display window, nothing where none came."""
    if place is None or place.window == place.display:
        return plane
    spans = _overlap(place)
    size = _size(place.display.height, place.step), _size(place.display.width, place.step)
    made = np.zeros((*size, *plane.shape[2:]), plane.dtype)
    if spans is not None:
        held, shown = spans
        made[shown] = plane[held]
    return made


def unframed(plane: Stored, place: Place | None) -> Stored:
    """Put a plane of the frame back into the window that was read; nothing lies outside the frame."""
    if place is None or place.window == place.display:
        return plane
    spans = _overlap(place)
    size = _size(place.window.height, place.step), _size(place.window.width, place.step)
    made = np.zeros((*size, *plane.shape[2:]), plane.dtype)
    if spans is not None:
        held, shown = spans
        made[held] = plane[shown]
    return made


def _size(pixels: int, step: int) -> int:
    return -(-pixels // step)


def _overlap(place: Place) -> Spans | None:
    """Give where window and frame overlap: rows and columns of the window's array, and of the frame's."""
    window, shown, step = place.window, place.display, place.step
    rows = _span(shown.y_min - window.y_min, window.height, shown.height, step)
    columns = _span(shown.x_min - window.x_min, window.width, shown.width, step)
    if rows is None or columns is None:
        return None
    return (rows[0], columns[0]), (rows[1], columns[1])


def _span(begin: int, held: int, shown: int, step: int) -> tuple[slice, slice] | None:
    """Give the same along one direction, where the frame begins so far behind the window."""
    first = begin // step if begin >= 0 else -(-begin // step)
    low, high = max(0, first), min(_size(held, step), first + _size(shown, step))
    return (slice(low, high), slice(low - first, high - first)) if low < high else None
