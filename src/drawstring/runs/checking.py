"""A package looked at again, from its folder alone, against what its manifest proves."""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import OpenImageIO as oiio

from drawstring.core.io.chunks import walk
from drawstring.runs.handoff.contents import MANIFESTS, checksums_of, manifest_of
from drawstring.runs.proof import checksum


@dataclass
class PackageCheck:
    """What was found: files that hold what the manifest says, and faults by file."""

    folder: str
    is_complete: bool
    checked: int = 0
    faults: dict[str, str] = field(default_factory=dict)
    missing: list[int] = field(default_factory=list)

    @property
    def is_proven(self) -> bool:
        """Whether every file holds what was proven and no frame is missing."""
        return self.is_complete and not self.faults and not self.missing

    def as_dict(self) -> dict[str, Any]:
        """Give the check as plain data."""
        return {
            "folder": self.folder,
            "proven": self.is_proven,
            "checked": self.checked,
            "faults": self.faults,
            "missing": self.missing,
        }


def check_package(
    folder: str, *, on_file: Callable[[int, int], None] = lambda done, total: None
) -> PackageCheck:
    """Check a package's files against its manifest, with the second reader.

    Parameters
    ----------
    folder : str
    on_file : callable
        Told after each file: how many are done, of how many.

    Raises
    ------
    MissingError
        The folder holds no manifest.
    """
    name, manifest = manifest_of(folder)
    check = PackageCheck(folder, name == MANIFESTS[0], missing=manifest["missing"])
    # Where each pass has a file, a frame's own is that of the first one.
    own = next((channel.get("file_of", "") for channel in manifest["channels"]), "")
    wanted = {
        (channel.get("part", ""), channel["name"]): channel["type"]
        for channel in manifest["channels"]
        if channel.get("file_of", "") == own
    }
    for i, frame in enumerate(manifest["frames"], 1):
        fault = _fault(os.path.join(folder, frame["file"]), frame, wanted)
        if fault:
            check.faults[frame["file"]] = fault
        for beside in frame["proof"].get("beside", []):
            torn = _changed(os.path.join(folder, beside["file"]), beside)
            if torn:
                check.faults[beside["file"]] = torn
        check.checked += 1
        on_file(i, len(manifest["frames"]))
    for one in manifest.get("along", []):
        if torn := _changed(os.path.join(folder, one["file"]), one):
            check.faults[one["file"]] = torn
    told = checksums_of(folder)
    for name in (one["file"] for one in manifest.get("also", []) if one["file"] in told):
        path = os.path.join(folder, name)
        if not os.path.exists(path):
            check.faults[name] = "is not there"
        elif checksum(path) != told[name]:
            check.faults[name] = "has another checksum: its contents were changed"
    return check


def _changed(path: str, frame: dict[str, Any]) -> str | None:
    if not os.path.exists(path):
        return "is not there"
    if os.path.getsize(path) != frame["bytes"]:
        return f"has {os.path.getsize(path):,} bytes instead of {frame['bytes']:,}"
    if path.endswith(".exr") and (torn := walk(path).fault):
        return torn
    if checksum(path) != frame["checksum"]:
        return "has another checksum: its contents were changed"
    return None


def _fault(path: str, frame: dict[str, Any], wanted: dict[tuple[str, str], str]) -> str | None:
    if changed := _changed(path, frame):
        return changed
    source = oiio.ImageInput.open(path)
    if source is None:
        return f"can't be opened: {oiio.geterror()}"
    here: dict[tuple[str, str], str] = {}
    number, parted = 0, any(part for part, _ in wanted)
    while source.seek_subimage(number, 0):
        spec = source.spec()
        kinds = spec.channelformats or (spec.format,) * spec.nchannels
        part = spec.getattribute("name") if parted else ""
        here |= {(part, name): str(kind) for name, kind in zip(spec.channelnames, kinds, strict=True)}
        number += 1
    source.close()
    if here != wanted:
        return "has other channels than the manifest says"
    return None
