"""Is an OpenEXR file whole? Answered from its chunk table, without decoding a pixel.

A writer fills the table of chunk offsets last, so a render that died leaves zeros in it; a copy that
was cut short leaves a full table that points past the end. Both are told apart from a whole file by
reading the table and the last chunk's length: a few kilobytes, however large the file.

Source: "OpenEXR File Layout", openexr.com, sections Header, Offset Tables and Chunks.
"""

from __future__ import annotations

import os
import struct
from typing import BinaryIO

from drawstring.core.io.limits import MAX_HEADER_BYTES

MAGIC = 20000630
_TILED, _MULTIPART = 0x200, 0x1000


def fault_of_file(path: str) -> str | None:
    """Say in words what is wrong with the file as a whole; None when every chunk is there.

    Parameters
    ----------
    path : str
        Any file; one that is not OpenEXR is a fault too.

    Returns
    -------
    str or None
        A clause that can follow the file's name: "is empty", "ends early: ...".
    """
    size = os.path.getsize(path)
    if size == 0:
        return "is empty"
    with open(path, "rb") as file:
        start = file.read(8)
        if len(start) < 8 or struct.unpack("<i", start[:4])[0] != MAGIC:
            return "is not an OpenEXR file"
        flags = struct.unpack("<i", start[4:])[0]
        multipart, tiled = bool(flags & _MULTIPART), bool(flags & _TILED)
        if not _skip_headers(file, size, multipart=multipart):
            return "ends within its header"
        return _fault_of_chunks(file, size, multipart=multipart, tiled=tiled)


def _skip_headers(file: BinaryIO, size: int, *, multipart: bool) -> bool:
    """Move to the chunk table; False where the file or the allowance ends first."""
    # One read for nearly every header: walking attribute by attribute costs a scan of thousands dearly.
    begin = file.tell()
    buffer = file.read(min(65_536, size))
    position = 0

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

    while True:  # one header after another; a multi-part file ends them with an empty one
        attributes = 0
        while True:
            name = text()
            if name is None:
                return False
            if not name:
                break
            if text() is None or not need(4):
                return False
            length = struct.unpack_from("<i", buffer, position)[0]
            position += 4
            if length < 0 or not need(length):
                return False
            position += length
            attributes += 1
        if not multipart or attributes == 0:
            file.seek(begin + position)
            return True


def _fault_of_chunks(file: BinaryIO, size: int, *, multipart: bool, tiled: bool) -> str | None:
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
    table = first + file.read(int(smallest) - table_start - 8)
    offsets = struct.unpack(f"<{len(table) // 8}Q", table[: len(table) // 8 * 8])
    # Decreasing line order: the first entry is not the smallest, and chunk bytes were read as offsets.
    if min(offsets) < smallest:
        smallest = min(offset for offset in offsets if offset > table_start) if 0 not in offsets else 0
        if smallest:
            offsets = offsets[: max(1, (smallest - table_start) // 8)]
    if 0 in offsets:
        here = sum(1 for offset in offsets if offset)
        return f"was never finished: {here} of {len(offsets)} chunks are in it"
    last = max(offsets)
    lead = (4 if multipart else 0) + (20 if tiled else 8)
    if last + lead > size:
        return f"ends early: {size:,} bytes are here, its last chunk begins at {last:,}"
    if multipart:
        return None  # the last part may be tiled or not; its chunk begins within the file
    file.seek(last + lead - 4)
    packed = struct.unpack("<i", file.read(4))[0]
    if packed >= 0 and last + lead + packed > size:
        missing = last + lead + packed - size
        return f"ends early: the last {missing:,} of {last + lead + packed:,} bytes are missing"
    return None
