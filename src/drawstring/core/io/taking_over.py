"""A file written of new parts and of parts that are taken over from other files as they are packed.

The library writes the whole file, with one row or tile in place of each part that is taken over, or packed
by `packing`: so headers are its own. Then chunks are laid behind each other, tables made anew, windows and
counts set in the headers.
"""

from __future__ import annotations

import os
import struct
from collections.abc import Iterator, Mapping, Sequence
from contextlib import ExitStack
from dataclasses import dataclass, field, replace
from typing import Any, BinaryIO

import numpy as np

from drawstring.core.io.facts import Window
from drawstring.core.io.packed import (
    TYPES,
    Digest,
    NotAsCountedError,
    PackedPart,
    chunks_of,
    digest_of,
    kind_of,
    packed_parts,
)
from drawstring.core.io.packing import LINES, packed_chunks
from drawstring.core.io.writing import PartToWrite, put_parts

_Chunks = Iterator[tuple[bytes, bytes | memoryview]]
"""Each chunk's place and its packed bytes."""


@dataclass(frozen=True)
class TakenPart:
    """A part of another file, to be taken over as it is packed.

    Attributes
    ----------
    path : str
    part : int
        Its index there.
    names : tuple of str
        What its channels are called in the new file, in their order there: that of their names in both.
    digest : str
        Of its packed pixels, as they were when they were last unpacked (`packed.digest_of`).
    compression : str
        A key of `writing.COMPRESSIONS`: the one it has.
    data_window : Window
    tile : int
        Side of its tiles; 0 for scan lines.
    name, said, is_upwards
        As `PartToWrite` has them.
    """

    path: str
    part: int
    names: tuple[str, ...]
    digest: str
    compression: str
    data_window: Window
    tile: int = 0
    name: str = ""
    said: Mapping[str, Any] = field(default_factory=dict)
    is_upwards: bool = False


def put_with_taken(
    unfinished: str, parts: Sequence[PartToWrite | TakenPart], *, zip_level: int = 1, **said: Any
) -> None:
    """Write a file under a name lent by `writing.final_name`, some parts of it taken over.

    Parameters
    ----------
    parts : sequence
        With names where there are several.
    zip_level : int
        For parts that are packed here; see `packing.packed_chunks`.
    **said
        As `writing.put_parts` takes it: `display_window`, `pixel_aspect`, `metadata`, `dwa_level`.

    Raises
    ------
    NotAsCountedError
        A part's packed pixels are others than its digest says, or its structure can't be right; what was
        written until then is of no use.
    """
    if all(isinstance(part, PartToWrite) and not _is_packed_here(part) for part in parts):
        put_parts(unfinished, [part for part in parts if isinstance(part, PartToWrite)], **said)
        return
    small = f"{unfinished}-frame"
    with ExitStack() as stack:
        sources: dict[int, tuple[BinaryIO, PackedPart]] = {}
        for i, part in enumerate(parts):
            if isinstance(part, TakenPart):
                file = stack.enter_context(_opened(part))
                there = packed_parts(file)
                if part.part >= len(there) or len(there[part.part].channels) != len(part.names):
                    raise _otherwise(part)
                sources[i] = file, there[part.part]
        try:
            put_parts(small, [_stand_in(part, sources.get(i)) for i, part in enumerate(parts)], **said)
            written = stack.enter_context(open(small, "rb"))
        finally:
            if os.path.exists(small):
                os.unlink(small)
        made = packed_parts(written)
        bodies = [
            _body(part, made[i], written, sources.get(i), zip_level=zip_level) for i, part in enumerate(parts)
        ]
        with open(unfinished, "wb") as into:
            _lay(into, written, made, bodies)


@dataclass(frozen=True)
class _Body:
    """What goes behind a part's header: its window, how many chunks, and these, from the top down or up."""

    window: Window
    count: int
    chunks: _Chunks
    is_upwards: bool


def _is_packed_here(part: PartToWrite) -> bool:
    return part.compression in LINES and not part.tile and not part.is_upwards


def _body(
    part: PartToWrite | TakenPart,
    header: PackedPart,
    written: BinaryIO,
    source: tuple[BinaryIO, PackedPart] | None,
    *,
    zip_level: int,
) -> _Body:
    chunks: _Chunks
    if isinstance(part, TakenPart):
        assert source is not None
        _hold_against(part, header, source[1])
        chunks, window, count = _as_counted(part, *source), part.data_window, len(source[1].offsets)
    elif _is_packed_here(part):
        order, window = [name for name, _ in header.channels], part.data_window
        chunks = packed_chunks(
            part.channels, order, compression=part.compression, window=window, level=zip_level
        )
        count = -(-window.height // LINES[part.compression])
    else:
        chunks, window, count = chunks_of(written, header), header.window, len(header.offsets)
    # Chunks of what goes from the bottom up are laid behind each other in that order, as readers expect.
    ordered: _Chunks = reversed(list(chunks)) if part.is_upwards else chunks
    return _Body(window, count, ordered, part.is_upwards)


def _opened(part: TakenPart) -> BinaryIO:
    try:
        return open(part.path, "rb")
    except OSError as error:
        raise NotAsCountedError(
            f"{os.path.basename(part.path)} can't be read: {error.strerror}.", where=part.path,
            why="Its parts can't be copied.", remedy="The frame is tried without.",
        ) from error  # fmt: skip


def _stand_in(part: PartToWrite | TakenPart, source: tuple[BinaryIO, PackedPart] | None) -> PartToWrite:
    """Give a part of one row or tile that has the header of what is packed otherwise than by the library."""
    window = part.data_window
    first = window._replace(x_max=window.x_min if part.tile else window.x_max, y_max=window.y_min)
    if isinstance(part, PartToWrite):
        if not _is_packed_here(part):
            return part
        return replace(part, channels={n: plane[:1] for n, plane in part.channels.items()}, data_window=first)
    assert source is not None
    planes = {
        name: np.zeros((first.height, first.width), TYPES[kind_of(layout)])
        for name, (_, layout) in zip(part.names, source[1].channels, strict=True)
    }
    return PartToWrite(planes, part.compression, first, part.name, part.tile, part.said, part.is_upwards)


def _lay(into: Any, written: Any, made: Sequence[PackedPart], bodies: Sequence[_Body]) -> None:
    """Lay headers, tables and chunks into a file."""
    ends = min(offset for part in made for offset in part.offsets)
    table_at = ends - 8 * sum(len(part.offsets) for part in made)
    written.seek(0)
    header = bytearray(written.read(table_at))
    for part, body in zip(made, bodies, strict=True):
        part.tell(header, body.window, body.count)
    into.write(header)
    into.write(bytes(8 * sum(body.count for body in bodies)))
    tables: list[tuple[int, ...]] = []
    for part, body in zip(made, bodies, strict=True):
        lead = struct.pack("<i", part.index) if part.is_numbered else b""
        at, offsets = into.tell(), []
        for place, packed in body.chunks:
            offsets.append(at)
            into.write(lead + place + struct.pack("<i", len(packed)))
            into.write(packed)
            at += len(lead) + len(place) + 4 + len(packed)
        tables.append(tuple(reversed(offsets)) if body.is_upwards else tuple(offsets))
    into.seek(table_at)
    for table in tables:
        into.write(struct.pack(f"<{len(table)}Q", *table))
    into.flush()


def _as_counted(meant: TakenPart, file: BinaryIO, body: PackedPart) -> Iterator[tuple[bytes, bytes]]:
    """Give a part's chunks; refuse it at their end where they are others than were counted."""
    digest = Digest(body)
    for place, packed in chunks_of(file, body):
        digest.add(place, packed)
        yield place, packed
    if digest.said() != meant.digest:
        raise NotAsCountedError(
            f"{os.path.basename(meant.path)} holds other bytes than when its frames were counted.",
            where=meant.path, why="What is packed in them has not been looked at.",
            remedy="It is unpacked and looked at again.",
        )  # fmt: skip


def _hold_against(meant: TakenPart, header: PackedPart, body: PackedPart) -> None:
    """Refuse what would be read otherwise under the new header."""
    same = (
        [name for name, _ in header.channels] == list(meant.names)
        and [layout for _, layout in header.channels] == [layout for _, layout in body.channels]
        and (header.compression, header.tile) == (body.compression, body.tile)
        and body.window == meant.data_window
    )
    if not same:
        raise _otherwise(meant)


def _otherwise(part: TakenPart) -> NotAsCountedError:
    return NotAsCountedError(
        f"{os.path.basename(part.path)} is laid out otherwise than it was.", where=part.path,
        why="Its packed pixels would be read as something else.", remedy="It is unpacked again.",
    )  # fmt: skip


def taken_as_counted(path: str, number: int, part: TakenPart) -> str | None:
    """Say what is wrong with a part that was taken over, in the written file; None where all is well.

    Parameters
    ----------
    path : str
    number : int
        Its index in the new file.
    part : TakenPart
    """
    try:
        with open(path, "rb") as file:
            written = packed_parts(file)[number]
            if [name for name, _ in written.channels] != list(part.names):
                return "its channels are called otherwise"
            if written.window != part.data_window:
                return "its data window is another one"
            return None if digest_of(file, written) == part.digest else "its packed pixels are others"
    except (NotAsCountedError, OSError, IndexError) as error:
        return f"it can't be read again: {error}"
