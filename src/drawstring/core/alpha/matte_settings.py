"""What is settled of one named matte: where it comes from, what it is joined with, how it is cleaned."""

from __future__ import annotations

import re
from typing import Any, ClassVar

from drawstring.core.alpha.painted_settings import PaintedSettings
from drawstring.core.choices import Choice
from drawstring.core.errors import SettingError
from drawstring.core.readers import read_corners, read_names
from drawstring.core.settings import setting

MATTE_NAME = re.compile(r"[a-z][a-z0-9_]{0,30}")

STROKES = ("add", "take_away")
"""What a stroke on a matte does."""


class MatteFrom(Choice):
    """What tells a matte."""

    NAMES = "names"
    """Objects, materials or assets by name, from hashed names with coverage."""
    NUMBERS = "numbers"
    """Whole numbers of an ID pass."""
    COLOURS = "colours"
    """Flat colours of a colour-coded picture."""
    PASS = "pass"
    """A pass that is a matte already, or one of its channels."""
    ALPHA = "alpha"
    """The picture's own alpha."""
    MESH = "mesh", "a mesh of the scene"
    """A mesh of the scene's file, seen through the camera, behind whatever is nearer."""
    DRAWN = "drawn"
    """Only what is drawn and painted."""


class Joined(Choice):
    """How another matte is joined to it."""

    NOT = "not_joined", "not joined"
    """It stands alone."""
    ADD = "with"
    """Both: the larger of the two."""
    TAKE_AWAY = "without"
    """What the other one covers is taken away."""
    BOTH = "only_within", "only within"
    """Where both are: the product."""


def read_numbers(text: str, where: str) -> tuple[int, ...]:
    """Read whole numbers typed with commas or spaces between them.

    Raises
    ------
    SettingError
        One of them is no whole number.
    """
    try:
        return tuple(int(one) for one in re.split(r"[\s,;]+", text.strip()) if one)
    except ValueError:
        raise SettingError(
            f"“{text[:40]}” holds no whole number somewhere.", where=where, why="Nothing was changed.",
            remedy="Type whole numbers with commas between them, or click on the picture.",
        ) from None  # fmt: skip


def read_colours(text: str, where: str) -> tuple[float, ...]:
    """Read colours, three numbers each, with commas between colours: `1 0 0, 0 0.5 1`.

    Raises
    ------
    SettingError
        One of them is no colour.
    """
    flat: list[float] = []
    try:
        for one in filter(None, (part.strip() for part in text.split(","))):
            r, g, b = (float(v) for v in one.split())
            flat += [r, g, b]
    except ValueError:
        raise SettingError(
            f"“{text[:40]}” holds something that is no colour.", where=where, why="Nothing was changed.",
            remedy="Type three numbers to a colour, commas between colours, or click on the picture.",
        ) from None  # fmt: skip
    return tuple(flat)


class MatteSettings(PaintedSettings):
    """One named matte. Every other knot can use it by its name."""

    does: ClassVar[tuple[str, ...]] = STROKES

    name: str = setting("matte", "What it is called: small letters, digits and underscores.", max_length=31)
    source: MatteFrom = setting(MatteFrom.NAMES, "What tells it.")
    of: str = setting(
        "", "The pass, or mesh, it is taken from; empty for the first one that fits.", max_length=200
    )
    names: tuple[str, ...] = setting(
        (), "Names, wildcards allowed (buoy_*); -name takes away again.", reader=read_names
    )
    numbers: tuple[int, ...] = setting((), "Whole numbers of an ID pass.", reader=read_numbers)
    colours: tuple[float, ...] = setting((), "Colours of a colour-coded picture.", reader=read_colours)
    tolerance: float = setting(0.02, "How far a channel may lie from a colour and still be it.", ge=0, le=1)
    channel: int = setting(1, "Which channel of a matte pass, counted from 1.", ge=1, le=64)
    shape: tuple[float, ...] = setting(
        (), "A drawn shape that belongs to it: corners in pixels.", reader=read_corners, keyed=True
    )
    other: str = setting("", "Another matte, further up, that it is joined with.", max_length=31)
    joined: Joined = setting(Joined.NOT, "How the other one is joined.")
    invert: bool = setting(False, "Whether it covers what it does not.")
    low: float = setting(0.0, "At or below this it is nothing.", ge=0, lt=1, keyed=True)
    high: float = setting(1.0, "At or above this it is solid.", gt=0, le=1, keyed=True)
    gamma: float = setting(1.0, "Bends what lies between: above 1 thicker.", gt=0.05, le=20, keyed=True)
    grow: float = setting(
        0.0, "Grown in all directions; below 0 shrunk.", unit="px", ge=-100, le=100, keyed=True
    )
    soften: float = setting(0.0, "Softness as a blur's radius.", unit="px", ge=0, le=500, keyed=True)
    fill: float = setting(0.0, "Holes up to this area are filled.", unit="px²", ge=0, le=1e6)
    drop: float = setting(0.0, "Separate pieces up to this area are dropped.", unit="px²", ge=0, le=1e6)

    def read(self, name: str, value: Any, *, where: str, scene_unit: str) -> Any:
        """Read a typed value; a name is checked, as other knots call the matte by it."""
        if name == "name" and isinstance(value, str) and not MATTE_NAME.fullmatch(value.strip()):
            raise SettingError(
                f"“{value}” can't name a matte.", where=f"{where}.name",
                why="Channels and other knots are called by it.",
                remedy="Use small letters, digits and underscores, a letter first, such as red_buoys.",
            )  # fmt: skip
        return super().read(
            name, value.strip() if name == "name" else value, where=where, scene_unit=scene_unit
        )

    def faults(self, where: str) -> list[SettingError]:
        """Low must lie below high."""
        if self.low < self.high:
            return []
        return [
            SettingError(
                f"The low end ({self.low:g}) does not lie below the high end ({self.high:g}).",
                where=f"{where}.low", why="Every value would be nothing or solid.", remedy="Move them apart.",
            )
        ]  # fmt: skip

    def colour_triples(self) -> list[tuple[float, float, float]]:
        """Give the colours one by one."""
        flat = self.colours
        return [(flat[i], flat[i + 1], flat[i + 2]) for i in range(0, len(flat) - 2, 3)]
