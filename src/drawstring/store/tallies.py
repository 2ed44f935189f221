"""How all shots of a show stand, each in a few numbers: what lists of thousands are sorted and found by.

What a shot's findings follow from is named by a short text that the database puts together; only shots whose
text has changed are worked out anew. So two thousand shots cost one query, and those that moved.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum
from typing import Any, NamedTuple

from sqlalchemy import Select, String, cast, func, literal_column, select
from sqlalchemy.dialects.postgresql import aggregate_order_by
from sqlalchemy.orm import Session

from drawstring.core.findings import Finding
from drawstring.store.ledger import UNDER_WAY
from drawstring.store.models import (
    Delivery,
    Dismissal,
    Measurement,
    OrderedShot,
    OrderRow,
    OwedPiece,
    Package,
    Revision,
    Run,
    Shot,
    Show,
)
from drawstring.store.standing import ShotStanding, shots_of, standings

MOST_KEPT = 20_000
"""Tallies kept in memory."""

AT_ONCE = 200
"""Shots that are worked out with one set of queries."""


@dataclass(frozen=True)
class Away:
    """A finding that somebody dismissed, with what was said."""

    finding: Finding
    reason: str
    by: str
    made_at: datetime


class Tally(NamedTuple):
    """How a shot stands, in a few numbers.

    Attributes
    ----------
    shot_id : int
    code, title : str
    state : str
        Names all that the rest follows from.
    is_here : bool
        Whether anything was accepted for it.
    accepted_at : datetime or None
    is_settled : bool
        Whether every knot is settled or not needed.
    findings : tuple of Finding
        The gravest first.
    away : tuple of Away
    stops : int
        How many of the findings stop it.
    counting : str
        How far looking through its frames is.
    is_running, is_packed : bool
        Whether a run is under way, or was ever packed.
    """

    shot_id: int
    code: str
    title: str
    state: str
    is_here: bool
    accepted_at: datetime | None
    is_settled: bool
    findings: tuple[Finding, ...]
    away: tuple[Away, ...]
    stops: int
    counting: str
    is_running: bool
    is_packed: bool


@dataclass(frozen=True)
class _Derived:
    is_settled: bool
    findings: tuple[Finding, ...]
    away: tuple[Away, ...]
    stops: int
    counting: str


_KEPT: dict[tuple[int, str], _Derived] = {}

_BAR = literal_column("'|'", String)


def tallies(session: Session, show: Show) -> list[Tally]:
    """Tell how all shots of a show stand, by their codes."""
    running = set(
        session.scalars(
            select(Run.shot_id).join(Shot).where(Shot.show_id == show.id, Run.state.in_(UNDER_WAY))
        )
    )
    packed = set(
        session.scalars(
            select(Run.shot_id).join(Package).join(Shot).where(Shot.show_id == show.id).distinct()
        )
    )
    # Plain tuples: names cost more to look up, thousands of times, than the rows to read.
    rows = [tuple(row) for row in session.execute(_states(session, show))]
    missing = [shot_id for shot_id, *_, state in rows if (shot_id, state) not in _KEPT]
    if len(_KEPT) + len(missing) > MOST_KEPT:
        _KEPT.clear()
        missing = [row[0] for row in rows]
    if missing:
        states = {shot_id: state for shot_id, *_, state in rows}
        for at in range(0, len(missing), AT_ONCE):
            some = missing[at : at + AT_ONCE]
            for how in standings(session, shots_of(session, show, some)):
                _KEPT[how.shot.id, states[how.shot.id]] = _derived(how)
    found = []
    for shot_id, code, title, accepted_at, state in rows:
        kept = _KEPT.get((shot_id, state))
        if kept is None:
            continue  # it went away between two questions
        found.append(
            Tally(
                shot_id, code, title, state, accepted_at is not None, accepted_at, kept.is_settled,
                kept.findings, kept.away, kept.stops, kept.counting, shot_id in running, shot_id in packed,
            )
        )  # fmt: skip
    return found


def _derived(how: ShotStanding) -> _Derived:
    return _Derived(
        all(knot.is_taut for knot in how.knots),
        tuple(how.all_findings),
        tuple(Away(finding, away.reason, away.by, away.made_at) for finding, away in how.dismissed),
        len(how.stops),
        how.counting,
    )


def _states(session: Session, show: Show) -> Select[Any]:
    """Ask for each shot's code, and for a text that changes whenever its standing may."""
    made = func.concat_ws(":", func.max(Revision.id), cast(func.max(Revision.made_at), String))
    revised = select(made).where(Revision.shot_id == Shot.id).scalar_subquery()
    measured = (
        select(
            func.string_agg(
                func.concat_ws(
                    ":", Measurement.id, Measurement.state, Measurement.done,
                    cast(Measurement.asked_at, String), Measurement.key,
                ),
                aggregate_order_by(_BAR, Measurement.id),
            )
        )
        .where(Measurement.delivery_id == Shot.delivery_id)
        .scalar_subquery()
    )  # fmt: skip
    away = (
        select(func.concat_ws(":", func.count(), cast(func.max(Dismissal.made_at), String)))
        .where(Dismissal.shot_id == Shot.id)
        .scalar_subquery()
    )
    ordered = (
        select(func.max(OrderRow.number))
        .join(OrderedShot, OrderedShot.order_id == OrderRow.id)
        .where(OrderedShot.shot_id == Shot.id)
        .scalar_subquery()
    )
    # What the whole show says counts for every shot of it.
    columns = [cast(column, String) for column in OwedPiece.__table__.columns]
    every = func.string_agg(func.concat_ws(":", *columns), aggregate_order_by(_BAR, OwedPiece.id))
    owed = session.scalar(select(func.md5(every)).where(OwedPiece.show_id == show.id))
    whole = f"{show.scene_unit} {show.fps} {hash(str(show.defaults))} {owed}"
    came = Delivery.digest, cast(Delivery.accepted_at, String), cast(Delivery.passes_at, String)
    state = func.concat_ws(
        "/", whole, Shot.code, Shot.title, Shot.variant, Shot.delivery_id, *came, revised, measured, away,
        ordered,
    )  # fmt: skip
    return (
        select(Shot.id, Shot.code, Shot.title, Delivery.accepted_at, state.label("state"))
        .outerjoin(Delivery, Delivery.id == Shot.delivery_id)
        .where(Shot.show_id == show.id)
        .order_by(Shot.code)
    )


class Which(StrEnum):
    """Which shots a list shows."""

    ALL = "all"
    FINDINGS = "findings"
    STOPPED = "stopped"
    OPEN = "open"
    SETTLED = "settled"
    RUNNING = "running"
    UNPACKED = "unpacked"
    AWAITED = "awaited"


WHICH: dict[Which, tuple[str, Callable[[Tally], bool]]] = {
    Which.ALL: ("all shots", lambda one: True),
    Which.FINDINGS: ("with findings", lambda one: bool(one.findings)),
    Which.STOPPED: ("stopped", lambda one: one.stops > 0),
    Which.OPEN: ("with open knots", lambda one: not one.is_settled),
    Which.SETTLED: ("fully settled", lambda one: one.is_settled),
    Which.RUNNING: ("with a run under way", lambda one: one.is_running),
    Which.UNPACKED: ("never packed", lambda one: one.is_here and not one.is_packed),
    Which.AWAITED: ("nothing arrived", lambda one: not one.is_here),
}
"""What each is called, and whether a shot is one of them."""


class By(StrEnum):
    """By what a list is sorted."""

    CODE = "code"
    ARRIVED = "arrived"
    FINDINGS = "findings"


SORTS = {By.CODE: "by code", By.ARRIVED: "newest arrival first", By.FINDINGS: "gravest findings first"}


def chosen(every: Sequence[Tally], *, words: str = "", which: str = "", by: str = "") -> list[Tally]:
    """Give the shots that a list shows, sorted.

    Parameters
    ----------
    words : str
        Each of its words has to be in the code or the title; upper and lower case are the same.
    which, by : str
        Of `Which` and `By`; the first of each where it is none of them.
    """
    is_one = WHICH[Which(which)][1] if which in list(Which) else None
    asked = words.lower().split()
    some = [one for one in every if is_one is None or is_one(one)]
    if asked:
        some = [
            one for one in some if all(word in f"{one.code} {one.title}".lower() for word in asked)
        ]  # fmt: skip
    if by == By.ARRIVED:
        some.sort(key=lambda one: -one.accepted_at.timestamp() if one.accepted_at else 0.0)
    elif by == By.FINDINGS:
        some.sort(key=lambda one: (-one.stops, -len(one.findings), one.code))
    return some
