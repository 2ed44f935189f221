"""The channel map: every channel that goes out, with its name, its source, its type, its part and its file.

Beauty takes the plain names R, G, B, A; every other pass its layer name with a dot. Hashed-name
passes keep the names that their specification ties to the header.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import count

from drawstring.core.findings import Finding, Severity
from drawstring.core.io.facts import ChannelRef
from drawstring.core.pack.checks import check_readers, check_stored
from drawstring.core.pack.file_names import USUAL_OF_PASSES, file_name
from drawstring.core.pack.form import Compression, Files, Parts, StoredType
from drawstring.core.pack.naming import (
    bare_name,
    channel_names,
    check_names,
    layer_of,
    result_names,
    view_of,
)
from drawstring.core.pack.settings import PackSettings
from drawstring.core.passes.recognition import Pass


@dataclass(frozen=True)
class OutputChannel:
    """One channel of an output file.

    Attributes
    ----------
    name : str
        Full name in the file.
    source : str
        Name of the pass or result it comes from; "constant" for one value everywhere.
    ref : ChannelRef or None
        Source channel; None for a result.
    component : int
        Which channel of the pass or result.
    stored : str
        "half", "float" or "uint".
    part : str
        Name of the part it lies in; empty where the file has only one.
    of_pass : str
        Which pass's file it lies in; empty where a frame is one file.
    value : float, optional
        Of a constant.
    """

    name: str
    source: str
    ref: ChannelRef | None
    component: int
    stored: str
    part: str = ""
    of_pass: str = ""
    value: float | None = None


CONSTANT, CONSTANTS = "constant", "constants"
"""Where a channel of one value comes from, and the part in which such channels lie beside parts that came."""


def lay_out(
    passes: Sequence[Pass], results: Mapping[str, tuple[str, ...]], settings: PackSettings
) -> tuple[list[OutputChannel], list[Finding]]:
    """Draw the channel map.

    Parameters
    ----------
    passes : sequence of Pass
    results : mapping of result name to its channels' last words
        What the settled knots make.
    settings : PackSettings

    Returns
    -------
    channels : list of OutputChannel
        In the settled order; passes before results where nothing was said.
    findings : list of Finding
        Names and types that would spoil the data; those that stop are to be mended first.
    """
    channels: list[OutputChannel] = []
    lone = _of_one_view(passes, settings)
    for one in passes:
        row = settings.row(one.name)
        if not row.goes:
            continue
        names = channel_names(one, settings, is_of_one_view=one.name in lone)
        for i, (ref, name) in enumerate(zip(one.channels, names, strict=True)):
            stored = (
                _as_source(one.pixel_types[i]) if row.stored is StoredType.AS_SOURCE else row.stored.value
            )
            if one.pixel_types[i] == "uint":
                stored = "uint"
            channels.append(OutputChannel(name, one.name, ref, i, stored))
    for result, suffixes in results.items():
        row = settings.row(result)
        stored = "half" if row.stored is StoredType.HALF else "float"
        if row.goes:
            for i, name in enumerate(result_names(result, suffixes, settings)):
                channels.append(OutputChannel(name, result, None, i, stored))
    channels = [channel for channel in channels if channel.name != "-"]
    for constant in settings.constants:
        channels.append(
            OutputChannel(constant.name, CONSTANT, None, 0, constant.stored, value=float(constant.value))
        )
    channels = _placed(_ordered(channels, settings), {one.name: one for one in passes}, settings)
    return channels, _findings(channels, passes, settings)


def compressions_of(
    channels: Sequence[OutputChannel], settings: PackSettings
) -> dict[tuple[str, str], Compression]:
    """Give the compression of each part, by the pass its file is of and the part's name.

    A pass has a say in it where it has a part or file to itself.
    """
    found: dict[tuple[str, str], Compression] = {}
    alone = settings.parts in (Parts.PASSES, Parts.CAME) or settings.files is Files.PASSES
    for channel in channels if alone else ():
        own = settings.row(channel.source).compression
        place = channel.of_pass, channel.part
        if own and place not in found:
            found[place] = Compression(own)
    return {
        place: found.get(place, settings.compression)
        for place in dict.fromkeys((one.of_pass, one.part) for one in channels)
    }


def _as_source(pixel_type: str) -> str:
    """Give the stored type that holds what arrived: half keeps 8 bits exactly apart, 16 bits need float."""
    return {"uint8": "half", "uint16": "float"}.get(pixel_type, pixel_type)


def _ordered(channels: list[OutputChannel], settings: PackSettings) -> list[OutputChannel]:
    places = {name: i for i, name in enumerate(settings.order)}
    return sorted(channels, key=lambda one: places.get(one.source, len(places)))


def _placed(
    channels: list[OutputChannel], passes: Mapping[str, Pass], settings: PackSettings
) -> list[OutputChannel]:
    """Put every channel into its part and file."""
    default = next((one.view for one in passes.values() if "." not in one.name and one.view), "main")
    made = []
    first = channels[0].source if channels else ""
    came = _parts_that_came(channels, passes, settings)
    for channel in channels:
        # Constants lie where the first pass lies.
        source = first if channel.source == CONSTANT else channel.source
        view, part, of_pass = view_of(source), "", ""
        layer = layer_of(source, settings, passes.get(source)) or bare_name(source)
        if settings.parts is Parts.VIEWS:
            part = view or default
        elif settings.parts is Parts.PASSES:
            part = f"{view}.{layer}" if view else layer
        elif settings.parts is Parts.CAME:
            own = CONSTANTS if channel.source == CONSTANT else f"{view}.{layer}" if view else layer
            part = own if channel.ref is None else came[channel.ref.source, channel.ref.part]
        if settings.files is Files.PASSES:
            of_pass = f"{view}.{layer}" if view else layer
            part = part if settings.parts is Parts.VIEWS else ""
        made.append(replace(channel, part=part, of_pass=of_pass))
    return made


def _of_one_view(passes: Sequence[Pass], settings: PackSettings) -> set[str]:
    """Name the passes that go out in a part that came, and that holds no other view than theirs."""
    if settings.parts is not Parts.CAME:
        return set()
    views: dict[tuple[int, int], set[str]] = {}
    for one in passes:
        for ref in one.channels if settings.row(one.name).goes else ():
            views.setdefault((ref.source, ref.part), set()).add(view_of(one.name))
    return {
        one.name for one in passes if all(len(views.get((r.source, r.part), "")) <= 1 for r in one.channels)
    }


def _parts_that_came(
    channels: Sequence[OutputChannel], passes: Mapping[str, Pass], settings: PackSettings
) -> dict[tuple[int, int], str]:
    """Call each part that came: by its only pass, else `came`; each name once."""
    sources: dict[tuple[int, int], list[str]] = {}
    for channel in channels:
        if channel.ref is not None:
            place = channel.ref.source, channel.ref.part
            sources.setdefault(place, []).append(channel.source)
    taken = {channel.source for channel in channels if channel.ref is None} | {CONSTANTS}
    names: dict[tuple[int, int], str] = {}
    for place, several in sources.items():
        only = several[0] if len(set(several)) == 1 else ""
        layer = (layer_of(only, settings, passes.get(only)) or bare_name(only)) if only else "came"
        name = f"{view_of(only)}.{layer}" if view_of(only) else layer
        numbered = (name if i == 1 else f"{name}_{i}" for i in count(1))
        names[place] = next(each for each in numbered if each not in taken)
        taken.add(names[place])
    return names


def _check_files(channels: list[OutputChannel], settings: PackSettings) -> list[Finding]:
    """Find passes whose files would have one name."""
    if settings.files is not Files.PASSES:
        return []
    pattern = settings.file_name or USUAL_OF_PASSES
    owners: dict[str, str] = {}
    for of_pass in dict.fromkeys(channel.of_pass for channel in channels):
        # Some file systems take upper and lower case for the same.
        name = file_name(pattern, shot="shot", version=1, number=1, padding=4, of_pass=of_pass).lower()
        if name in owners:
            return [
                Finding(
                    "pack-one-file",
                    Severity.STOPS,
                    f"{owners[name]} and {of_pass} would both lie in {name}.",
                    "pack.file_name",
                    "One of them would be lost.",
                    "Put {pass} into the file names, or give one of them another layer name.",
                )
            ]
        owners[name] = of_pass
    return []


def _findings(channels: list[OutputChannel], passes: Sequence[Pass], settings: PackSettings) -> list[Finding]:
    packed = compressions_of(channels, settings)
    found: list[Finding] = []
    places = {channel.source: (channel.of_pass, channel.part) for channel in channels}
    for one in passes:
        if one.name in places:
            found += check_stored(one, settings.row(one.name).stored, packed[places[one.name]])
    for source, place in places.items():
        own = settings.row(source).compression
        if own and packed[place] != own:
            found.append(
                Finding(
                    "pack-part-twice",
                    Severity.STOPS,
                    f"{source} is to be compressed with {own}, but lies in a part that is compressed with "
                    f"{packed[place].value}.",
                    f"pack.{source}.compression",
                    "A part has one compression.",
                    "Give it a part of its own, or the same compression.",
                    pass_name=source,
                )
            )
    found += check_names([(f"{c.of_pass}/{c.part}", c.name, c.source) for c in channels])
    found += check_readers(list(packed.values()))
    found += _check_files(channels, settings)
    if settings.parts is Parts.VIEWS and len({channel.part for channel in channels}) == 1:
        found.append(
            Finding(
                "pack-one-view",
                Severity.WARNS,
                "There is one view only: a part for each view is one part.",
                "pack.parts",
                "Whoever expects two eyes finds one.",
                "Have the other eye delivered, or make one at Eyes and deliver it as a form.",
            )
        )
    if not channels:
        found.append(
            Finding(
                "pack-empty", Severity.STOPS, "Nothing goes out.", "pack",
                "The files would hold no channel.", "Let at least one pass go out.",
            )
        )  # fmt: skip
    return found
