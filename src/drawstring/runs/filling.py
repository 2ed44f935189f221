"""What is done beside the runs: one thing after the other of a kind, in a thread of its own.

What was under way when the engine died is gone on with: frames that are there are whole.
"""

from __future__ import annotations

import logging
import os
import threading
from abc import ABC, abstractmethod
from collections.abc import Callable

from sqlalchemy.orm import Session, sessionmaker

from drawstring.core.errors import DrawstringError
from drawstring.core.io.writing import in_words, remove_unfinished
from drawstring.store import filling, scans
from drawstring.store.database import DatabaseAway, unit_of_work
from drawstring.store.filling import Filling
from drawstring.store.models import now

log = logging.getLogger(__name__)


class Beside(ABC):
    """Takes up what is due of a kind; kinds say what that is and how it is carried out.

    Parameters
    ----------
    sessions : sessionmaker
    """

    called = "Work"

    def __init__(self, sessions: sessionmaker[Session]) -> None:
        self._sessions = sessions
        self._thread: threading.Thread | None = None

    @abstractmethod
    def due(self, session: Session) -> int | None:
        """Give the number of what is due."""

    @abstractmethod
    def carry_out(self, number: int) -> None:
        """Do it, or write down why it can't be done."""

    def step(self) -> None:
        """Take up what is due, when nothing of the kind is under way."""
        if self._thread is not None and self._thread.is_alive():
            return
        with unit_of_work(self._sessions) as session:
            number = self.due(session)
        if number is not None:
            self._thread = threading.Thread(target=self._carry_out, args=(number,), daemon=True)
            self._thread.start()

    def _carry_out(self, number: int) -> None:
        try:
            self.carry_out(number)
        except DatabaseAway as error:
            log.warning("%s %s will be gone on with: %s", self.called, number, error)


def make_folder(path: str) -> None:
    """Make a folder for frames; what a dead engine left half-written there is removed."""
    with in_words(path):
        os.makedirs(path, exist_ok=True)
        remove_unfinished(path)


def fill(
    sessions: sessionmaker[Session],
    kind: type[Filling],
    number: int,
    work: Callable[[Filling, Callable[[int], bool]], bool],
) -> None:
    """Fill a folder with frames and ask for a scan of it, or write down why they are not there.

    Parameters
    ----------
    sessions : sessionmaker
    kind : Joining or Recording
    number : int
    work : callable
        Makes the frames that are not there yet; is given the row, and what to tell how many there are,
        which says whether to go on. Gives False when somebody stopped it.

    Raises
    ------
    DatabaseAway
        What came of it could not be written down; it is gone on with.
    """
    with unit_of_work(sessions) as session:
        row = session.get(kind, number)
        if row is None or not row.is_under_way:
            return
        row.state = kind.AT_WORK
        session.flush()
        session.expunge(row)  # it is read on, outside this unit of work

    def goes_on(done: int) -> bool:
        with unit_of_work(sessions) as session:
            return filling.tell(session, kind, number, done)

    fault: DrawstringError | None = None
    try:
        if not work(row, goes_on):
            return
    except DatabaseAway:
        raise
    except DrawstringError as error:
        fault = error
    except Exception as error:
        log.exception("%s %s failed", kind.CALLED, number)
        fault = DrawstringError(
            f"The {kind.CALLED} failed: {type(error).__name__}: {error}.", where=row.folder,
            why="Frames that are there are whole and stay.",
            remedy="Ask for it again; the engine's log tells more.",
        )  # fmt: skip
    with unit_of_work(sessions) as session:
        ended = session.get(kind, number, with_for_update=True)
        if ended is None or ended.state != kind.AT_WORK:
            return
        ended.ended_at = now()
        if fault is not None:
            ended.state, ended.fault = "failed", fault.as_dict()
        else:
            ended.state, ended.done = "done", ended.total
            ended.scan_id = scans.ask(session, ended.show, ended.folder).id
