"""One picture in tiles as it is laid out: what scans keep, pages draw and joining works from."""

from __future__ import annotations

import os
from dataclasses import dataclass

from drawstring.core.findings import Finding, Severity
from drawstring.core.io.facts import Window
from drawstring.core.tiles.sets import Cell

STEP_STOPS = 0.02
"""A smaller difference in exposure is not seen, and may be noise."""


@dataclass(frozen=True)
class Tile:
    """One tile: its place from the top left, where it lies, its exposure, and its files by frame."""

    row: int
    col: int
    window: Window
    stops: float = 0.0
    paths: tuple[tuple[int, str], ...] = ()

    @property
    def says(self) -> str:
        """Its place in words, counted from 1."""
        return place_says((self.row, self.col))


@dataclass(frozen=True)
class TileSet:
    """A picture in tiles.

    Attributes
    ----------
    folder, pattern : str
        What the whole picture would be called.
    display, data : Window
        The picture, and what of it the tiles cover.
    overlap : (int, int)
        Pixels that neighbours share, across and down.
    tiles : tuple of Tile
        By row. A place that no frame has is not among them.
    frames : tuple of int
        0 for a still.
    looked_at : int
        The frame whose seams were looked at.
    size_bytes : int
        Of all files.
    findings : tuple of Finding
    """

    folder: str
    pattern: str
    display: Window
    data: Window
    overlap: tuple[int, int]
    tiles: tuple[Tile, ...]
    frames: tuple[int, ...]
    looked_at: int = 0
    size_bytes: int = 0
    findings: tuple[Finding, ...] = ()

    @property
    def key(self) -> str:
        """What it is called among a scan's sets."""
        return os.path.join(self.folder, self.pattern)

    @property
    def rows(self) -> int:
        """Rows of tiles."""
        return 1 + max(tile.row for tile in self.tiles)

    @property
    def cols(self) -> int:
        """Columns of tiles."""
        return 1 + max(tile.col for tile in self.tiles)

    @property
    def obstacle(self) -> Finding | None:
        """What keeps it from being joined; None where nothing does."""
        return next((one for one in self.findings if one.severity is Severity.STOPS), None)

    @property
    def is_uneven(self) -> bool:
        """Whether tiles differ in exposure."""
        return any(abs(tile.stops) > STEP_STOPS for tile in self.tiles)

    def holes(self, frame: int) -> list[Cell]:
        """Give the places of which a frame has no tile."""
        here = {(tile.row, tile.col) for tile in self.tiles if dict(tile.paths).get(frame)}
        return [(r, c) for r in range(self.rows) for c in range(self.cols) if (r, c) not in here]


def place_says(cell: Cell) -> str:
    """Call a place, counted from 1."""
    return f"row {cell[0] + 1}, column {cell[1] + 1}"
