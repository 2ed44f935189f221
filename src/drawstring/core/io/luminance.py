"""Pictures stored as luminance and two colour differences of half the size (Y, RY, BY), read as R, G, B.

Such a part tells its channels as R, G and B; they are made when they are read, so that nothing further on
has to know.

Source: "Technical Introduction to OpenEXR", openexr.com, section Luminance/Chroma Images: RY = (R - Y) / Y,
BY = (B - Y) / Y, Y = w . (R, G, B) with the weights of the file's primaries.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Plane, Stored
from drawstring.core.io.facts import ChannelFacts, PartFacts

STORED = ("Y", "RY", "BY")
MADE = ("R", "G", "B")
MARK = "drawstring.luminanceChroma"
"""Stands in the metadata of a part whose R, G and B are made when they are read."""

_REC709 = (0.64, 0.33, 0.30, 0.60, 0.15, 0.06, 0.3127, 0.3290)


def with_colours(part: PartFacts) -> PartFacts:
    """Tell a part's Y, RY and BY as R, G and B; any other part stays as it is."""
    names = {channel.name for channel in part.channels}
    if not set(STORED) <= names or set(MADE) & names:
        return part
    kind = next(channel.pixel_type for channel in part.channels if channel.name == "Y")
    others = [channel for channel in part.channels if channel.name not in STORED]
    made = sorted([*others, *(ChannelFacts(name, kind) for name in MADE)], key=lambda one: one.name)
    return replace(part, channels=tuple(made), metadata={**part.metadata, MARK: 1})


def is_made(part: PartFacts, name: str) -> bool:
    """Whether a channel of a part is one that is made when it is read."""
    return MARK in part.metadata and name in MADE


def colours(stored: Mapping[str, Stored], part: PartFacts) -> dict[str, Stored]:
    """Make R, G and B.

    Parameters
    ----------
    stored : mapping of "Y", "RY" and "BY" to arrays
        Y of the part's size; RY and BY of that, or of half of it both ways.
    part : PartFacts

    Returns
    -------
    dict of "R", "G", "B" to (H, W)
        Of Y's type.
    """
    window = part.data_window
    shape = (window.height, window.width)
    y = np.asarray(stored["Y"], np.float32)
    ry, by = (_full(np.asarray(stored[name], np.float32), shape, window) for name in STORED[1:])
    weights = luminance_weights(part.metadata.get("chromaticities"))
    red, blue = (1 + ry) * y, (1 + by) * y
    green = (y - weights[0] * red - weights[2] * blue) / weights[1]
    dtype = stored["Y"].dtype
    return {name: plane.astype(dtype) for name, plane in zip(MADE, (red, green, blue), strict=True)}


def luminance_weights(chromaticities: Any) -> NDArray[np.float64]:
    """Give how much red, green and blue add to luminance, from x and y of the primaries and white.

    Source: SMPTE RP 177-1993, "Derivation of Basic Television Color Equations".

    Examples
    --------
    >>> luminance_weights(None).round(4).tolist()
    [0.2126, 0.7152, 0.0722]
    """
    flat = [float(v) for v in np.ravel(chromaticities)] if isinstance(chromaticities, list | tuple) else []
    x, y = np.array(flat if len(flat) == 8 else _REC709).reshape(4, 2).T
    columns = np.stack([x / y, np.ones(4), (1 - x - y) / y])
    return np.asarray(np.linalg.solve(columns[:, :3], columns[:, 3]))


def _full(plane: Plane, shape: tuple[int, int], window: Any) -> Plane:
    if plane.shape == shape:
        return plane
    for axis, (size, begin) in enumerate(((shape[0], window.y_min), (shape[1], window.x_min))):
        plane = _doubled(plane, size, begin, axis)
    return plane


def _doubled(plane: Plane, size: int, begin: int, axis: int) -> Plane:
    """Bring one axis to full size: samples lie at even coordinates, what lies between is cubic of four."""
    rows = np.moveaxis(plane, axis, 0)
    at = (np.arange(size) + begin - 2 * -(-begin // 2)) / 2
    whole = np.floor(at).astype(int)

    def sample(offset: int) -> Plane:
        return np.asarray(rows[np.clip(whole + offset, 0, len(rows) - 1)])

    between = -sample(-1) / 16 + sample(0) * 9 / 16 + sample(1) * 9 / 16 - sample(2) / 16
    is_between = (at != whole).reshape(-1, *(1,) * (rows.ndim - 1))
    return np.asarray(np.moveaxis(np.where(is_between, between, sample(0)), 0, axis), np.float32)
