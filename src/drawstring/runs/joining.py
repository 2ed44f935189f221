"""Tiles joined beside the frames: one picture at a time, each frame in a process of its own.

A joining that was under way when the engine died is gone on with: frames that are there are whole.
"""

from __future__ import annotations

import os
from collections.abc import Callable

from sqlalchemy.orm import Session, sessionmaker

from drawstring.core.tiles.joining import join
from drawstring.core.tiles.tile_set import TileSet
from drawstring.runs.filling import Beside, fill, make_folder
from drawstring.runs.readers import Readers
from drawstring.store import filling
from drawstring.store.facts import tiles_from_json
from drawstring.store.models import Joining

FRAME_S = 3600.0
"""For how long one frame may be joined."""

FRAME_MB = 2048
"""How much memory joining may take beyond what a warm process holds: bands, and rims to be evened."""


class Joiner(Beside):
    """Joins the pictures that wait.

    Parameters
    ----------
    sessions : sessionmaker
    readers : Readers
        Whose processes do it.
    """

    called = "Joining"

    def __init__(self, sessions: sessionmaker[Session], readers: Readers) -> None:
        super().__init__(sessions)
        self._readers = readers

    def due(self, session: Session) -> int | None:
        """Give the number of what is to be joined next."""
        row = filling.due(session, Joining)
        return row.id if row is not None else None

    def carry_out(self, number: int) -> None:
        """Join a picture's frames, or write down why they can't be joined."""
        carry_out_joining(self._sessions, number, self._readers)


def frame_path(folder: str, tiles: TileSet, frame: int) -> str:
    """Name a joined frame: as the whole picture would be called, with at least four digits."""
    stem, _ = os.path.splitext(tiles.pattern)
    digits = stem.count("#")
    name = stem.replace("#" * digits, f"{frame:0{digits}d}") if digits else stem
    return os.path.join(folder, f"{name}.exr")


def carry_out_joining(sessions: sessionmaker[Session], number: int, readers: Readers) -> None:
    """Join a picture's frames and ask for a scan of them, or write down why they are not there.

    Raises
    ------
    DatabaseAway
        What came of it could not be written down; it is gone on with.
    """

    def join_all(row: Joining, goes_on: Callable[[int], bool]) -> bool:
        tiles, folder = tiles_from_json(row.tiles), row.folder
        make_folder(folder)
        for done, frame in enumerate(tiles.frames):
            if not goes_on(done):
                return False
            path = frame_path(folder, tiles, frame)
            if not os.path.exists(path):
                readers.read(path, join, tiles, frame, path, row.evens, limit_s=FRAME_S, growth_mb=FRAME_MB)
        return goes_on(len(tiles.frames))

    fill(sessions, Joining, number, join_all)
