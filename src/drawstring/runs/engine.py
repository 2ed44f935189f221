"""The engine: takes up what waits in the ledger, hands it to Dask, and writes down what came of it.

There is one engine to a database; another one waits until the first is gone. It keeps nothing that the
ledger does not hold, so it may be killed at any moment: the next one goes on with what is missing.
"""

from __future__ import annotations

import logging
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import AbstractContextManager, contextmanager, suppress
from dataclasses import dataclass, field
from typing import Any, Protocol

from distributed import Client, Future
from distributed.client import ClosedClientError
from sqlalchemy import Engine as Database
from sqlalchemy import select, text
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session, sessionmaker

from drawstring.core.errors import DrawstringError
from drawstring.core.findings import Finding
from drawstring.core.io.writing import remove_unfinished
from drawstring.runs.answers import FETCH_S, NotThereYetError, answer_of, steps_of
from drawstring.runs.cluster import OwnWorkers
from drawstring.runs.frame import carry_out
from drawstring.runs.handoff import make_report, make_review
from drawstring.runs.kept_planes import Keeps
from drawstring.runs.manifest import close_package
from drawstring.runs.measurements import Measurements, Turn
from drawstring.runs.planning import plan_of, tasks_of
from drawstring.runs.run_plan import FrameAnswer, FrameTask
from drawstring.runs.scanning import Scanning
from drawstring.store import ledger
from drawstring.store.database import ENGINE_LOCK, DatabaseAway, is_away, unit_of_work
from drawstring.store.models import Run, RunFrame, now
from drawstring.store.standing import standing

log = logging.getLogger(__name__)

TRIES = 3
TICK_S = 0.2
RESTS_S = 2.0
"""How long a run that came to a stop rests before it is taken up again."""
MOST_PATIENCE_S = 5.0
"""Between two tries to reach what is away: a second at first, twice as long each time, up to this."""
ENOUGH = 2000
"""Frames that wait in the engine's memory, of however many runs: more are taken up as they are handed out."""
LOG_LINES = 80
"""Steps kept of a frame, over all its tries."""


@dataclass
class _RunAtWork:
    """A run's frames in flight."""

    run_id: int
    plan: Any
    todo: list[FrameTask]
    flying: dict[Future, FrameTask] = field(default_factory=dict)
    again_at: list[tuple[float, FrameTask]] = field(default_factory=list)
    attempts: dict[int, int] = field(default_factory=dict)
    logs: dict[int, list[dict[str, Any]]] = field(default_factory=dict)
    priority: int = 0
    is_said: bool = False
    """Whether the ledger says that it has begun."""
    answers: list[FrameAnswer] = field(default_factory=list)


REST_S = 1.0
"""How long an engine with nothing at work takes the ledger for unchanged where nobody has written to it."""
SWEEP_S, LEFT_S = 60.0, 120.0
"""How often packages at their end are swept, and how long nobody has written to what is removed."""


class HasStep(Protocol):
    """What works beside the frames, a little at a time or in threads of its own."""

    def step(self) -> None:
        """Take up what is due."""


class Engine:
    """Works off the ledger with a Dask client.

    Parameters
    ----------
    database : sqlalchemy Engine
    client : callable
        Makes a Dask client; called again when the scheduler is lost.
    scanning : Scanning, optional
        Looks through folders beside the frames.
    beside : sequence of HasStep
        Whatever else is worked off beside the frames: packages sent, review movies made.
    keeps : Keeps, optional
        Where small pictures of what is counted are kept for the pages.
    """

    def __init__(
        self,
        database: Database,
        client: Callable[[], Client],
        *,
        scanning: Scanning | None = None,
        beside: Sequence[HasStep] = (),
        keeps: Keeps | None = None,
    ) -> None:
        self._database = database
        self._sessions = sessionmaker(database, expire_on_commit=False)
        self._make_client = client
        self._client: Client | None = None
        self._runs: dict[int, _RunAtWork] = {}
        self._rests_until: dict[int, float] = {}
        self._measurements = Measurements(keeps)
        self._scanning, self._beside = scanning, beside
        self._reports: list[Future] = []
        self._sweeps_at = 0.0
        self._enough = ENOUGH
        self._lock: Any = None
        self._written = self._looked_at = ""
        self._looks_at = 0.0

    def work(self, *, until: Callable[[], bool]) -> None:
        """Work until told to stop; whatever goes wrong on the way is waited out."""
        patience_s = 1.0
        while not until():
            try:
                if not self.is_leading():
                    time.sleep(1)
                    continue
                busy = self._has_news() and self.step()
                time.sleep(TICK_S if busy else 2 * TICK_S)
                patience_s = 1.0
            except (DatabaseAway, SQLAlchemyError) as error:
                if is_away(error):
                    log.warning("The database is away, waiting: %s (%s)", error, error.__cause__ or error)
                else:
                    log.exception("The database refused a statement of the engine's own; beginning anew")
                self._let_go()
                self._forget()
                _rest(patience_s, until)
                patience_s = min(2 * patience_s, MOST_PATIENCE_S)
            except (OSError, RuntimeError, ClosedClientError) as error:
                log.warning("The scheduler is away, connecting anew: %s", error)
                self._forget()
                self._drop_client()
                _rest(patience_s, until)
                patience_s = min(2 * patience_s, MOST_PATIENCE_S)
        self.close()

    def is_leading(self) -> bool:
        """Whether this is the one engine of the database; takes the lead when nobody has it."""
        if self._lock is not None:
            # It changes with every transaction that writes, whoever commits it.
            self._written = str(self._lock.execute(text("SELECT pg_current_snapshot()::text")).scalar())
            return True
        connection = self._database.connect().execution_options(isolation_level="AUTOCOMMIT")
        if connection.execute(text(f"SELECT pg_try_advisory_lock({ENGINE_LOCK})")).scalar():
            self._lock, self._looked_at = connection, ""
            return True
        connection.close()
        return False

    def _has_news(self) -> bool:
        """Whether a round is due: something is at work, somebody has written, or time alone has changed it.

        A house that rests is asked one short question instead of the dozen of a round.
        """
        is_due = self._runs or self._measurements or time.monotonic() >= self._looks_at
        if not is_due and self._written == self._looked_at:
            return False
        self._looked_at, self._looks_at = self._written, time.monotonic() + REST_S
        return True

    def step(self) -> bool:
        """Do one round: take up, hand out, write down. Give whether anything is at work."""
        if self._scanning is not None:
            self._scanning.step()
        for worker in self._beside:
            worker.step()
        self._take_up()
        self._sweep()
        if (self._runs or self._measurements) and isinstance(self._make_client, OwnWorkers):
            self._make_client.look_after()
        if self._runs or self._measurements:
            self._hand_out()
            self._collect()
            self._write_down()
        return bool(self._runs or self._measurements)

    def close(self) -> None:
        """Let go of the lead and the client; frames in flight are done again by the next engine."""
        self._forget()
        self._drop_client()
        self._let_go()
        if self._scanning is not None:
            self._scanning.close()

    def _let_go(self) -> None:
        """Give up the lead: the lock hangs on the connection itself, so that one is ended, not kept."""
        if self._lock is not None:
            self._lock.invalidate()
            self._lock.close()
            self._lock = None

    def _work(self) -> AbstractContextManager[Session]:
        return unit_of_work(self._sessions)

    def _connected(self) -> Client:
        if self._client is None:
            self._client = self._make_client()
        if self._client.status != "running":
            # Dask connects by itself again, but may stay halfway; what flew is lost in any case.
            raise RuntimeError("the connection to the scheduler was lost")
        return self._client

    def _all_room(self) -> int:
        """How many tasks may fly: two to a worker, so that none waits for the ledger."""
        return 2 * (sum(self._connected().nthreads().values()) or 1)

    def _room(self) -> int:
        """How many more tasks may fly."""
        flying = sum(len(one.flying) for one in self._runs.values())
        flying += self._measurements.flying()
        return max(0, self._all_room() - flying)

    def _take_up(self) -> None:
        with self._work() as session:
            wanted = {run.id: run.priority for run in ledger.under_way(session)}
        for run_id in [run_id for run_id in self._runs if run_id not in wanted]:
            self._cancel(self._runs.pop(run_id).flying)
        if any(run_id not in self._runs for run_id in wanted):
            # The scheduler is asked once, however many runs wait.
            self._enough = max(ENOUGH, 4 * self._all_room()) if self._client is not None else ENOUGH
        for run_id, priority in wanted.items():
            if run_id in self._runs:
                self._runs[run_id].priority = priority
            elif self._has_enough(priority) or self._rests_until.get(run_id, 0.0) > time.monotonic():
                continue
            else:
                with self._stopping(run_id), self._work() as session:
                    self._begin(session, ledger.find_run(session, run_id))
                if run_id in self._runs:
                    self._runs[run_id].priority = priority
        self._measurements.take_up(self._work)

    def _has_enough(self, priority: int) -> bool:
        """Whether frames enough are taken up that come before, or with, those of such a priority.

        What has its turn much later is left in the ledger, however many thousand runs wait there.
        """
        waiting = sum(
            len(run.todo) + len(run.again_at) for run in self._runs.values() if run.priority >= priority
        )
        return waiting >= self._enough

    def _sweep(self) -> None:
        """Remove what writers left in packages that are at their end.

        A worker that was cut off from everybody may have gone on, and died, after its run was closed.
        """
        if time.monotonic() < self._sweeps_at:
            return
        self._sweeps_at = time.monotonic() + SWEEP_S
        with self._work() as session:
            folders = [run.folder for run in ledger.ended_lately(session)]
        for folder in folders:
            with suppress(OSError):  # a folder that was moved away is nobody's business
                if removed := remove_unfinished(folder, older_than_s=LEFT_S):
                    log.info("Removed %d unfinished files from %s", removed, folder)

    def _begin(self, session: Session, run: Run) -> None:
        try:
            remove_unfinished(run.folder)
        except OSError:
            pass  # the frames will say in words that the folder is gone or closed
        self._runs[run.id] = _RunAtWork(run.id, plan_of(run), tasks_of(session, run))

    def _hand_out(self) -> None:
        room = self._room()
        client = self._connected()
        # Somebody waits for distances, but a hundred new shots must not hold up a night: half is for runs.
        share, priority = room, 10
        if any(run.todo for run in self._runs.values()):
            share = min(room, max(0, self._all_room() // 2 - self._measurements.flying(Turn.WAITED_FOR)))
            priority = 0
        room -= self._measurements.hand_out(client, Turn.WAITED_FOR, share, priority=priority)
        for run in sorted(self._runs.values(), key=lambda one: -one.priority):
            due = [task for at, task in run.again_at if at <= time.monotonic()]
            run.again_at = [(at, task) for at, task in run.again_at if at > time.monotonic()]
            run.todo = due + run.todo
            while run.todo and room > 0:
                task = run.todo.pop(0)
                run.flying[client.submit(carry_out, run.plan, task, pure=False)] = task
                room -= 1
        # Facts can wait until runs leave a worker idle; so can what knots count beyond them.
        room -= self._measurements.hand_out(client, Turn.FACTS, room, priority=-10)
        self._measurements.hand_out(client, Turn.AFTER, room, priority=-20)

    def _collect(self) -> None:
        done = {id(run): [future for future in run.flying if future.done()] for run in self._runs.values()}
        fetched = self._fetched([future for several in done.values() for future in several])
        for run in self._runs.values():
            for future in done[id(run)]:
                try:
                    answer = fetched.get(future.key) or answer_of(future, run.flying[future])
                except NotThereYetError:
                    continue
                task = run.flying.pop(future)
                if answer is None:
                    run.todo.insert(0, task)
                    continue
                tries = run.attempts[task.number] = run.attempts.get(task.number, 0) + 1
                run.logs.setdefault(answer.number, []).extend(steps_of(answer, tries))
                if answer.fault and answer.can_pass and tries < TRIES:
                    run.again_at.append((time.monotonic() + 2.0**tries, task))
                else:
                    run.answers.append(answer)
        self._measurements.collect()

    def _fetched(self, futures: Sequence[Future]) -> dict[Any, FrameAnswer]:
        """Fetch the answers of several frames at once; of those that failed or were lost, none."""
        finished = [future for future in futures if future.status == "finished"]
        client = self._client
        if len(finished) < 2 or client is None:
            return {}

        async def gathered() -> list[FrameAnswer]:
            return list(await client.gather(finished, asynchronous=True))

        try:
            answers = client.sync(gathered, callback_timeout=FETCH_S)
        except Exception:
            return {}  # one of them went away meanwhile: each is asked by itself
        return {future.key: answer for future, answer in zip(finished, answers, strict=True)}

    def _write_down(self) -> None:
        begun = [run for run in self._runs.values() if run.flying and not run.is_said]
        if begun:
            with self._work() as session:
                for run in begun:
                    row = ledger.find_run(session, run.run_id)
                    if row.state == "waiting":
                        row.state, row.started_at = "running", row.started_at or now()
                    run.is_said = True
        for run in list(self._runs.values()):
            with self._stopping(run.run_id):
                self._write_down_run(run)
        self._measurements.write_down(self._work)

    def _write_down_run(self, run: _RunAtWork) -> None:
        if run.answers:
            with self._work() as session:
                numbers = [answer.number for answer in run.answers]
                asked = select(RunFrame).where(RunFrame.run_id == run.run_id, RunFrame.number.in_(numbers))
                rows = {row.number: row for row in session.scalars(asked)}
                for answer in run.answers:
                    self._note(rows[answer.number], run, answer)
            run.answers = []
        if not (run.todo or run.flying or run.again_at):
            with self._work() as session:
                self._end(session, ledger.find_run(session, run.run_id))
            del self._runs[run.run_id]

    @contextmanager
    def _stopping(self, run_id: int) -> Iterator[None]:
        """Have what goes wrong with one run stop that one only; after `TRIES` times it is set aside.

        A database that is away passes, and is waited for; a statement that it refuses would be refused
        for ever.
        """
        try:
            yield
        except Exception as error:
            if is_away(error):
                raise
            log.exception("Run %s came to a stop", run_id)
            if run_id in self._runs:
                self._cancel(self._runs.pop(run_id).flying)
            self._rests_until[run_id] = time.monotonic() + RESTS_S
            with self._work() as session:
                ledger.came_to_a_stop(session, run_id, _unexpected(error, f"run {run_id}"), tries=TRIES)

    def _note(self, row: RunFrame, run: _RunAtWork, answer: FrameAnswer) -> None:
        row.attempts += run.attempts.get(answer.number, 1)
        row.seconds, row.ended_at = answer.seconds, now()
        row.fault = dict(answer.fault)
        row.log = [*row.log, *run.logs.pop(answer.number, [])][-LOG_LINES:]
        row.worker, row.memory_bytes = answer.worker, answer.memory_bytes
        if answer.fault:
            row.state = "failed"
        else:
            row.state, row.proof = "proven", answer.proof
            row.checksum, row.size_bytes = answer.checksum, answer.size_bytes

    def _end(self, session: Session, run: Run) -> None:
        if run.state not in ledger.UNDER_WAY:
            return  # cancelled while its last frames were being written down
        with suppress(OSError):
            # Nobody works at it any more: what is left was begun by a worker that died.
            remove_unfinished(run.folder)
        package = close_package(session, run)
        if package.state == "proven":
            self._report(run.folder, standing(session, run.shot).all_findings)
        failed = any(frame.state == "failed" for frame in run.frames)
        run.state, run.ended_at = ("failed" if failed else "done"), now()

    def _report(self, folder: str, findings: list[Finding]) -> None:
        """Have workers write a package's report and movie; whoever asks for them before makes them."""
        self._reports = [future for future in self._reports if not future.done()]
        with suppress(OSError, RuntimeError, ClosedClientError):  # no scheduler: they are made when asked for
            client = self._connected()
            self._reports.append(client.submit(make_report, folder, findings=findings, pure=False))
            self._reports.append(client.submit(make_review, folder, pure=False))

    def _cancel(self, flying: dict[Future, Any]) -> None:
        for future in flying:
            future.cancel()

    def _forget(self) -> None:
        for run in self._runs.values():
            with suppress(OSError, RuntimeError, ClosedClientError):
                self._cancel(run.flying)  # else the scheduler is gone, and the tasks with it
        self._runs.clear()
        self._measurements.forget()

    def _drop_client(self) -> None:
        if self._client is not None:
            try:
                self._client.close(timeout=2)
            except (OSError, RuntimeError, TimeoutError, ClosedClientError):
                pass
            self._client = None


def _rest(seconds: float, until: Callable[[], bool]) -> None:
    """Wait, unless told to stop meanwhile."""
    end = time.monotonic() + seconds
    while time.monotonic() < end and not until():
        time.sleep(min(0.2, seconds))


def _unexpected(error: Exception, where: str) -> DrawstringError:
    if isinstance(error, DrawstringError):
        return error
    return DrawstringError(
        f"It came to a stop: {type(error).__name__}: {str(error)[:300]}",
        where=where,
        why="What is proven stays; the rest is not done.",
        remedy="Go on with the run; if it stops again, the engine's log says where.",
    )
