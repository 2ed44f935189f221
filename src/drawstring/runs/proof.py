"""The proof of a written file: opened again by another reader and compared channel by channel.

Files are written with OpenEXR, or as it packs them, and read back with OpenImageIO. What lossless compression
gives back must be equal bit by bit, NaN and infinity included; for lossy compression the largest difference
is stated.
"""

from __future__ import annotations

import os
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import groupby
from typing import Any

import cv2
import numpy as np
import OpenImageIO as oiio
import xxhash
from numpy.typing import NDArray

from drawstring.core.arrays import Stored
from drawstring.core.errors import OutputError
from drawstring.core.halves import halves_of, singles
from drawstring.core.io.facts import Window
from drawstring.core.io.taking_over import TakenPart, taken_as_counted
from drawstring.core.io.writing import PartToWrite, final_path
from drawstring.core.pack.carried import known_digest
from drawstring.core.pack.form import Compression, is_lossy
from drawstring.runs.proof_kernel import how_far, same, same_as_halves

_TYPES = {np.dtype(np.float16): "half", np.dtype(np.float32): "float", np.dtype(np.uint32): "uint"}
_BITS = {2: np.uint16, 4: np.uint32}

BLOCK = 32
"""Rows read at a time: a multiple of the lines of a chunk in nearly all compressions."""

_LINES = {"zip": 16, "zips": 16, "none": 16, "dwab": 256, "htj2k256": 256}
"""Rows read at a time where a chunk has more lines, or where fewer will do and spare memory."""

_APART = 1 << 19
"""Bytes of rows that are taken apart at a time: 33 channels of two rows of an HD picture."""


@dataclass
class ReadBack:
    """What is taken from a file while it is read back.

    Attributes
    ----------
    ranged : collection of str
        Channels whose lowest and highest value and count of NaN are asked.
    wanted : collection of (part, channel)
        Channels that somebody needs as they were read; what is equal bit by bit is not kept twice.
    ranges : dict
        By channel.
    planes : dict of (part, channel) to (H, W)
        In their stored type.
    """

    ranged: Collection[str] = ()
    wanted: Collection[tuple[str, str]] = ()
    ranges: dict[str, tuple[float, float, int]] = field(default_factory=dict)
    planes: dict[tuple[str, str], Stored] = field(default_factory=dict)


def prove(
    path: str, parts: Sequence[PartToWrite | TakenPart], look: ReadBack | None = None
) -> dict[str, Any]:
    """Read a file back and compare.

    Parameters
    ----------
    path : str
    parts : sequence of PartToWrite and TakenPart
        What was meant to be written, in its stored type; of parts that were copied the packed pixels are held
        against those that were counted.
    look : ReadBack, optional
        What else is asked of the pixels; filled in.

    Returns
    -------
    dict
        `reader`, `channels` compared, `equal` of them bit by bit, `largest_difference` of each of the others
        (0 where just a sign of 0 differs), `not_numbers` where a NaN or infinity came back as something else
        or the other way round: how often. With the part before the channel's name where there are several;
        `ranges` where any are asked; `copied`: channels by part that were proven by their packed bytes.

    Raises
    ------
    OutputError
        The file can't be read, lacks a part or channel, or differs by more than type and compression allow.
    """
    source = oiio.ImageInput.open(path)
    if source is None:
        raise _not_proven(path, f"it can't be opened again: {oiio.geterror()}")
    differences: dict[str, float | None] = {}
    lost: dict[str, int] = {}
    copied: dict[str, list[str]] = {}
    look = look or ReadBack()
    try:
        for number, part in enumerate(parts):
            if not source.seek_subimage(number, 0):
                raise _not_proven(path, f"part {part.name or number} is not there")
            before = f"{part.name}/" if len(parts) > 1 else ""
            if isinstance(part, TakenPart):
                _prove_taken(path, source, number, part)
                differences |= {f"{before}{name}": None for name in part.names}
                copied[part.name] = list(part.names)
                continue
            found, swapped = _prove_part(path, source, number, part, look)
            differences |= {f"{before}{name}": largest for name, largest in found.items()}
            lost |= {f"{before}{name}": count for name, count in swapped.items()}
        if source.seek_subimage(len(parts), 0):
            raise _not_proven(path, "there is a part too many")
    finally:
        source.close()
    return {
        "reader": f"OpenImageIO {oiio.VERSION_STRING}",
        "channels": len(differences),
        "equal": sum(1 for largest in differences.values() if largest is None),
        "largest_difference": {name: one for name, one in differences.items() if one is not None},
        **({"not_numbers": lost} if lost else {}),
        **({"ranges": look.ranges} if look.ranges else {}),
        **({"copied": copied} if copied else {}),
    }


def _prove_taken(path: str, source: Any, number: int, part: TakenPart) -> None:
    """Prove a part that was copied: what the second reader sees of its header, and its packed bytes."""
    spec = source.spec()
    _prove_header(path, spec, number, part.name, part.data_window, part.names)
    wrong = taken_as_counted(path, number, part)
    if wrong is not None:
        raise _not_proven(path, wrong)


def _prove_header(
    path: str, spec: Any, number: int, name: str, window: Window, channels: Collection[str]
) -> None:
    if Window(spec.x, spec.y, spec.x + spec.width - 1, spec.y + spec.height - 1) != window:
        raise _not_proven(path, "its data window is another one")
    if sorted(spec.channelnames) != sorted(channels):
        odd = sorted(set(spec.channelnames) ^ set(channels))
        raise _not_proven(path, f"its channels differ: {', '.join(odd)}")
    if name and spec.getattribute("name") != name:
        raise _not_proven(path, f"part {number} is called {spec.getattribute('name')} instead of {name}")


def _prove_part(
    path: str, source: Any, number: int, part: PartToWrite, look: ReadBack
) -> tuple[dict[str, float | None], dict[str, int]]:
    """Compare one part and take what is asked for.

    Give the largest difference of each channel, None where it is equal, and how often a NaN or infinity
    stands against something else.
    """
    written = part.channels
    _prove_header(path, source.spec(), number, part.name, part.data_window, written)
    differences: dict[str, float | None] = dict.fromkeys(written)
    lost: dict[str, int] = {}
    sums = _sums(part)
    for top, names, back in _read_back(path, source, number, part):
        for i, name in enumerate(names):
            if name in look.ranged:
                look.ranges[name] = _widened(look.ranges.get(name), back[..., i])
        here = [i for i, name in enumerate(names) if name not in sums]
        _add_to_sums(sums, names, back)
        _compare(path, part, look, top, names, back, here, differences, lost)
    if not_as_meant := {name for name, one in sums.items() if not one.is_as_meant}:
        # Only now the rows that were meant are read once more, and say by how much.
        for top, names, back in _read_back(path, source, number, part):
            here = [i for i, name in enumerate(names) if name in not_as_meant]
            _compare(path, part, look, top, names, back, here, differences, lost)
    for name in written:
        if (part.name, name) in look.wanted:
            look.planes.setdefault((part.name, name), written[name])
    return differences, lost


def _read_back(
    path: str, source: Any, number: int, part: PartToWrite
) -> Iterator[tuple[int, list[str], Stored]]:
    """Give all rows of all channels: from which row on, names, (H, W, C).

    In blocks that stay in the processor's cache; a block holds whole chunks of every compression, so none is
    unpacked twice. Tiles are unpacked at once.
    """
    spec = source.spec()
    runs = _runs(spec, part.channels, is_packed=part.compression != Compression.NONE)
    block = spec.height if spec.tile_width else _LINES.get(part.compression, BLOCK)
    for top in range(0, spec.height, block):
        bottom = min(top + block, spec.height)
        for first, names, dtype in runs:
            kind, end = _TYPES[dtype], first + len(names)
            if spec.tile_width:
                pixels = source.read_image(number, 0, first, end, kind)
            else:
                pixels = source.read_scanlines(number, 0, spec.y + top, spec.y + bottom, 0, first, end, kind)
            if pixels is None:
                raise _not_proven(path, f"{names[0]} can't be read: {source.geterror()}")
            yield top, names, np.asarray(pixels).reshape(bottom - top, spec.width, len(names))


def _compare(
    path: str,
    part: PartToWrite,
    look: ReadBack,
    top: int,
    names: Sequence[str],
    back: Stored,
    which: Sequence[int],
    differences: dict[str, float | None],
    lost: dict[str, int],
) -> None:
    """Hold some of the channels of a block against what was meant; note by how much they are off."""
    bottom = top + len(back)
    meant = {i: part.channels[names[i]][top:bottom] for i in which}
    for i, (largest, swapped) in _off(back, meant).items():
        name = names[i]
        _allow(path, name, back[..., i], meant[i], part.compression)
        differences[name] = max(differences[name] or 0.0, largest)
        if swapped:
            lost[name] = lost.get(name, 0) + swapped
        if (part.name, name) in look.wanted:
            if (part.name, name) not in look.planes:
                look.planes[part.name, name] = part.channels[name].copy()
            look.planes[part.name, name][top:bottom] = back[..., i]


class _Sum:
    """A channel's digest as it is read back, beside that of what was meant."""

    def __init__(self, meant: str, dtype: np.dtype[Any]) -> None:
        self._meant, self._dtype, self._sum = meant, dtype, xxhash.xxh3_128()

    def add(self, values: Stored) -> None:
        """Add the next values."""
        # A file of several types is read as float.
        stored = values if values.dtype == self._dtype else halves_of(values)
        self._sum.update(stored.view(np.uint8).data)

    @property
    def is_as_meant(self) -> bool:
        """Whether all values were those that were meant, to the last bit."""
        return self._sum.hexdigest() == self._meant


def _sums(part: PartToWrite) -> dict[str, _Sum]:
    """Give the channels that are told by their digests: those that were packed without being held whole.

    They would have to be unpacked a second time to be compared value by value.
    """
    return {
        name: _Sum(digest, plane.dtype)
        for name, plane in part.channels.items()
        if (digest := known_digest(plane)) is not None
        and not is_lossy(Compression(part.compression), _TYPES[plane.dtype], name)
    }


def _add_to_sums(sums: Mapping[str, _Sum], names: Sequence[str], back: Stored) -> None:
    summed = [(i, sums[name]) for i, name in enumerate(names) if name in sums]
    if not summed:
        return
    rows = _rows_apart(back)
    for row in range(0, len(back), rows):
        lines = _transposed(back[row : row + rows].reshape(-1, back.shape[-1]))
        for i, one in summed:
            one.add(lines[i])


def _widened(known: tuple[float, float, int] | None, back: Stored) -> tuple[float, float, int]:
    lost = int(np.isnan(back).sum()) if back.dtype.kind == "f" else 0
    low = float(np.nanmin(back)) if lost < back.size else np.inf
    high = float(np.nanmax(back)) if lost < back.size else -np.inf
    return (low, high, lost) if known is None else (min(known[0], low), max(known[1], high), known[2] + lost)


def _allow(path: str, name: str, back: Stored, meant: Stored, compression: str) -> None:
    """Refuse a difference that neither type nor compression explains."""
    if not is_lossy(Compression(compression), _TYPES[meant.dtype], name):
        raise _not_proven(path, f"{name} came back different")
    if compression == Compression.PXR24:
        # Sign, exponent and 15 bits stay ("Technical Introduction to OpenEXR", on PXR24).
        with np.errstate(invalid="ignore", over="ignore"):
            apart = np.abs(back.astype(np.float64) - meant.astype(np.float64))
            far = apart > np.abs(meant.astype(np.float64)) * 2.0**-15
        if bool((far & np.isfinite(meant)).any()):
            raise _not_proven(path, f"{name} came back further off than {compression} explains")


def checksum(path: str) -> str:
    """Give the file's xxh3 checksum, 128 bits, as hexadecimal digits."""
    digest = xxhash.xxh3_128()
    room = memoryview(bytearray(1 << 19))  # stays in the processor's cache
    with open(path, "rb", buffering=0) as file:
        while count := file.readinto(room):
            digest.update(room[:count])
    return digest.hexdigest()


def _runs(
    spec: Any, written: Mapping[str, Stored], *, is_packed: bool
) -> list[tuple[int, list[str], np.dtype[Any]]]:
    """Give neighbouring channels of one type; with two types and many changes, float serves for both.

    Every run unpacks each chunk again, so a packed file of mixed types is read as float at once: exact for
    half and for float. Whole numbers are always read as such.
    """
    kinds = [written[name].dtype for name in spec.channelnames]
    runs = [(list(group), dtype) for dtype, group in groupby(range(len(kinds)), key=lambda i: kinds[i])]
    if is_packed and len(runs) > 2 and np.dtype(np.uint32) not in kinds:
        return [(0, list(spec.channelnames), np.dtype(np.float32))]
    return [(members[0], [spec.channelnames[i] for i in members], dtype) for members, dtype in runs]


def _off(back: Stored, planes: Mapping[int, Stored]) -> dict[int, tuple[float, int]]:
    """Give which of several planes hold other values than `back`, (H, W, C), has at their place.

    Of each the largest difference of two numbers, and how often only one of both is a number. NaN equals NaN,
    whose other bits may come back otherwise; 0 is not -0.
    """
    height, width, count = back.shape
    rows = _rows_apart(back)
    kinds = {plane.dtype for plane in planes.values()}
    off: dict[int, tuple[float, int]] = {}
    for top in range(0, height, BLOCK):
        part, meant = back[top : top + BLOCK], {i: plane[top : top + BLOCK] for i, plane in planes.items()}
        groups = [_Meant({i: one for i, one in meant.items() if one.dtype == kind}) for kind in kinds]
        # A few rows of all channels are taken apart at once: they stay in the processor's cache meanwhile.
        for row in range(0, len(part), rows):
            lines = _transposed(part[row : row + rows].reshape(-1, count))
            for group in groups:
                group.compare(lines, row * width)
        for number, (largest, odd) in (one for group in groups for one in group.off()):
            known = off.get(number, (0.0, 0))
            off[number] = max(known[0], largest), known[1] + odd
    return off


class _Meant:
    """Planes of one type that were meant to be written, and how far those are off that were read back."""

    def __init__(self, planes: Mapping[int, Stored]) -> None:
        at = list(planes)
        self._at = np.array(at)
        self._values = np.stack([plane.ravel() for plane in planes.values()])
        self._singles: NDArray[Any] | None = None
        self._is_uneven, self._is_off = np.zeros(len(at), bool), np.zeros(len(at), bool)
        self._largest, self._odd = np.zeros(len(at)), np.zeros(len(at), int)

    def compare(self, lines: Stored, first: int) -> None:
        """Compare some lines, (C, N) with the channels where they were read back, from a pixel on."""
        bits, size = lines.view(_BITS[lines.itemsize]), self._values.itemsize
        # Where some lines differ, all others will: they were compressed with loss.
        if not self._is_uneven.all():
            are_same = same if size == lines.itemsize else same_as_halves
            self._is_uneven |= ~are_same(bits, self._at, self._values.view(_BITS[size]), first)
        which = np.flatnonzero(self._is_uneven)
        if not len(which):
            return
        if self._values.dtype.kind == "f":
            if self._singles is None:
                self._singles = singles(self._values)
            differs, largest, odd = how_far(singles(lines), self._at, self._singles, which, first)
        else:
            meant = self._values[which, first : first + lines.shape[1]]
            largest = np.abs(lines[self._at[which]] - meant.astype(np.float64)).max(axis=1)
            differs, odd = largest > 0, 0
        self._is_off[which] |= differs
        self._largest[which] = np.maximum(self._largest[which], largest)
        self._odd[which] += odd

    def off(self) -> Iterator[tuple[int, tuple[float, int]]]:
        """Give where those lie that are off, with the largest difference and how often one is no number."""
        for k in np.flatnonzero(self._is_off):
            yield int(self._at[k]), (float(self._largest[k]), int(self._odd[k]))


def _rows_apart(back: Stored) -> int:
    return max(1, _APART // back[0].nbytes)


def _transposed(values: Stored) -> Stored:
    """Turn (N, C) into (C, N), each channel in one piece."""
    # Whole numbers of their size: no NaN is touched.
    turned = cv2.transpose(values.view(np.int16 if values.itemsize == 2 else np.int32))
    return np.asarray(turned).view(values.dtype)


def _not_proven(path: str, what: str) -> OutputError:
    path = final_path(path)
    return OutputError(
        f"{os.path.basename(path)} was written, but {what}.",
        where=path,
        why="A file that does not hold what was computed must not be handed on.",
        remedy="The frame is tried again; if it fails again, check the disk.",
    )
