"""How all shots of a show stand, each in a few numbers: what lists of thousands are sorted and found by.

What a shot's findings follow from is named by a short text that the database puts together; only shots whose
text has changed are worked out anew. So two thousand shots cost a few queries, and those that moved.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum
from typing import Any, NamedTuple

from sqlalchemy import (
    BigInteger,
    ColumnElement,
    Select,
    String,
    case,
    cast,
    func,
    literal,
    literal_column,
    select,
    union_all,
)
from sqlalchemy.dialects.postgresql import aggregate_order_by
from sqlalchemy.orm import InstrumentedAttribute, Session

from drawstring.core.findings import Finding
from drawstring.store.ledger import UNDER_WAY
from drawstring.store.models import (
    Base,
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
    rows, running, packed = _states(session, show)
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


def _states(
    session: Session, show: Show
) -> tuple[list[tuple[int, str, str, datetime | None, str]], Collection[int], Collection[int]]:
    """Give each shot's number, code, title and arrival, and a text that changes whenever its standing may.

    And which shots have a run under way, and which were packed.

    Which transaction wrote a row (`xmin`) tells whether it changed, and is no work to compare. What this
    transaction wrote itself it may have written twice: that is never taken as known.

    Sums are laid behind each other, not joined: PostgreSQL would hold every row of one against every row of
    the others until it has counted the tables that grew (autovacuum, up to a minute later), which takes a
    fifth of a second for four hundred shots and twenty-five times that for two thousand.
    """
    # What the whole show says counts for every shot of it.
    columns = [cast(column, String) for column in OwedPiece.__table__.columns]
    every = func.string_agg(func.concat_ws(":", *columns), aggregate_order_by(_BAR, OwedPiece.id))
    said = select(func.md5(every)).where(OwedPiece.show_id == show.id).scalar_subquery()
    owed, own = session.execute(select(said, func.pg_current_xact_id_if_assigned())).one()
    whole = f"{show.scene_unit} {show.fps} {hash(str(show.defaults))} {owed}"
    since = int(str(own)) & 0xFFFF_FFFF if own is not None else None
    those = select(Shot.id).where(Shot.show_id == show.id)
    theirs = select(Shot.delivery_id).where(Shot.show_id == show.id)
    ordered = (
        select(OrderedShot.shot_id, cast(func.max(OrderRow.number), String))
        .join(OrderRow, OrderedShot.order_id == OrderRow.id)
        .where(OrderedShot.shot_id.in_(those))
        .group_by(OrderedShot.shot_id)
    )
    runs = select(Run.shot_id, literal("")).where(Run.shot_id.in_(those)).distinct()
    about: dict[str, Select[int, str]] = {
        "revised": _versions(Revision, Revision.shot_id, those, since),
        "away": _versions(Dismissal, Dismissal.shot_id, those, since),
        "measured": _versions(Measurement, Measurement.delivery_id, theirs, since),
        "ordered": ordered,
        "running": runs.where(Run.state.in_(UNDER_WAY)),
        "packed": runs.join(Package),
    }
    by: dict[str, dict[int, str]] = {what: {} for what in about}
    laid = union_all(*(select(literal(what), *each.subquery().c) for what, each in about.items()))
    for what, of, version in session.execute(laid):
        by[what][of] = version
    version = func.concat_ws("/", _version(Shot, since), Delivery.id, _version(Delivery, since))
    shots = (
        select(Shot.id, Shot.code, Shot.title, Delivery.accepted_at, Shot.delivery_id, version)
        .outerjoin(Delivery, Delivery.id == Shot.delivery_id)
        .where(Shot.show_id == show.id)
        .order_by(Shot.code)
    )
    rows = [
        (
            shot_id, code, title, accepted_at,
            f"{whole}/{version}/{by['revised'].get(shot_id)}/{by['measured'].get(delivery_id)}"
            f"/{by['away'].get(shot_id)}/{by['ordered'].get(shot_id)}",
        )
        # Plain tuples: names cost more to look up, thousands of times, than the rows to read.
        for shot_id, code, title, accepted_at, delivery_id, version in map(tuple, session.execute(shots))
    ]  # fmt: skip
    return rows, by["running"], by["packed"]


def _version(table: type[Base], since: int | None) -> ColumnElement[int]:
    """Ask which transaction wrote a row as it stands; of one that this one may have written, anything."""
    written = cast(cast(literal_column(f"{table.__tablename__}.xmin"), String), BigInteger)
    if since is None:
        return written
    return case((written >= since, cast(func.random() * (1 << 52), BigInteger)), else_=written)


def _versions(
    table: type[Base], of: InstrumentedAttribute[int], those: Select[Any], since: int | None
) -> Select[int, str]:
    """Ask for a text that changes whenever rows of a shot, or of its delivery, do: for all at once."""
    # Every change makes the sum larger, and what is new has a number that was never given.
    newest: ColumnElement[int] = func.max(literal_column(f"{table.__tablename__}.id"))
    version = func.concat_ws(":", func.count(), newest, func.sum(_version(table, since)))
    return select(of, version).where(of.in_(those)).group_by(of)


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
