"""Which files are tiles of one picture: told by their data windows, or by rows and columns in their names."""

from __future__ import annotations

import itertools
import os
from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping
from collections.abc import Sequence as Sequence_
from dataclasses import dataclass, field, replace

from drawstring.core.arrivals.survey import Survey, Surveyed
from drawstring.core.io.facts import FileFacts, Window, union
from drawstring.core.io.sequences import Sequence, group
from drawstring.core.tiles.names import place_in_name

Cell = tuple[int, int]
"""Row and column."""

LEAST_COVERED = 0.5
"""Share of a display window that windows have to cover before they are taken for its tiles."""

MOST_SHARED = 0.4
"""Share of the smaller of two tiles that both may show."""


@dataclass(frozen=True)
class RawSet:
    """Files that are tiles of one picture, before anything is known of their pixels.

    Attributes
    ----------
    folder, pattern : str
        What the whole picture would be called, `#` for digits of its frame number.
    by_windows : bool
        Whether data windows in one display window say where they lie; else names do.
    is_sure : bool
        Whether names say which number is the row.
    frames : dict of int to dict of Cell to tuple of str
        The files of every tile, as counted in names, or from the top left by windows; 0 for a still.
    files : dict of str to Surveyed
        What is known of each file.
    facts : dict of layout to FileFacts
    """

    folder: str
    pattern: str
    by_windows: bool
    is_sure: bool
    frames: dict[int, dict[Cell, tuple[str, ...]]]
    files: dict[str, Surveyed] = field(default_factory=dict)
    facts: dict[tuple[object, ...], FileFacts] = field(default_factory=dict, repr=False)

    @property
    def cells(self) -> list[Cell]:
        """Every place that any frame has, by row."""
        return sorted({cell for tiles in self.frames.values() for cell in tiles})

    @property
    def paths(self) -> list[str]:
        """All files."""
        return [path for tiles in self.frames.values() for paths in tiles.values() for path in paths]

    @property
    def frame(self) -> int:
        """The frame to look at: one in the middle, of those with most tiles."""
        most = max(len(tiles) for tiles in self.frames.values())
        full = [number for number, tiles in sorted(self.frames.items()) if len(tiles) == most]
        return full[len(full) // 2]

    def facts_of(self, path: str) -> FileFacts | None:
        """Give what a file's header says; None where it can't be read."""
        entry = self.files[path]
        # Files of one layout share the facts of the first of them, whose path they bear.
        facts = self.facts.get(entry.layout) if entry.layout is not None else None
        return facts and replace(facts, path=path, size_bytes=entry.size_bytes, mtime_ns=entry.mtime_ns)

    def window_of(self, cell: Cell) -> Window | None:
        """Give a tile's usual data window."""
        windows = Counter(
            facts.parts[0].data_window
            for tiles in self.frames.values()
            for path in tiles.get(cell, ())[:1]
            if (facts := self.facts_of(path)) is not None
        )
        return windows.most_common(1)[0][0] if windows else None


def find_tiles(
    paths: Iterable[str], survey: Survey, sequences: Sequence_[Sequence] | None = None
) -> tuple[list[RawSet], list[str]]:
    """Take tiles out of what lies in a folder.

    Parameters
    ----------
    paths : iterable of str
    survey : Survey
        Of all of them.
    sequences : sequence of Sequence, optional
        They as `group` groups them, where that was done already.

    Returns
    -------
    sets : list of RawSet
    rest : list of str
        All other paths, in their order.
    """
    paths = list(paths)
    sequences = group(paths) if sequences is None else sequences
    sets = _by_names(paths, sequences)
    taken = {path for one in sets for path in one.paths}
    left = group(path for path in paths if path not in taken) if taken else sequences
    sets += _by_windows(left, survey)
    taken = {path for one in sets for path in one.paths}
    sets = [_with_survey(one, survey) for one in sets]
    return sorted(sets, key=lambda one: (one.folder, one.pattern)), [p for p in paths if p not in taken]


def _with_survey(one: RawSet, survey: Survey) -> RawSet:
    files = {path: survey.files[path] for path in one.paths}
    layouts = {entry.layout for entry in files.values()}
    facts = {layout: facts for layout, facts in survey.facts.items() if layout in layouts}
    told = RawSet(one.folder, one.pattern, one.by_windows, one.is_sure, one.frames, files, facts)
    windows = [told.window_of(cell) for cell in told.cells]
    shown = {known.parts[0].display_window for known in facts.values()}
    # Names say which file is which; where each has its own window of one picture, that says where it lies.
    by_windows = one.by_windows or (
        len(shown) == 1 and None not in windows and len(set(windows)) == len(windows) > 1
        and all(window is not None and window != next(iter(shown)) for window in windows)
    )  # fmt: skip
    return RawSet(one.folder, one.pattern, by_windows, one.is_sure, one.frames, files, facts)


def _by_names(paths: list[str], sequences: Sequence_[Sequence]) -> list[RawSet]:
    # What the name with the lowest number does not say, none of its sequence says.
    might = {
        path
        for one in sequences
        if place_in_name(one.files[0][1]) is not None
        for _, path in (*one.files, *one.duplicates)
    }
    told: dict[str, dict[Cell, list[str]]] = defaultdict(lambda: defaultdict(list))
    sure: dict[str, bool] = {}
    stills: set[str] = set()
    for path in paths:
        place = place_in_name(path) if path in might else None
        if place is not None:
            told[place.whole][place.row, place.col].append(path)
            sure[place.whole] = place.is_sure
            if place.is_still:
                stills.add(place.whole)
    sets = []
    lone = [
        Sequence(os.path.dirname(path), *os.path.splitext(os.path.basename(path)), 0, ((0, path),))
        for path in sorted(stills)
    ]
    for sequence in [*group(sorted(told.keys() - stills)), *lone]:
        members = [(number, told[path], path) for number, path in sequence.files]
        cells = {cell for _, tiles, _ in members for cell in tiles}
        if _is_grid(cells):
            frames = {
                number: {cell: tuple(sorted(several)) for cell, several in tiles.items()}
                for number, tiles, _ in members
            }
            is_sure = all(sure[path] for _, _, path in members)
            sets.append(RawSet(sequence.folder, sequence.pattern, False, is_sure, frames))
    return sets


def _is_grid(cells: set[Cell]) -> bool:
    """Whether numbers look like rows and columns: side by side, and most of them there."""
    rows, cols = {row for row, _ in cells}, {col for _, col in cells}
    area = (max(rows) - min(rows) + 1) * (max(cols) - min(cols) + 1)
    return len(cells) > 1 and 2 * len(cells) > area


def _by_windows(sequences: Sequence_[Sequence], survey: Survey) -> list[RawSet]:
    """Find tiles that only their data windows tell: of stills or sequences that differ in one word."""
    sets: list[RawSet] = []
    alike: dict[tuple[Window, object], list[tuple[Sequence, Window]]] = defaultdict(list)
    for sequence in sequences:
        layouts = [survey.files[path].layout for _, path in sequence.files]
        # Most files share theirs with the others, and to compare it takes longer than to see that.
        known = {
            number: survey.facts[layout]
            for number, layout in {id(layout): layout for layout in layouts}.items()
            if layout is not None and layout in survey.facts
        }
        if not known:
            continue
        facts = list(known.values())
        display = facts[0].parts[0].display_window
        places = [known[id(one)].parts[0].data_window for one in layouts if id(one) in known]
        if len(known) > 1 and len(places) == len(sequence.files) and _tile(places, display):
            # Each file has its own place: what looks like frames are the tiles of one still.
            cells = numbered(places)
            still: dict[Cell, tuple[str, ...]] = {
                cell: (path,) for cell, (_, path) in zip(cells, sequence.files, strict=True)
            }
            stem = sequence.base.rstrip("_-. ") + sequence.extension
            sets.append(RawSet(sequence.folder, stem, True, True, {0: still}))
            continue
        windows = {one.parts[0].data_window for one in facts}
        if len(windows) == 1 and display != facts[0].parts[0].data_window:
            channels = tuple(
                tuple((channel.name, channel.pixel_type) for channel in part.channels)
                for part in facts[0].parts
            )
            key = (sequence.folder, sequence.extension.lower(), sequence.is_still, channels)
            alike[display, key].append((sequence, windows.pop()))
    for (display, _), members in alike.items():
        windows_here = [window for _, window in members]
        if not _tile(windows_here, display):
            continue
        cells = numbered(windows_here)
        frames: dict[int, dict[Cell, tuple[str, ...]]] = defaultdict(dict)
        for cell, (sequence, _) in zip(cells, members, strict=True):
            for number, path in sequence.files:
                frames[number][cell] = (*frames[number].get(cell, ()), path)
        pattern = _shared_name([sequence.pattern for sequence, _ in members])
        sets.append(RawSet(members[0][0].folder, pattern, True, True, dict(frames)))
    return sets


def _tile(windows: list[Window], display: Window) -> bool:
    """Whether windows share a picture out among them: little of it twice, and no small part of it once."""
    if len(windows) < 2 or len(set(windows)) < len(windows):
        return False
    if any(window == display for window in windows):
        return False
    for a, b in itertools.combinations(windows, 2):
        if _shared(a, b) > MOST_SHARED * min(_area(a), _area(b)):
            return False
    whole = union([*windows, display])
    return sum(map(_area, windows)) >= LEAST_COVERED * _area(whole) and _is_grid(set(numbered(windows)))


def _area(window: Window) -> int:
    return window.width * window.height


def _shared(a: Window, b: Window) -> int:
    width = min(a.x_max, b.x_max) - max(a.x_min, b.x_min) + 1
    height = min(a.y_max, b.y_max) - max(a.y_min, b.y_min) + 1
    return max(width, 0) * max(height, 0)


def numbered(windows: Sequence_[Window]) -> list[Cell]:
    """Give each window its row and column; starts that lie closer than half a tile are the same."""

    def numbers(starts: list[int], sides: list[int]) -> list[int]:
        near = sorted(sides)[len(sides) // 2] / 2
        order: list[int] = []
        for start in sorted(set(starts)):
            if not order or start - order[-1] > near:
                order.append(start)
        return [max(i for i, first in enumerate(order) if first <= start) for start in starts]

    rows = numbers([window.y_min for window in windows], [window.height for window in windows])
    cols = numbers([window.x_min for window in windows], [window.width for window in windows])
    return list(zip(rows, cols, strict=True))


def _shared_name(patterns: list[str]) -> str:
    """Give what names have in common, for the picture that they make together.

    Examples
    --------
    >>> _shared_name(["TW090_left_v001.####.exr", "TW090_right_v001.####.exr"])
    'TW090_v001.####.exr'
    """
    stems, endings = zip(*(os.path.splitext(pattern) for pattern in patterns), strict=True)
    before: str = os.path.commonprefix(list(stems))
    before = before[: max(before.rfind(mark) for mark in "_-.") + 1]
    after: str = os.path.commonprefix([stem[len(before) :][::-1] for stem in stems])[::-1]
    starts = [at for mark in "_-." if (at := after.find(mark)) >= 0]
    after = after[min(starts) :] if starts else ""
    name: str = (before.rstrip("_-.") + after or "tiles") + endings[0]
    return name


def layouts_by_cell(raw: RawSet) -> Mapping[Cell, FileFacts]:
    """Give each tile's facts in the frame that is looked at."""
    return {
        cell: facts
        for cell, paths in sorted(raw.frames[raw.frame].items())
        if (facts := raw.facts_of(paths[0])) is not None
    }
