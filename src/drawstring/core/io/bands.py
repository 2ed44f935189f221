"""An OpenEXR file written from above, a band of rows at a time, so that no more than a band is in memory.

The library writes whole pictures only. So each band is written by it as a small file, whose packed chunks are
then what the large file needs: they carry the row they begin at, and nothing that depends on the rest. What
is made anew is the data window, the count of chunks, and the table that says where each of them lies.

Source: "OpenEXR File Layout", openexr.com, sections Header, Offset Tables and Chunks.
"""

from __future__ import annotations

import os
import struct
import uuid
from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import replace
from types import TracebackType
from typing import Any

from drawstring.core.io.facts import Window
from drawstring.core.io.writing import PartToWrite, put_parts

ROWS = 256
"""Rows of a band: as many as the largest chunk of any compression has."""

_MULTIPART = 0x1000


class BandWriter:
    """Writes one file of scan lines from the top down, under a name lent by `writing.final_name`.

    Parameters
    ----------
    unfinished : str
        Where to write; what is there is replaced. Bands lie beside it while they are packed.
    window : Window
        The data window of every part.
    display_window : Window
    pixel_aspect, metadata, dwa_level
        As `writing.put_parts` takes them.

    Examples
    --------
    ``with BandWriter(path, window, display_window=window) as file: file.add(parts)``, for each `ROWS` rows.
    """

    def __init__(
        self,
        unfinished: str,
        window: Window,
        *,
        display_window: Window,
        pixel_aspect: float = 1.0,
        metadata: Mapping[str, Any] | None = None,
        dwa_level: float = 45.0,
    ) -> None:
        self._path, self.window = unfinished, window
        self._said: dict[str, Any] = {
            "display_window": display_window, "pixel_aspect": pixel_aspect, "metadata": metadata,
            "dwa_level": dwa_level,
        }  # fmt: skip
        self._file = open(unfinished, "w+b")
        self._next, self._table_at = window.y_min, 0
        self._tables: list[list[int]] = []
        self._lines: list[int] = []

    def __enter__(self) -> BandWriter:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        try:
            if kind is None:
                self._end()
        finally:
            self._file.close()

    def add(self, parts: Sequence[PartToWrite]) -> None:
        """Write the next rows of every part.

        Parameters
        ----------
        parts : sequence of PartToWrite
            The same in every call but for their pixels: `ROWS` rows, the last ones fewer. Their data windows
            are set here.

        Raises
        ------
        ValueError
            They are not the rows that come next.
        """
        rows = next(iter(parts[0].channels.values())).shape[0]
        band = self.window._replace(y_min=self._next, y_max=self._next + rows - 1)
        if band.y_max > self.window.y_max or (rows != ROWS and band.y_max != self.window.y_max):
            raise ValueError(f"{rows} rows do not go at {self._next} of {self.window}")
        folder, name = os.path.split(self._path)
        small = os.path.join(folder, f"{name}-{uuid.uuid4().hex[:8]}")
        try:
            put_parts(small, [replace(part, data_window=band, tile=0) for part in parts], **self._said)
            with open(small, "rb") as file:
                self._take(file.read(), rows)
        finally:
            with suppress(FileNotFoundError):
                os.unlink(small)
        self._next += rows

    def _take(self, data: bytes, rows: int) -> None:
        """Take a band's chunks over, and of the first one its header."""
        header = _Header(data)
        counts = header.counts or [(header.first_chunk(data) - header.end) // 8]
        begins = header.end + 8 * sum(counts)
        if not self._tables:
            self._begin(header, counts, rows)
        shift = self._file.tell() - begins
        at = header.end
        for part, count in enumerate(counts):
            offsets = struct.unpack_from(f"<{count}Q", data, at)
            first = (self._next - self.window.y_min) // self._lines[part]
            self._tables[part][first : first + count] = [offset + shift for offset in offsets]
            at += 8 * count
        self._file.write(memoryview(data)[begins:])

    def _begin(self, header: _Header, counts: Sequence[int], rows: int) -> None:
        # A band that is all there is may be lower than a chunk: then it has one, of whatever height.
        self._lines = [-(-rows // count) for count in counts]
        whole = [-(-self.window.height // lines) for lines in self._lines]
        self._tables = [[0] * count for count in whole]
        data = bytearray(header.data[: header.end])
        corners = struct.pack("<4i", *self.window)
        for at in header.windows:
            data[at : at + 16] = corners
        for at, count in zip(header.counts_at, whole, strict=False):
            data[at : at + 4] = struct.pack("<i", count)
        self._file.write(data)
        self._table_at = self._file.tell()
        self._file.write(bytes(8 * sum(whole)))

    def _end(self) -> None:
        if self._next != self.window.y_max + 1:
            raise ValueError(f"rows from {self._next} on were never written of {self.window}")
        self._file.seek(self._table_at)
        for table in self._tables:
            self._file.write(struct.pack(f"<{len(table)}Q", *table))
        self._file.flush()


class _Header:
    """Where in a file that our own library has just written the values lie that a larger one changes."""

    def __init__(self, data: bytes) -> None:
        self.data = data
        is_multipart = bool(struct.unpack_from("<i", data, 4)[0] & _MULTIPART)
        self.windows: list[int] = []
        self.counts_at: list[int] = []
        self.counts: list[int] = []
        at = 8
        while True:
            begins = at
            while data[at]:
                name, at = _text(data, at)
                _, at = _text(data, at)
                length = struct.unpack_from("<i", data, at)[0]
                at += 4
                if name == b"dataWindow":
                    self.windows.append(at)
                elif name == b"chunkCount":
                    self.counts_at.append(at)
                    self.counts.append(struct.unpack_from("<i", data, at)[0])
                at += length
            at += 1
            if not is_multipart or at == begins + 1:
                break
        self.end = at

    def first_chunk(self, data: bytes) -> int:
        """Give where the first chunk lies: at the end of the table of a file of one part."""
        return int(struct.unpack_from("<Q", data, self.end)[0])


def _text(data: bytes, at: int) -> tuple[bytes, int]:
    end = data.index(b"\0", at)
    return data[at:end], end + 1
