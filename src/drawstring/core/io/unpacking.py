"""Chosen channels out of a file's packed chunks, where these are packed as ZIP, ZIPS or not at all.

Channels of a chunk lie row by row beside each other, and a chunk is unpacked as a whole: a library that is
asked for one channel of thirty puts all thirty in order first. Here only the rows' bytes that are asked for
are put in order; what lies between them is summed up, since every byte is told by its difference from the one
before it.

Source: "OpenEXR File Layout", openexr.com; the order of bytes and their differences as the library has them
(`internal_zip.c`: first halves of all pairs of bytes, then second halves, each less its neighbour plus 128).
"""

from __future__ import annotations

import struct
from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cached_property, partial
from itertools import accumulate, pairwise
from typing import Any, BinaryIO

import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Stored
from drawstring.core.io.facts import Window
from drawstring.core.io.packed import TYPES, NotAsCountedError, PackedPart, chunk_at, kind_of, packed_parts
from drawstring.core.io.sixteen import SIXTEEN, sum_sixteen
from drawstring.core.kernels import kernel

Rows = tuple[int, int]
"""First and last row of a band, both included, as the data window counts them."""

_NONE, _ZIPS, _ZIP = 0, 2, 3

UNPACKED = frozenset({"no", "zips", "zip"})
"""What can be unpacked here, as facts name it."""


@dataclass(frozen=True)
class _Row:
    """What a row of a part holds: each channel's name, type, and place in bytes for a pixel."""

    names: tuple[str, ...]
    types: tuple[np.dtype[Any], ...]

    @cached_property
    def begins(self) -> tuple[int, ...]:
        return tuple(accumulate((each.itemsize for each in self.types), initial=0))


def unpack_channels(
    path: str, wanted: Mapping[int, Sequence[str]], *, rows: Rows | None = None, threads: int = 1
) -> dict[tuple[int, str], Stored] | None:
    """Unpack chosen channels, or say that a library has to.

    Parameters
    ----------
    path : str
    wanted : mapping of int to sequence of str
        Channels by the part that holds them.
    rows : (int, int), optional
        Only these, within the data window of every part that is asked for.
    threads : int
        That may unpack at once.

    Returns
    -------
    dict of (part, name) to (H, W) float16, float32 or uint32, or None
        None where a part is packed otherwise, a channel is subsampled or not there, or anything in the file
        is not as it should be: what is wrong with it is the library's to tell.
    """
    try:
        with open(path, "rb") as file:
            parts = packed_parts(file)
            if not all(
                number < len(parts) and _is_known(parts[number], names) for number, names in wanted.items()
            ):
                return None
            return {
                (number, name): plane
                for number, names in wanted.items()
                for name, plane in _unpacked(file, parts[number], names, rows, threads).items()
            }
    except (NotAsCountedError, OSError, ValueError):
        return None


def _is_known(part: PackedPart, names: Sequence[str]) -> bool:
    kinds = dict(part.channels)
    plain = all(struct.unpack_from("<2i", layout, 8) == (1, 1) for layout in kinds.values())
    return plain and part.compression in (_NONE, _ZIPS, _ZIP) and all(name in kinds for name in names)


def _unpacked(
    file: BinaryIO, part: PackedPart, names: Sequence[str], rows: Rows | None, threads: int
) -> dict[str, Stored]:
    row = _Row(
        tuple(name for name, _ in part.channels),
        tuple(TYPES[kind_of(layout)] for _, layout in part.channels),
    )
    window = part.window
    top, bottom = rows or (window.y_min, window.y_max)
    asked = [i for i, name in enumerate(row.names) if name in names]
    planes = {i: np.empty((bottom - top + 1, window.width), row.types[i]) for i in asked}
    chunks = [
        (number, lies)
        for number, lies in enumerate(_chunks(part))
        if lies.y_min <= bottom and lies.y_max >= top
    ]
    unpack = partial(_unpack, file, part, row, asked, planes, top)
    if threads > 1 and len(chunks) > 1:
        share = -(-len(chunks) // threads)
        with ThreadPoolExecutor(threads) as pool:
            list(pool.map(unpack, [chunks[at : at + share] for at in range(0, len(chunks), share)]))
    else:
        unpack(chunks)
    return {row.names[i]: plane for i, plane in planes.items()}


def _chunks(part: PackedPart) -> Iterator[Window]:
    """Give the pixels that each chunk covers."""
    window = part.window
    wide, high = part.tile or (window.width, part.lines)
    for y in range(window.y_min, window.y_max + 1, high):
        for x in range(window.x_min, window.x_max + 1, wide):
            yield Window(x, y, min(x + wide - 1, window.x_max), min(y + high - 1, window.y_max))


def _unpack(
    file: BinaryIO,
    part: PackedPart,
    row: _Row,
    asked: Sequence[int],
    planes: Mapping[int, Stored],
    top: int,
    chunks: Sequence[tuple[int, Window]],
) -> None:
    """Put the asked channels of some chunks where they belong."""
    from imagecodecs import DeflateError, deflate_decode

    pixel, window = row.begins[-1], part.window
    room = np.empty(0, np.uint8)
    for number, lies in chunks:
        length, width = pixel * lies.width, lies.width
        _, packed = chunk_at(file, part, number)
        begins = [row.begins[i] * width for i in asked]
        ends = [row.begins[i + 1] * width for i in asked]
        if len(packed) == length * lies.height:
            # What would not shrink is kept as it is.
            whole: NDArray[Any] = np.frombuffer(packed, np.uint8).reshape(lies.height, length)
            picked = [whole[:, begin:end] for begin, end in zip(begins, ends, strict=True)]
        elif part.compression == _NONE:
            raise ValueError("a chunk that is not packed has another length than its pixels")
        else:
            if room.size < length * lies.height:
                room = np.empty(length * lies.height, np.uint8)
            coded = room[: length * lies.height]
            try:
                if len(deflate_decode(packed, raw=False, out=coded.data)) != coded.size:
                    raise ValueError("a chunk holds fewer bytes than its pixels")
            except DeflateError as error:
                raise ValueError("a chunk is damaged") from error
            spans = np.array([begins, ends], np.int64) // 2
            together = np.empty((lies.height, int((spans[1] - spans[0]).sum())), np.uint16)
            put_in_order(coded, spans, together)
            edges = accumulate((spans[1] - spans[0]).tolist(), initial=0)
            picked = [together[:, begin:end] for begin, end in pairwise(edges)]
        first, last = max(lies.y_min, top), min(lies.y_max, top + len(planes[asked[0]]) - 1)
        across = slice(lies.x_min - window.x_min, lies.x_max - window.x_min + 1)
        for i, of_channel in zip(asked, picked, strict=True):
            here = of_channel[first - lies.y_min : last - lies.y_min + 1]
            planes[i][first - top : last - top + 1, across] = here.view(row.types[i])


@kernel(nogil=True)
def put_in_order(coded: NDArray[np.uint8], spans: NDArray[np.int64], into: NDArray[np.uint16]) -> None:
    """Undo differences and order of a chunk's bytes where they are asked for.

    Parameters
    ----------
    coded : (2 N,) uint8
        As they are once inflated: first bytes of all pairs, then second ones, each less the one before it,
        plus 128.
    spans : (2, K) int64
        Where what is asked for begins and ends in a row, in pairs of bytes, in the row's order.
    into : (rows, P) uint16
        Filled with what is asked for, row by row; P is the sum of the spans' lengths.
    """
    rows = into.shape[0]
    half = coded.size // 2
    of_row = half // rows
    firsts, seconds = coded[:half], coded[half:]
    # Nothing is taken off the first byte of all.
    low = np.uint8(128)
    high = np.uint8(low + _change(firsts))
    for y in range(rows):
        at, col = y * of_row, 0
        for k in range(spans.shape[1]):
            begin, end = y * of_row + spans[0, k], y * of_row + spans[1, k]
            low = np.uint8(low + _change(firsts[at:begin]))
            high = np.uint8(high + _change(seconds[at:begin]))
            of_low, of_high, pairs = firsts[begin:end], seconds[begin:end], into[y, col : col + end - begin]
            whole = of_low.size // SIXTEEN * SIXTEEN
            for i in range(0, whole, SIXTEEN):
                low, high = sum_sixteen(of_low, of_high, i, pairs, i, low, high)
            for i in range(whole, of_low.size):
                low = np.uint8(low + (of_low[i] ^ np.uint8(128)))
                high = np.uint8(high + (of_high[i] ^ np.uint8(128)))
                pairs[i] = np.uint16(low) | np.uint16(np.uint16(high) << 8)
            at, col = end, col + end - begin
        low = np.uint8(low + _change(firsts[at : (y + 1) * of_row]))
        high = np.uint8(high + _change(seconds[at : (y + 1) * of_row]))


@kernel(nogil=True)
def _change(coded: NDArray[np.uint8]) -> np.uint8:
    """Give by how much some bytes change the next one, modulo 256."""
    total = np.uint8(0)
    for byte in coded:
        total = np.uint8(total + byte)
    return np.uint8(total + (coded.size & 1) * 128)
