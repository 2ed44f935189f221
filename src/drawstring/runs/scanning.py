"""Folders looked through beside the frames: scans that pages asked for, and folders that are watched.

A scan runs in a thread of the engine, its decoding in reader processes, its progress in the ledger, so pages
stay quick and a scan that was under way when the engine died is simply done again. A watched folder is
scanned when its listing has changed and then stayed the same for a while: a render that is still writing is
left alone.
"""

from __future__ import annotations

import hashlib
import logging
import os
import threading
import time
from collections.abc import Sequence
from contextlib import suppress
from typing import Any

from sqlalchemy.orm import Session, sessionmaker

from drawstring.core.arrivals import scan
from drawstring.core.errors import DrawstringError, SourceError
from drawstring.runs.inbox import remove_leftovers
from drawstring.runs.readers import Readers
from drawstring.store import correcting, scans
from drawstring.store.database import DatabaseAway, unit_of_work
from drawstring.store.facts import scan_to_json
from drawstring.store.models import ScanRow, WatchedFolder, now

log = logging.getLogger(__name__)

TELL_S = 0.4
"""How often progress is written down."""

LOOK_S = 5.0
"""How often watched folders are listed; a change must have stayed the same from one look to the next."""


FILLING_S = 30.0
"""After so long a folder that never rests is scanned while it fills, and again after as long."""

RESTING_S = 2.0
"""In watched folders, files that were written to less than so long ago are not read."""

SWEEP_S = 3600.0
"""How often what hand-ins left unfinished is looked for."""


class Scanning:
    """Does waiting scans one after the other, and looks after watched folders.

    Parameters
    ----------
    sessions : sessionmaker
    readers : Readers
        Of its own: ended by `close`.
    roots : sequence of str
        Folders that may be looked into.
    look_s : float
        How often watched folders are listed.
    """

    def __init__(
        self,
        sessions: sessionmaker[Session],
        readers: Readers,
        roots: Sequence[str],
        *,
        look_s: float = LOOK_S,
    ) -> None:
        self._sessions, self._readers, self._roots = sessions, readers, list(roots)
        self._look_s, self._looked = look_s, 0.0
        self._swept = -SWEEP_S
        self._seen: dict[int, str] = {}
        self._moves: dict[int, float] = {}
        self._thread: threading.Thread | None = None
        self._watcher: threading.Thread | None = None

    def step(self) -> None:
        """Begin the next waiting scan when none is under way, and look at watched folders when it is time."""
        if time.monotonic() - self._looked >= self._look_s and not _is_busy(self._watcher):
            self._looked = time.monotonic()
            # Listing a large folder takes its time, which frames must not wait for.
            self._watcher = threading.Thread(target=self._look, daemon=True)
            self._watcher.start()
        if _is_busy(self._thread):
            return
        with unit_of_work(self._sessions) as session:
            todo = scans.waiting(session)
        if todo:
            self._thread = threading.Thread(target=self._carry_out, args=(todo[0].id,), daemon=True)
            self._thread.start()

    def close(self) -> None:
        """End the readers; a scan under way is left to the next engine."""
        self._readers.close()

    def _carry_out(self, scan_id: int) -> None:
        try:
            resting = min(RESTING_S, self._look_s)
            carry_out_scan(self._sessions, scan_id, self._readers, self._roots, resting_s=resting)
        except DatabaseAway as error:
            log.warning("Scan %s will be done again: %s", scan_id, error)
        except Exception as error:
            log.exception("Scan %s came to a stop", scan_id)
            with suppress(DatabaseAway), unit_of_work(self._sessions) as session:
                scans.came_to_a_stop(session, scan_id, _unexpected(error, "arrivals"))

    def _look(self) -> None:
        try:
            if time.monotonic() - self._swept >= SWEEP_S:
                self._swept = time.monotonic()
                remove_leftovers(self._roots[0])
            with unit_of_work(self._sessions) as session:
                watched = {folder.id: folder.folder for folder in session.query(WatchedFolder)}
            for number, path in watched.items():
                listing = listing_of(path)
                before, self._seen[number] = self._seen.get(number), listing
                if listing == before:
                    self._moves.pop(number, None)
                    self._scan_if_changed(number, listing)
                elif (
                    before is not None
                    and time.monotonic() - self._moves.setdefault(number, time.monotonic()) > FILLING_S
                ):
                    # A folder that fills all night is not waited for: what is whole in it is looked at.
                    self._moves[number] = time.monotonic()
                    self._scan_if_changed(number, listing, is_filling=True)
        except DatabaseAway as error:
            log.warning("Watched folders wait for the database: %s", error)
        except Exception:
            # The next look is a few seconds away; what one folder does must not end the looking.
            log.exception("Watched folders could not be looked at")

    def _scan_if_changed(self, number: int, listing: str, *, is_filling: bool = False) -> None:
        with unit_of_work(self._sessions) as session:
            folder = session.get(WatchedFolder, number)
            if folder is not None and folder.listing != listing:
                # Once it rests it is scanned again, whatever was found while it filled.
                folder.listing = "" if is_filling else listing
                scans.ask(session, folder.show, folder.folder)


def _is_busy(thread: threading.Thread | None) -> bool:
    return thread is not None and thread.is_alive()


def carry_out_scan(
    sessions: sessionmaker[Session], scan_id: int, readers: Readers, roots: Sequence[str], *,
    resting_s: float = 0.0,
) -> None:  # fmt: skip
    """Scan a folder and write down what was found, or why it could not be scanned.

    Parameters
    ----------
    resting_s : float
        How long files of a watched folder must have been left alone to be read.
    """
    with unit_of_work(sessions) as session:
        row = session.get(ScanRow, scan_id)
        if row is None:
            return
        row.state, row.done = "scanning", 0
        folder, show = row.folder, row.show
        patterns, fps, dictionary = list(show.patterns), show.fps, correcting.dictionary_of(show)
        words = dict(show.words)
        is_watched = any(one.folder == folder for one in show.watched)
    last = 0.0

    def told(doing: str, done: int, total: int) -> None:
        nonlocal last
        if time.monotonic() - last < TELL_S and done < total:
            return
        last = time.monotonic()
        news: dict[Any, Any] = {"doing": doing, "done": done, "total": total}
        # Progress may be lost while the database is away; what was found is not.
        with suppress(DatabaseAway), unit_of_work(sessions) as session:
            session.query(ScanRow).filter_by(id=scan_id).update(news)

    try:
        found = scan(
            folder, roots=roots, patterns=patterns, dictionary=dictionary, words=words, fps=fps,
            surveyor=readers.survey,
            recogniser=readers.recognise, layer=readers.lay_out, told=told,
            resting_s=resting_s if is_watched else 0.0,
        )  # fmt: skip
        plain, fault = scan_to_json(found), {}
    except DrawstringError as error:
        plain, fault = {}, error.as_dict()
    except Exception as error:
        # A scan that ends unanswered would be done again and again, and hold up all others.
        log.exception("Scan %s of %s failed", scan_id, folder)
        plain, fault = {}, _unexpected(error, folder).as_dict()
    try:
        _end(sessions, scan_id, plain, fault)
    except DatabaseAway:
        raise
    except Exception as error:
        # What was found can't be kept as it is: that is said, rather than found again and again.
        log.exception("What scan %s of %s found could not be kept", scan_id, folder)
        _end(sessions, scan_id, {}, _unexpected(error, folder).as_dict())


def _end(sessions: sessionmaker[Session], scan_id: int, plain: dict[str, Any], fault: dict[str, str]) -> None:
    with unit_of_work(sessions) as session:
        row = session.get(ScanRow, scan_id)
        if row is not None:
            row.result, row.fault = plain, fault
            row.state, row.ended_at = ("failed" if fault else "done"), now()


def _unexpected(error: Exception, folder: str) -> SourceError:
    return SourceError(
        f"The scan came to a stop: {type(error).__name__}: {error}", where=folder,
        why="Nothing of this folder was taken over; what was accepted before is as it was.",
        remedy="Scan again; if it stops again, the engine's log says where.",
    )  # fmt: skip


def listing_of(folder: str) -> str:
    """Digest the names, sizes and times of a folder's files; empty when it can't be read."""
    digest = hashlib.sha256()
    count = 0
    for place, folders, names in os.walk(folder):
        folders.sort()
        for name in sorted(names):
            try:
                status = os.stat(os.path.join(place, name))
            except OSError:
                continue
            digest.update(f"{place}/{name}:{status.st_size}:{status.st_mtime_ns}\n".encode())
            count += 1
    return digest.hexdigest()[:32] if count else ""
