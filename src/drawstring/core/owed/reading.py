"""The show list read: from a pasted table or CSV, and from an editorial timeline (OpenTimelineIO, EDL)."""

from __future__ import annotations

import csv
import io
import re
from dataclasses import dataclass
from typing import Any

from drawstring.core.errors import SettingError
from drawstring.core.owed.piece import MOST_PIECES, Piece, doubled, piece_from

COLUMNS = ("shot", "variant", "view", "title", "frames", "size", "passes", "due", "note")

_CALLED = {
    "shot": "shot", "code": "shot", "name": "shot", "variant": "variant", "version": "variant", "view":
    "view",
    "camera": "view", "eye": "view", "title": "title", "description": "title", "frames": "frames",
    "range": "frames", "first": "first", "start": "first", "in": "first", "last": "last", "end": "last",
    "out": "last", "size": "size", "resolution": "size", "passes": "passes", "pieces": "passes", "due": "due",
    "deadline": "due", "note": "note", "notes": "note", "comment": "note",
}  # fmt: skip
"""What columns are called elsewhere."""


@dataclass(frozen=True)
class ReadList:
    """A list as it was read, and what is worth knowing of it."""

    pieces: tuple[Piece, ...]
    notes: tuple[str, ...] = ()


def read_table(text: str) -> ReadList:
    """Read a pasted table or CSV.

    Commas, semicolons or tabs; with a first row of names, or in `COLUMNS`' order.

    Raises
    ------
    SettingError
        A row can't be read, a piece is in it twice, or it is empty.
    """
    plain = text.replace("\ufeff", "").replace("\r\n", "\n").replace("\r", "\n")
    lines = [line for line in plain.split("\n") if line.strip()]
    if not lines:
        raise SettingError(
            "The list is empty.", where="list", why="The list was not changed.",
            remedy="Paste a row for each piece: shot, variant, view, title, frames, size, passes, due, note.",
        )  # fmt: skip
    mark = max("\t;,", key=lines[0].count)
    try:
        table = list(csv.reader(io.StringIO("\n".join(lines)), delimiter=mark, strict=True))
    except csv.Error as error:
        raise SettingError(
            f"This is no table: {error}.", where="list", why="The list was not changed.",
            remedy="Check its quotes.",
        ) from error  # fmt: skip
    names = [_CALLED.get(cell.strip().lower(), "") for cell in table[0]]
    has_names = "shot" in names
    rows = table[1:] if has_names else table
    strange = [cell.strip() for cell, name in zip(table[0], names, strict=True) if not name and cell.strip()]
    if not has_names:
        names = list(COLUMNS)
        if len(table[0]) > len(COLUMNS):
            raise SettingError(
                f"A row has {len(table[0])} cells; there are {len(COLUMNS)} columns.", where="list, row 1",
                why="The list was not changed.", remedy=f"The columns are {', '.join(COLUMNS)}.",
            )  # fmt: skip
    if len(rows) > MOST_PIECES:
        raise SettingError(
            f"These are more than {MOST_PIECES} pieces.", where="list", why="The list was not changed.",
            remedy="Make several shows of it.",
        )  # fmt: skip
    pieces = [
        piece_from(dict(zip(names, cells, strict=False)), f"list, row {place}")
        for place, cells in enumerate(rows, start=2 if has_names else 1)
    ]
    _refuse_doubles(pieces)
    notes = (
        [f"Columns that nobody knows were left out: {', '.join(strange)}."] if has_names and strange else []
    )
    return ReadList(tuple(pieces), tuple(notes))


def _refuse_doubles(pieces: list[Piece]) -> None:
    twice = doubled(pieces)
    if twice:
        raise SettingError(
            f"In it twice: {', '.join(twice[:6])}.", where="list", why="It would not be clear which one "
            "counts.",
            remedy="Keep one row of each, or give them variants or views.",
        )  # fmt: skip


def read_timeline(data: bytes, name: str, *, fps: float, starts_at: int = 1001) -> ReadList:
    """Read an editorial timeline: a piece for each shot of its picture tracks.

    A clip's code is the first word of its name that looks like a shot's; its frames are those of its source
    where the source's own numbers are frame numbers, else they are counted from `starts_at`.

    Parameters
    ----------
    data : bytes
    name : str
        Of the file: its ending says what it is (.otio, .edl).
    fps : float
        The show's rate.
    starts_at : int
        First frame of a shot whose timeline tells only its length.

    Raises
    ------
    SettingError
        It can't be read, or has no shot.
    """
    import opentimelineio as otio

    ending = name.rpartition(".")[2].lower()
    adapters = {"otio": "otio_json", "json": "otio_json", "edl": "cmx_3600"}
    if ending not in adapters:
        raise SettingError(
            f"A timeline called {name[-60:]} can't be read.", where="timeline", why="The list was not "
            "changed.",
            remedy="Give OpenTimelineIO (.otio) or an EDL (.edl).",
        )  # fmt: skip
    options: dict[str, Any] = {"rate": fps} if ending == "edl" else {}
    try:
        text = data.decode("utf-8-sig", errors="strict")
        read = otio.adapters.read_from_string(text, adapters[ending], **options)
        timelines = [read] if isinstance(read, otio.schema.Timeline) else list(read)
        clips = [clip for timeline in timelines for clip in _clips(otio, timeline)]
    except Exception as error:  # the library raises whatever its parts do
        raise SettingError(
            f"The timeline can't be read: {str(error)[:160] or type(error).__name__}.", where="timeline",
            why="The list was not changed.", remedy="Export it again as OpenTimelineIO or EDL.",
        ) from error  # fmt: skip
    return _pieces_of(clips, fps=fps, starts_at=starts_at)


@dataclass(frozen=True)
class _Clip:
    name: str
    first: float
    frames: int
    rate: float
    speed: float
    is_gap_before: bool


def _clips(otio: Any, timeline: Any) -> list[_Clip]:
    told = []
    for track in timeline.video_tracks():
        is_gap = False
        for item in track:
            if isinstance(item, otio.schema.Gap):
                is_gap = item.duration().value > 0
                continue
            if not isinstance(item, otio.schema.Clip):
                continue
            reach = item.trimmed_range()
            speeds = [e.time_scalar for e in item.effects if isinstance(e, otio.schema.LinearTimeWarp)]
            told.append(
                _Clip(
                    item.name or getattr(item.media_reference, "name", "") or "", reach.start_time.value,
                    round(reach.duration.value), reach.duration.rate, speeds[0] if speeds else 1.0, is_gap,
                )
            )  # fmt: skip
            is_gap = False
    return told


def _pieces_of(clips: list[_Clip], *, fps: float, starts_at: int) -> ReadList:
    notes = []
    by_code: dict[str, list[_Clip]] = {}
    for clip in clips:
        match = re.search(r"[A-Za-z]+[A-Za-z0-9\-]*\d[A-Za-z0-9\-]*", clip.name)
        if match is None:
            notes.append(f"A clip called “{clip.name[:40] or 'nothing'}” names no shot and was left out.")
            continue
        by_code.setdefault(match[0][:40], []).append(clip)
    if not by_code:
        raise SettingError(
            "No clip of the timeline names a shot.", where="timeline", why="The list was not changed.",
            remedy="Name its clips by the shots' codes, such as TW010.",
        )  # fmt: skip
    if any(clip.is_gap_before for clip in clips):
        notes.append("There are gaps in the cut: nothing is owed for them.")
    pieces = []
    for code, several in by_code.items():
        rates = sorted({clip.rate for clip in several if abs(clip.rate - fps) > 0.01})
        if rates:
            notes.append(
                f"{code} is cut at {rates[0]:g} frames a second; the show has {fps:g}: its frames are turned."
            )
        retimed = [clip for clip in several if abs(clip.speed - 1) > 1e-6]
        if retimed:
            notes.append(
                f"{code} is played at {100 * retimed[0].speed:.4g} %: the frames it needs are counted."
            )
        ends = [_ends(clip, fps) for clip in several]
        first, last = min(a for a, _ in ends), max(b for _, b in ends)
        if first >= 86400:  # a time of day, not a frame's number
            first, last = starts_at, starts_at + last - first
        elif first < 1:
            first, last = starts_at, starts_at + last - first
        pieces.append(Piece(code, first=first, last=last))
    return ReadList(tuple(pieces), tuple(notes))


def _ends(clip: _Clip, fps: float) -> tuple[int, int]:
    """Give the first and last frame that a clip needs, at the show's rate."""
    turned = fps / clip.rate
    count = max(1, round(clip.frames * turned * abs(clip.speed or 1.0)))
    first = round(clip.first * turned)
    return first, first + count - 1
