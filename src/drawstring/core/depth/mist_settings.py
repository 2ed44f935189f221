"""What is settled of one mist: where it begins, how it thickens, its colour, and what it leaves clear."""

from __future__ import annotations

from typing import Any

from drawstring.core.choices import Choice
from drawstring.core.keyed import KeyedSettings
from drawstring.core.readers import Colour, read_colour, read_corners, read_names
from drawstring.core.settings import SCENE, setting


class MistFrom(Choice):
    """What tells how much mist lies before a point."""

    DEPTH = "depth"
    """Its distance."""
    PASS = "mist_pass", "mist pass"
    """A pass that the renderer made: 0 clear, 1 full."""


class Falloff(Choice):
    """How mist thickens between its start and its end."""

    LINEAR = "linear"
    """In equal steps: u."""
    SQUARE = "square"
    """Late: u squared."""
    ROOT = "root"
    """Early: the square root of u."""
    EXPONENTIAL = "exponential"
    """As light is lost in air of even density: 1 - exp(-density x distance beyond the start)."""


class Beyond(Choice):
    """What mist does where there is nothing."""

    FULL = "full"
    """It lies over the background as over the furthest thing."""
    CLEAR = "clear"
    """The background is left alone."""


class UpAxis(Choice):
    """Which axis of the position pass points up."""

    Y = "y"
    Z = "z"


class MistLayer(KeyedSettings):
    """One mist."""

    name: str = setting("mist", "What it is called.", min_length=1, max_length=40)
    on: bool = setting(True, "Whether it lies on the picture; off to compare.")
    source: MistFrom = setting(MistFrom.DEPTH, "What tells how much lies before a point.")
    start: float = setting(1.0, "Distance at which it begins.", unit=SCENE, ge=0, keyed=True)
    depth: float = setting(50.0, "How far beyond its start it is full.", unit=SCENE, gt=0, keyed=True)
    falloff: Falloff = setting(Falloff.LINEAR, "How it thickens.")
    density: float = setting(
        0.02, "For exponential: share of light lost in one unit.", ge=0, le=1000, unit="per unit", keyed=True
    )
    low: float = setting(0.0, "How much of the ramp stays clear at its thin end.", ge=0, lt=1, keyed=True)
    high: float = setting(1.0, "How thick it gets at most.", ge=0, le=1, keyed=True)
    strength: float = setting(1.0, "How much of it is laid on.", ge=0, le=1, keyed=True)
    colour: Colour = setting((0.5, 0.52, 0.55), "Its light, scene-linear.", reader=read_colour, keyed=True)
    base: float | None = setting(
        None, "Height up to which it is thickest; needs a position pass.", keyed=True
    )
    thins: float = setting(
        5.0, "Height above the base in which it thins to a third.", unit=SCENE, gt=0, keyed=True
    )
    up: UpAxis = setting(UpAxis.Y, "Which axis points up.")
    beyond: Beyond = setting(Beyond.FULL, "What it does where there is nothing.")
    clear_names: tuple[str, ...] = setting((), "Objects kept clear, by name.", reader=read_names)
    clear_shape: tuple[float, ...] = setting(
        (), "A drawn shape kept clear: its corners in pixels.", reader=read_corners, keyed=True
    )
    clear_alpha: bool = setting(False, "Whether the element (its alpha) is kept clear.")
    clear_matte: str = setting("", "A named matte (Alpha) of what is kept clear.", max_length=31)
    clear_soft: float = setting(
        0.0, "Softness of what is kept clear, as a blur's radius.", unit="px", ge=0, le=500
    )

    def read(self, name: str, value: Any, *, where: str, scene_unit: str) -> Any:
        """Read a typed value; heights are lengths that may lie below 0."""
        if name == "base" and isinstance(value, str) and value.strip():
            from drawstring.core.units import read_length

            return read_length(value, scene_unit=scene_unit, where=f"{where}.{name}")
        return super().read(name, value, where=where, scene_unit=scene_unit)
