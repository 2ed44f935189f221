"""What the pack templates need."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy.orm import Session

from drawstring.core.pack import Compression, StoredType
from drawstring.core.pack.copying import Unpacked, copied_parts
from drawstring.core.pack.form import (
    AlphaKind,
    Also,
    Beauty,
    Files,
    LineOrder,
    Parts,
    PictureFile,
    Reach,
    Style,
    Tiling,
)
from drawstring.core.pack.naming import bare_name
from drawstring.core.pack.profile_checks import asked_settings
from drawstring.core.recipe.counting import FACTS
from drawstring.core.recipe.finished import said_of_plain_channels
from drawstring.runs.planning import file_names_of, notes_for
from drawstring.store import deliveries, profiles
from drawstring.store.models import Shot
from drawstring.store.standing import ShotStanding
from drawstring.web.pack.drawn_map import draw_map


class View(str):
    """A view's name, for lists of choices."""

    @property
    def value(self) -> str:
        """The name."""
        return str(self)


BYTES = {"half": 2, "float": 4, "uint": 4}


def pack_words(session: Session, shot: Shot, how: ShotStanding, frames: list[int]) -> dict[str, Any]:
    """Gather what the pack templates need."""
    pack = how.recipe.pack
    first = shot.delivery.first if shot.delivery else 1001
    return {
        "drawn": draw_map(how),
        "choices": {
            "beauty": list(Beauty), "compression": list(Compression),
            "style": list(Style), "files": list(Files),
            "parts": list(Parts), "tiling": list(Tiling), "line_order": list(LineOrder),
            "reach": list(Reach), "alpha": list(AlphaKind),
            "also": list(Also), "picture_file": list(PictureFile),
            "view": [View(name) for name in how.recipe.arrivals.management.views],
        },
        "plain_channels": said_of_plain_channels(how.passes, how.recipe),
        "types": list(StoredType),
        "profiles": profiles.profiles_of(shot.show),
        "asked": asked_settings(pack.profile, how.passes, how.recipe) if pack.profile else {},
        "raw_bytes": _raw_bytes(how, shot),
        "example": file_names_of(how, [first], 1)[0] if how.passes else "",
        "run_notes": notes_for(session, how),
        "copying": copying_of(shot, how),
    }  # fmt: skip


@dataclass(frozen=True)
class CopyingSaid:
    """How a part goes out: copied as it is packed, or unpacked, and why."""

    part: str
    channels: int
    raw_bytes: int
    is_copied: bool
    why: str = ""
    keeps: str = ""


def copying_of(shot: Shot, how: ShotStanding) -> list[CopyingSaid]:
    """Say of every part that goes out whether it is copied as it is packed."""
    if shot.delivery is None or not how.outputs.channels:
        return []
    place = deliveries.place_out(shot.delivery, how.recipe)
    pixels = place.window.width * place.window.height
    counted = shot.delivery.measured(FACTS)
    ranges = how.recipe.pack.profile.ranges if how.recipe.pack.profile else {}
    said = []
    told = copied_parts(how.outputs, deliveries.facts_by_source(shot.delivery), place.window, place.display)
    for where, one in told.items():
        mine = [channel for channel in how.outputs.channels if (channel.of_pass, channel.part) == where]
        size = pixels * sum(BYTES[channel.stored] for channel in mine)
        why, keeps = (one.why, one.keeps) if isinstance(one, Unpacked) else ("", "")
        if not why and {bare_name(channel.source) for channel in mine} & set(ranges):
            why = "the profile asks for ranges that are taken from the written file"
        elif not why and (counted is None or counted.state != "done"):
            why = "its frames have not been counted yet; once they are, it is copied"
        said.append(CopyingSaid(where[1] or where[0], len(mine), size, not why, why, keeps))
    return said


def _raw_bytes(how: ShotStanding, shot: Shot) -> int:
    """Give the bytes of one frame before compression."""
    if shot.delivery is None:
        return 0
    window = deliveries.place_out(shot.delivery, how.recipe).window
    pixels = window.width * window.height
    return pixels * sum(BYTES[channel.stored] for channel in how.outputs.channels)
