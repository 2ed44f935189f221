"""What is settled of the shadow: where it comes from, the clean ground, its finish, what was painted."""

from __future__ import annotations

from typing import ClassVar

from drawstring.core.alpha.painted_settings import PaintedSettings
from drawstring.core.choices import Choice
from drawstring.core.errors import SettingError
from drawstring.core.readers import Colour, read_colour, read_corners, read_names
from drawstring.core.settings import setting

STROKES = ("keep", "clear", "ground", "no_ground")
"""What a stroke on a shadow does: keep or clear shadow; call something lit ground, or not ground at all."""


class ShadowFrom(Choice):
    """What tells the shadow."""

    RENDERS = "two_renders", "two renders"
    """The object alone, and the object on a ground."""
    PASSES = "shadow_passes", "shadow passes"
    """What the renderer wrote as shadow."""
    LIGHT = "light", "light with and without"
    """The light of lamps with shadows and without."""


class GroundFrom(Choice):
    """What tells the clean ground."""

    RENDER = "third_render", "third render"
    """A render of the ground alone."""
    LEVEL = "level"
    """Fitted: the same light everywhere."""
    PLANE = "plane"
    """Fitted: light that rises evenly to one side."""
    SMOOTH = "smooth"
    """Fitted: light that falls off, corners that are dark."""


class LitIs(Choice):
    """What lit means in a shadow pass."""

    WHITE = "white"
    """1 is lit."""
    BLACK = "black"
    """0 is lit, 1 is shadow."""


class Together(Choice):
    """How several shadow passes become one."""

    PRODUCT = "product"
    """Each dims what the others leave."""
    MINIMUM = "minimum"
    """The darkest one counts."""


class ShadowSettings(PaintedSettings):
    """The shadow as a layer of its own."""

    does: ClassVar[tuple[str, ...]] = STROKES

    on: bool = setting(False, "Whether a shadow layer is made.")
    source: ShadowFrom = setting(ShadowFrom.RENDERS, "What tells the shadow.")
    on_ground: str = setting("", "The render with the ground; empty to find it by role.", max_length=200)
    ground: GroundFrom = setting(GroundFrom.SMOOTH, "What tells the clean ground.")
    order: int | None = setting(
        None, "How many bends a smooth ground may have; empty takes as many as foretell it best.", ge=2, le=8
    )
    passes: tuple[str, ...] = setting((), "Shadow passes that are used; empty for all.", reader=read_names)
    lit_is: LitIs = setting(LitIs.WHITE, "What lit means in the passes.")
    together: Together = setting(Together.PRODUCT, "How several passes become one.")
    with_shadow: str = setting("", "The pass of light with shadows.", max_length=200)
    without_shadow: str = setting("", "The same light without shadows.", max_length=200)
    floor: float = setting(0.0, "At or below this share of light it is full shadow.", ge=0, lt=1, keyed=True)
    ceiling: float = setting(1.0, "At or above this share of light it is lit.", gt=0, le=2, keyed=True)
    strength: float = setting(1.0, "How deep: 0 none, 1 as it is.", ge=0, le=4, keyed=True)
    bounce: bool = setting(
        False, "Whether the multiply layer keeps values above 1: light that the object throws on the ground."
    )
    tint: Colour = setting((0.0, 0.0, 0.0), "The light of a full shadow.", reader=read_colour, keyed=True)
    coloured: bool = setting(True, "Whether coloured shadows stay coloured.")
    quiet: float = setting(0.0, "How much noise is held down.", ge=0, le=1)
    soften: float = setting(0.0, "Even softness as a blur's radius.", unit="px", ge=0, le=500, keyed=True)
    grows: float = setting(
        0.0, "Softness gained for each 100 px away from the object.", unit="px", ge=0, le=200, keyed=True
    )
    keep_shape: tuple[float, ...] = setting(
        (), "A drawn shape: shadow only within.", reader=read_corners, keyed=True
    )
    clear_shape: tuple[float, ...] = setting(
        (), "A drawn shape: no shadow within.", reader=read_corners, keyed=True
    )

    def faults(self, where: str) -> list[SettingError]:
        """Floor must lie below ceiling."""
        if self.floor < self.ceiling:
            return []
        return [
            SettingError(
                f"The floor ({self.floor:g}) does not lie below the ceiling ({self.ceiling:g}).",
                where=f"{where}.floor", why="Everything would be shadow.", remedy="Move them apart.",
            )
        ]  # fmt: skip
