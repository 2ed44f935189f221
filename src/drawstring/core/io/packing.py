"""Planes packed into the chunks of a scan-line part, where it is packed as ZIP, ZIPS, PIZ or not at all.

The mirror of `unpacking`. The library packs such chunks, too, and comes to the same pixels; it takes half as
long again, most of it for putting bytes in order.

Source: "OpenEXR File Layout", openexr.com; the order of bytes and their differences as the library has them
(`internal_zip.c`: first halves of all pairs of bytes, then second halves, each less its neighbour plus 128).
"""

from __future__ import annotations

import struct
from collections.abc import Iterator, Mapping, Sequence
from itertools import accumulate, pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Stored, only_read
from drawstring.core.io.facts import Window
from drawstring.core.io.piz import PizPacker
from drawstring.core.kernels import kernel

LINES = {"none": 1, "zips": 1, "zip": 16, "piz": 32}
"""What can be packed here, and rows of a chunk."""

_AT_ONCE = 32
"""Rows taken from the planes at once: whole chunks of all of them."""

_ISAL_LEVEL = 3  # of 0 to 3: those below miss that three channels of a grey pass are the same
_LEVELS = {2: 1}
"""libdeflate's first level is our second: ISA-L, which is twice as quick as that, is our first."""


def packed_chunks(
    planes: Mapping[str, Stored], order: Sequence[str], *, compression: str, window: Window, level: int
) -> Iterator[tuple[bytes, memoryview]]:
    """Pack a part's planes, from the top row down.

    Parameters
    ----------
    planes : mapping of name to (H, W) float16, float32 or uint32
    order : sequence of str
        Their names as the header lists them.
    compression : str
        A key of `LINES`.
    window : Window
        The part's data window.
    level : int
        How hard deflating tries, 1 to 9. The library tries at 4 (`ImfDefaultCompressionLevel`). At 1 files of
        rendered frames are 5 % larger, very grainy ones 7 %, and deflated in less than half of the time.

    Yields
    ------
    (place, packed)
        As `packed.chunks_of` gives them; `packed` is good until the next is asked for.
    """
    lines = LINES[compression]
    sizes = [planes[name].itemsize // 2 for name in order]
    edges = list(accumulate((size * window.width for size in sizes), initial=0))
    together = np.empty((lines, edges[-1]), np.uint16)
    zipped = _ZipPacker(together.nbytes, level) if compression in ("zips", "zip") else None
    waves = PizPacker(sizes, together.size) if compression == "piz" else None
    for top in range(0, window.height, lines):
        if top % _AT_ONCE == 0:
            band = [only_read(planes[name][top : top + _AT_ONCE]).view(np.uint16) for name in order]
        first = top % _AT_ONCE
        rows = [plane[first : first + lines] for plane in band]
        beside = together[: len(rows[0])]
        packed = waves.pack(rows) if waves is not None else None
        if packed is None:
            for (begin, end), of_channel in zip(pairwise(edges), rows, strict=True):
                beside[:, begin:end] = of_channel
        if zipped is not None:
            packed = zipped.pack(beside)
        # What would not shrink is kept as it is.
        yield struct.pack("<i", window.y_min + top), beside.data.cast("B") if packed is None else packed


class _ZipPacker:
    """Packs chunks, one after another.

    Parameters
    ----------
    size : int
        Bytes of the largest chunk.
    level : int
        As `packed_chunks` takes it.
    """

    def __init__(self, size: int, level: int) -> None:
        # Lent to the library: what it allocates itself goes back to the system after every chunk.
        self._coded, self._deflated = np.empty(size, np.uint8), np.empty(size, np.uint8)
        self._level = level

    def pack(self, rows: NDArray[np.uint16]) -> memoryview | None:
        """Pack a chunk's rows of all channels side by side; None where they would not shrink."""
        coded = self._coded[: rows.nbytes]
        put_apart(rows.reshape(-1), coded)
        return _deflated(coded, self._level, self._deflated[: rows.nbytes - 1])


def _deflated(part: NDArray[np.uint8], level: int, room: NDArray[np.uint8]) -> memoryview | None:
    """Deflate a chunk; None where the room does not do."""
    if level == 1:
        from isal import isal_zlib

        quickly = isal_zlib.compress(part, _ISAL_LEVEL)
        return memoryview(quickly) if len(quickly) <= len(room) else None
    from imagecodecs import DeflateError, deflate_encode

    try:
        packed: Any = deflate_encode(part, level=_LEVELS.get(level, level), raw=False, out=room)  # type: ignore[arg-type]
    except DeflateError:
        return None
    return packed.data.cast("B")  # type: ignore[no-any-return]


@kernel(nogil=True)
def put_apart(pairs: NDArray[np.uint16], coded: NDArray[np.uint8]) -> None:
    """Put first bytes of all pairs before the second ones, each less the one before it, plus 128.

    Parameters
    ----------
    pairs : (N,) uint16
        A chunk's values, row by row.
    coded : (2 N,) uint8
        Filled.
    """
    half = pairs.size
    firsts, seconds = coded[:half], coded[half:]
    firsts[0] = np.uint8(pairs[0] & 255)
    seconds[0] = np.uint8((pairs[0] >> 8) - (pairs[half - 1] & 255) + 128)
    for i in range(1, half):
        firsts[i] = np.uint8((pairs[i] & 255) - (pairs[i - 1] & 255) + 128)
        seconds[i] = np.uint8((pairs[i] >> 8) - (pairs[i - 1] >> 8) + 128)
