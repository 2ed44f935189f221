"""The channel map: every channel that goes out, with its name, its source and its type.

Beauty takes the plain names R, G, B, A; every other pass its layer name with a dot. Hashed-name
passes keep the names that their specification ties to the header.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from drawstring.core.findings import Finding, Severity
from drawstring.core.io.facts import ChannelRef
from drawstring.core.io.writing import LOSSY
from drawstring.core.pack.settings import PackSettings, StoredType
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import EXACT_ROLES, HASHED_ROLES, Role


@dataclass(frozen=True)
class OutputChannel:
    """One channel of an output file.

    Attributes
    ----------
    name : str
        Full name in the file.
    source : str
        Name of the pass or result it comes from.
    ref : ChannelRef or None
        Source channel; None for a result.
    component : int
        Which channel of the pass or result.
    stored : str
        "half", "float" or "uint".
    """

    name: str
    source: str
    ref: ChannelRef | None
    component: int
    stored: str


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
        In the order of the passes, results after them.
    findings : list of Finding
        Name collisions and types that would spoil the data; those that stop are to be mended first.
    """
    channels: list[OutputChannel] = []
    findings: list[Finding] = []
    for one in passes:
        row = settings.row(one.name)
        if not row.goes:
            continue
        findings += _type_findings(one, row.stored, settings)
        for i, (ref, suffix) in enumerate(zip(one.channels, one.suffixes, strict=True)):
            stored = (
                _as_source(one.pixel_types[i]) if row.stored is StoredType.AS_SOURCE else row.stored.value
            )
            if one.pixel_types[i] == "uint":
                stored = "uint"
            channels.append(OutputChannel(_name(one, row.layer, suffix), one.name, ref, i, stored))
    for name, suffixes in results.items():
        row = settings.row(name)
        stored = "half" if row.stored is StoredType.HALF else "float"
        if row.goes:
            for i, suffix in enumerate(suffixes):
                channels.append(OutputChannel(f"{row.layer or name}.{suffix}", name, None, i, stored))
    return channels, findings + _collisions(channels)


def _as_source(pixel_type: str) -> str:
    """Give the stored type that holds what arrived: half keeps 8 bits exactly apart, 16 bits need float."""
    return {"uint8": "half", "uint16": "float"}.get(pixel_type, pixel_type)


def _name(one: Pass, layer: str, suffix: str) -> str:
    if one.role in HASHED_ROLES:
        # The specification ties the name to the header's; another view's carries the view before it.
        view = one.name.rpartition(".")[0]
        return f"{view}.{one.layer}{suffix}" if view else f"{one.layer}{suffix}"
    if one.role is Role.BEAUTY and one.name == Role.BEAUTY and not layer:
        return suffix
    return f"{layer or one.name}.{suffix}"


def _collisions(channels: list[OutputChannel]) -> list[Finding]:
    twice = [name for name, count in Counter(c.name for c in channels).items() if count > 1]
    found = []
    for name in twice:
        owners = " and ".join(c.source for c in channels if c.name == name)
        found.append(
            Finding(
                "pack-name-twice",
                Severity.STOPS,
                f"{owners} would both be written as {name}.",
                f"pack, {name}",
                "One of them would be lost.",
                "Give one of them another layer name.",
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


def _type_findings(one: Pass, stored: StoredType, settings: PackSettings) -> list[Finding]:
    half = stored is StoredType.HALF and "half" not in one.pixel_types
    lossy = settings.compression.value in LOSSY
    # Lossy compression quantises half channels; float channels other than colour it packs losslessly.
    if one.role in EXACT_ROLES and half:
        return [
            Finding(
                "pack-needs-float",
                Severity.STOPS,
                f"{one.name} can't be stored as half.",
                f"pack, {one.name}",
                "Its values are exact bits or places; rounded they point at other objects or points.",
                "Store it as source or as float.",
            )
        ]
    if one.role in EXACT_ROLES and lossy:
        return [
            Finding(
                "pack-lossy",
                Severity.STOPS,
                f"{one.name} can't be compressed with {settings.compression.value}.",
                f"pack, {one.name}",
                "Lossy compression changes its values.",
                "Choose zip, zips, piz or none, or leave this pass out.",
            )
        ]
    if one.role is Role.DEPTH and half:
        return [
            Finding(
                "pack-half-depth",
                Severity.WARNS,
                "Depth as half keeps eleven bits: at 100 units the steps are 0.06 units.",
                f"pack, {one.name}",
                "Mist and focus made from it downstream may show bands.",
                "Store it as float.",
            )
        ]
    if one.role is Role.DEPTH and lossy:
        return [
            Finding(
                "pack-lossy-depth",
                Severity.WARNS,
                f"Depth is compressed with {settings.compression.value}.",
                f"pack, {one.name}",
                "Distances may change near edges.",
                "Choose zip, zips, piz or none.",
            )
        ]
    return []
