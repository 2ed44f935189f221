"""Reading what an OpenEXR file says of itself, without its pixels.

Deep data, sizes beyond the limits and torn files are refused here, in words, before any pixel is
asked for. Only this module and `pixels` read OpenEXR.
"""

from __future__ import annotations

import math
import os
import re
from dataclasses import replace
from fractions import Fraction
from typing import Any

import numpy as np
import OpenEXR

from drawstring.core.errors import DrawstringError, SourceError
from drawstring.core.io import limits
from drawstring.core.io.attributes import key_code_numbers, kind_of
from drawstring.core.io.chunks import FileWalk, Shapes, walk
from drawstring.core.io.facts import ChannelFacts, FileFacts, PartFacts, Window, is_finite
from drawstring.core.io.luminance import with_colours
from drawstring.core.io.stills import is_still, read_still_facts

_STRUCTURAL = {
    "channels", "compression", "dataWindow", "displayWindow", "lineOrder", "name", "pixelAspectRatio",
    "preview", "tiles", "type", "view", "chunkCount", "screenWindowWidth",
}  # fmt: skip
_SIDE_MANIFEST = re.compile(r"^cryptomatte/[^/]+/manif_file$")
_LARGEST_MANIFEST = 64 * 2**20


def read_facts(path: str) -> FileFacts:
    """Read a file's facts.

    Parameters
    ----------
    path : str
        An OpenEXR file, scan-line or tiled, one part or several; or a picture of `stills.ENDINGS`.

    Returns
    -------
    FileFacts

    Raises
    ------
    SourceError
        The file is missing, unreadable, torn, deep, or larger than the limits allow.
    """
    if is_still(path):
        facts = read_still_facts(path)
        _refuse_oversize(facts)
        return facts
    structure = look_over(path)
    status = structure.status
    try:
        parts = OpenEXR.File(path, header_only=True).parts
        facts = FileFacts(
            path,
            status.st_size,
            status.st_mtime_ns,
            tuple(
                with_colours(
                    _with_side_manifests(
                        _part(i, part, structure.channel_types[i], structure.unfinished.get(i, "")),
                        os.path.dirname(path),
                    )
                )
                for i, part in enumerate(parts)
            ),
        )
    except DrawstringError:
        raise
    except Exception as error:
        # The library raises whatever it likes, and so does what reads on in its answer.
        raise SourceError(
            f"{os.path.basename(path)} has a header that can't be read: {error or type(error).__name__}.",
            where=path,
            why="Without it nothing in the file can be found.",
            remedy="Render or copy this frame again and scan again.",
        ) from error
    _refuse_oversize(facts)
    return facts


def _with_side_manifests(part: PartFacts, folder: str) -> PartFacts:
    """Bring manifests of hashed names, which may lie in files beside the picture, into its attributes.

    (The open Cryptomatte specification 1.2, "Sidecar manifests".) They are looked for in the picture's own
    folder and below it, nowhere else; one that is not there is told when the names are asked for.
    """
    found = {}
    for key, value in part.metadata.items():
        inside = key.removesuffix("manif_file") + "manifest"
        if not _SIDE_MANIFEST.match(key) or not isinstance(value, str) or inside in part.metadata:
            continue
        path = os.path.normpath(os.path.join(folder, value))
        if os.path.isabs(value) or not path.startswith(os.path.join(folder, "")):
            continue
        try:
            if os.path.getsize(path) <= _LARGEST_MANIFEST:
                with open(path, encoding="utf-8") as file:
                    found[inside] = file.read()
        except (OSError, UnicodeDecodeError):
            continue
    return replace(part, metadata={**part.metadata, **found}) if found else part


def look_over(path: str, shapes: Shapes | None = None) -> FileWalk:
    """Make sure that a file is there and whole, without reading its attributes one by one.

    Parameters
    ----------
    path : str
    shapes : Shapes, optional
        Headers of files that were looked over before.

    Raises
    ------
    SourceError
        The file is missing, unreadable or torn.
    """
    try:
        structure = walk(path, shapes)
    except OSError as error:
        raise SourceError(
            f"{os.path.basename(path)} can't be opened: {error.strerror or error}.",
            where=path,
            why="Its frame would be missing from the shot.",
            remedy="Check that the file is there and may be read, then scan again.",
        ) from error
    if structure.deep:
        which = ", ".join(str(part) for part in structure.deep)
        raise SourceError(
            f"{os.path.basename(path)} holds deep data (part {which}).",
            where=path,
            why="Deep pictures have a varying number of samples in a pixel, which flat passes can't carry.",
            remedy="Ask the renderer for flat passes, or flatten the deep picture first.",
        )
    if structure.fault:
        raise SourceError(
            f"{os.path.basename(path)} {structure.fault}.",
            where=path,
            why="Packed as it is, the shot would carry a torn frame.",
            remedy="Render or copy this frame again and scan again; the other frames go on.",
        )
    return structure


def _part(index: int, part: Any, types: dict[str, str], unfinished: str) -> PartFacts:
    header = part.header
    storage = header["type"]
    told = {
        key: plain for key, value in header.items()
        if key not in _STRUCTURAL
        and (plain := _plain(value)) is not None
        # Every file has it; it says something only where a film back is shifted.
        and (key != "screenWindowCenter" or any(plain))
    }  # fmt: skip
    unusable = [key for key, value in told.items() if not is_finite(value)]
    aspect = float(header.get("pixelAspectRatio", 1.0))
    if not (math.isfinite(aspect) and aspect > 0):
        unusable.append("pixelAspectRatio")
        aspect = 1.0
    return PartFacts(
        index=index,
        name=_text(header.get("name", "")),
        view=_text(header.get("view", "")),
        storage="tiled" if storage == OpenEXR.tiledimage else "scanline",
        compression=header["compression"].name.removesuffix("_COMPRESSION").lower(),
        data_window=_window(header["dataWindow"]),
        display_window=_window(header["displayWindow"]),
        pixel_aspect=aspect,
        channels=tuple(
            ChannelFacts(c.name, types[c.name], int(c.xSampling), int(c.ySampling))
            for c in header["channels"]
            if not unfinished
        ),
        metadata={key: value for key, value in told.items() if key not in unusable},
        unusable=tuple(sorted(unusable)),
        unfinished=unfinished,
        kinds={key: kind for key in told if key not in unusable and (kind := kind_of(header[key]))},
    )


def _window(corners: tuple[Any, Any]) -> Window:
    (x_min, y_min), (x_max, y_max) = corners
    return Window(int(x_min), int(y_min), int(x_max), int(y_max))


def _text(value: Any) -> str:
    """Give a header's text without NUL, which ends a text in one reader and is part of it in another."""
    return str(value).replace("\0", "")


def _plain(value: Any) -> Any:
    """Give a header value as numbers, text and lists; None for what has no such form."""
    if isinstance(value, str):
        return _text(value)
    if isinstance(value, int | float | bool):
        return value
    if isinstance(value, np.generic):
        return value.item()
    if isinstance(value, np.ndarray):
        return value.tolist()
    if isinstance(value, tuple | list):
        items = [_plain(item) for item in value]
        return None if None in items else items
    if isinstance(value, OpenEXR.KeyCode):
        return key_code_numbers(value)
    if hasattr(value, "hours") and hasattr(value, "frame"):
        return [value.hours, value.minutes, value.seconds, value.frame]
    if type(value).__module__.startswith("OpenEXR") and hasattr(value, "name"):
        return str(value.name)
    if isinstance(value, Fraction) or hasattr(value, "n") and hasattr(value, "d"):
        numerator, denominator = (value.n, value.d) if hasattr(value, "n") else value.as_integer_ratio()
        return float(numerator) / float(denominator) if denominator else None
    return None


def _refuse_oversize(facts: FileFacts) -> None:
    channels = sum(len(part.channels) for part in facts.parts)
    largest = max((part.data_window for part in facts.parts), key=lambda w: w.width * w.height)
    if any(
        min(w.width, w.height) < 1 for part in facts.parts for w in (part.data_window, part.display_window)
    ):
        raise SourceError(
            f"{os.path.basename(facts.path)} has a window that ends before it begins.",
            where=facts.path,
            why="It is not known where its pixels lie.",
            remedy="Render or copy this frame again and scan again; the other frames go on.",
        )
    unpacked = unpacked_bytes(facts)
    too_large = (
        facts.size_bytes > limits.MAX_FILE_BYTES
        or max(largest.width, largest.height) > limits.MAX_SIDE_PX
        or largest.width * largest.height > limits.MAX_PIXELS
        or channels > limits.MAX_CHANNELS
        or unpacked > limits.MAX_DECODED_BYTES
    )
    if too_large:
        raise SourceError(
            f"{os.path.basename(facts.path)} promises {largest.width:,} x {largest.height:,} pixels in "
            f"{channels:,} channels, {unpacked:,} bytes unpacked; it has {facts.size_bytes:,} bytes.",
            where=facts.path,
            why=f"Up to {limits.MAX_PIXELS:,} pixels, {limits.MAX_CHANNELS:,} channels, "
            f"{limits.MAX_FILE_BYTES:,} bytes and {limits.MAX_DECODED_BYTES:,} unpacked ones are "
            "read; more is "
            "nearly always a broken header and would take all memory.",
            remedy="Check the file in the renderer; split a picture that is truly this large into tiles.",
        )


def unpacked_bytes(facts: FileFacts) -> int:
    """Give how many bytes a file's pixels take unpacked, four to a value, as they are computed with."""
    return sum(
        4 * part.data_window.width * part.data_window.height * len(part.channels) for part in facts.parts
    )
