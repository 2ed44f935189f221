"""Review movies made beside the frames: one at a time, in a thread of the engine, progress in the ledger.

One that was under way when the engine died is begun anew by the next: nothing of it has its final name.
"""

from __future__ import annotations

import logging
import os
import time
from contextlib import suppress

from sqlalchemy.orm import Session, sessionmaker

from drawstring.core.errors import DrawstringError
from drawstring.runs.filling import Beside
from drawstring.runs.handoff.cut import CutMovie, make_cut
from drawstring.store import reviews
from drawstring.store.database import DatabaseAway, unit_of_work
from drawstring.store.models import Review, now

log = logging.getLogger(__name__)

TELL_S = 0.5
"""How often progress is written down."""


class _StoppedError(Exception):
    """Somebody stopped it."""


class Reviewer(Beside):
    """Makes the review movies that wait.

    Parameters
    ----------
    sessions : sessionmaker
    output : str
        Folder below which packages go.
    """

    called = "Review movie"

    def __init__(self, sessions: sessionmaker[Session], output: str) -> None:
        super().__init__(sessions)
        self._output = output

    def due(self, session: Session) -> int | None:
        """Give the number of the movie to be made next."""
        review = reviews.due(session)
        return review.id if review is not None else None

    def carry_out(self, number: int) -> None:
        """Make a movie, or write down why there is none."""
        carry_out_review(self._sessions, number, self._output)


def carry_out_review(sessions: sessionmaker[Session], number: int, output: str) -> None:
    """Make a review movie and write down where it lies, or why there is none.

    Raises
    ------
    DatabaseAway
        What came of it could not be written down; it is made again.
    """
    with unit_of_work(sessions) as session:
        row = session.get(Review, number)
        if row is None or row.state not in reviews.UNDER_WAY:
            return
        row.state, row.done = "making", 0
        asked = row.asked
        path = os.path.join(output, reviews.file_name(row.show.code, row.version))
    cut = CutMovie(
        asked["folders"], asked["seen"], asked["rate"], asked["burn_in"], asked["sound"],
        asked.get("at_once", False),
    )  # fmt: skip
    last = 0.0

    def told(done: int) -> None:
        nonlocal last
        if time.monotonic() - last < TELL_S:
            return
        last = time.monotonic()
        with suppress(DatabaseAway):
            with unit_of_work(sessions) as session:
                goes_on = reviews.tell(session, number, done)
            if not goes_on:
                raise _StoppedError

    notes, fault = list[str](), DrawstringError("")
    try:
        # One that was whole when the engine died before it could say so is taken as it is.
        if not os.path.exists(path):
            os.makedirs(os.path.dirname(path), exist_ok=True)
            notes = make_cut(path, cut, on_frame=told)
    except _StoppedError:
        return
    except DrawstringError as error:
        fault = error
    except Exception as error:
        log.exception("Review movie %s failed", number)
        fault = DrawstringError(
            f"The movie could not be made: {type(error).__name__}: {error}.", where="review",
            why="There is none to look at.", remedy="Ask for it again; the log tells more.",
        )  # fmt: skip
    with unit_of_work(sessions) as session:
        row = session.get(Review, number, with_for_update=True)
        if row is None or row.state != "making":
            return
        row.ended_at = now()
        if fault.what:
            row.state, row.fault = "failed", fault.as_dict()
        else:
            row.state, row.file, row.notes, row.done = "done", path, list(notes), row.total
