"""Packages sent beside the frames: what pages and programs asked for, one at a time to each inbox.

A sending runs in a thread of the engine, its progress in the ledger. One that was under way when the engine
died is taken up by the next: the inbox knows how much of each file it has.
"""

from __future__ import annotations

import logging
import threading
import time
from contextlib import suppress

from sqlalchemy.orm import Session, sessionmaker

from drawstring.core.errors import ConflictError, DrawstringError, MissingError, OutputError
from drawstring.runs.handoff.looking import make_review
from drawstring.runs.handoff.report import make_report
from drawstring.runs.handoff.sending import TRIES, send_package
from drawstring.store import sendings
from drawstring.store.database import DatabaseAway, unit_of_work
from drawstring.store.models import Sending
from drawstring.store.standing import standing
from drawstring.store.telling import package_name

log = logging.getLogger(__name__)

TELL_S = 0.4
"""How often progress is written down."""


class _StoppedError(Exception):
    """Somebody stopped it, or another engine ended it."""


class Sender:
    """Sends what waits, each inbox in a thread of its own, so that a slow one holds up no other.

    Parameters
    ----------
    sessions : sessionmaker
    """

    def __init__(self, sessions: sessionmaker[Session]) -> None:
        self._sessions = sessions
        self._threads: dict[str, threading.Thread] = {}

    def step(self) -> None:
        """Take up what is due."""
        self._threads = {address: one for address, one in self._threads.items() if one.is_alive()}
        with unit_of_work(self._sessions) as session:
            todo = [(one.id, one.address) for one in sendings.due(session, busy=self._threads)]
        for number, address in todo:
            thread = threading.Thread(target=self._carry_out, args=(number,), daemon=True)
            self._threads[address] = thread
            thread.start()

    def _carry_out(self, number: int) -> None:
        try:
            carry_out_sending(self._sessions, number)
        except DatabaseAway as error:
            log.warning("Sending %s will be taken up again: %s", number, error)


def carry_out_sending(sessions: sessionmaker[Session], number: int, *, tries: int = TRIES) -> None:
    """Send a package and write down its receipt, or why there is none.

    Parameters
    ----------
    tries : int
        How often in a row one file may be cut off, before the sending is put off.

    Raises
    ------
    DatabaseAway
        What came of it could not be written down; sent again, it ends the same.
    """
    with unit_of_work(sessions) as session:
        row = session.get(Sending, number)
        if row is None or row.state not in sendings.UNDER_WAY:
            return
        row.state = "sending"
        address, folder, name = row.address, row.package.folder, package_name(row.package)
        findings = standing(session, row.package.run.shot).all_findings
    for make in (lambda: make_report(folder, findings=findings), lambda: make_review(folder)):
        # Mostly they are there. Who sends at once should not send without; else they are no reason to stay.
        with suppress(ConflictError, OutputError, MissingError):
            make()
    last = 0.0

    def told(done: int, total: int) -> None:
        nonlocal last
        if time.monotonic() - last < TELL_S and done < total:
            return
        last = time.monotonic()
        # Progress may be lost while the database is away; the receipt is not.
        with suppress(DatabaseAway):
            with unit_of_work(sessions) as session:
                goes_on = sendings.tell(session, number, done, total)
            if not goes_on:
                raise _StoppedError

    def waited(seconds: float) -> None:
        until = time.monotonic() + seconds
        while (left := until - time.monotonic()) > 0:
            time.sleep(min(1.0, left))
            with suppress(DatabaseAway):
                with unit_of_work(sessions) as session:
                    row = session.get(Sending, number)
                if row is None or row.state != "sending":
                    raise _StoppedError

    try:
        receipt, fault = send_package(folder, address, name, on_bytes=told, tries=tries, wait=waited), None
    except _StoppedError:
        return
    except DrawstringError as error:
        receipt, fault = {}, error
    except Exception as error:
        # One that ends unanswered would be sent again and again, and hold up all others to its inbox.
        log.exception("Sending %s to %s failed", number, address)
        receipt, fault = {}, _unexpected(error, address)
    with unit_of_work(sessions) as session:
        row = session.get(Sending, number, with_for_update=True)
        if row is None or row.state != "sending":
            return
        if fault is None:
            sendings.received(row, receipt)
        else:
            sendings.fell(row, fault, can_pass=isinstance(fault, OutputError))


def _unexpected(error: Exception, address: str) -> DrawstringError:
    return DrawstringError(
        f"The inbox answered in a way that can't be read: {type(error).__name__}: {error}.", where=address,
        why="It is not known whether the package arrived whole.",
        remedy="Send it again: what is there is not sent twice. If it stops again, ask the client.",
    )  # fmt: skip
