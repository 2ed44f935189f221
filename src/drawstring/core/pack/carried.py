"""Planes that are only carried along: their rows are read when they are asked for, and none is kept.

Most passes of a frame go out as they came. Packed band by band, thirty of them take the memory of a band.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import xxhash
from numpy.typing import NDArray

from drawstring.core.arrays import Stored
from drawstring.core.io.facts import ChannelRef, FileFacts
from drawstring.core.io.pixels import DTYPES, read_channels
from drawstring.core.pack.odd import Counts, odd_values, together

BAND = 64
"""Rows of a band: whole chunks of whatever is packed and unpacked by bands here."""


class _Bands:
    """Some channels of one part, read a band at a time; whoever asks next for the same rows has them."""

    def __init__(self, facts: FileFacts, refs: Sequence[ChannelRef]) -> None:
        self._facts = facts
        self._plain = {ref: ref._replace(source=0) for ref in refs}
        self.window = facts.parts[refs[0].part].data_window
        self._top, self._rows = 0, dict[ChannelRef, Stored]()
        self._sums = {ref: xxhash.xxh3_128() for ref in refs}
        self._odd: dict[ChannelRef, Counts] = dict.fromkeys(refs, (0, 0, 0))
        self._known = 0  # of so many rows from above

    def rows(self, ref: ChannelRef, top: int, bottom: int) -> Stored:
        """Give a channel's rows from one up to another, counted from the window's first."""
        if not (self._top <= top and bottom <= self._top + self._held):
            first = top // BAND * BAND
            last = min(-(-bottom // BAND) * BAND, self.window.height)
            self._rows = {}  # the former band goes before the next one comes
            self._read(first, last)
        return self._rows[ref][top - self._top : bottom - self._top]

    def whole(self, ref: ChannelRef) -> Stored:
        """Give all of a channel's rows, which are not kept."""
        plain = self._plain[ref]
        return read_channels(self._facts.path, [plain], facts=self._facts)[plain]

    def sum_of(self, ref: ChannelRef) -> str | None:
        """Give a channel's digest; None while its rows have not all been read, in their order."""
        return self._sums[ref].hexdigest() if self._known == self.window.height else None

    def odd_of(self, ref: ChannelRef) -> Counts:
        """Give how many values of a channel no picture should hold."""
        while self._known < self.window.height:
            self._read(self._known, min(self._known + BAND, self.window.height))
        return self._odd[ref]

    @property
    def _held(self) -> int:
        return len(next(iter(self._rows.values()))) if self._rows else 0

    def _read(self, first: int, last: int) -> None:
        start = self.window.y_min
        read = read_channels(
            self._facts.path, self._plain.values(), facts=self._facts, rows=(start + first, start + last - 1)
        )
        self._top, self._rows = first, {ref: read[plain] for ref, plain in self._plain.items()}
        if first == self._known:
            for ref, plane in self._rows.items():
                self._sums[ref].update(np.ascontiguousarray(plane).view(np.uint8).data)
                self._odd[ref] = together([self._odd[ref], odd_values([plane])])
            self._known = last


class Carried:
    """A channel as it lies in its file: an array of which rows can be asked, as `plane[top:bottom]`.

    Whoever needs all of it at once makes an array of it, as of anything, and has it read as a whole.

    Parameters
    ----------
    bands : _Bands
    ref : ChannelRef
    dtype : dtype
    """

    ndim = 2

    def __init__(self, bands: _Bands, ref: ChannelRef, dtype: np.dtype[Any]) -> None:
        self._bands, self._ref, self.dtype = bands, ref, dtype
        self.shape = bands.window.height, bands.window.width

    @property
    def size(self) -> int:
        """How many values it has."""
        return self.shape[0] * self.shape[1]

    @property
    def itemsize(self) -> int:
        """Bytes of a value."""
        return int(self.dtype.itemsize)

    @property
    def nbytes(self) -> int:
        """Bytes of all values."""
        return self.size * self.itemsize

    @property
    def digest(self) -> str | None:
        """Its values' digest (xxh3, 128 bits, row by row), once all were read in their order."""
        return self._bands.sum_of(self._ref)

    @property
    def odd(self) -> Counts:
        """Counts of values that no picture should hold; what was not read yet is read for it."""
        return self._bands.odd_of(self._ref)

    def __len__(self) -> int:
        """How many rows it has."""
        return self.shape[0]

    def __getitem__(self, rows: slice) -> Stored:
        """Give some rows."""
        top, bottom, step = rows.indices(self.shape[0])
        if step != 1:
            raise ValueError("rows of a plane that is only carried are given one after another")
        return self._bands.rows(self._ref, top, max(top, bottom))

    def __array__(self, dtype: Any = None, copy: bool | None = None) -> NDArray[Any]:
        """Read all of it."""
        whole = self._bands.whole(self._ref)
        return whole if dtype is None else whole.astype(dtype, copy=False)


def carry(facts: FileFacts, refs: Sequence[ChannelRef]) -> dict[ChannelRef, Carried]:
    """Make planes of a part's channels that are read when their rows are asked for.

    Parameters
    ----------
    facts : FileFacts
    refs : sequence of ChannelRef
        All of one part, none thinned.
    """
    bands, part = _Bands(facts, refs), facts.parts[refs[0].part]
    types = {channel.name: DTYPES[channel.pixel_type] for channel in part.channels}
    return {ref: Carried(bands, ref, types[ref.name]) for ref in refs}


def known_digest(plane: object) -> str | None:
    """Give the digest of a plane that is only carried, where it is known; None for any other."""
    return plane.digest if isinstance(plane, Carried) else None


def counted_odd(plane: Stored) -> Counts:
    """Count values that no picture should hold, of a plane that is carried or not."""
    whole: object = plane
    return whole.odd if isinstance(whole, Carried) else odd_values([plane])
