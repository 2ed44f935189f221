"""Entries of the stack that are no picture: changes of everything below, offered by knots.

`drawstring/core/KNOT/entries.py` gives `ENTRIES`, where a knot offers some. They are looked up when they are
first used: settings are read before all knots are known.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from typing import Any

from drawstring.core.arrays import Picture
from drawstring.core.camera import Place
from drawstring.core.colour.management import HOUSE, Management
from drawstring.core.keyed import KeyedSettings
from drawstring.core.knots import NAMES, part_of


@dataclass(frozen=True)
class Below:
    """What is below an entry, beside its pixels.

    Attributes
    ----------
    place : Place
        Where its pixels lie.
    frame : int
    eye : int
        0 left or none, 1 right.
    management : Management
        Of its colours.
    wraps : bool
        Whether it is all-round: what leaves at one side comes in at the other.
    """

    place: Place
    frame: int
    eye: int = 0
    management: Management = HOUSE
    wraps: bool = False


@dataclass(frozen=True)
class EntryKind:
    """A kind of entry.

    Attributes
    ----------
    name : str
        A short code, as it is stored.
    says : str
        How people read it.
    settings : type
        What can be settled of it.
    change : callable of (picture, settings at the frame, Below)
        Gives (H, W, 4) float32, premultiplied, of the same.
    is_flat : bool
        Whether it is for flat pictures alone, as what happens about a lens's centre.
    """

    name: str
    says: str
    settings: type[KeyedSettings]
    change: Callable[[Picture, Any, Below], Picture]
    is_flat: bool = False


@cache
def entry_kinds() -> dict[str, EntryKind]:
    """Give every kind of entry, by name, in the order of the cord."""
    parts = [part_of("core", name, "entries") for name in NAMES]
    return {kind.name: kind for part in parts if part is not None for kind in part.ENTRIES}
