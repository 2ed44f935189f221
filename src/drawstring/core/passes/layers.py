"""Channels gathered into layers: `diffuse_direct.R`, `.G`, `.B` are one layer of three channels.

Channel suffixes come in several habits (`.R`, `.red`, `.X`, `_r`, a capital at the end); components are put
in the order a person expects, whatever order the file has. Views follow OpenEXR's rules: a part's own
attribute, or a view's name before the suffix in a file of several views. Hashed-name layers with a
two-digit rank (`CryptoObject00`, `01` ...) are one pass.

Source: "Storing Multi-View Images in OpenEXR Files", openexr.com, sections 2 and 3.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass

from drawstring.core.io.facts import ChannelRef, FileFacts, PartFacts

_COMPONENTS = {
    "r": 0, "red": 0, "x": 0, "u": 0, "v": 1, "g": 1, "green": 1, "y": 1,
    "b": 2, "blue": 2, "z": 2, "a": 3, "alpha": 3, "w": 3,
}  # fmt: skip
_PLAIN = frozenset({"r", "g", "b", "a", "red", "green", "blue", "alpha"})
_TAIL = re.compile(
    r"^(?P<layer>.+?)(?:_(?P<low>[rgbaxyzuvw])|_(?P<high>[RGBAXYZUVW])|(?<=[a-z0-9])(?P<bare>[RGBAXYZ]))$"
)
_RANKED = re.compile(r"^(?P<name>.*crypto.*?)(?P<rank>\d{2})$", re.IGNORECASE)


_Member = tuple[int, str, ChannelRef, str]
"""A channel of a layer: its place in it, what it is called there, where it lies, its type."""


@dataclass(frozen=True)
class Layer:
    """A named group of channels of one part, in component order; `name` is empty for the plain RGBA."""

    name: str
    view: str
    channels: tuple[ChannelRef, ...]
    suffixes: tuple[str, ...]
    pixel_types: tuple[str, ...]


def layers_of(facts: FileFacts) -> list[Layer]:
    """Split a file's channels into layers.

    Parameters
    ----------
    facts : FileFacts

    Returns
    -------
    list of Layer
        In the file's order. A lone channel that is not R, G, B or A (`Z`, `depth`) is a layer of its own.
    """
    gathered: dict[tuple[str, str], list[_Member]] = {}
    views = facts.view_names
    several = len(facts.parts) > 1
    for part in facts.parts:
        tails = _tails(channel.name for channel in part.channels)
        for channel in part.channels:
            plain, view = _without_view(channel.name, part, views)
            layer, suffix = _split(plain, _part_name(part) if several else "", tails)
            member = (
                _component(layer, suffix),
                suffix,
                ChannelRef(part.index, channel.name),
                channel.pixel_type,
            )
            gathered.setdefault((view, layer), []).append(member)
    layers = []
    for (view, name), members in _apart(gathered, facts):
        members.sort(key=lambda member: (member[0], member[2]))
        layers.append(
            Layer(
                name,
                view,
                tuple(ref for _, _, ref, _ in members),
                tuple(suffix for _, suffix, _, _ in members),
                tuple(pixel_type for _, _, _, pixel_type in members),
            )
        )
    return layers


def _apart(
    gathered: Mapping[tuple[str, str], list[_Member]], facts: FileFacts
) -> Iterator[tuple[tuple[str, str], list[_Member]]]:
    """Give layers, those apart that several parts have under one name.

    Channels of one layer may lie in several parts; but not the same channel twice, and not with other pixels.
    """
    for (view, name), members in gathered.items():
        parts = list(dict.fromkeys(ref.part for _, _, ref, _ in members))
        suffixes = Counter(suffix for _, suffix, _, _ in members)
        windows = {facts.parts[part].data_window for part in parts}
        if len(parts) == 1 or (len(windows) == 1 and max(suffixes.values()) == 1):
            yield (view, name), members
            continue
        for part in parts:
            own = f"{_part_name(facts.parts[part])}.{name}".strip(".") if part != parts[0] else name
            yield (view, own), [member for member in members if member[2].part == part]


def _without_view(channel: str, part: PartFacts, views: tuple[str, ...]) -> tuple[str, str]:
    """Take a view's name out of a channel's; a channel without one belongs to the default view."""
    if part.view or len(views) < 2:
        return channel, part.view
    pieces = channel.split(".")
    if len(pieces) > 1 and pieces[-2] in views:
        return ".".join(pieces[:-2] + pieces[-1:]), pieces[-2]
    return channel, views[0]


def _part_name(part: PartFacts) -> str:
    """Give a part's name without the view that multi-part writers put behind it."""
    for separator in (".", "_"):
        if part.view and part.name.endswith(separator + part.view):
            return part.name[: -len(part.view) - 1]
    return "" if part.view and part.name == part.view else part.name


def _tails(names: Iterable[str]) -> frozenset[str]:
    """Give the stems that at least two channels share before `_r`, `_G` or a bare capital."""
    stems = Counter(match["layer"] for name in names if "." not in name and (match := _TAIL.match(name)))
    return frozenset(stem for stem, count in stems.items() if count > 1)


def _split(channel: str, part_name: str, tails: frozenset[str]) -> tuple[str, str]:
    head, dot, last = channel.rpartition(".")
    if dot and (last.lower() in _COMPONENTS or len(last) == 1):
        return head, last
    if not dot and channel.lower() in _PLAIN:
        return part_name, channel
    match = _TAIL.match(channel)
    if not dot and match and match["layer"] in tails:
        return match["layer"], match["low"] or match["high"] or match["bare"]
    if part_name and (len(channel) == 1 or channel.lower() in _COMPONENTS):
        return part_name, channel
    if not part_name and channel == "Y":
        return "", channel
    return f"{part_name}.{channel}" if part_name else channel, channel if len(channel) == 1 else "V"


def _component(layer: str, suffix: str) -> int:
    ranked = _RANKED.match(layer)
    first = int(ranked["rank"]) * 4 if ranked else 0
    return first + _COMPONENTS.get(suffix.lower(), 4)


def ranked_name(layer: str) -> str | None:
    """Give the name without its rank for a hashed-name layer (`CryptoObject01` -> `CryptoObject`)."""
    match = _RANKED.match(layer)
    return match["name"] if match else None
