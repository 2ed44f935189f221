"""Tiles joined beside the frames: one picture at a time, each frame in a process of its own.

A joining that was under way when the engine died is gone on with: frames that are there are whole.
"""

from __future__ import annotations

import logging
import os
import threading
from collections.abc import Callable

from sqlalchemy.orm import Session, sessionmaker

from drawstring.core.errors import DrawstringError
from drawstring.core.io.writing import in_words, remove_unfinished
from drawstring.core.tiles.joining import join
from drawstring.core.tiles.tile_set import TileSet
from drawstring.runs.readers import Readers
from drawstring.store import joinings, scans
from drawstring.store.database import DatabaseAway, unit_of_work
from drawstring.store.facts import tiles_from_json
from drawstring.store.models import Joining, now

log = logging.getLogger(__name__)

FRAME_S = 3600.0
"""For how long one frame may be joined."""

FRAME_MB = 2048
"""How much memory joining may take beyond what a warm process holds: bands, and rims to be evened."""


class Joiner:
    """Joins the pictures that wait.

    Parameters
    ----------
    sessions : sessionmaker
    readers : Readers
        Whose processes do it.
    """

    def __init__(self, sessions: sessionmaker[Session], readers: Readers) -> None:
        self._sessions, self._readers = sessions, readers
        self._thread: threading.Thread | None = None

    def step(self) -> None:
        """Take up what is due."""
        if self._thread is not None and self._thread.is_alive():
            return
        with unit_of_work(self._sessions) as session:
            row = joinings.due(session)
            number = row.id if row is not None else None
        if number is not None:
            self._thread = threading.Thread(target=self._carry_out, args=(number,), daemon=True)
            self._thread.start()

    def _carry_out(self, number: int) -> None:
        try:
            carry_out_joining(self._sessions, number, self._readers)
        except DatabaseAway as error:
            log.warning("Joining %s will be gone on with: %s", number, error)


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
    with unit_of_work(sessions) as session:
        row = session.get(Joining, number)
        if row is None or row.state not in joinings.UNDER_WAY:
            return
        row.state = "joining"
        tiles, folder, evens = tiles_from_json(row.tiles), row.folder, row.evens

    def goes_on(done: int) -> bool:
        with unit_of_work(sessions) as session:
            return joinings.tell(session, number, done)

    fault = DrawstringError("")
    try:
        if not _join_all(tiles, folder, evens, readers, goes_on):
            return
    except DatabaseAway:
        raise
    except DrawstringError as error:
        fault = error
    except Exception as error:
        log.exception("Joining %s failed", number)
        fault = DrawstringError(
            f"The tiles could not be joined: {type(error).__name__}: {error}.", where=tiles.pattern,
            why="The tiles are as they were.", remedy="Join them again; the engine's log tells more.",
        )  # fmt: skip
    with unit_of_work(sessions) as session:
        row = session.get(Joining, number, with_for_update=True)
        if row is None or row.state != "joining":
            return
        row.ended_at = now()
        if fault.what:
            row.state, row.fault = "failed", fault.as_dict()
        else:
            row.state, row.done = "done", row.total
            row.scan_id = scans.ask(session, row.show, folder).id


def _join_all(
    tiles: TileSet, folder: str, evens: bool, readers: Readers, goes_on: Callable[[int], bool]
) -> bool:
    """Join every frame that is not there yet; give False when somebody stopped it."""
    with in_words(folder):
        os.makedirs(folder, exist_ok=True)
        remove_unfinished(folder)
    for done, frame in enumerate(tiles.frames):
        if not goes_on(done):
            return False
        path = frame_path(folder, tiles, frame)
        if not os.path.exists(path):
            readers.read(path, join, tiles, frame, path, evens, limit_s=FRAME_S, growth_mb=FRAME_MB)
    return goes_on(len(tiles.frames))
