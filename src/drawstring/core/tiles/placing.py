"""Where each tile lies in the whole picture, and what is wrong with it: from headers and along the seams."""

from __future__ import annotations

import itertools
import os
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from drawstring.core.camera import camera_of
from drawstring.core.errors import DrawstringError
from drawstring.core.findings import Finding, Severity, gravest_first
from drawstring.core.io.facts import ChannelRef, FileFacts, Window, union
from drawstring.core.io.pixels import read_channels
from drawstring.core.passes.recognition import recognise
from drawstring.core.passes.roles import LIT_ROLES, Role
from drawstring.core.tiles import seams
from drawstring.core.tiles.seams import FITS, Edges, Plane, Seam
from drawstring.core.tiles.sets import Cell, RawSet, layouts_by_cell, numbered

STEP_STOPS = 0.02
"""A smaller difference in exposure is not seen, and may be noise."""

GOES_ON = 0.5
"""Share of contrast that has to go away at a seam of tiles that show one picture."""

SURE = 0.04
"""By how much one order of rows and columns has to fit better than all others."""


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


def lay_out(raw: RawSet) -> TileSet:
    """Lay tiles out as one picture and look along their seams.

    Raises
    ------
    DrawstringError
        No header of the frame that is looked at can be read.
    """
    facts = layouts_by_cell(raw)
    findings = _files(raw)
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
        findings += _overlap_findings(met, {True: overlap[0], False: overlap[1]}, raw)
    else:
        overlap = _overlap_of(windows)
        findings += _window_findings(met, windows, raw)
    stops = seams.exposures(sorted(windows), met)
    findings += _exposure_findings(met, stops, raw) + _camera_findings(by_cell, raw)
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
    findings += _missing(whole)
    return replace(whole, findings=tuple(gravest_first(findings)))


def _finding(code: str, severity: Severity, what: str, raw: RawSet, why: str, remedy: str) -> Finding:
    frame = raw.frame if "#" in raw.pattern else None
    return Finding(code, severity, what, raw.pattern, why, remedy, frame=frame)


def _files(raw: RawSet) -> list[Finding]:
    """Tell files that can't be read, come twice, or are of another kind than the others."""
    findings = []
    formats = {facts.kind for path in raw.paths if (facts := raw.facts_of(path)) is not None}
    if formats - {"openexr"}:
        findings.append(
            _finding(
                "tiles-format", Severity.STOPS,
                f"These tiles are {', '.join(sorted(formats)).upper()} files.", raw,
                "Joined into OpenEXR, their display values would be taken for light.",
                "Render the tiles as OpenEXR; or say that they are no tiles, and bring them in one by one.",
            )
        )  # fmt: skip
    usual = Counter(_kind(facts) for path in raw.paths if (facts := raw.facts_of(path)) is not None)
    first = raw.cells[0]
    for number, tiles in sorted(raw.frames.items()):
        at = f" of frame {number}" if "#" in raw.pattern else ""
        for cell, paths in sorted(tiles.items()):
            name = os.path.basename(paths[0])
            where = place_says((cell[0] - first[0], cell[1] - first[1])) if raw.by_windows else name
            if len(paths) > 1:
                findings.append(
                    _finding(
                        "tile-doubled", Severity.STOPS,
                        f"{len(paths)} files are the tile in {where}{at}: "
                        f"{', '.join(map(os.path.basename, paths))}.",
                        raw, "One of them is old or wrong, and nothing tells which.",
                        "Take the wrong one out of the folder and scan again.",
                    )
                )  # fmt: skip
            facts = raw.facts_of(paths[0])
            if facts is None:
                fault = (raw.files[paths[0]].fault or {}).get("what", "It can't be read.")
                findings.append(
                    _finding(
                        "tile-unreadable", Severity.STOPS, f"The tile {name} can't be used. {fault}", raw,
                        "The picture would have a hole there.", "Render or copy this tile again; scan again.",
                    )
                )  # fmt: skip
            elif usual and (told := _unlike(facts, usual.most_common(1)[0][0])):
                findings.append(
                    _finding(
                        "tile-differs", Severity.STOPS, f"The tile {name} {told} than the others.", raw,
                        "One picture has one set of channels, of one type.",
                        "Render this tile again with the settings of the others.",
                    )
                )  # fmt: skip
    return findings


_Kind = tuple[object, float, tuple[int, int] | None]


def _kind(facts: FileFacts) -> _Kind:
    channels = tuple(
        (part.name, tuple((channel.name, channel.pixel_type) for channel in part.channels))
        for part in facts.parts
    )
    return (facts.kind, channels), facts.parts[0].pixel_aspect, None


def _unlike(facts: FileFacts, usual: _Kind) -> str:
    kind, aspect, _ = _kind(facts)
    if kind != usual[0]:
        return "has other channels or types"
    return "has another pixel aspect" if abs(aspect - usual[1]) > 1e-3 else ""


def _edges(facts: Mapping[Cell, FileFacts], findings: list[Finding], raw: RawSet) -> dict[Cell, Edges]:
    edges = {}
    for cell, known in facts.items():
        try:
            edges[cell] = seams.edges_of(light_of(known))
        except DrawstringError as refusal:
            findings.append(
                _finding(
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
        _finding(
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
        _finding(
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
        told = _told(windows, first, second, is_across=is_across)
        overlap = told if told is not None else fitting.overlap if fitting.score >= FITS else 0
        here = seams.fits_at(before, after, overlap) if overlap > 0 else seams.continuity(before, after)
        # Where two tiles do not show the same, their light says nothing about exposure.
        step = seams.step_between(before, after, overlap) if overlap > 0 and here >= GOES_ON else None
        met.append(Seam(first, second, is_across, fitting, here, step))
    return met


def _told(windows: Mapping[Cell, Window], first: Cell, second: Cell, *, is_across: bool) -> int | None:
    """Give by how much two tiles overlap, by their windows; below 0 there is a gap."""
    if first not in windows or second not in windows:
        return None
    a, b = windows[first], windows[second]
    return a.x_max - b.x_min + 1 if is_across else a.y_max - b.y_min + 1


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
            _told(windows, first, second, is_across=across) or 0
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


def _overlap_findings(met: Sequence[Seam], usual: Mapping[bool, int], raw: RawSet) -> list[Finding]:
    """Tell seams of named tiles that overlap otherwise than most."""
    return [
        _wrong_overlap(seam, usual[seam.is_across], "most tiles", raw)
        for seam in met
        if seam.fit.score >= FITS and abs(seam.fit.overlap - usual[seam.is_across]) > 1
    ]


def _window_findings(met: Sequence[Seam], windows: Mapping[Cell, Window], raw: RawSet) -> list[Finding]:
    """Tell seams at which the picture says otherwise than the windows do."""
    findings = []
    usual = float(np.median([seam.here for seam in met])) if met else 0.0
    for seam in met:
        told = _told(windows, seam.first, seam.second, is_across=seam.is_across) or 0
        between = f"between {place_says(seam.first)} and {place_says(seam.second)}"
        if told < 0:
            findings.append(
                _finding(
                    "tile-gap", Severity.WARNS, f"There are {-told} px without any tile {between}.", raw,
                    "They would stay black.", "Render the tiles so that they touch or overlap.",
                )
            )  # fmt: skip
        elif seam.fit.score >= FITS and abs(seam.fit.overlap - told) > 1 and seam.fit.score - seam.here > 0.1:
            findings.append(_wrong_overlap(seam, told, "their windows", raw))
        elif usual >= FITS and -1 < seam.here < GOES_ON:
            findings.append(
                _finding(
                    "tile-broken", Severity.WARNS, f"The picture does not go on {between}.", raw,
                    "One of the two shows another moment, or was taken by another camera.",
                    "Render the tile that does not go on in its other neighbours, too, again.",
                )
            )  # fmt: skip
    return findings


def _wrong_overlap(seam: Seam, told: int, who: str, raw: RawSet) -> Finding:
    return _finding(
        "tile-overlap", Severity.WARNS,
        f"Between {place_says(seam.first)} and {place_says(seam.second)} the picture repeats "
        f"{seam.fit.overlap} px, where {who} have {told} px.",
        raw, "One of the two was rendered with another region: things would be seen twice or broken.",
        "Render the tile that differs from its other neighbours, too, again.",
    )  # fmt: skip


def _exposure_findings(met: Sequence[Seam], stops: Mapping[Cell, float], raw: RawSet) -> list[Finding]:
    """Tell tiles that are lighter or darker than most: by one exposure, or in some of their seams only."""
    said: dict[bool, list[str]] = {True: [], False: []}
    for cell, value in sorted(stops.items()):
        if abs(value) <= STEP_STOPS:
            continue
        # An exposure is the same wherever it is measured: what it leaves of each step is small.
        left = [
            abs(seam.step.stops - (stops[seam.second] - stops[seam.first]))
            for seam in met
            if seam.step is not None and cell in (seam.first, seam.second)
        ]
        said[max(left) < 0.05].append(f"{place_says(cell)} {value:+.2f}")
    spread = float(np.median([seam.step.spread for seam in met if seam.step is not None] or [0.0]))
    findings = []
    if said[True]:
        findings.append(
            _finding(
                "tile-exposure", Severity.WARNS,
                f"Tiles differ in exposure, in stops: {_several(said[True])} (spread {spread:.2f}).", raw,
                "The camera exposed each tile by itself: every seam would be seen.",
                "Switch automatic exposure off and render again, or have them evened when they are joined.",
            )
        )  # fmt: skip
    if said[False]:
        findings.append(
            _finding(
                "tile-light", Severity.WARNS,
                f"Tiles differ in light, and not by one exposure each: {_several(said[False])} "
                f"(spread {spread:.2f}).",
                raw, "Something changed between their renders: lamps, fog, or another frame.",
                "Render them again from one scene and one frame.",
            )
        )  # fmt: skip
    return findings


def _several(said: Sequence[str], most: int = 6) -> str:
    return "; ".join(said[:most]) + (f" and {len(said) - most} more" if len(said) > most else "")


def _camera_findings(facts: Mapping[Cell, FileFacts], raw: RawSet) -> list[Finding]:
    """Tell tiles that another camera took than most: standing or looking otherwise, or with another lens."""
    seen: dict[Cell, tuple[object, ...]] = {}
    for cell, known in facts.items():
        camera = camera_of(known.parts[0].metadata)
        if camera.world_to_camera is not None:
            lens = round(camera.focal_mm, 3) if camera.focal_mm and raw.by_windows else None
            seen[cell] = (tuple(round(value, 4) for value in camera.world_to_camera), lens)
    if len(set(seen.values())) < 2:
        return []
    usual, count = Counter(seen.values()).most_common(1)[0]
    odd = [place_says(cell) for cell, camera in sorted(seen.items()) if camera != usual]
    if count == 1:
        odd = ["every tile has its own"]
    return [
        _finding(
            "tile-camera", Severity.WARNS,
            f"Tiles were taken by different cameras: {'; '.join(odd[:6])}.",
            raw, "Straight lines break at the seams, and nothing downstream can place things in the picture.",
            "Render all tiles with one camera and only its region changed.",
        )
    ]  # fmt: skip


def _missing(whole: TileSet) -> list[Finding]:
    lacking: dict[Cell, list[int]] = {}
    for number in whole.frames:
        for cell in whole.holes(number):
            lacking.setdefault(cell, []).append(number)
    findings = []
    for cell, numbers in lacking.items():
        at = f" of frame {numbers[0]}" if any(whole.frames) else ""
        at += f" and of {len(numbers) - 1} more" if len(numbers) > 1 else ""
        findings.append(
            Finding(
                "tile-missing", Severity.WARNS, f"The tile in {place_says(cell)}{at} is missing.",
                whole.pattern, "The picture has a hole there.",
                "Render it, or have the picture joined with the hole.", frame=numbers[0] or None,
            )
        )  # fmt: skip
    return findings
