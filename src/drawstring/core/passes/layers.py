"""Channels gathered into layers: `diffuse_direct.R`, `.G`, `.B` are one layer of three channels.

Channel suffixes come in several habits (`.R`, `.red`, `.X`, `_r`); components are put in the order a
person expects, whatever order the file has. Hashed-name layers with a two-digit rank
(`CryptoObject00`, `01` ...) are one pass.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from drawstring.core.io.facts import ChannelRef, FileFacts

_COMPONENTS = {
    "r": 0, "red": 0, "x": 0, "u": 0, "v": 1, "g": 1, "green": 1, "y": 1,
    "b": 2, "blue": 2, "z": 2, "a": 3, "alpha": 3, "w": 3,
}  # fmt: skip
_SPLIT = re.compile(r"^(?P<layer>.*?)(?:\.|_(?=[A-Za-z]$))(?P<suffix>[^.]+)$")
_RANKED = re.compile(r"^(?P<name>.*crypto.*?)(?P<rank>\d{2})$", re.IGNORECASE)


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
    gathered: dict[tuple[str, str], list[tuple[int, str, ChannelRef, str]]] = {}
    for part in facts.parts:
        for channel in part.channels:
            layer, suffix = _split(channel.name, part.name if len(facts.parts) > 1 else "")
            order = _component(layer, suffix)
            ref = ChannelRef(part.index, channel.name)
            view = part.view
            gathered.setdefault((view, layer), []).append((order, suffix, ref, channel.pixel_type))
    layers = []
    for (view, name), members in gathered.items():
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


def _split(channel: str, part_name: str) -> tuple[str, str]:
    match = _SPLIT.match(channel)
    if match and (match["layer"] or "." in channel):
        return match["layer"], match["suffix"]
    if channel.lower() in ("r", "g", "b", "a", "red", "green", "blue", "alpha"):
        return part_name, channel
    return (f"{part_name}.{channel}" if part_name and len(channel) > 1 else part_name or channel), channel


def _component(layer: str, suffix: str) -> int:
    ranked = _RANKED.match(layer)
    first = int(ranked["rank"]) * 4 if ranked else 0
    return first + _COMPONENTS.get(suffix.lower(), 4)


def ranked_name(layer: str) -> str | None:
    """Give the name without its rank for a hashed-name layer (`CryptoObject01` -> `CryptoObject`)."""
    match = _RANKED.match(layer)
    return match["name"] if match else None
