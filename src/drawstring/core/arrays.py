"""What the shapes are called. Rows come first; (row, column) for pixels, (x, y) only for windows."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property
from typing import Any, TypeAlias, overload

import cv2
import numpy as np
from numpy.typing import NDArray

from drawstring.core.halves import singles

Plane: TypeAlias = NDArray[np.float32]
"""(H, W) float32: one quantity."""

Picture: TypeAlias = NDArray[np.float32]
"""(H, W, C) float32, scene-linear unless said otherwise."""

Mask: TypeAlias = NDArray[np.bool_]
"""(H, W) yes or no."""

Counts: TypeAlias = NDArray[np.int64]
"""(N,) how many pixels."""

Stored: TypeAlias = NDArray[Any]
"""(H, W) exactly as stored in a file: float16, float32 or uint32."""


def only_read(array: NDArray[Any]) -> NDArray[Any]:
    """Give an array that is not written to: a loop is compiled once for it, not for those of both kinds."""
    view = np.ascontiguousarray(array).view()
    view.flags.writeable = False
    return view


def merged(planes: Sequence[NDArray[Any]]) -> NDArray[Any]:
    """Put planes of one size and kind side by side, (H, W, C); quicker than stacking where a library can."""
    first = planes[0]
    if (
        len(planes) in (3, 4)
        and first.size
        and all(each.dtype == np.float32 and each.ndim == 2 for each in planes)
    ):
        return np.asarray(cv2.merge([np.ascontiguousarray(each) for each in planes]))
    return np.stack(planes, axis=-1) if len(planes) > 1 else first[..., None]


def split(picture: Picture) -> list[Plane]:
    """Give a picture's channels one by one, each in one piece."""
    if picture.dtype == np.float32 and picture.ndim == 3 and picture.shape[2] in (3, 4):
        return [np.asarray(each) for each in cv2.split(np.ascontiguousarray(picture))]
    return [np.ascontiguousarray(picture[..., i]) for i in range(picture.shape[-1])]


class Channels(Sequence[NDArray[Any]]):
    """A picture's channels one by one, (H, W) each: it is split when the first of them is asked for.

    Attributes
    ----------
    picture : (H, W, C)
        Whoever wants them side by side has them so.
    """

    def __init__(self, picture: NDArray[Any]) -> None:
        self.picture = picture

    @cached_property
    def _planes(self) -> list[NDArray[Any]]:
        return split(self.picture)

    def __len__(self) -> int:
        return int(self.picture.shape[2])

    @overload
    def __getitem__(self, which: int) -> NDArray[Any]: ...
    @overload
    def __getitem__(self, which: slice) -> list[NDArray[Any]]: ...
    def __getitem__(self, which: int | slice) -> NDArray[Any] | list[NDArray[Any]]:
        return self._planes[which]


def side_by_side(planes: Sequence[NDArray[Any]]) -> NDArray[Any]:
    """Give planes of one size and kind side by side, (H, W, C): as they lie where they lie so."""
    return planes.picture if isinstance(planes, Channels) else merged(planes)


def as_picture(planes: Sequence[NDArray[Any]]) -> Picture:
    """Give planes of one size side by side as float32: (H, W, C)."""
    if isinstance(planes, Channels):
        return np.asarray(planes.picture, np.float32)
    return merged([singles(plane) for plane in planes])


def with_alpha(planes: Sequence[NDArray[Any]]) -> Picture:
    """Give planes of one size as a picture with its alpha: (H, W, 4) float32.

    One plane is grey, two get an empty third; what brings no alpha is solid. More than four are cut.

    Examples
    --------
    >>> with_alpha([np.float16([[0.5]])])
    array([[[0.5, 0.5, 0.5, 1. ]]], dtype=float32)
    """
    if len(planes) >= 4:
        return as_picture(planes if len(planes) == 4 else planes[:4])
    colour = [singles(plane) for plane in planes]
    if len(colour) == 1:
        colour *= 3
    elif len(colour) == 2:
        colour.append(np.zeros_like(colour[0]))
    return merged([*colour, np.ones_like(colour[0])])
