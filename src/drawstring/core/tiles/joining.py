"""Tiles joined into one file by bands of rows: light blended where they overlap, everything else taken whole.

No more than a band of the picture and of the tiles beside it is in memory, however large the picture is.
Where tiles overlap, light and coverage are mixed by weights that fall to 0 towards each tile's edge and add
up to 1. Distances, directions, whole numbers and hashed names are never mixed: each pixel takes those of the
tile whose edge is furthest away.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import ExitStack
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Stored
from drawstring.core.errors import SourceError
from drawstring.core.io.bands import ROWS, BandWriter
from drawstring.core.io.facts import ChannelRef, FileFacts, PartFacts, Window
from drawstring.core.io.headers import read_facts
from drawstring.core.io.luminance import is_made
from drawstring.core.io.pixels import DTYPES, names_in_reader, open_picture, read_channels, read_rows
from drawstring.core.io.writing import COMPRESSIONS, PartToWrite, final_name
from drawstring.core.passes.recognition import recognise
from drawstring.core.passes.roles import COLOUR_ROLES, SHARE_ROLES
from drawstring.core.tiles import seams
from drawstring.core.tiles.placing import light_of
from drawstring.core.tiles.seams import GOES_ON, Seam, exposures, pairs, rims, step_between
from drawstring.core.tiles.tile_set import Tile, TileSet

_OF_A_TILE = frozenset({"capDate", "name", "chunkCount", "screenWindowCenter", "screenWindowWidth"})
"""Attributes that are about one file, or about one tile's own frame where its window does not tell."""


_LOSSY = frozenset({"pxr24", "b44", "b44a", "dwaa", "dwab"})
"""Compressions that would take something away a second time."""


@dataclass(frozen=True)
class Joined:
    """What became of one picture.

    Attributes
    ----------
    path : str
    size_bytes : int
    stops : dict of (row, col) to float
        What each tile was darkened by.
    holes : list of (row, col)
    """

    path: str
    size_bytes: int
    stops: dict[tuple[int, int], float]
    holes: list[tuple[int, int]]


@dataclass(frozen=True)
class _Laid:
    """A tile of one frame: its file, and how it is laid."""

    tile: Tile
    facts: FileFacts
    gain: float
    across: NDArray[np.float32]
    """How far each of its columns lies from its left or right edge: (W,)."""
    alone: Window | None
    """What of it no other tile shows."""


def join(
    tiles: TileSet,
    frame: int,
    path: str,
    evens: bool = False,
    *,
    on_band: Callable[[int, int], None] = lambda done, of: None,
) -> Joined:
    """Join one frame's tiles into one file.

    Parameters
    ----------
    tiles : TileSet
    frame : int
    path : str
        The final name, which must be free.
    evens : bool
        Take steps in exposure out, as measured in this very frame.
    on_band : callable
        Told of rows done, of how many.

    Raises
    ------
    SourceError
        A tile is not what it was when it was looked at, or can't be decoded.
    ConflictError, OutputError
        As `writing.write_exr` says.
    """
    here = [(tile, dict(tile.paths)[frame]) for tile in tiles.tiles if frame in dict(tile.paths)]
    facts = {(tile.row, tile.col): read_facts(source) for tile, source in here}
    for tile, source in here:
        _check(facts[tile.row, tile.col], tile, source)
    stops = _stops(tiles, facts) if evens else {}
    laid = [
        _Laid(
            tile, facts[tile.row, tile.col], 2.0 ** -stops.get((tile.row, tile.col), 0.0),
            _inwards(tile.window.width),
            _alone(tile.window, [other.window for other, _ in here if other is not tile]),
        )
        for tile, _ in here
    ]  # fmt: skip
    if not laid:
        raise SourceError(
            f"Frame {frame} has no tile.", where=tiles.pattern, why="There is nothing to join.",
            remedy="Scan the folder again.",
        )  # fmt: skip
    kinds = _Kinds(laid[0].facts)
    holes = tiles.holes(frame)
    told = _header(tiles, facts, stops, holes)
    first = laid[0].facts.parts[0]
    with final_name(path) as unfinished:
        with (
            ExitStack() as opened,
            BandWriter(
                unfinished, tiles.data, display_window=tiles.display, pixel_aspect=first.pixel_aspect,
                metadata=told,
            ) as file,
        ):  # fmt: skip
            sources = {one.facts.path: opened.enter_context(_Source(one.facts)) for one in laid}
            # One band is packed while the next one is put together: either takes as long as the other.
            writer = opened.enter_context(ThreadPoolExecutor(1))
            packed: Future[None] | None = None
            for rows in _bands(tiles.data):
                band = _band(laid, sources, tiles.data, rows, kinds)
                if packed is not None:
                    packed.result()
                packed = writer.submit(file.add, kinds.parts(band))
                on_band(rows[1] - tiles.data.y_min + 1, tiles.data.height)
            if packed is not None:
                packed.result()
        size = os.path.getsize(unfinished)
    return Joined(path, size, stops, holes)


def _bands(window: Window) -> Iterator[tuple[int, int]]:
    for top in range(window.y_min, window.y_max + 1, ROWS):
        yield top, min(top + ROWS - 1, window.y_max)


def _check(facts: FileFacts, tile: Tile, path: str) -> None:
    window = facts.parts[0].data_window
    if (window.width, window.height) != (tile.window.width, tile.window.height):
        raise SourceError(
            f"{os.path.basename(path)} is {window.width} x {window.height}, not {tile.window.width} x "
            f"{tile.window.height} as the tile in {tile.says} was.",
            where=path, why="The picture would be put together wrongly.",
            remedy="Scan the folder again: this file has changed, or was rendered with another region.",
        )  # fmt: skip


def _stops(tiles: TileSet, facts: Mapping[tuple[int, int], FileFacts]) -> dict[tuple[int, int], float]:
    """Measure each tile's exposure in this frame, where neighbours overlap."""
    reach = max(tiles.overlap[0], 1), max(tiles.overlap[1], 1)
    edges = {cell: seams.edges_of(light_of(known), reach=reach) for cell, known in facts.items()}
    met = []
    for first, second, is_across in pairs(sorted(edges)):
        overlap = tiles.overlap[0 if is_across else 1]
        before, after = rims(edges, first, second, is_across=is_across)
        fits = seams.fits_at(before, after, overlap) >= GOES_ON
        step = step_between(before, after, overlap) if fits else None
        met.append(Seam(first, second, is_across, seams.Fit(overlap, 1.0), 1.0, step))
    return exposures(sorted(edges), met)


def _inwards(count: int) -> NDArray[np.float32]:
    places = np.arange(count, dtype=np.float32) + 0.5
    return np.asarray(np.minimum(places, count - places), np.float32)


class _Kinds:
    """Which channels there are, which of them are mixed, which scaled, and in which parts they go out."""

    def __init__(self, facts: FileFacts) -> None:
        passes = recognise(facts)
        roles = {ref: one.role for one in passes for ref in one.channels}
        suffixes = {
            ref: suffix for one in passes for ref, suffix in zip(one.channels, one.suffixes, strict=False)
        }
        self.facts = facts
        self.refs = [
            ChannelRef(part.index, channel.name) for part in facts.parts for channel in part.channels
        ]
        self.types = {ref: channel_type(facts, ref) for ref in self.refs}
        self.mixed = {
            ref
            for ref in self.refs
            if self.types[ref].kind == "f" and roles.get(ref) in COLOUR_ROLES | SHARE_ROLES
        }
        self.lit = {ref for ref in self.mixed if roles[ref] in COLOUR_ROLES and suffixes.get(ref) != "A"}

    def lit_by(self, ref: ChannelRef, plane: Stored, gain: float) -> Stored:
        """Even light out; everything else is as it is."""
        return plane * np.float32(gain) if ref in self.lit and gain != 1 else plane

    def parts(self, band: Mapping[ChannelRef, Stored]) -> list[PartToWrite]:
        return [
            PartToWrite(
                {channel.name: band[ChannelRef(part.index, channel.name)] for channel in part.channels},
                part.compression if part.compression in COMPRESSIONS.keys() - _LOSSY else "zip",
                part.data_window, part.name if len(self.facts.parts) > 1 else "",
                said={"view": part.view} if part.view and len(self.facts.parts) > 1 else {},
            )
            for part in self.facts.parts
        ]  # fmt: skip


def channel_type(facts: FileFacts, ref: ChannelRef) -> np.dtype[Any]:
    """Give the type that a channel is stored with."""
    channel = facts.channel(ref)
    assert channel is not None
    return DTYPES.get(channel.pixel_type, np.dtype(np.float32))


class _Source:
    """One tile's file, kept open while its rows are read."""

    def __init__(self, facts: FileFacts) -> None:
        self.facts = facts

        # Colour by luminance and thinned-out channels take more than rows as they are stored.
        self._is_plain = facts.kind == "openexr" and not any(
            channel.x_sampling * channel.y_sampling > 1 or is_made(part, channel.name)
            for part in facts.parts
            for channel in part.channels
        )

    def __enter__(self) -> _Source:
        self._open = open_picture(self.facts.path, self.facts) if self._is_plain else None
        return self

    def __exit__(self, *_: object) -> None:
        if self._open is not None:
            self._open.close()

    def rows(self, part: PartFacts, rows: tuple[int, int]) -> dict[ChannelRef, Stored]:
        """Read all channels of a part in some rows, as its own window counts them."""
        if self._open is None:
            refs = [ChannelRef(part.index, channel.name) for channel in part.channels]
            return read_channels(self.facts.path, refs, facts=self.facts, rows=rows)
        self._open.seek_subimage(part.index, 0)
        names = names_in_reader(self._open.spec().channelnames, self.facts, part.index)
        read: dict[ChannelRef, Stored] = {}
        for kind in ("half", "float", "uint"):
            places = [
                (names.index(channel.name), channel)
                for channel in part.channels
                if channel.pixel_type == kind
            ]
            if not places:
                continue
            low, high = min(at for at, _ in places), max(at for at, _ in places) + 1
            wide = read_rows(self._open, self.facts.path, rows, (low, high), kind)
            for at, channel in places:
                read[ChannelRef(part.index, channel.name)] = wide[..., at - low]
        return read


def _band(
    laid: list[_Laid], sources: Mapping[str, _Source], whole: Window, rows: tuple[int, int], kinds: _Kinds
) -> dict[ChannelRef, Stored]:
    """Put one band together: what one tile has alone is taken as it is stored, the rest is weighed."""
    shape = rows[1] - rows[0] + 1, whole.width
    made = {ref: np.zeros(shape, kinds.types[ref]) for ref in kinds.refs}
    sums = {ref: np.zeros(shape, np.float32) for ref in kinds.mixed}
    total = np.zeros(shape, np.float32)
    nearest = np.zeros(shape, np.float32)
    for one in laid:
        window = one.tile.window
        top, bottom = max(rows[0], window.y_min), min(rows[1], window.y_max)
        if top > bottom:
            continue
        region = window._replace(y_min=top, y_max=bottom)
        read = {
            ref: plane
            for part in one.facts.parts
            for shift in (part.data_window.y_min - window.y_min,)
            for ref, plane in sources[one.facts.path].rows(part, (top + shift, bottom + shift)).items()
        }
        alone = _meet(one.alone, region)
        for ref, plane in read.items() if alone is not None else ():
            assert alone is not None
            made[ref][_at(alone, whole, rows)] = kinds.lit_by(ref, plane[_within(alone, region)], one.gain)
        for strip in _around(region, alone):
            here, own = _at(strip, whole, rows), _within(strip, region)
            down = _inwards(window.height)[strip.y_min - window.y_min : strip.y_max - window.y_min + 1]
            # The product falls to 0 at every edge and is the same seen from both sides of a seam.
            weight = (
                down[:, None] * one.across[None, strip.x_min - window.x_min : strip.x_max - window.x_min + 1]
            )
            further = weight > nearest[here]
            nearest[here][further] = weight[further]
            total[here] += weight
            for ref, plane in read.items():
                if ref in kinds.mixed:
                    sums[ref][here] += weight * kinds.lit_by(ref, plane[own], one.gain)
                else:
                    made[ref][here][further] = plane[own].astype(kinds.types[ref])[further]
    weighed = total > 0
    for ref in kinds.mixed if weighed.any() else ():
        made[ref][weighed] = (sums[ref][weighed] / total[weighed]).astype(kinds.types[ref])
    return made


def _alone(window: Window, others: Sequence[Window]) -> Window | None:
    """Give a rectangle of a tile that no other one shows, as large as cutting its sides leaves it."""
    inner: Window | None = window
    for other in others:
        both = _meet(inner, other) if inner is not None else None
        if inner is None or both is None:
            continue
        left = [
            inner._replace(x_min=both.x_max + 1), inner._replace(x_max=both.x_min - 1),
            inner._replace(y_min=both.y_max + 1), inner._replace(y_max=both.y_min - 1),
        ]  # fmt: skip
        inner = max(left, key=lambda cut: max(cut.width, 0) * max(cut.height, 0))
        if inner.width <= 0 or inner.height <= 0:
            inner = None
    return inner


def _meet(a: Window | None, b: Window) -> Window | None:
    if a is None:
        return None
    both = Window(max(a.x_min, b.x_min), max(a.y_min, b.y_min), min(a.x_max, b.x_max), min(a.y_max, b.y_max))
    return both if both.width > 0 and both.height > 0 else None


def _around(region: Window, inner: Window | None) -> list[Window]:
    """Cut what is around a rectangle into up to four others."""
    if inner is None:
        return [region]
    strips = [
        region._replace(y_max=inner.y_min - 1), region._replace(y_min=inner.y_max + 1),
        inner._replace(x_min=region.x_min, x_max=inner.x_min - 1),
        inner._replace(x_min=inner.x_max + 1, x_max=region.x_max),
    ]  # fmt: skip
    return [strip for strip in strips if strip.width > 0 and strip.height > 0]


def _at(window: Window, whole: Window, rows: tuple[int, int]) -> tuple[slice, slice]:
    return (
        slice(window.y_min - rows[0], window.y_max - rows[0] + 1),
        slice(window.x_min - whole.x_min, window.x_max - whole.x_min + 1),
    )


def _within(window: Window, region: Window) -> tuple[slice, slice]:
    return (
        slice(window.y_min - region.y_min, window.y_max - region.y_min + 1),
        slice(window.x_min - region.x_min, window.x_max - region.x_min + 1),
    )


def _header(
    tiles: TileSet,
    facts: Mapping[tuple[int, int], FileFacts],
    stops: Mapping[tuple[int, int], float],
    holes: list[tuple[int, int]],
) -> dict[str, Any]:
    """Give what all tiles say alike, and of what the picture was joined."""
    said = [known.parts[0].metadata for known in facts.values()]
    same = {
        key: value
        for key, value in said[0].items()
        if all(other.get(key) == value for other in said) and not (key in _OF_A_TILE and not _in_one(facts))
    }
    same["drawstring:tiles"] = (
        f"{tiles.cols} x {tiles.rows}, overlap {tiles.overlap[0]} x {tiles.overlap[1]} px"
    )
    if stops:
        same["drawstring:tilesEvened"] = "; ".join(
            f"{row + 1},{col + 1}: {-value:+.4f}" for (row, col), value in sorted(stops.items())
        )
    if holes:
        same["drawstring:tilesMissing"] = "; ".join(f"{row + 1},{col + 1}" for row, col in holes)
    return same


def _in_one(facts: Mapping[tuple[int, int], FileFacts]) -> bool:
    """Whether all tiles speak of one frame: their display windows are one."""
    return len({known.parts[0].display_window for known in facts.values()}) == 1
