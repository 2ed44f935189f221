"""An OpenEXR file written from above, a band of rows at a time, so that no more than a band is in memory.

The library writes whole pictures only. So each band is written by it as a small file, whose packed chunks are
then what the large file needs: they carry the row they begin at, and nothing that depends on the rest. What
is made anew is the data window, the count of chunks, and the table that says where each of them lies.

Source: "OpenEXR File Layout", openexr.com, sections Header, Offset Tables and Chunks.
"""

from __future__ import annotations

import os
import shutil
import struct
import uuid
from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import replace
from types import TracebackType
from typing import Any, BinaryIO

from drawstring.core.io.facts import Window
from drawstring.core.io.packed import PackedPart, packed_parts
from drawstring.core.io.writing import PartToWrite, put_parts

ROWS = 256
"""Rows of a band: as many as the largest chunk of any compression has."""


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
                self._take(file)
        finally:
            with suppress(FileNotFoundError):
                os.unlink(small)
        self._next += rows

    def _take(self, file: BinaryIO) -> None:
        """Take a band's chunks over, and of the first one its header."""
        parts = packed_parts(file)
        begins = min(min(part.offsets) for part in parts)
        if not self._tables:
            self._begin(file, parts, begins - 8 * sum(len(part.offsets) for part in parts))
        shift = self._file.tell() - begins
        for table, part in zip(self._tables, parts, strict=True):
            first = (self._next - self.window.y_min) // part.lines
            table[first : first + len(part.offsets)] = [offset + shift for offset in part.offsets]
        file.seek(begins)
        shutil.copyfileobj(file, self._file, 1 << 22)

    def _begin(self, file: BinaryIO, parts: Sequence[PackedPart], table_at: int) -> None:
        self._tables = [[0] * -(-self.window.height // part.lines) for part in parts]
        file.seek(0)
        header = bytearray(file.read(table_at))
        for part, table in zip(parts, self._tables, strict=True):
            part.tell(header, self.window, len(table))
        self._file.write(header)
        self._table_at = table_at
        self._file.write(bytes(8 * sum(len(table) for table in self._tables)))

    def _end(self) -> None:
        if self._next != self.window.y_max + 1:
            raise ValueError(f"rows from {self._next} on were never written of {self.window}")
        self._file.seek(self._table_at)
        for table in self._tables:
            self._file.write(struct.pack(f"<{len(table)}Q", *table))
        self._file.flush()
