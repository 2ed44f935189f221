"""Whether an OpenEXR file is whole, told from its chunk table without decoding a pixel.

A writer fills the table of chunk offsets last, so a render that died leaves zeros in it; a copy that
was cut short leaves a full table that points past the end. Both are told apart from a whole file by
reading the table and the last chunk's length: a few kilobytes, however large the file. The walk through the
header brings back each channel's type, which the EXR library does not tell without the pixels.

Source: "OpenEXR File Layout", openexr.com, sections Header, Offset Tables and Chunks.
"""

from __future__ import annotations

import os
import struct
import sys
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import BinaryIO

from drawstring.core.io.limits import MAX_CHUNKS, MAX_HEADER_BYTES

MAGIC = 20000630
STRUCTURAL = frozenset(
    {
        "channels",
        "compression",
        "dataWindow",
        "displayWindow",
        "name",
        "pixelAspectRatio",
        "tiles",
        "type",
        "view",
    }
)
"""Attributes that decide how the pixels lie."""

_TILED, _DEEP, _MULTIPART = 0x200, 0x800, 0x1000
_TABLE_BLOCK = 4096
_TYPES = {0: "uint", 1: "half", 2: "float"}


@dataclass(frozen=True)
class FileWalk:
    """What a walk through a file's structure found.

    Attributes
    ----------
    fault : str or None
        What is wrong with the file as a whole, as a clause that can follow its name; None when every
        chunk is there.
    structure : tuple of bytes
        The attributes that decide how the pixels lie (`STRUCTURAL`), raw, of all parts: equal for files of
        one layout.
    channel_lists : tuple of bytes
        Each part's channel list, raw.
    unfinished : mapping of int to str
        Parts that are not whole, and what is wrong with them, where others of the file are.
    deep : tuple of int
        Parts with a varying number of samples in a pixel.
    """

    fault: str | None
    structure: tuple[bytes, ...] = ()
    channel_lists: tuple[bytes, ...] = ()
    unfinished: Mapping[int, str] = field(default_factory=dict)
    deep: tuple[int, ...] = ()

    @property
    def channel_types(self) -> tuple[dict[str, str], ...]:
        """Give the channel lists, read."""
        return tuple(_channel_types(one) for one in self.channel_lists)


def walk(path: str) -> FileWalk:
    """Walk through a file's header and chunk table.

    Parameters
    ----------
    path : str
        Any file; one that is not OpenEXR is a fault too.
    """
    size = os.path.getsize(path)
    if size == 0:
        return FileWalk("is empty")
    with open(path, "rb") as file:
        start = file.read(8)
        if len(start) < 8 or struct.unpack("<i", start[:4])[0] != MAGIC:
            return FileWalk("is not an OpenEXR file")
        flags = struct.unpack("<i", start[4:])[0]
        multipart = bool(flags & _MULTIPART)
        parts = _walk_headers(file, size, multipart=multipart)
        if isinstance(parts, str):
            return FileWalk(parts)
        lists = tuple(part.channels for part in parts)
        structure = (start, *(each for part in parts for each in part.structure))
        # A library may refuse deep data with words of its own; it is told before any is asked.
        deep = tuple(i for i, part in enumerate(parts) if "deep" in part.kind)
        if flags & _DEEP or deep:
            return FileWalk(None, structure, lists, deep=deep or (0,))
        if not multipart:
            fault = _fault_of_chunks(file, size, tiled=bool(flags & _TILED))
            return FileWalk(fault, structure, lists)
        faults = _faults_of_parts(file, size, parts)
        if len(faults) == len(parts):
            return FileWalk(faults[0], structure, lists)
        lacking = (f"unfinished {sorted(faults)}".encode(),) if faults else ()
        return FileWalk(None, (*structure, *lacking), lists, faults)


def _channel_types(data: bytes) -> dict[str, str]:
    """Read a channel list: name, type, three numbers, for each; an empty name ends it."""
    types: dict[str, str] = {}
    position = 0
    while (end := data.find(b"\0", position)) > position and end + 17 <= len(data):
        kind = struct.unpack_from("<i", data, end + 1)[0]
        types[data[position:end].decode("utf-8", "replace")] = _TYPES.get(kind, "unknown")
        position = end + 17
    return types


@dataclass
class _Part:
    """What one part's header says of its structure."""

    structure: list[bytes] = field(default_factory=list)
    channels: bytes = b""
    kind: str = ""
    chunks: int = 0


def _walk_headers(file: BinaryIO, size: int, *, multipart: bool) -> list[_Part] | str:
    """Move to the chunk table and give each part's structure; or what is wrong, as a clause."""
    # One read for nearly every header: walking attribute by attribute costs a scan of thousands dearly.
    begin = file.tell()
    buffer = file.read(min(65_536, size))
    position = 0
    parts: list[_Part] = []

    def need(count: int) -> bool:
        nonlocal buffer
        while len(buffer) < position + count:
            if len(buffer) > MAX_HEADER_BYTES:
                return False
            more = file.read(1 << 20)
            if not more:
                return False
            buffer += more
        return True

    def text() -> str | None:
        nonlocal position
        while True:
            end = buffer.find(b"\0", position)
            if end >= 0:
                found = buffer[position:end].decode("latin-1")
                position = end + 1
                return found
            if not need(len(buffer) - position + 1):
                return None

    def ended() -> str:
        if len(buffer) > MAX_HEADER_BYTES:
            return f"has a header of more than {MAX_HEADER_BYTES // 2**20} MB, which can't be right"
        return "ends within its header"

    while True:  # one header after another; a multi-part file ends them with an empty one
        part, attributes = _Part(), 0
        while True:
            name = text()
            if name is None:
                return ended()
            if not name:
                break
            kind = text()
            if kind is None or not need(4):
                return ended()
            length = struct.unpack_from("<i", buffer, position)[0]
            position += 4
            if length < 0 or length > MAX_HEADER_BYTES:
                return f"has a damaged header: its attribute {name[:40]!r} would be {length:,} bytes long"
            if not need(length):
                return ended()
            value = buffer[position : position + length]
            if name in STRUCTURAL:
                part.structure.append(name.encode() + value)
            if kind == "chlist":
                part.channels = value
            elif name == "type":
                part.kind = value.decode("latin-1").rstrip("\0")
            elif name == "chunkCount" and length == 4:
                part.chunks = struct.unpack("<i", value)[0]
            position += length
            attributes += 1
        if attributes or not multipart:
            parts.append(part)
        if not multipart or attributes == 0:
            file.seek(begin + position)
            return parts or "has a header that holds nothing"


def _faults_of_parts(file: BinaryIO, size: int, parts: Sequence[_Part]) -> dict[int, str]:
    """Tell which parts of a multi-part file are not whole: each has a table of its own, one after another."""
    faults: dict[int, str] = {}
    for i, part in enumerate(parts):
        if not 0 < part.chunks <= MAX_CHUNKS:
            # Without a count the next part's table can't be found either.
            return dict.fromkeys(range(len(parts)), f"has {part.chunks:,} chunks in part {i}, by its header")
        table = file.read(8 * part.chunks)
        if len(table) < 8 * part.chunks:
            faults |= dict.fromkeys(range(i, len(parts)), "ends before its chunk table")
            break
        offsets = struct.unpack(f"<{part.chunks}Q", table)
        here = sum(1 for offset in offsets if offset)
        if here < part.chunks:
            faults[i] = f"was never finished: {here} of {part.chunks} chunks are in it"
            continue
        last, place = max(offsets), file.tell()
        lead = 4 + (20 if "tile" in part.kind else 8)
        file.seek(min(last, size))
        begin = file.read(lead)
        file.seek(place)
        packed = struct.unpack("<i", begin[-4:])[0] if len(begin) == lead else 0
        if len(begin) < lead or last + lead + max(packed, 0) > size:
            faults[i] = f"ends early: {size:,} bytes are here, its last chunk begins at {last:,}"
    return faults


def _chunk_table(file: BinaryIO, start: int) -> list[int]:
    """Read the chunk table, which ends where the chunk begins that lies first in the file.

    In decreasing line order that one is not the table's first entry: so each entry may bring the end nearer,
    and the table is read until it meets it. What was not written is 0.
    """
    offsets: list[int] = []
    end = sys.maxsize
    while len(offsets) <= MAX_CHUNKS and (block := file.read(_TABLE_BLOCK)):
        for (offset,) in struct.iter_unpack("<Q", block[: len(block) // 8 * 8]):
            if start + 8 * len(offsets) >= end:
                return offsets
            offsets.append(offset)
            if start < offset < end:
                end = offset
    return offsets


def _fault_of_chunks(file: BinaryIO, size: int, *, tiled: bool) -> str | None:
    table_start = file.tell()
    first = file.read(8)
    if len(first) < 8:
        return "ends before its chunk table"
    # The first chunk follows the table at once, so the smallest offset tells how long the table is.
    smallest = struct.unpack("<Q", first)[0]
    if smallest == 0:
        return "was never finished: the renderer stopped while writing it"
    if smallest <= table_start or smallest > size:
        return f"ends early: {size:,} bytes are here, its first chunk would lie at {smallest:,}"
    file.seek(table_start)
    offsets = _chunk_table(file, table_start)
    if len(offsets) > MAX_CHUNKS:
        return f"has a chunk table that can't be right: more than {MAX_CHUNKS:,} chunks"
    if 0 in offsets:
        here = sum(1 for offset in offsets if offset)
        return f"was never finished: {here} of {len(offsets)} chunks are in it"
    last = max(offsets)
    lead = 20 if tiled else 8
    if last + lead > size:
        return f"ends early: {size:,} bytes are here, its last chunk begins at {last:,}"
    file.seek(last + lead - 4)
    packed = struct.unpack("<i", file.read(4))[0]
    if packed >= 0 and last + lead + packed > size:
        missing = last + lead + packed - size
        return f"ends early: the last {missing:,} of {last + lead + packed:,} bytes are missing"
    return None
