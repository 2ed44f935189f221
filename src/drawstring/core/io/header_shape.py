"""A header's bytes, read attribute by attribute; in files that have the same where it counts, recognised.

Frames of one render have headers that differ in a few values only: a time code, a date. So the first is read
attribute by attribute, and of the next ones only the bytes are compared that decide anything.

Source: "OpenEXR File Layout", openexr.com, section Header.
"""

from __future__ import annotations

import struct
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

from drawstring.core.io.limits import MAX_HEADER_BYTES

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

MULTIPART = 0x1000
"""The bit in a file's version that says that several headers follow each other."""

START = 8
"""Where the first header begins: after the magic number and the version."""


@dataclass(frozen=True)
class PartShape:
    """What one part's header says of its structure.

    Attributes
    ----------
    structure : tuple of bytes
        Its attributes that are `STRUCTURAL`, raw.
    channels : bytes
        Its channel list, raw.
    kind : str
        "scanlineimage", "tiledimage" or a deep one; empty in a file of one part that does not say.
    chunks : int
        How many chunks it has, where it says.
    """

    structure: tuple[bytes, ...]
    channels: bytes
    kind: str
    chunks: int


@dataclass(frozen=True)
class HeaderShape:
    """All headers of one file.

    Attributes
    ----------
    parts : tuple of PartShape
    head : bytes
        The file's first bytes, up to its chunk table.
    deciding : tuple of (int, int)
        From where to where in them nothing may differ: all names, types and lengths, and those values that
        `parts` were read from. Everything else is values that mean nothing to the structure.
    """

    parts: tuple[PartShape, ...]
    head: bytes
    deciding: tuple[tuple[int, int], ...]

    @cached_property
    def flags(self) -> int:
        """The file's version, with the bits that say what kinds of parts it has."""
        return int(struct.unpack_from("<i", self.head, 4)[0])

    @cached_property
    def structure(self) -> tuple[bytes, ...]:
        """What decides how the pixels lie, of all parts: equal for files of one layout."""
        return (self.head[:START], *(each for part in self.parts for each in part.structure))

    @cached_property
    def channel_lists(self) -> tuple[bytes, ...]:
        """Each part's channel list, raw."""
        return tuple(part.channels for part in self.parts)

    @cached_property
    def deep(self) -> tuple[int, ...]:
        """Parts with a varying number of samples in a pixel."""
        return tuple(i for i, part in enumerate(self.parts) if "deep" in part.kind)

    def is_of(self, start: bytes) -> bool:
        """Tell whether a file that begins with these bytes has this shape."""
        head = self.head
        return start.startswith(head) or (
            len(start) >= len(head)
            and all(start[begin:end] == head[begin:end] for begin, end in self.deciding)
        )


class _Ended(Exception):
    """The file or what a header may hold ended before the header did."""


class _Bytes:
    """A file's first bytes, of which more are read when they are asked for."""

    def __init__(self, start: bytes, more: Callable[[int, int], bytes]) -> None:
        self.data, self._more = start, more

    def need(self, end: int) -> None:
        while len(self.data) < end:
            if len(self.data) > MAX_HEADER_BYTES:
                raise _Ended
            following = self._more(1 << 20, len(self.data))
            if not following:
                raise _Ended
            self.data += following

    def text_end(self, position: int) -> int:
        """Give where the text that begins here ends, at its NUL."""
        while (end := self.data.find(b"\0", position)) < 0:
            self.need(len(self.data) + 1)
        return end


def read_shape(start: bytes, more: Callable[[int, int], bytes]) -> HeaderShape | str:
    """Read a file's headers.

    Parameters
    ----------
    start : bytes
        The file's first ones, at least 8.
    more : callable
        Gives so many bytes of the file from there on; fewer at its end.

    Returns
    -------
    HeaderShape or str
        What is wrong with the headers, as a clause that can follow the file's name.
    """
    source = _Bytes(start, more)
    multipart = bool(struct.unpack_from("<i", start, 4)[0] & MULTIPART)
    parts: list[PartShape] = []
    deciding: list[tuple[int, int]] = []
    position, begin = START, 0
    try:
        while True:  # one header after another; a multi-part file ends them with an empty one
            structure: list[bytes] = []
            channels, part_kind, chunks, attributes = b"", "", 0, 0
            while (name_end := source.text_end(position)) > position:
                name = source.data[position:name_end].decode("latin-1")
                kind_end = source.text_end(name_end + 1)
                kind = source.data[name_end + 1 : kind_end]
                position = kind_end + 5
                source.need(position)
                length = struct.unpack_from("<i", source.data, kind_end + 1)[0]
                if length < 0 or length > MAX_HEADER_BYTES:
                    return f"has a damaged header: its attribute {name[:40]!r} would be {length:,} bytes long"
                source.need(position + length)
                value = source.data[position : position + length]
                attributes += 1
                decides = name in STRUCTURAL
                if decides:
                    structure.append(name.encode() + value)
                if kind == b"chlist":
                    channels, decides = value, True
                elif name == "type":
                    part_kind = value.decode("latin-1").rstrip("\0")
                elif name == "chunkCount" and length == 4:
                    chunks, decides = struct.unpack("<i", value)[0], True
                if not decides:
                    deciding.append((begin, position))
                    begin = position + length
                position += length
            position = name_end + 1
            if attributes or not multipart:
                parts.append(PartShape(tuple(structure), channels, part_kind, chunks))
            if not multipart or attributes == 0:
                break
    except _Ended:
        if len(source.data) > MAX_HEADER_BYTES:
            return f"has a header of more than {MAX_HEADER_BYTES // 2**20} MB, which can't be right"
        return "ends within its header"
    deciding.append((begin, position))
    if not parts:
        return "has a header that holds nothing"
    return HeaderShape(tuple(parts), source.data[:position], tuple(deciding))
