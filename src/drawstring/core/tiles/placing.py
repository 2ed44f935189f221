"""Where each tile lies in the whole picture, and what is wrong with it: from headers and along the seams."""

from __future__ import annotations

import itertools
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace

import numpy as np

from drawstring.core.errors import DrawstringError
from drawstring.core.findings import Finding, Severity, gravest_first
from drawstring.core.io.facts import ChannelRef, FileFacts, Window, union
from drawstring.core.io.pixels import read_channels
from drawstring.core.passes.recognition import recognise
from drawstring.core.passes.roles import LIT_ROLES, Role
from drawstring.core.tiles import seams
from drawstring.core.tiles.checks import (
    camera_findings,
    exposure_findings,
    file_findings,
    missing_findings,
    overlap_findings,
    tile_finding,
    window_findings,
)
from drawstring.core.tiles.seams import FITS, GOES_ON, Edges, Plane, Seam
from drawstring.core.tiles.sets import Cell, RawSet, layouts_by_cell, numbered
from drawstring.core.tiles.tile_set import Tile, TileSet

SURE = 0.04
"""By how much one order of rows and columns has to fit better than all others."""


def lay_out(raw: RawSet) -> TileSet:
    """Lay tiles out as one picture and look along their seams.

    Raises
    ------
    DrawstringError
        No header of the frame that is looked at can be read.
    """
    facts = layouts_by_cell(raw)
    findings = file_findings(raw)
    edges = _edges(facts, findings, raw)
    if raw.by_windows:
        cells, contradiction = _cells_by_windows(raw)
        findings += contradiction
        windows = {cells[cell]: window for cell in raw.cells if (window := raw.window_of(cell)) is not None}
        display = next(iter(facts.values())).parts[0].display_window if facts else union(windows.values())
    else:
        cells, doubt = _order(raw, edges)
        findings += doubt
        windows, display = {}, Window(0, 0, 0, 0)
    edges = {cells[cell]: rim for cell, rim in edges.items()}
    by_cell = {cells[cell]: known for cell, known in facts.items()}
    met = _seams(edges, windows)
    if not raw.by_windows:
        overlap = _usual_overlap(met)
        windows = _windows(raw, cells, overlap)
        display = union(windows.values())
        findings += overlap_findings(met, {True: overlap[0], False: overlap[1]}, raw)
    else:
        overlap = _overlap_of(windows)
        findings += window_findings(met, windows, raw)
    stops = seams.exposures(sorted(windows), met)
    findings += exposure_findings(met, stops, raw) + camera_findings(by_cell, raw)
    tiles = tuple(
        Tile(
            *cells[cell], windows[cells[cell]], stops.get(cells[cell], 0.0),
            tuple(
                (number, files[cell][0]) for number, files in sorted(raw.frames.items()) if files.get(cell)
            ),
        )
        for cell in sorted(raw.cells, key=lambda one: cells[one])
        if cells[cell] in windows
    )  # fmt: skip
    whole = TileSet(
        raw.folder, raw.pattern, display, union(tile.window for tile in tiles), overlap, tiles,
        tuple(sorted(raw.frames)), raw.frame, sum(raw.files[path].size_bytes for path in raw.paths),
    )  # fmt: skip
    findings += missing_findings(whole)
    return replace(whole, findings=tuple(gravest_first(findings)))


def _edges(facts: Mapping[Cell, FileFacts], findings: list[Finding], raw: RawSet) -> dict[Cell, Edges]:
    edges = {}
    for cell, known in facts.items():
        try:
            edges[cell] = seams.edges_of(light_of(known))
        except DrawstringError as refusal:
            findings.append(
                tile_finding(
                    "tile-unreadable", Severity.STOPS, refusal.what, raw,
                    "The picture would have a hole there.", "Render or copy this tile again; scan again.",
                )
            )  # fmt: skip
    return edges


def light_of(facts: FileFacts) -> Plane:
    """Read what shows most of a tile: the mean of its beauty's colours, or of whatever comes first."""
    passes = recognise(facts)
    lit = [one for one in passes if one.role is Role.BEAUTY] or [
        one for one in passes if one.role in LIT_ROLES
    ]
    refs = [ref for one in (lit or passes)[:1] for ref in one.channels[:3]]
    refs = refs or [ChannelRef(0, facts.parts[0].channels[0].name)]
    planes = read_channels(facts.path, refs, facts=facts)
    total = np.zeros(planes[refs[0]].shape, np.float32)
    for ref in refs:
        total += planes[ref].astype(np.float32)
    return total / np.float32(len(refs))


def _cells_by_windows(raw: RawSet) -> tuple[dict[Cell, Cell], list[Finding]]:
    """Count tiles from the top left by their windows; say where names say otherwise."""
    known = {cell: window for cell in raw.cells if (window := raw.window_of(cell)) is not None}
    placed = dict(zip(known, numbered(list(known.values())), strict=True))
    # The number in the name that is the row goes up with the rows by windows, or down: so does the column.
    if any(
        _is_in_step([(cell[row], place[0]) for cell, place in placed.items()])
        and _is_in_step([(cell[1 - row], place[1]) for cell, place in placed.items()])
        for row in ((0,) if raw.is_sure else (0, 1))
    ):
        return placed, []
    return placed, [
        tile_finding(
            "tiles-contradict", Severity.WARNS,
            "Rows and columns in the names do not follow the data windows.", raw,
            "Tiles are laid where their windows say; if the windows are wrong, so is the picture.",
            "Look at the picture below. Where tiles lie wrongly, render them again.",
        )
    ]  # fmt: skip


def _is_in_step(numbers: Sequence[tuple[int, int]]) -> bool:
    """Whether one number always goes up, or always down, with the other."""
    several = sorted(set(numbers))
    if len({a for a, _ in several}) < len(several):
        return False
    steps = [b2 - b1 for (_, b1), (_, b2) in itertools.pairwise(several)]
    return all(step > 0 for step in steps) or all(step < 0 for step in steps)


Turn = Callable[[Cell], Cell]


def _order(raw: RawSet, edges: Mapping[Cell, Edges]) -> tuple[dict[Cell, Cell], list[Finding]]:
    """Find which number is the row, and from where rows count: the order in which seams fit best."""
    cells = raw.cells
    low = min(r for r, _ in cells), min(c for _, c in cells)
    high = max(r for r, _ in cells), max(c for _, c in cells)
    turns: list[Turn] = [
        lambda cell: (cell[0] - low[0], cell[1] - low[1]),
        lambda cell: (high[0] - cell[0], cell[1] - low[1]),
    ]
    if not raw.is_sure:
        turns += [
            lambda cell: (cell[1] - low[1], cell[0] - low[0]),
            lambda cell: (high[1] - cell[1], cell[0] - low[0]),
        ]
    fitting: list[tuple[float, int]] = []
    known: dict[tuple[Cell, Cell, bool], float] = {}
    for i, turn in enumerate(turns):
        back = {turn(cell): cell for cell in edges}
        scores = []
        for first, second, is_across in seams.pairs(sorted(back)):
            key = (back[first], back[second], is_across)
            if key not in known:
                known[key] = seams.fit(*seams.rims(edges, *key[:2], is_across=is_across)).score
            scores.append(known[key])
        fitting.append((float(np.mean(scores)) if scores else 0.0, -i))
    best = max(fitting)
    turn = turns[-best[1]]
    others = [score for score, place in fitting if place != best[1]]
    placed = {cell: turn(cell) for cell in cells}
    if all(best[0] - score >= SURE for score in others):
        return placed, []
    return placed, [
        tile_finding(
            "tiles-order-unsure", Severity.WARNS,
            "It can't be told from the picture whether rows count from the top or from the bottom.", raw,
            "Too little is seen along the seams; they were laid as names are mostly meant.",
            "Look at the picture below. Render with data windows in one display window to be sure.",
        )
    ]  # fmt: skip


def _seams(edges: Mapping[Cell, Edges], windows: Mapping[Cell, Window]) -> list[Seam]:
    met = []
    for first, second, is_across in seams.pairs(sorted(edges)):
        before, after = seams.rims(edges, first, second, is_across=is_across)
        fitting = seams.fit(before, after)
        told = seams.told_overlap(windows, first, second, is_across=is_across)
        overlap = told if told is not None else fitting.overlap if fitting.score >= FITS else 0
        here = seams.fits_at(before, after, overlap) if overlap > 0 else seams.continuity(before, after)
        # Where two tiles do not show the same, their light says nothing about exposure.
        step = seams.step_between(before, after, overlap) if overlap > 0 and here >= GOES_ON else None
        met.append(Seam(first, second, is_across, fitting, here, step))
    return met


def _usual_overlap(met: Sequence[Seam]) -> tuple[int, int]:
    """Give the overlap that most seams have, across and down."""
    usual = []
    for is_across in (True, False):
        here = [s.fit.overlap for s in met if s.is_across == is_across and s.fit.score >= FITS]
        usual.append(Counter(here).most_common(1)[0][0] if here else 0)
    return usual[0], usual[1]


def _overlap_of(windows: Mapping[Cell, Window]) -> tuple[int, int]:
    usual = []
    for is_across in (True, False):
        here = [
            seams.told_overlap(windows, first, second, is_across=across) or 0
            for first, second, across in seams.pairs(sorted(windows))
            if across == is_across
        ]
        usual.append(max(Counter(here).most_common(1)[0][0], 0) if here else 0)
    return usual[0], usual[1]


def _windows(raw: RawSet, cells: Mapping[Cell, Cell], overlap: tuple[int, int]) -> dict[Cell, Window]:
    """Lay named tiles side by side: each row as high, each column as wide as most of its tiles."""
    sizes = {
        cells[cell]: (window.width, window.height)
        for cell in raw.cells
        if (window := raw.window_of(cell)) is not None
    }
    rows, cols = 1 + max(r for r, _ in cells.values()), 1 + max(c for _, c in cells.values())
    usual_width, usual_height = Counter(sizes.values()).most_common(1)[0][0]
    lefts, tops = [0], [0]
    for col in range(cols):
        widths = Counter(width for (_, c), (width, _) in sizes.items() if c == col)
        lefts.append(lefts[-1] + (widths.most_common(1)[0][0] if widths else usual_width) - overlap[0])
    for row in range(rows):
        heights = Counter(height for (r, _), (_, height) in sizes.items() if r == row)
        tops.append(tops[-1] + (heights.most_common(1)[0][0] if heights else usual_height) - overlap[1])
    return {
        (r, c): Window(lefts[c], tops[r], lefts[c] + width - 1, tops[r] + height - 1)
        for (r, c), (width, height) in sizes.items()
    }
