"""Runs in the ledger: found, cancelled, continued, counted. The ledger is the truth about every frame."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Protocol, cast

from sqlalchemy import ARRAY, Integer, Select, any_, case, func, literal, select, update
from sqlalchemy.orm import Session, joinedload, selectinload

from drawstring.core.errors import ConflictError, DrawstringError, MissingError
from drawstring.store.models import Package, Run, RunFrame, Shot, Show, now

UNDER_WAY = ("waiting", "running")
HOLDS = (*UNDER_WAY, "paused")
"""States in which a run keeps its shot from being run again."""


@dataclass(frozen=True)
class Progress:
    """How far a run is.

    Attributes
    ----------
    total, proven, failed : int
        Frames.
    size_bytes : int
        Of the proven files.
    rate : float
        Frames a minute over the last ones; 0 while unknown.
    seconds_left : float or None
        At that rate.
    frame_seconds : float
        A worker's time for a proven frame, on average; 0 while unknown.
    memory_bytes : int
        The most a worker had held; 0 while unknown.
    first, last : int
        Frame numbers; 0 for several runs together.
    """

    total: int
    proven: int
    failed: int
    size_bytes: int
    rate: float
    seconds_left: float | None
    frame_seconds: float = 0.0
    memory_bytes: int = 0
    first: int = 0
    last: int = 0

    @property
    def left(self) -> int:
        """Frames still to be done."""
        return self.total - self.proven - self.failed

    @property
    def share(self) -> float:
        """Done, 0 to 1."""
        return (self.total - self.left) / self.total if self.total else 1.0


@dataclass(frozen=True)
class Span:
    """Neighbouring frames of a run in one state."""

    state: str
    first: int
    last: int
    frames: int


def spans(session: Session, runs: list[Run], counted: Mapping[int, Progress]) -> dict[int, list[Span]]:
    """Give the frames of several runs with one query, neighbours in one state together.

    Parameters
    ----------
    counted : mapping
        How far each run is: where all frames are in one state, nothing has to be asked.
    """
    found: dict[int, list[Span]] = {run.id: [] for run in runs}
    mixed = []
    for run in runs:
        one = counted[run.id]
        same = [s for s, n in (("proven", one.proven), ("failed", one.failed), ("waiting", one.left)) if n]
        if len(same) > 1:
            mixed.append(run.id)
        elif same:
            found[run.id] = [Span(same[0], one.first, one.last, one.total)]
    if not mixed:
        return found
    of_run = func.row_number().over(partition_by=RunFrame.run_id, order_by=RunFrame.number)
    of_state = func.row_number().over(
        partition_by=(RunFrame.run_id, RunFrame.state), order_by=RunFrame.number
    )
    numbered = (
        # Where both counts go on alike, nothing of another state lies between.
        select(RunFrame.run_id, RunFrame.state, RunFrame.number, (of_run - of_state).label("island"))
        .where(RunFrame.run_id == any_(literal(mixed, ARRAY(Integer))))
        .subquery()
    )
    query = (
        select(
            numbered.c.run_id, numbered.c.state, func.min(numbered.c.number), func.max(numbered.c.number),
            func.count(),
        )
        .group_by(numbered.c.run_id, numbered.c.state, numbered.c.island)
        .order_by(numbered.c.run_id, func.min(numbered.c.number))
    )  # fmt: skip
    for run_id, state, first, last, count in session.execute(query):
        found[run_id].append(Span(state, first, last, count))
    return found


def find_run(session: Session, run_id: int) -> Run:
    """Find a run.

    Raises
    ------
    MissingError
        There is none of this number.
    """
    run = session.get(Run, run_id)
    if run is None:
        raise MissingError(f"There is no run {run_id}.", where="run", remedy="Look at the list of runs.")
    return run


def recent(session: Session, show: Show, *, limit: int = 50) -> list[Run]:
    """Give a show's runs: what is worked on, what waits in its turn, then what ended last.

    Parameters
    ----------
    limit : int
        Of those that are at their end; all others are given.
    """
    held, ended = _in_order(show)
    return [*session.scalars(held), *session.scalars(ended.limit(limit))]


def page_of(session: Session, show: Show, begin: int, count: int) -> list[Run]:
    """Give so many of a show's runs, in the same order, from one on (counted from 0)."""
    held, ended = _in_order(show)
    here = list(session.scalars(held.offset(begin).limit(count)))
    if len(here) == count:
        return here
    before = held_count(session, show)
    return [*here, *session.scalars(ended.offset(max(0, begin - before)).limit(count - len(here)))]


def run_count(session: Session, show: Show) -> int:
    """Count a show's runs."""
    return session.scalar(select(func.count(Run.id)).join(Shot).where(Shot.show_id == show.id)) or 0


def held_count(session: Session, show: Show) -> int:
    """Count those of a show's runs that are not at their end."""
    of_show = select(func.count(Run.id)).join(Shot).where(Shot.show_id == show.id)
    return session.scalar(of_show.where(Run.state.in_(HOLDS))) or 0


def _in_order(show: Show) -> tuple[Select[Run], Select[Run]]:
    """Ask for a show's runs: those that hold their shot, what is worked on first, and those that ended."""
    of_show = (
        select(Run)
        .join(Shot)
        .where(Shot.show_id == show.id)
        .options(joinedload(Run.shot), joinedload(Run.package))
    )
    place = case({"running": 0, "waiting": 1, "paused": 2}, value=Run.state)
    held = of_show.where(Run.state.in_(HOLDS)).order_by(place, Run.priority.desc(), Run.id)
    return held, of_show.where(Run.state.not_in(HOLDS)).order_by(Run.ended_at.desc(), Run.id.desc())


def ended_lately(session: Session, *, hours: float = 24) -> list[Run]:
    """Give the runs that ended within the last hours."""
    since = now() - timedelta(hours=hours)
    return list(session.scalars(select(Run).where(Run.state.not_in(HOLDS), Run.ended_at > since)))


def under_way(session: Session, shots: Sequence[int] | None = None) -> list[Run]:
    """Give the runs that are worked on or wait, first ones first; those of some shots alone, where named."""
    query = select(Run).where(Run.state.in_(UNDER_WAY)).order_by(Run.priority.desc(), Run.id)
    if shots is not None:
        query = query.where(Run.shot_id == any_(literal(list(shots), ARRAY(Integer))))
    return list(session.scalars(query))


class RunState(Protocol):
    """What of a run tells how far it may be."""

    id: int
    state: str
    asked_at: datetime
    started_at: datetime | None
    ended_at: datetime | None


def together(session: Session, show: Show | None = None) -> list[RunState]:
    """Give the runs under way, and those that ended since the first of them was asked for: one night.

    Every page asks this, of thousands of runs: of each no more is read than is needed to count it.
    """
    told = select(Run.id, Run.state, Run.asked_at, Run.started_at, Run.ended_at)
    if show is not None:
        told = told.join(Shot).where(Shot.show_id == show.id)
    busy = session.execute(told.where(Run.state.in_(UNDER_WAY))).all()
    if not busy:
        return []
    since = min(run.asked_at for run in busy)
    ended = session.execute(told.where(Run.state.in_(("done", "failed")), Run.ended_at >= since))
    return cast(list[RunState], [*busy, *ended])


def as_one(several: Iterable[Progress]) -> Progress:
    """Count several runs as one, worked on one after the other."""
    every = list(several)
    total, proven, failed, size = (
        sum(getattr(one, name) for one in every) for name in ("total", "proven", "failed", "size_bytes")
    )
    rate, left = sum((one.rate for one in every), 0.0), total - proven - failed
    return Progress(
        total, proven, failed, size, rate, left / rate * 60 if rate and left else None,
        memory_bytes=max((one.memory_bytes for one in every), default=0),
    )  # fmt: skip


def progress(session: Session, runs: Sequence[Run | RunState]) -> dict[int, Progress]:
    """Count several runs with one query; those that ended a while ago, or were never begun, only once."""
    ended = {
        run.id: (run.id, run.state, run.ended_at or run.asked_at)
        for run in runs
        if (run.state in ("done", "failed") and run.ended_at and run.ended_at < now() - timedelta(minutes=2))
        or (run.state == "waiting" and run.started_at is None)
    }
    counted = {number: _ENDED[key] for number, key in ended.items() if key in _ENDED}
    runs = [run for run in runs if run.id not in counted]
    if not runs:
        return counted
    recently = now() - timedelta(seconds=60)
    query = (
        select(
            RunFrame.run_id,
            func.count(),
            func.count(case((RunFrame.state == "proven", 1))),
            func.count(case((RunFrame.state == "failed", 1))),
            func.coalesce(func.sum(RunFrame.size_bytes), 0),
            func.count(case((RunFrame.ended_at > recently, 1))),
            func.min(case((RunFrame.ended_at > recently, RunFrame.ended_at))),
            func.coalesce(func.avg(case((RunFrame.state == "proven", RunFrame.seconds))), 0.0),
            func.max(RunFrame.memory_bytes),
            func.min(RunFrame.number),
            func.max(RunFrame.number),
        )
        .where(RunFrame.run_id.in_([run.id for run in runs]))
        .group_by(RunFrame.run_id)
    )
    for run_id, total, proven, failed, size, lately, since, seconds, memory, *ends in session.execute(query):
        rate = 0.0
        if lately > 1:
            rate = (lately - 1) / max(0.5, (now() - since).total_seconds()) * 60
        left = total - proven - failed
        counted[run_id] = Progress(
            total,
            proven,
            failed,
            int(size),
            rate,
            left / rate * 60 if rate and left else None,
            float(seconds),
            int(memory),
            *ends,
        )
        if run_id in ended:
            if len(_ENDED) > 20_000:
                _ENDED.clear()
            _ENDED[ended[run_id]] = counted[run_id]
    return counted


_ENDED: dict[tuple[object, ...], Progress] = {}
"""Totals of runs that are at their end, or were never begun: nothing of them changes under this key."""


def cancel(session: Session, run: Run) -> None:
    """Stop a run after the frames that are being written; what is proven stays.

    Raises
    ------
    ConflictError
        It is at its end already.
    """
    if run.state not in HOLDS:
        raise ConflictError(
            f"Run {run.id} is {run.state} already.", where="run", why="Nothing of it is under way.",
            remedy="Start a new run, or go on with this one.",
        )  # fmt: skip
    run.state, run.ended_at = "cancelled", now()
    session.flush()


def pause(session: Session, run: Run) -> None:
    """Let a run rest: frames that are being written are finished or done again, nothing more is begun.

    Raises
    ------
    ConflictError
        It is not under way.
    """
    if run.state not in UNDER_WAY:
        raise ConflictError(
            f"Run {run.id} is {run.state}, not under way.", where="run", why="Nothing of it can rest.",
            remedy="Go on with it, or start a new run.",
        )  # fmt: skip
    run.state = "paused"
    session.flush()


def put_first(session: Session, run: Run) -> None:
    """Let a run be worked on before all others.

    Raises
    ------
    ConflictError
        It is at its end.
    """
    if run.state not in HOLDS:
        raise ConflictError(
            f"Run {run.id} is {run.state} already.", where="run", why="It has nothing left to do.",
            remedy="Start a new run.",
        )  # fmt: skip
    highest = session.scalar(select(func.max(Run.priority)).where(Run.state.in_(HOLDS), Run.id != run.id))
    run.priority = max(run.priority, (highest if highest is not None else -1) + 1)
    session.flush()


def go_on(session: Session, run: Run) -> None:
    """Take up a paused, cancelled or failed run again: only what is missing is done.

    Raises
    ------
    ConflictError
        It is under way, complete, or the shot has another run under way.
    """
    others = session.scalar(
        select(Run.id).where(Run.shot_id == run.shot_id, Run.state.in_(HOLDS), Run.id != run.id)
    )
    missing = session.scalar(
        select(func.count()).where(RunFrame.run_id == run.id, RunFrame.state != "proven")
    )
    if run.state in UNDER_WAY or others or not missing:
        what = (
            f"Run {others} of this shot is under way."
            if others
            else f"Run {run.id} is under way already."
            if run.state in UNDER_WAY
            else f"Run {run.id} is complete."
        )
        raise ConflictError(
            what, where="run", why="There is nothing to go on with.", remedy="Look at the runs."
        )
    session.execute(
        update(RunFrame)
        .where(RunFrame.run_id == run.id, RunFrame.state == "failed")
        .values(state="waiting", attempts=0, fault={}, ended_at=None)
    )
    run.state, run.ended_at, run.failures = "waiting", None, 0
    session.flush()


def packages_of(session: Session, show: Show, *, limit: int = 500) -> list[Package]:
    """Give a show's packages with where they were sent, newest first."""
    query = (
        select(Package)
        .join(Run)
        .join(Shot)
        .where(Shot.show_id == show.id)
        .order_by(Package.made_at.desc(), Package.id.desc())
        .limit(limit)
        .options(
            joinedload(Package.run).options(joinedload(Run.shot), joinedload(Run.revision)),
            selectinload(Package.sendings),
        )
    )
    return list(session.scalars(query))


def find_frame(session: Session, run: Run, number: int) -> RunFrame:
    """Find a frame of a run.

    Raises
    ------
    MissingError
        The run has none of this number.
    """
    frame = session.get(RunFrame, (run.id, number))
    if frame is None:
        raise MissingError(
            f"Run {run.id} has no frame {number}.", where="frame", remedy="Choose one of its cells."
        )
    return frame


def find_package(session: Session, package_id: int) -> Package:
    """Find a package.

    Raises
    ------
    MissingError
        There is none of this number.
    """
    package = session.get(Package, package_id)
    if package is None:
        raise MissingError(
            f"There is no package {package_id}.", where="package", remedy="Look at the list of runs."
        )
    return package


def came_to_a_stop(session: Session, run_id: int, fault: DrawstringError, *, tries: int) -> None:
    """Note that a run came to a stop as a whole; after so many times it fails, and its frames say why."""
    run = session.get(Run, run_id)
    if run is None or run.state not in UNDER_WAY:
        return
    run.failures += 1
    if run.failures < tries:
        return
    run.state, run.ended_at = "failed", now()
    run.notes = [*run.notes, f"Set aside after {run.failures} tries. {fault.what}"]
    session.execute(
        update(RunFrame)
        .where(RunFrame.run_id == run_id, RunFrame.state == "waiting")
        .values(state="failed", fault=fault.as_dict())
    )
