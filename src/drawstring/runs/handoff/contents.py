"""What belongs to a package: every file that its manifest names, and the manifest and report themselves."""

from __future__ import annotations

import json
import os
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from drawstring.core.errors import MissingError

MANIFESTS = ("manifest.json", "manifest.incomplete.json")
REPORT, MOVIE, SHEET = "report.html", "review.webm", "contact_sheet.png"


@dataclass(frozen=True)
class Content:
    """One file of a package: its name within the folder, and what the manifest says of it."""

    name: str
    size_bytes: int
    checksum: str
    """Empty for the manifest and what is made after it, of which it can't tell."""


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
    found += [
        Content(one, os.path.getsize(os.path.join(folder, one)), "")
        for one in (name, REPORT, MOVIE, SHEET)
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
