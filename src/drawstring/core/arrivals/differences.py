"""What a newer delivery brings and lacks against the one in use, in words and by knot."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from drawstring.core.io.facts import Window
from drawstring.core.passes.recognition import Pass


@dataclass(frozen=True)
class DeliveryFacts:
    """What is compared of a delivery."""

    version: int
    passes: Sequence[Pass]
    first: int
    last: int
    frames: int
    display: Window
    window: Window
    bytes_a_frame: float = 0.0


def delivery_differences(before: DeliveryFacts, after: DeliveryFacts) -> list[str]:
    """Say what differs; empty where only pixels can."""
    said = []
    if before.display != after.display:
        said.append(
            f"the picture is {after.display.width} x {after.display.height}, "
            f"was {before.display.width} x {before.display.height}"
        )
    elif before.window != after.window:
        said.append(f"the data window is {after.window}, was {before.window}")
    if (before.first, before.last) != (after.first, after.last):
        said.append(f"frames {after.first}-{after.last}, were {before.first}-{before.last}")
    if before.frames != after.frames:
        more = after.frames - before.frames
        said.append(
            f"{abs(more)} {'more' if more > 0 else 'fewer'} usable frame{'s' if abs(more) > 1 else ''}"
        )
    old, new = {one.name: one for one in before.passes}, {one.name: one for one in after.passes}
    if gone := [name for name in old if name not in new]:
        said.append(f"{', '.join(gone)} {'is' if len(gone) == 1 else 'are'} gone")
    if come := [name for name in new if name not in old]:
        said.append(f"{', '.join(come)} {'is' if len(come) == 1 else 'are'} new")
    for name in old.keys() & new.keys():
        a, b = old[name], new[name]
        if len(a.channels) != len(b.channels):
            said.append(f"{name} has {len(b.channels)} channels, had {len(a.channels)}")
        elif a.pixel_types != b.pixel_types:
            said.append(f"{name} is stored as {b.pixel_types[0]}, was {a.pixel_types[0]}")
        if set(a.traits) != set(b.traits) and (a.traits or b.traits):
            said.append(f"{name} is {', '.join(b.traits) or 'plain'}, was {', '.join(a.traits) or 'plain'}")
    return said
