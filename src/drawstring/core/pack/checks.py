"""Types and compressions that would spoil what a pass holds, and who could not read the file."""

from __future__ import annotations

from collections.abc import Sequence

from drawstring.core.findings import Does, Finding, Mend, Severity
from drawstring.core.pack.form import LOSSY, NEWER, Compression, Parts, StoredType
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import EXACT_ROLES, Role


def check_stored(one: Pass, stored: StoredType, compression: Compression) -> list[Finding]:
    """Find what a pass would lose by its stored type and its part's compression."""
    half = stored is StoredType.HALF and "half" not in one.pixel_types
    lossy = compression in LOSSY
    as_source = Mend(
        "store it as source", Does.SET, ((f"pack.{one.name}.stored", StoredType.AS_SOURCE.value),)
    )
    apart = Mend(
        "into a part of its own, zip", Does.SET,
        (("pack.parts", Parts.PASSES.value), (f"pack.{one.name}.compression", "zip")),
    )  # fmt: skip
    if one.role in EXACT_ROLES and half:
        return [
            Finding(
                "pack-needs-float",
                Severity.STOPS,
                f"{one.name} can't be stored as half.",
                f"pack, {one.name}",
                "Its values are exact bits or places; rounded they point at other objects or points.",
                "Store it as source or as float.",
                pass_name=one.name,
                mends=(as_source,),
            )
        ]
    if one.role in EXACT_ROLES and lossy:
        return [
            Finding(
                "pack-lossy",
                Severity.STOPS,
                f"{one.name} can't be compressed with {compression.value}.",
                f"pack, {one.name}",
                "Lossy compression changes its values.",
                "Give it a part of its own, choose a compression that loses nothing, or leave it out.",
                pass_name=one.name,
                mends=(apart,),
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
                pass_name=one.name,
                mends=(as_source,),
            )
        ]
    if one.role is Role.DEPTH and lossy:
        return [
            Finding(
                "pack-lossy-depth",
                Severity.WARNS,
                f"Depth is compressed with {compression.value}.",
                f"pack, {one.name}",
                "Distances may change near edges.",
                "Give it a part of its own, or choose a compression that loses nothing.",
                pass_name=one.name,
                mends=(apart,),
            )
        ]
    return []


def check_readers(compressions: Sequence[Compression]) -> list[Finding]:
    """Tell which compressions older programs can't open."""
    return [
        Finding(
            "pack-new-compression",
            Severity.NOTES,
            f"{one.value} needs OpenEXR {NEWER[one]} or newer.",
            "pack.compression",
            "Programs built with an older one can't open the files at all.",
            "Ask who reads them, or choose zip, zips or piz.",
        )
        for one in dict.fromkeys(compressions)
        if one in NEWER
    ]
