"""What the Arrivals knot settles: which of the frames that came are this shot's."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar, Self

from drawstring.core.colour.reading import SPACES
from drawstring.core.errors import SettingError
from drawstring.core.settings import KnotSettings, setting


class ArrivalsSettings(KnotSettings):
    """Which frames of the accepted delivery are packed."""

    knot: ClassVar[str] = "arrivals"

    first: int | None = setting(None, "First frame to pack; empty means the delivery's first.", ge=0)
    last: int | None = setting(None, "Last frame to pack; empty means the delivery's last.", ge=0)

    spaces: dict[str, str] = setting(
        {}, "Colour space in which a pass was written, by pass, where it is not the one suggested."
    )

    def with_space(self, name: str, space: str) -> Self:
        """Make settings in which a pass is read in a space; an empty one is the suggestion again.

        Raises
        ------
        SettingError
            There is no such space.
        """
        if space and space not in SPACES:
            raise SettingError(
                f"There is no colour space “{space}”.",
                where=f"arrivals.spaces.{name}",
                why="Nothing was changed.",
                remedy=f"Choose {', '.join(SPACES)}.",
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
