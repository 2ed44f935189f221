"""A file that is written beside a frame's own: a form of the pair, a picture as displayed, layers."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from drawstring.core.arrays import Picture, Stored
from drawstring.core.io.openraster import Layer


@dataclass(frozen=True)
class BesideFile:
    """One file beside a frame's own.

    Attributes
    ----------
    slug : str
        What its name says between version and frame; a folder may stand before it.
    channels : mapping of name to (H, W)
        In the stored type, for OpenEXR; empty for the others.
    picture : (H, W, 1, 3 or 4) or None
        Display values, for a picture file; alpha is straight.
    ending : str
        "exr", "png", "tiff", "jpeg" or "ora".
    layers : tuple of Layer
        For "ora", the topmost first.
    said : mapping
        Header attributes of its own.
    squeeze : float
        How much wider its pixels are shown than the shot's own.
    """

    slug: str
    channels: Mapping[str, Stored] = field(default_factory=dict)
    picture: Picture | None = None
    ending: str = "exr"
    layers: tuple[Layer, ...] = ()
    said: Mapping[str, Any] = field(default_factory=dict)
    squeeze: float = 1.0
