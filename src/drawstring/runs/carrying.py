"""Which channels of a frame are only carried: unpacked, packed and proven band by band, never held whole."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Mapping, Sequence
from dataclasses import replace
from typing import cast

from drawstring.core.arrays import Stored
from drawstring.core.camera import Place
from drawstring.core.io.facts import ChannelRef, FileFacts, PartFacts
from drawstring.core.io.luminance import is_made
from drawstring.core.io.packing import LINES
from drawstring.core.io.unpacking import UNPACKED
from drawstring.core.pack.carried import carry
from drawstring.core.pack.copying import untouched_channels
from drawstring.core.pack.form import LineOrder
from drawstring.core.pack.layout import OutputChannel, compressions_of
from drawstring.core.pack.storing import Stowed
from drawstring.core.pack.trimming import reached
from drawstring.core.recipe import OutputPlan
from drawstring.runs.copying import shows_passes

WORTH = 256 << 20
"""Bytes of a frame's planes that are worth it: smaller frames are read at once."""

WORTH_TWICE = 1 << 30
"""The same, where a part is read for something else, too: its chunks are unpacked twice then."""

_SIZES = {"half": 2, "float": 4, "uint": 4}


def carried(
    outputs: OutputPlan,
    channels: Sequence[OutputChannel],
    files: Mapping[int, FileFacts],
    place: Place,
    *,
    kept: Collection[OutputChannel] = (),
    read: Collection[ChannelRef] = (),
) -> dict[OutputChannel, Stowed]:
    """Give the channels that are carried, ready to be written.

    A pass is carried where it goes out as it came, nothing else is made from it, and both its file and the
    one that is written are of a kind that is unpacked and packed by bands here. What lies in one part of a
    file is carried into one part, so that no chunk is unpacked twice.

    Parameters
    ----------
    outputs : OutputPlan
    channels : sequence of OutputChannel
        Those that are not copied as they are packed.
    files : mapping of source to FileFacts
        As they are now.
    place : Place
        Of what goes out.
    kept : collection of OutputChannel
        Channels that somebody needs as a whole after they are written.
    read : collection of ChannelRef
        Channels that are read as a whole for something else.
    """
    pixels = place.window.width * place.window.height
    if pixels * sum(_SIZES[one.stored] for one in channels if one.ref is not None) < WORTH:
        return {}  # most frames: nothing more is asked about them
    pack = outputs.chains.recipe.pack
    goes = reached((), place.window, place.display, pack.reach)
    if shows_passes(outputs) or pack.tiling.side or pack.line_order is LineOrder.UP or goes != place.window:
        return {}
    packed = compressions_of(outputs.channels, pack)
    untouched = untouched_channels(outputs, {one.source for one in channels if one.ref is not None})
    shown = files[min(files)].parts[0].display_window

    def may(one: OutputChannel) -> bool:
        if one.ref is None or one not in untouched or one in kept:
            return False
        facts = files.get(one.ref.source)
        return (
            packed[one.of_pass, one.part].value in LINES
            and facts is not None
            and _comes_by_bands(facts, one)
            and facts.parts[one.ref.part].data_window == place.window
            and facts.parts[one.ref.part].display_window == shown
        )

    stays = {one.source for one in channels if not may(one)}
    needed = {*read, *replace(outputs, channels=tuple(c for c in channels if c.source in stays)).inputs}
    stays |= {one.source for one in channels if one.ref in needed}
    read_too = {(ref.source, ref.part) for ref in needed}
    read_too |= {(one.ref.source, one.ref.part) for one in channels if one.ref and one.source in stays}
    into: dict[tuple[int, int], set[tuple[str, str]]] = defaultdict(set)
    for one in channels:
        if one.ref is not None and one.source not in stays:
            into[one.ref.source, one.ref.part].add((one.of_pass, one.part))
    stays |= {one.source for one in channels if one.ref and len(into[one.ref.source, one.ref.part]) > 1}
    going = {one: one.ref for one in channels if one.ref is not None and one.source not in stays}
    size = pixels * sum(_SIZES[one.stored] for one in going)
    going = {
        one: ref
        for one, ref in going.items()
        if size >= (WORTH_TWICE if (ref.source, ref.part) in read_too else WORTH)
    }
    refs: dict[tuple[int, int], list[ChannelRef]] = defaultdict(list)
    for ref in dict.fromkeys(going.values()):
        refs[ref.source, ref.part].append(ref)
    planes = {
        ref: plane for (source, _), several in refs.items()
        for ref, plane in carry(files[source], several).items()
    }  # fmt: skip
    # Whoever packs and proves asks for rows only, as of any array.
    return {one: Stowed(cast(Stored, planes[ref]), 0) for one, ref in going.items()}


def _comes_by_bands(facts: FileFacts, one: OutputChannel) -> bool:
    """Tell whether a channel can be read band by band, each as quickly as its share of the whole."""
    assert one.ref is not None
    part: PartFacts = facts.parts[one.ref.part]
    channel = next((each for each in part.channels if each.name == one.ref.name), None)
    return (
        facts.kind == "openexr"
        and part.compression in UNPACKED
        and channel is not None
        and channel.pixel_type == one.stored
        and all((each.x_sampling, each.y_sampling) == (1, 1) for each in part.channels)
        and not is_made(part, one.ref.name)
    )
