"""Work that fills a folder with frames: found, taken up by the engine, told of, stopped."""

from __future__ import annotations

from typing import TypeVar, cast

from sqlalchemy import CursorResult, select, update
from sqlalchemy.orm import Session

from drawstring.core.errors import ConflictError, MissingError
from drawstring.store.models import Joining, Recording, now

Filling = TypeVar("Filling", Joining, Recording)


def find(session: Session, kind: type[Filling], number: int) -> Filling:
    """Find a joining or a recording.

    Raises
    ------
    MissingError
        There is none of this number.
    """
    row = session.get(kind, number)
    if row is None:
        raise MissingError(
            f"There is no {kind.CALLED} {number}.", where=kind.WHERE, why="It went with its show.",
            remedy="Ask for it again.",
        )  # fmt: skip
    return row


def due(session: Session, kind: type[Filling]) -> Filling | None:
    """Give what is to be done next; what was under way when an engine died is gone on with."""
    query = select(kind).where(kind.state.in_(("waiting", kind.AT_WORK))).order_by(kind.id).limit(1)
    return session.scalar(query)


def tell(session: Session, kind: type[Filling], number: int, done: int) -> bool:
    """Note how many frames are there; give whether to go on."""
    query = update(kind).where(kind.id == number, kind.state == kind.AT_WORK).values(done=done)
    return bool(cast("CursorResult[None]", session.execute(query)).rowcount)


def stop(session: Session, row: Joining | Recording) -> None:
    """Stop it after the frame it is at; whole frames stay.

    Raises
    ------
    ConflictError
        It is at its end.
    """
    if not row.is_under_way:
        raise ConflictError(
            f"It is {row.state} already.", where=row.WHERE, why="There is nothing to stop.",
            remedy="Look at the scan.",
        )  # fmt: skip
    row.state, row.ended_at = "stopped", now()
    session.flush()
