"""Packages sent to client inboxes: asked for, taken up by the engine, stopped, receipted."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import timedelta
from typing import Any

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from drawstring.core.errors import ConflictError, DrawstringError, MissingError
from drawstring.store.models import Package, Sending, now

UNDER_WAY = ("waiting", "sending")

TRIES = 8
"""How often a sending is taken up before it is given up; half a minute to half an hour lie between."""


def ask(session: Session, package: Package, inbox: str, address: str, *, by: str = "") -> Sending:
    """Ask for a package to be sent; one that is under way to that inbox already is given as it is.

    Parameters
    ----------
    inbox, address : str
        What the inbox is called, and where it is.

    Raises
    ------
    ConflictError
        The package is not whole.
    """
    if package.state != "proven":
        raise ConflictError(
            f"The package is {package.state}.", where="package",
            why="A client who gets it would take it for whole.",
            remedy="Go on with its run until every frame is proven.",
        )  # fmt: skip
    # Two who press at once wait for each other here.
    session.execute(select(Package.id).where(Package.id == package.id).with_for_update())
    known = session.scalar(
        select(Sending).where(
            Sending.package_id == package.id, Sending.inbox == inbox, Sending.state.in_(UNDER_WAY)
        )
    )
    if known is not None:
        return known
    made = Sending(package=package, inbox=inbox, address=address, by=by)
    session.add(made)
    session.flush()
    return made


def find_sending(session: Session, number: int) -> Sending:
    """Find a sending.

    Raises
    ------
    MissingError
        There is none of this number.
    """
    found = session.get(Sending, number)
    if found is None:
        raise MissingError(
            f"There is no sending {number}.", where="sending", remedy="Look at the package's page."
        )
    return found


def due(session: Session, *, busy: Iterable[str] = ()) -> list[Sending]:
    """Give one sending for each inbox that is to be taken up now, first ones first.

    Parameters
    ----------
    busy : iterable of str
        Addresses that are being sent to.
    """
    query = (
        select(Sending)
        .where(
            Sending.state.in_(UNDER_WAY), Sending.due_at <= now(), Sending.address.not_in(list(busy) or [""])
        )
        .order_by(Sending.id)
    )
    first: dict[str, Sending] = {}
    for one in session.scalars(query):
        first.setdefault(one.address, one)
    return list(first.values())


def tell(session: Session, number: int, done: int, total: int) -> bool:
    """Note how much has arrived; give whether to go on."""
    query = (
        update(Sending)
        .where(Sending.id == number, Sending.state == "sending")
        .values(done_bytes=done, total_bytes=total)
    )
    return bool(session.execute(query).rowcount)  # type: ignore[attr-defined]


def stop(session: Session, sending: Sending) -> None:
    """Stop a sending; what the inbox has stays there, and sent again it goes on from it.

    Raises
    ------
    ConflictError
        It is at its end.
    """
    if sending.state not in UNDER_WAY:
        raise ConflictError(
            f"It is {sending.state} already.", where="sending", why="There is nothing to stop.",
            remedy="Look at the package's page.",
        )  # fmt: skip
    sending.state, sending.ended_at = "stopped", now()
    session.flush()


def received(sending: Sending, receipt: dict[str, Any]) -> None:
    """Note the inbox's receipt."""
    sending.state, sending.receipt, sending.fault, sending.ended_at = "received", receipt, {}, now()
    sending.done_bytes = sending.total_bytes


def fell(sending: Sending, fault: DrawstringError, *, can_pass: bool) -> None:
    """Note what went wrong: tried again after a while when that may help, else at its end."""
    sending.fault = fault.as_dict()
    sending.tries += 1
    if can_pass and sending.tries < TRIES:
        sending.state = "waiting"
        sending.due_at = now() + timedelta(seconds=min(1800.0, 30.0 * 2.0 ** (sending.tries - 1)))
    else:
        sending.state, sending.ended_at = ("failed" if can_pass else "refused"), now()
