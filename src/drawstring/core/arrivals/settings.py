"""What the Arrivals knot settles: which of the frames that came are this shot's."""

from __future__ import annotations

from typing import ClassVar

from drawstring.core.errors import SettingError
from drawstring.core.settings import KnotSettings, setting


class ArrivalsSettings(KnotSettings):
    """Which frames of the accepted delivery are packed."""

    knot: ClassVar[str] = "arrivals"

    first: int | None = setting(None, "First frame to pack; empty means the delivery's first.", ge=0)
    last: int | None = setting(None, "Last frame to pack; empty means the delivery's last.", ge=0)

    def faults(self) -> list[SettingError]:
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
