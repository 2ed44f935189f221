"""What a newer delivery brings and lacks against the one in use, in words and by knot."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from drawstring.core.io.facts import Window
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.statistics import PassStatistics


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


OTHER_SPAN = 0.1
"""An end has moved when it lies further from where it was than this share of the whole span."""

MOST_SPANS = 6
"""How many passes are told one by one."""

Span = tuple[float, float]


def spans_of(counted: Mapping[int, Mapping[str, PassStatistics]]) -> dict[str, Span]:
    """Give each pass's lowest and highest value over all counted frames."""
    found: dict[str, Span] = {}
    for frame in counted.values():
        for name, one in frame.items():
            low, high = found.get(name, (one.low, one.high))
            found[name] = (min(low, one.low), max(high, one.high))
    return found


def range_differences(before: Mapping[str, Span], after: Mapping[str, Span]) -> list[str]:
    """Say whose values span another range than before.

    Examples
    --------
    >>> range_differences({"beauty": (0, 4), "depth": (1, 9)}, {"beauty": (0, 31), "depth": (1, 9.2)})
    ['beauty spans 0 to 31, spanned 0 to 4']
    """
    said = []
    for name in before.keys() & after.keys():
        (low, high), (new_low, new_high) = before[name], after[name]
        whole = max(high - low, new_high - new_low, 1e-9)
        if max(abs(new_low - low), abs(new_high - high)) > OTHER_SPAN * whole:
            said.append(f"{name} spans {new_low:g} to {new_high:g}, spanned {low:g} to {high:g}")
    said.sort()
    more = [f"{len(said) - MOST_SPANS} more passes span other ranges"] if len(said) > MOST_SPANS else []
    return said[:MOST_SPANS] + more
