"""What belongs to a package: every file that its manifest names, and the manifest and report themselves."""

from __future__ import annotations

import json
import os
from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from typing import Any

from drawstring.core.errors import ConflictError, MissingError
from drawstring.core.io.writing import final_name
from drawstring.core.pack.form import Also
from drawstring.runs.proof import checksum

MANIFESTS = ("manifest.json", "manifest.incomplete.json")
REPORT, MOVIE, SHEET = "report.html", "review.webm", "contact_sheet.png"
CHECKSUMS = "checksums.xxh128"
"""A line to a file, as the public tools for such sums write and check it: `xxhsum -c checksums.xxh128`."""


@dataclass(frozen=True)
class Content:
    """One file of a package: its name within the folder, and what the manifest says of it."""

    name: str
    size_bytes: int
    checksum: str
    """Empty while nothing tells it: of what is made after the manifest the list of checksums does."""


def manifest_of(folder: str) -> tuple[str, Mapping[str, Any]]:
    """Give a package's manifest: its file's name and what it says.

    Raises
    ------
    MissingError
        The folder holds none.
    """
    name = next((one for one in MANIFESTS if os.path.exists(os.path.join(folder, one))), None)
    if name is None:
        raise MissingError(
            f"{folder} holds no manifest.",
            where=folder,
            why="Without it nobody knows what should be in the package.",
            remedy="Give a package's folder, such as packages/SHOW/SHOT/v001; "
            "a run that is not at its end has none yet.",
        )
    with open(os.path.join(folder, name), encoding="utf-8") as file:
        manifest: Mapping[str, Any] = json.load(file)
    return name, manifest


def contents(folder: str) -> list[Content]:
    """List a package's files, pictures first, in the order of frames.

    Raises
    ------
    MissingError
        The folder holds no manifest, or a file is gone.
    """
    name, manifest = manifest_of(folder)
    found = []
    for frame in manifest["frames"]:
        for one in [frame, *frame["proof"].get("beside", [])]:
            found.append(Content(one["file"], int(one["bytes"]), one["checksum"]))
    found += [Content(one["file"], int(one["bytes"]), one["checksum"]) for one in manifest.get("along", [])]
    told = checksums_of(folder)
    found += [
        Content(one, os.path.getsize(os.path.join(folder, one)), told.get(one, ""))
        for one in (name, REPORT, MOVIE, SHEET, CHECKSUMS)
        if os.path.exists(os.path.join(folder, one))
    ]
    gone = [one.name for one in found if not os.path.exists(os.path.join(folder, one.name))]
    if gone:
        raise MissingError(
            f"{gone[0]} is gone from {folder}" + (f", and {len(gone) - 1} more." if len(gone) > 1 else "."),
            where=folder,
            why="What is handed on would be no whole package.",
            remedy="Bring the folder back from a copy, or run the shot again.",
        )
    return found


def also_of(also: Sequence[str]) -> list[dict[str, str]]:
    """Give what belongs to a package beside its frames, for the manifest: made after it, in this order."""
    kinds = {"report": REPORT, Also.MOVIE.value: MOVIE, Also.SHEET.value: SHEET}
    return [{"kind": kind, "file": name} for kind, name in kinds.items() if kind == "report" or kind in also]


def put_checksums(folder: str) -> str | None:
    """Write the list of checksums once all that it lists is there; give its path, None before that.

    An incomplete package has none: what is in it goes on changing.
    """
    name, manifest = manifest_of(folder)
    path = os.path.join(folder, CHECKSUMS)
    if name != MANIFESTS[0] or os.path.exists(path):
        return path if os.path.exists(path) else None
    made = [one["file"] for one in manifest.get("also", [])]
    if not all(os.path.exists(os.path.join(folder, one)) for one in made):
        return None
    files = [one for frame in manifest["frames"] for one in (frame, *frame["proof"].get("beside", []))]
    lines = [f"{one['checksum']}  {one['file']}" for one in (*files, *manifest.get("along", []))]
    lines += [f"{checksum(os.path.join(folder, one))}  {one}" for one in (name, *made)]
    with suppress(ConflictError), final_name(path) as unfinished:  # report and movie may end together
        with open(unfinished, "w", encoding="utf-8", newline="\n") as file:
            file.write("\n".join(lines) + "\n")
    return path


def checksums_of(folder: str) -> dict[str, str]:
    """Read the list of checksums, by file; empty where there is none."""
    path = os.path.join(folder, CHECKSUMS)
    if not os.path.exists(path):
        return {}
    with open(path, encoding="utf-8") as file:
        return {name: told for told, name in (line.rstrip("\n").split("  ", 1) for line in file)}
