"""What the Arrivals knot settles: which of the frames that came are this shot's."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar, Self

from drawstring.core.colour.kept_files import read_kept
from drawstring.core.colour.management import LINEAR, WORKING, Management, config_of, is_file
from drawstring.core.errors import SettingError
from drawstring.core.settings import KnotSettings, Settings, setting


def read_config(text: str, where: str) -> str:
    """Read the name of a built-in configuration, or the path of a kept one.

    Raises
    ------
    SettingError
        There is none, or it can't be read.
    """
    name = read_kept(text, where) if is_file(text) else text.strip()
    config_of(name)
    return name


class ColourSettings(Settings):
    """Whose configuration colours are managed by, what is worked in, what is looked at on."""

    config: str = setting(
        "", "A built-in configuration of OpenColorIO, or a kept file; empty for the house's choice.",
        reader=read_config, max_length=1000,
    )  # fmt: skip
    working: str = setting(LINEAR, "The space that all is computed in.", max_length=200)
    display: str = setting("", "What pictures are looked at on; empty for the first.", max_length=200)
    look: str = setting("", "A look that is on while looking.", max_length=200)

    def replaced(
        self, typed: Mapping[str, Any], *, where: str, scene_unit: str, frame: int | None = None
    ) -> Self:
        """Replace values; what another configuration called a display, look or space goes with it."""
        if "config" in typed:
            plain = self if self.working in WORKING else self.model_copy(update={"working": LINEAR})
            typed = {"display": "", "look": "", "working": plain.working, **typed}
        return super().replaced(typed, where=where, scene_unit=scene_unit, frame=frame)

    def faults(self, where: str) -> list[SettingError]:
        """Refuse what the configuration does not have."""
        here = Management(self.config, self.working, self.display, self.look)
        wanted = (
            ("working", self.working, here.workings),
            ("display", self.display, ["", *here.displays]),
            ("look", self.look, ["", *here.looks]),
        )
        return [
            SettingError(
                f"{here.says} has no {name} “{value}”.", where=f"{where}.{name}",
                why="Nothing was changed.", remedy=f"Choose {', '.join(each for each in there if each)}.",
            )
            for name, value, there in wanted
            if value not in there
        ]  # fmt: skip


class ArrivalsSettings(KnotSettings):
    """Which frames of the accepted delivery are packed."""

    knot: ClassVar[str] = "arrivals"
    of_the_shot: ClassVar[frozenset[str]] = frozenset({"first", "last"})

    first: int | None = setting(None, "First frame to pack; empty means the delivery's first.", ge=0)
    last: int | None = setting(None, "Last frame to pack; empty means the delivery's last.", ge=0)

    spaces: dict[str, str] = setting(
        {}, "Colour space in which a pass was written, by pass, where it is not the one suggested."
    )

    colour: ColourSettings = setting(ColourSettings(), "How colours are managed.")

    @property
    def management(self) -> Management:
        """How colours are managed, as computations ask."""
        colour = self.colour
        return Management(colour.config, colour.working, colour.display, colour.look)

    @property
    def working_space(self) -> str:
        """The space that all is computed in."""
        return self.colour.working

    def with_space(self, name: str, space: str) -> Self:
        """Make settings in which a pass is read in a space; an empty one is the suggestion again.

        Raises
        ------
        SettingError
            There is no such space.
        """
        spaces = self.management.spaces
        if space and space not in spaces:
            raise SettingError(
                f"There is no colour space “{space}”.",
                where=f"arrivals.spaces.{name}",
                why="Nothing was changed.",
                remedy=f"Choose {', '.join(spaces)}.",
            )
        others = {key: value for key, value in self.spaces.items() if key != name}
        return self.changed({"spaces": others | ({name: space} if space else {})})

    def with_items(self, typed: Mapping[str, Any]) -> tuple[Self, dict[str, Any], list[SettingError]]:
        """Take the colour spaces of single passes, `spaces.beauty`."""
        settings, refusals = self, list[SettingError]()
        for name, space in typed.items():
            if name.startswith("spaces."):
                try:
                    settings = settings.with_space(name.removeprefix("spaces."), str(space).strip())
                except SettingError as refusal:
                    refusals.append(refusal)
        rest = {name: value for name, value in typed.items() if not name.startswith("spaces.")}
        return settings, rest, refusals

    def faults(self, where: str) -> list[SettingError]:
        """First must not lie after last."""
        if self.first is None or self.last is None or self.first <= self.last:
            return []
        return [
            SettingError(
                f"The first frame ({self.first}) lies after the last ({self.last}).",
                where="arrivals.first",
                why="No frame would be packed.",
                remedy="Swap them, or leave both empty for the whole delivery.",
            )
        ]
