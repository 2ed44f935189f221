"""What the Depth knot settles: near and far, how distances become values, and what "nothing" becomes."""

from __future__ import annotations

from enum import StrEnum
from typing import ClassVar

from drawstring.core.errors import SettingError
from drawstring.core.settings import SCENE, KnotSettings, setting


class Mapping(StrEnum):
    """How a distance between near and far becomes a value between 0 and 1."""

    LINEAR = "linear"
    """Equal steps of distance are equal steps of value."""
    RECIPROCAL = "reciprocal"
    """Equal steps of 1 / distance: more values for what is near."""
    LOGARITHMIC = "logarithmic"
    """Equal factors of distance are equal steps of value."""


class WhiteEnd(StrEnum):
    """Which end is 1."""

    NEAR = "near"
    """Near things are white."""
    FAR = "far"
    """Far things are white."""


class Overshoot(StrEnum):
    """What happens to distances outside near and far."""

    CLAMP = "clamp"
    """They get the value of the end they lie beyond."""
    KEEP = "keep"
    """They keep values below 0 and above 1."""


class NothingThere(StrEnum):
    """What a pixel without a distance becomes."""

    FAR_END = "as far end"
    """As if it were at far."""
    NEAR_END = "as near end"
    """As if it were at near."""


class Edges(StrEnum):
    """What becomes of pixels at edges in which near and far are mixed."""

    AS_THEY_CAME = "keep"
    """They keep their mean of two distances."""
    NEARER = "nearer"
    """They get the distance of the nearer side."""
    FURTHER = "further"
    """They get the distance of the further side."""


class DepthSettings(KnotSettings):
    """How depth is normalised, the same for every frame of the shot."""

    knot: ClassVar[str] = "depth"

    near: float | None = setting(None, "Distance that becomes the near end's value.", unit=SCENE, gt=0)
    far: float | None = setting(None, "Distance that becomes the far end's value.", unit=SCENE, gt=0)
    mapping: Mapping = setting(Mapping.LINEAR, "How distances between near and far become values.")
    white_is: WhiteEnd = setting(WhiteEnd.NEAR, "Which end is white, value 1.")
    overshoot: Overshoot = setting(Overshoot.CLAMP, "What distances outside near and far become.")
    edges: Edges = setting(Edges.AS_THEY_CAME, "What pixels that mix near and far become.")
    nothing: NothingThere = setting(NothingThere.FAR_END, "What a pixel without a distance becomes.")

    def faults(self) -> list[SettingError]:
        """Near must lie before far."""
        if self.near is None or self.far is None or self.near < self.far:
            return []
        return [
            SettingError(
                f"Near ({self.near:g}) does not lie before far ({self.far:g}).",
                where="depth.near",
                why="Every distance would get the same value, or the ends would be swapped.",
                remedy="Move near closer or far further away. To swap black and white, change “white is”.",
            )
        ]
