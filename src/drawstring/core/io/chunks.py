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
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from drawstring.core.io.header_shape import MULTIPART, HeaderShape, PartShape, read_shape
from drawstring.core.io.limits import MAX_CHUNKS

MAGIC = 20000630
_TILED, _DEEP = 0x200, 0x800
_TABLE_BLOCK = 4096
_START = 16_384
"""So many bytes hold header and chunk table of nearly every file: one read instead of five."""
_MOST_SHAPES = 8
_TYPES = {0: "uint", 1: "half", 2: "float"}


@dataclass(frozen=True, slots=True)
class FileWalk:
    """What a walk through a file's structure found.

    Attributes
    ----------
    status : os.stat_result
        Of the file that was walked through.
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

    status: os.stat_result
    fault: str | None
    structure: tuple[bytes, ...] = ()
    channel_lists: tuple[bytes, ...] = ()
    unfinished: Mapping[int, str] = field(default_factory=dict)
    deep: tuple[int, ...] = ()

    @property
    def channel_types(self) -> tuple[dict[str, str], ...]:
        """Give the channel lists, read."""
        return tuple(_channel_types(one) for one in self.channel_lists)


class Shapes:
    """Headers that were read lately, for files that have the same: the last one first."""

    def __init__(self) -> None:
        self._shapes: list[HeaderShape] = []

    @property
    def reach(self) -> int:
        """How many bytes hold a file's header and the begin of its chunk table, as far as is known."""
        return max(_START, len(self._shapes[0].head) + _TABLE_BLOCK) if self._shapes else _START

    def of(self, start: bytes, more: Callable[[int, int], bytes]) -> HeaderShape | str:
        """Give a file's headers, read anew only where none of the known ones is theirs."""
        for place, shape in enumerate(self._shapes):
            if shape.is_of(start):
                if place:
                    self._shapes.insert(0, self._shapes.pop(place))
                return shape
        read = read_shape(start, more)
        if not isinstance(read, str):
            self._shapes = [read, *self._shapes[: _MOST_SHAPES - 1]]
        return read


def walk(path: str, shapes: Shapes | None = None) -> FileWalk:
    """Walk through a file's header and chunk table.

    Parameters
    ----------
    path : str
        Any file; one that is not OpenEXR is a fault too.
    shapes : Shapes, optional
        Of files that were walked through before.

    Raises
    ------
    OSError
        It can't be opened or read.
    """
    # A pipe that bears a picture's name must not keep anybody waiting for its other end.
    descriptor = os.open(path, os.O_RDONLY | os.O_CLOEXEC | os.O_NONBLOCK)
    try:
        return _walk(descriptor, os.fstat(descriptor), shapes or Shapes())
    finally:
        os.close(descriptor)


def _walk(descriptor: int, status: os.stat_result, shapes: Shapes) -> FileWalk:
    size = status.st_size
    if size == 0:
        return FileWalk(status, "is empty")
    start = _read(descriptor, min(shapes.reach, size), 0)
    if len(start) < 8 or struct.unpack_from("<i", start)[0] != MAGIC:
        return FileWalk(status, "is not an OpenEXR file")
    shape = shapes.of(start, lambda count, at: _read(descriptor, count, at))
    if isinstance(shape, str):
        return FileWalk(status, shape)
    parts, structure, lists = shape.parts, shape.structure, shape.channel_lists
    flags = shape.flags
    # A library may refuse deep data with words of its own; it is told before any is asked.
    if flags & _DEEP or shape.deep:
        return FileWalk(status, None, structure, lists, deep=shape.deep or (0,))
    table = _Table(descriptor, size, start, len(shape.head))
    if not flags & MULTIPART:
        fault = _fault_of_chunks(table, tiled=bool(flags & _TILED))
        return FileWalk(status, fault, structure, lists)
    faults = _faults_of_parts(table, parts)
    if len(faults) == len(parts):
        return FileWalk(status, faults[0], structure, lists)
    if faults:
        structure = (*structure, f"unfinished {sorted(faults)}".encode())
    return FileWalk(status, None, structure, lists, faults)


def _read(descriptor: int, count: int, at: int) -> bytes:
    """Read so many bytes from there on; fewer where the file ends before."""
    data = os.pread(descriptor, count, at)
    while len(data) < count and (more := os.pread(descriptor, count - len(data), at + len(data))):
        data += more
    return data


def _channel_types(data: bytes) -> dict[str, str]:
    """Read a channel list: name, type, three numbers, for each; an empty name ends it."""
    types: dict[str, str] = {}
    position = 0
    while (end := data.find(b"\0", position)) > position and end + 17 <= len(data):
        kind = struct.unpack_from("<i", data, end + 1)[0]
        types[data[position:end].decode("utf-8", "replace")] = _TYPES.get(kind, "unknown")
        position = end + 17
    return types


@dataclass(frozen=True, slots=True)
class _Table:
    """Where a file's chunk tables lie."""

    descriptor: int
    size: int
    """Of the file, in bytes."""
    start: bytes
    """The file's first bytes."""
    begin: int
    """Where the first table begins."""

    def read(self, count: int, at: int) -> bytes:
        """Give so many bytes of the file, out of its first ones where they are among them."""
        end = at + count
        return self.start[at:end] if end <= len(self.start) else _read(self.descriptor, count, at)


def _faults_of_parts(table: _Table, parts: Sequence[PartShape]) -> dict[int, str]:
    """Tell which parts of a multi-part file are not whole: each has a table of its own, one after another."""
    faults: dict[int, str] = {}
    at, size = table.begin, table.size
    for i, part in enumerate(parts):
        if not 0 < part.chunks <= MAX_CHUNKS:
            # Without a count the next part's table can't be found either.
            return dict.fromkeys(range(len(parts)), f"has {part.chunks:,} chunks in part {i}, by its header")
        entries = table.read(8 * part.chunks, at)
        if len(entries) < 8 * part.chunks:
            faults |= dict.fromkeys(range(i, len(parts)), "ends before its chunk table")
            break
        at += len(entries)
        offsets = struct.unpack(f"<{part.chunks}Q", entries)
        if 0 in offsets:
            here = part.chunks - offsets.count(0)
            faults[i] = f"was never finished: {here} of {part.chunks} chunks are in it"
            continue
        last = max(offsets)
        lead = 4 + (20 if "tile" in part.kind else 8)
        begin = table.read(lead, min(last, size))
        packed = struct.unpack("<i", begin[-4:])[0] if len(begin) == lead else 0
        if len(begin) < lead or last + lead + max(packed, 0) > size:
            faults[i] = f"ends early: {size:,} bytes are here, its last chunk begins at {last:,}"
    return faults


def _chunk_table(table: _Table) -> Sequence[int]:
    """Read the chunk table, which ends where the chunk begins that lies first in the file.

    In decreasing line order that one is not the table's first entry: so each entry may bring the end nearer,
    and the table is read until it meets it. What was not written is 0.
    """
    start = table.begin
    (first,) = struct.unpack("<Q", table.read(8, start))
    count, odd = divmod(first - start, 8)
    if not odd and 0 < count <= _TABLE_BLOCK:
        entries = table.read(8 * count, start)
        if len(entries) == 8 * count:
            usual = struct.unpack(f"<{count}Q", entries)
            if min(usual) == first:
                return usual
    offsets: list[int] = []
    end = sys.maxsize
    while len(offsets) <= MAX_CHUNKS:
        block = table.read(_TABLE_BLOCK, start + 8 * len(offsets))
        if len(block) < 8:
            break
        for (offset,) in struct.iter_unpack("<Q", block[: len(block) // 8 * 8]):
            if start + 8 * len(offsets) >= end:
                return offsets
            offsets.append(offset)
            if start < offset < end:
                end = offset
    return offsets


def _fault_of_chunks(table: _Table, *, tiled: bool) -> str | None:
    size = table.size
    entry = table.read(8, table.begin)
    if len(entry) < 8:
        return "ends before its chunk table"
    # The first chunk follows the table at once, so the smallest offset tells how long the table is.
    smallest = struct.unpack("<Q", entry)[0]
    if smallest == 0:
        return "was never finished: the renderer stopped while writing it"
    if smallest <= table.begin or smallest > size:
        return f"ends early: {size:,} bytes are here, its first chunk would lie at {smallest:,}"
    offsets = _chunk_table(table)
    if len(offsets) > MAX_CHUNKS:
        return f"has a chunk table that can't be right: more than {MAX_CHUNKS:,} chunks"
    if 0 in offsets:
        here = sum(1 for offset in offsets if offset)
        return f"was never finished: {here} of {len(offsets)} chunks are in it"
    last = max(offsets)
    lead = 20 if tiled else 8
    if last + lead > size:
        return f"ends early: {size:,} bytes are here, its last chunk begins at {last:,}"
    (packed,) = struct.unpack("<i", table.read(4, last + lead - 4))
    if packed >= 0 and last + lead + packed > size:
        missing = last + lead + packed - size
        return f"ends early: the last {missing:,} of {last + lead + packed:,} bytes are missing"
    return None
