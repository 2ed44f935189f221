"""What is settled of the stack: layers in their order, the groups that move together, what goes out."""

from __future__ import annotations

from typing import Any

from drawstring.core.alpha.blend import Mode
from drawstring.core.choices import Choice
from drawstring.core.colour.grade import GradeSettings
from drawstring.core.entries import entry_kinds
from drawstring.core.errors import SettingError
from drawstring.core.keyed import KeyedSettings
from drawstring.core.readers import Colour, read_colour
from drawstring.core.settings import SCENE, setting


class Behind(Choice):
    """What a layer lies behind."""

    NOTHING = "nothing"
    """It is seen whole."""
    MATTE = "matte", "a matte"
    """What a named matte covers lies in front of it."""
    DISTANCE = "distance", "a distance"
    """What lies nearer than a distance is in front of it."""
    ITS_DEPTH = "own_depth", "its own depth"
    """What lies nearer than the layer's own depth pass says, pixel by pixel."""


class Sends(Choice):
    """What of the stack goes out."""

    NOTHING = "nothing"
    """It is only looked at."""
    PICTURE = "picture"
    """The finished stack."""
    LAYERS = "layers"
    """Every layer as it is laid, by itself."""
    BOTH = "both"
    """Picture and layers."""


class StackLayer(KeyedSettings):
    """One layer. The first one lies at the bottom."""

    name: str = setting("layer", "What it is called.", min_length=1, max_length=40)
    on: bool = setting(True, "Whether it lies there; off to compare.")
    source: str = setting("beauty", "A pass, something made here, or “colour”.", min_length=1, max_length=200)
    does: str = setting("", "For a change of everything below: its kind; empty for a picture.", max_length=20)
    change: dict[str, Any] = setting({}, "What is settled of that change.")
    grade: GradeSettings = setting(GradeSettings(), "Its colour, before it is laid.")
    colour: Colour = setting(
        (0.18, 0.18, 0.18), "For a plain colour: its light.", reader=read_colour, keyed=True
    )
    mode: Mode = setting(Mode.OVER, "How it is laid on what lies below.")
    amount: float = setting(1.0, "How much of it.", ge=0, le=10, keyed=True)
    matte: str = setting("", "A named matte that shows where it is seen: its key.", max_length=31)
    behind: Behind = setting(Behind.NOTHING, "What it lies behind.")
    front: str = setting("", "The named matte of what lies in front.", max_length=31)
    distance: float = setting(10.0, "What is nearer lies in front.", unit=SCENE, gt=0, keyed=True)
    depth_of: str = setting("", "The layer's own depth pass.", max_length=200)
    stands: float | None = setting(
        None, "Its own distance, where no depth knows of it: what it moves by between the eyes.", unit=SCENE,
        gt=0, keyed=True,
    )  # fmt: skip
    group: str = setting("", "The group it moves with; empty for none.", max_length=40)
    right: float = setting(0.0, "Moved to the right.", unit="px", ge=-32000, le=32000, keyed=True)
    down: float = setting(0.0, "Moved down.", unit="px", ge=-32000, le=32000, keyed=True)
    scale: float = setting(
        100.0, "Its size, about the middle of the picture.", unit="%", gt=0.1, le=5000, keyed=True
    )

    def faults(self, where: str) -> list[SettingError]:
        """Refuse a matte for its colour: the layer has its own."""
        return self.grade.own_matte_refused(f"{where}.grade")

    def change_settings(self) -> KeyedSettings:
        """Give what is settled of its change of everything below.

        Raises
        ------
        SettingError
            This version knows no such change, or not what is settled of it.
        """
        kind = entry_kinds().get(self.does)
        if kind is None:
            raise SettingError(
                f"There is no change “{self.does}”.", where="alpha.stack", why="The layer can't be laid.",
                remedy=f"There are: {', '.join(entry_kinds())}.",
            )  # fmt: skip
        return kind.settings.model_validate(self.change)

    def _part(
        self, head: str, part: Any, typed: dict[str, Any], *, where: str, scene_unit: str, frame: int | None
    ) -> Any:
        if head != "change":
            return super()._part(head, part, typed, where=where, scene_unit=scene_unit, frame=frame)
        settings = self.change_settings().replaced(
            typed, where=f"{where}.change", scene_unit=scene_unit, frame=frame
        )
        return settings.model_dump(mode="json", exclude_defaults=True)


def new_layer(text: str) -> StackLayer:
    """Make a layer of what it is to show: a pass, something made, or a kind of change."""
    kind = entry_kinds().get(text)
    if kind is not None:
        return StackLayer(name=kind.says, does=kind.name)
    return StackLayer(name=text or "beauty", source=text or "beauty")


class StackGroup(KeyedSettings):
    """Layers that move and scale together."""

    name: str = setting("group", "What it is called.", min_length=1, max_length=40)
    right: float = setting(0.0, "Moved to the right.", unit="px", ge=-32000, le=32000, keyed=True)
    down: float = setting(0.0, "Moved down.", unit="px", ge=-32000, le=32000, keyed=True)
    scale: float = setting(
        100.0, "Its size, about the middle of the picture.", unit="%", gt=0.1, le=5000, keyed=True
    )
