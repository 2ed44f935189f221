"""Parts of OpenEXR files as they lie on disk: their chunks read, digested and taken over without unpacking.

A chunk carries the place of its rows or its tile and nothing that depends on the rest of its file, but for
the number of its part in a file of several. So a part goes into another file chunk by chunk; what is made
anew is the header and the table that says where each chunk lies.

Source: "OpenEXR File Layout", openexr.com, sections Header, Offset Tables and Chunks.
"""

from __future__ import annotations

import os
import struct
from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, BinaryIO

import numpy as np
import xxhash

from drawstring.core.errors import SourceError
from drawstring.core.io.chunks import MAGIC
from drawstring.core.io.facts import Window
from drawstring.core.io.limits import MAX_CHUNKS, MAX_HEADER_BYTES

_DEEP, _MULTIPART = 0x800, 0x1000

TYPES: dict[int, np.dtype[Any]] = {0: np.dtype("<u4"), 1: np.dtype("<f2"), 2: np.dtype("<f4")}
"""What a channel's values are, by the header's number."""

LINES = {
    0: 1, 1: 1, 2: 1, 3: 16, 4: 32, 5: 16, 6: 32, 7: 32, 8: 32, 9: 256, 10: 256, 11: 32, 12: 256, 13: 1,
}  # fmt: skip
"""Lines of a chunk by the header's compression number; the newest ones as the library writes them."""


class NotAsCountedError(SourceError):
    """Packed pixels can't be taken over unseen: they are not those that were unpacked once."""


@dataclass(frozen=True)
class Attribute:
    """One attribute of a header: its name, and where its value lies in the file."""

    name: str
    at: int
    length: int


@dataclass(frozen=True)
class PackedPart:
    """One part of a file as it lies on disk.

    Attributes
    ----------
    index : int
    attributes : tuple of Attribute
    channels : tuple of (name, layout)
        In the file's order, which is that of their names; the layout is type, flags and sampling, raw.
    compression : int
        The header's number.
    window : Window
    tile : tuple of int, or None
        Width and height, where it is tiled; one level.
    offsets : tuple of int
        Where each chunk lies, in the order of rows or tiles.
    is_numbered : bool
        Whether chunks begin with their part's number, as in files of several parts.
    """

    index: int
    attributes: tuple[Attribute, ...]
    channels: tuple[tuple[str, bytes], ...]
    compression: int
    window: Window
    tile: tuple[int, int] | None
    offsets: tuple[int, ...]
    is_numbered: bool

    def place(self, chunk: int, lines: int) -> bytes:
        """Give the place that a chunk has to carry."""
        if self.tile is None:
            return struct.pack("<i", self.window.y_min + chunk * lines)
        across = -(-self.window.width // self.tile[0])
        return struct.pack("<4i", chunk % across, chunk // across, 0, 0)

    @property
    def lines(self) -> int:
        """Rows of a chunk."""
        return LINES[self.compression]

    def tell(self, header: bytearray, window: Window, chunks: int) -> None:
        """Set the window and the count of chunks in a copy of its file's header."""
        for attribute in self.attributes:
            if attribute.name == "dataWindow":
                struct.pack_into("<4i", header, attribute.at, *window)
            elif attribute.name == "chunkCount":
                struct.pack_into("<i", header, attribute.at, chunks)

    @cached_property
    def most(self) -> int:
        """Bytes of a chunk that holds its pixels as they are: none is packed to more."""
        pixel = sum(TYPES[kind_of(layout)].itemsize for _, layout in self.channels)
        pixels = self.tile[0] * self.tile[1] if self.tile else self.window.width * self.lines
        # Some of the newer ones grow by a header of their own where nothing can be packed.
        return pixel * pixels + 4096


def kind_of(layout: bytes) -> int:
    """Give the number of a channel's type (`TYPES`)."""
    return int(struct.unpack_from("<i", layout)[0])


def packed_parts(file: BinaryIO) -> list[PackedPart]:
    """Read the structure of a file whose parts can be taken over.

    Raises
    ------
    NotAsCountedError
        It is no OpenEXR file, is deep, has several levels, or its header or tables can't be right.
    """
    size = os.fstat(file.fileno()).st_size
    file.seek(0)
    start = file.read(8)
    if len(start) < 8 or struct.unpack_from("<i", start)[0] != MAGIC:
        raise _odd(file, "is not an OpenEXR file")
    flags = struct.unpack_from("<i", start, 4)[0]
    if flags & _DEEP:
        raise _odd(file, "has a varying number of samples in a pixel")
    headers, end = _headers(file, is_multipart=bool(flags & _MULTIPART))
    parts = []
    for index, (attributes, values) in enumerate(headers):
        part = _part(file, index, attributes, values, is_numbered=bool(flags & _MULTIPART))
        count = _count(part, values)
        if not 0 < count <= MAX_CHUNKS:
            raise _odd(file, f"would have {count:,} chunks")
        file.seek(end)
        table = file.read(8 * count)
        end += 8 * count
        if len(table) < 8 * count:
            raise _odd(file, "ends within its chunk table")
        offsets = struct.unpack(f"<{count}Q", table)
        if min(offsets) < end or max(offsets) >= size:
            raise _odd(file, "has a chunk table that points elsewhere")
        parts.append(replace(part, offsets=offsets))
    return parts


def chunks_of(file: BinaryIO, part: PackedPart) -> Iterator[tuple[bytes, bytes]]:
    """Give each chunk's place and its packed bytes, in the table's order.

    Raises
    ------
    NotAsCountedError
        A chunk is not where the table says, is larger than its pixels, or ends early.
    """
    for number in range(len(part.offsets)):
        yield chunk_at(file, part, number)


def chunk_at(file: BinaryIO, part: PackedPart, number: int) -> tuple[bytes, bytes]:
    """Give one chunk's place and its packed bytes; raise as `chunks_of` does."""
    lead = (4 if part.is_numbered else 0) + (16 if part.tile else 4)
    offset, most = part.offsets[number], part.most
    head = _read(file, lead + 4, offset)
    if len(head) < lead + 4:
        raise _odd(file, "ends within a chunk")
    if part.is_numbered and struct.unpack_from("<i", head)[0] != part.index:
        raise _odd(file, f"has a chunk of another part where part {part.index} has one")
    place = head[4 if part.is_numbered else 0 : lead]
    if place != part.place(number, part.lines):
        raise _odd(file, f"has another chunk where its table says that number {number} lies")
    length = struct.unpack_from("<i", head, lead)[0]
    if not 0 < length <= most:
        raise _odd(file, f"has a chunk of {length:,} bytes for {most:,} bytes of pixels")
    packed = _read(file, length, offset + lead + 4)
    if len(packed) < length:
        raise _odd(file, "ends within a chunk")
    return place, packed


def _read(file: BinaryIO, length: int, at: int) -> bytes:
    try:
        return os.pread(file.fileno(), length, at)
    except OSError as error:
        # Whoever copies is writing, too: it has to be told from a disk that takes nothing.
        raise _odd(file, f"can't be read: {error.strerror}") from error


class Digest:
    """A digest of a part's packed pixels: equal digests, equal pixels, whatever channels and part are called.

    Layout (types, window, tiles, compression) counts; names and all else that the header says do not.
    """

    def __init__(self, part: PackedPart) -> None:
        self._sum = xxhash.xxh3_128()
        self._sum.update(struct.pack("<5i", part.compression, *part.window))
        self._sum.update(struct.pack("<2i", *(part.tile or (0, 0))))
        for _, layout in part.channels:
            self._sum.update(layout)

    def add(self, place: bytes, packed: bytes) -> None:
        """Add the next chunk."""
        self._sum.update(place + struct.pack("<i", len(packed)))
        self._sum.update(packed)

    def said(self) -> str:
        """Give it as hexadecimal digits (xxh3, 128 bits)."""
        return self._sum.hexdigest()


def digest_of(file: BinaryIO, part: PackedPart) -> str:
    """Digest a part's packed pixels."""
    digest = Digest(part)
    for place, packed in chunks_of(file, part):
        digest.add(place, packed)
    return digest.said()


def digests_of(path: str) -> tuple[str, ...]:
    """Digest all parts of a file; none where it can't be taken over as it is packed."""
    try:
        with open(path, "rb") as file:
            return tuple(digest_of(file, part) for part in packed_parts(file))
    except (NotAsCountedError, OSError):
        return ()


def _headers(
    file: BinaryIO, *, is_multipart: bool
) -> tuple[list[tuple[tuple[Attribute, ...], dict[str, bytes]]], int]:
    data = file.read(1 << 16)
    at, headers = 0, []

    def need(count: int) -> None:
        nonlocal data
        while len(data) < at + count:
            more = file.read(1 << 20)
            if not more or len(data) > MAX_HEADER_BYTES:
                raise _odd(file, "ends within its header")
            data += more

    def text() -> bytes:
        nonlocal at
        while (end := data.find(b"\0", at)) < 0:
            need(len(data) - at + 1)
        begin, at = at, end + 1
        return data[begin:end]

    while True:
        attributes: list[Attribute] = []
        values: dict[str, bytes] = {}
        while name := text().decode("latin-1"):
            text()
            need(4)
            length = struct.unpack_from("<i", data, at)[0]
            at += 4
            if not 0 <= length <= MAX_HEADER_BYTES:
                raise _odd(file, "has a damaged header")
            need(length)
            attributes.append(Attribute(name, 8 + at, length))
            values[name] = data[at : at + length]
            at += length
        if attributes:
            headers.append((tuple(attributes), values))
        if not is_multipart or not attributes:
            return headers, 8 + at


def _part(
    file: BinaryIO, index: int, attributes: tuple[Attribute, ...], values: dict[str, bytes], *,
    is_numbered: bool,
) -> PackedPart:  # fmt: skip
    kind = values.get("type", b"").rstrip(b"\0")
    if b"deep" in kind:
        raise _odd(file, "has a varying number of samples in a pixel")
    try:
        window = Window(*struct.unpack("<4i", values["dataWindow"]))
        compression = values["compression"][0]
        channels = tuple(_channels(values["channels"]))
        tile = None
        if "tiles" in values and kind != b"scanlineimage":
            wide, high, mode = struct.unpack("<2IB", values["tiles"])
            if mode & 15:
                raise _odd(file, "has several levels of detail")
            tile = wide, high
    except (KeyError, struct.error, IndexError, ValueError) as error:
        raise _odd(file, "has a damaged header") from error
    if compression not in LINES:
        raise _odd(file, "is packed in a way that is not known here")
    if window.width < 1 or window.height < 1 or not channels or (tile and min(tile) < 1):
        raise _odd(file, "has a damaged header")
    return PackedPart(index, attributes, channels, compression, window, tile, (), is_numbered)


def _channels(data: bytes) -> Iterator[tuple[str, bytes]]:
    at = 0
    while data[at] != 0:
        end = data.index(b"\0", at)
        layout = data[end + 1 : end + 17]
        if len(layout) < 16:
            raise ValueError("the list of channels ends early")
        if kind_of(layout) not in TYPES:
            raise ValueError("a channel is of no known type")
        yield data[at:end].decode("utf-8", "replace"), layout
        at = end + 17


def _count(part: PackedPart, values: dict[str, bytes]) -> int:
    if part.tile is not None:
        count = -(-part.window.width // part.tile[0]) * -(-part.window.height // part.tile[1])
    else:
        count = -(-part.window.height // part.lines)
    said = values.get("chunkCount", b"")
    # A table of another length would put the next part's elsewhere: nothing of it could be trusted.
    return count if len(said) != 4 or struct.unpack("<i", said)[0] == count else -1


def _odd(file: BinaryIO, what: str) -> NotAsCountedError:
    name = getattr(file, "name", "")
    return NotAsCountedError(
        f"{os.path.basename(str(name))} {what}.", where=str(name),
        why="Its parts can't be taken over as they are packed.", remedy="They are unpacked and packed again.",
    )  # fmt: skip
