"""What a file says of itself, without its pixels.

Frozen value objects: a header read once can be compared, kept and handed between processes.
Windows are in pixels, both corners included, x to the right and y down, as OpenEXR writes them.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any, NamedTuple


class Window(NamedTuple):
    """A rectangle of pixels, both corners included."""

    x_min: int
    y_min: int
    x_max: int
    y_max: int

    @property
    def width(self) -> int:
        """Columns."""
        return self.x_max - self.x_min + 1

    @property
    def height(self) -> int:
        """Rows."""
        return self.y_max - self.y_min + 1

    def __str__(self) -> str:
        return f"{self.width} x {self.height} from {self.x_min}, {self.y_min}"


class ChannelRef(NamedTuple):
    """Which channel: the part's index, the full name within it, and which of a delivery's files it is in."""

    part: int
    name: str
    source: int = 0


@dataclass(frozen=True)
class ChannelFacts:
    """One channel: its full name, its type and its sampling.

    The type is "half", "float" or "uint" as OpenEXR has them, or "uint8" or "uint16" for pictures of whole
    code values, which are read as shares of the highest code.
    """

    name: str
    pixel_type: str
    x_sampling: int = 1
    y_sampling: int = 1


@dataclass(frozen=True)
class PartFacts:
    """One part of a file.

    Attributes
    ----------
    index : int
    name, view : str
        Empty where the file gives none.
    storage : str
        "scanline" or "tiled".
    compression : str
        As OpenEXR names it, lower case: "none", "zip", "piz" ...
    data_window, display_window : Window
    pixel_aspect : float
    channels : tuple of ChannelFacts
        In the file's order.
    metadata : dict
        Every other header attribute, as plain numbers, strings and lists.
    unusable : tuple of str
        Header attributes that were left out, as they hold numbers that are none (NaN, infinity).
    kinds : dict
        What attributes were in the file where their plain form does not tell (`attributes.kind_of`).
    unfinished : str
        What is wrong where a part is not whole, though others of its file are: it has no channels then.
    """

    index: int
    name: str
    view: str
    storage: str
    compression: str
    data_window: Window
    display_window: Window
    pixel_aspect: float
    channels: tuple[ChannelFacts, ...]
    metadata: dict[str, Any] = field(default_factory=dict, hash=False)
    unusable: tuple[str, ...] = ()
    unfinished: str = ""
    kinds: dict[str, str] = field(default_factory=dict, hash=False)


@dataclass(frozen=True)
class FileFacts:
    """One file on disk: identity (path, size, time of change) and its parts."""

    path: str
    size_bytes: int
    mtime_ns: int
    parts: tuple[PartFacts, ...]
    kind: str = "openexr"
    """The file format as the picture library names it: "openexr", "png", "tiff" ..."""

    @property
    def window(self) -> Window:
        """The smallest window that holds every part's data window."""
        return union(part.data_window for part in self.parts)

    @property
    def view_names(self) -> tuple[str, ...]:
        """Views by OpenEXR's rules, the default one first; empty where the file speaks of none."""
        said = self.parts[0].metadata.get("multiView") if self.parts else None
        if isinstance(said, list) and said:
            return tuple(str(view) for view in said)
        return tuple(dict.fromkeys(part.view for part in self.parts if part.view))

    @property
    def layout(self) -> tuple[object, ...]:
        """What must be the same in every frame of a sequence, for comparing."""
        return (self.kind,) + tuple(
            (part.name, part.view, part.storage, part.compression, part.data_window, part.display_window)
            + tuple((channel.name, channel.pixel_type) for channel in part.channels)
            for part in self.parts
        )

    def channel(self, ref: ChannelRef) -> ChannelFacts | None:
        """Find one channel's facts; None where the file has no such channel."""
        if ref.part >= len(self.parts):
            return None
        return next((c for c in self.parts[ref.part].channels if c.name == ref.name), None)


def is_finite(value: Any) -> bool:
    """Whether a plain header value holds no NaN and no infinity.

    Examples
    --------
    >>> is_finite([1, 2.5, "m"]), is_finite([[1.0, float("nan")]])
    (True, False)
    """
    if isinstance(value, float):
        return math.isfinite(value)
    return all(is_finite(inner) for inner in value) if isinstance(value, list) else True


def union(windows: Iterable[Window]) -> Window:
    """Give the smallest window that holds all of them.

    Examples
    --------
    >>> union([Window(0, 0, 9, 9), Window(-2, 3, 4, 12)])
    Window(x_min=-2, y_min=0, x_max=9, y_max=12)
    """
    corners = list(zip(*windows, strict=True))
    return Window(min(corners[0]), min(corners[1]), max(corners[2]), max(corners[3]))


def differences(facts: FileFacts, usual: FileFacts) -> list[str]:
    """Say in words how a frame's layout differs from the usual one of its sequence; empty when it doesn't."""
    if len(facts.parts) != len(usual.parts):
        return [f"has {len(facts.parts)} parts instead of {len(usual.parts)}"]
    said = []
    for part, other in zip(facts.parts, usual.parts, strict=True):
        if part.data_window != other.data_window:
            said.append(f"data window is {part.data_window} instead of {other.data_window}")
        if part.display_window != other.display_window:
            said.append(f"display window is {part.display_window} instead of {other.display_window}")
        if part.compression != other.compression:
            said.append(f"compression is {part.compression} instead of {other.compression}")
        mine = {channel.name: channel.pixel_type for channel in part.channels}
        theirs = {channel.name: channel.pixel_type for channel in other.channels}
        if missing := sorted(theirs.keys() - mine.keys()):
            said.append(f"has no {', '.join(missing)}")
        if added := sorted(mine.keys() - theirs.keys()):
            said.append(f"has {', '.join(added)} in addition")
        for name in sorted(mine.keys() & theirs.keys()):
            if mine[name] != theirs[name]:
                said.append(f"{name} is {mine[name]} instead of {theirs[name]}")
    return said
