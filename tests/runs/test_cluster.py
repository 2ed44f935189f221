"""Where frames are computed: workers started by hand elsewhere, and runs that rest or come first."""

import json
import os
import signal
import subprocess
import sys
import time

import pytest
from distributed import Client, Future
from distributed.diagnostics.plugin import SchedulerPlugin
from makers import FRAMES, wait_for

from drawstring.core.errors import ConflictError
from drawstring.runs import answers
from drawstring.runs import engine as engines
from drawstring.runs.checking import check_package
from drawstring.runs.cluster import OwnWorkers, cluster
from drawstring.runs.engine import Engine
from drawstring.store import ledger
from drawstring.store.models import Measurement, Run


@pytest.fixture
def by_hand(tmp_path):
    """A scheduler and two workers, started as the README says; give its address and the workers."""
    dask, file = os.path.join(os.path.dirname(sys.executable), "dask"), tmp_path / "scheduler.json"
    quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL, "cwd": tmp_path}
    begun = [
        subprocess.Popen(
            [dask, "scheduler", "--host", "127.0.0.1", "--port", "0", "--no-dashboard",
             "--scheduler-file", str(file)], **quiet,
        )
    ]  # fmt: skip
    try:
        wait_for(lambda: file.exists() and file.read_text().strip())
        address = json.loads(file.read_text())["address"]
        worker = [
            dask,
            "worker",
            address,
            "--nworkers",
            "1",
            "--nthreads",
            "1",
            "--no-dashboard",
            "--host",
            "127.0.0.1",
        ]
        begun += [subprocess.Popen(worker, **quiet) for _ in range(2)]
        yield address, begun[1:]
    finally:
        for one in reversed(begun):
            one.terminate()
        for one in begun:
            one.wait(30)


def test_a_run_goes_to_workers_that_were_started_by_hand_and_outlives_one(by_hand, plan, finish, sessions):
    address, hands = by_hand
    with cluster(scheduler=address) as client:
        with client() as looking:
            looking.wait_for_workers(2, timeout=60)
        assert not isinstance(client, OwnWorkers), "who was started by hand is looked after by hand"
        first = finish(plan(), client)
        assert first.package.state == "proven" and check_package(first.folder).is_proven
        number = plan()
        hands[0].kill()
        second = finish(number, client, seconds=120)
    assert second.package.state == "proven" and len(second.frames) == FRAMES


class _Chatter(SchedulerPlugin):
    """Tells all clients something in the moment in which one is greeted, so that both come as one message."""

    name = "chatter"

    def __init__(self) -> None:
        self.greeted = 0

    def add_client(self, scheduler, client):
        self.greeted += 1
        if self.greeted == 1:
            told = {"op": "cancelled-keys", "keys": []}
            scheduler.loop.add_callback(lambda: scheduler.report(told))


def test_who_is_told_more_than_a_greeting_connects_again(plan, workers, finish):
    scheduler, chatter = workers._local.scheduler, _Chatter()
    scheduler.add_plugin(chatter)
    try:
        run = finish(plan(), workers)
    finally:
        scheduler.remove_plugin("chatter")
    assert chatter.greeted == 2 and run.package.state == "proven"


def test_a_client_that_was_left_halfway_is_given_up(plan, workers, finish):
    """Dask connects by itself again, but where that fails the frames would wait for ever."""
    begun = []

    def halfway() -> Client:
        begun.append(workers())
        if len(begun) == 1:
            begun[0].status = "connecting"
        return begun[-1]

    assert finish(plan(), halfway).package.state == "proven"
    assert len(begun) == 2 and begun[0].status == "closed"


def test_a_resting_run_begins_nothing_and_the_first_one_goes_first(plan, workers, sessions, database):
    numbers = [plan(code=code) for code in ("TW010", "TW011", "TW012")]
    with sessions.begin() as session:
        ledger.pause(session, ledger.find_run(session, numbers[0]))
        ledger.put_first(session, ledger.find_run(session, numbers[2]))
        assert [run.id for run in ledger.under_way(session)] == [numbers[2], numbers[1]]

    def proven(number: int) -> int:
        with sessions() as session:
            run = session.get_one(Run, number)
            return ledger.progress(session, [run])[number].proven

    ahead: list[tuple[int, int]] = []

    def over() -> bool:
        ahead.append((proven(numbers[2]), proven(numbers[1])))
        return ahead[-1] == (FRAMES, FRAMES)

    until = time.monotonic() + 120
    Engine(database, workers).work(until=lambda: over() or time.monotonic() > until)
    assert ahead[-1] == (FRAMES, FRAMES) and proven(numbers[0]) == 0
    assert all(first >= second for first, second in ahead), "the one that was put first is never behind"
    with sessions.begin() as session:
        resting, done = (ledger.find_run(session, number) for number in (numbers[0], numbers[1]))
        for does in (ledger.pause, ledger.put_first, ledger.cancel):
            with pytest.raises(ConflictError, match="done"):
                does(session, done)
        ledger.cancel(session, resting)
        assert resting.state == "cancelled" and resting.ended_at is not None


def test_no_more_is_taken_up_than_is_handed_out_soon_but_what_was_put_first(
    plan, workers, sessions, database, monkeypatch
):
    monkeypatch.setattr(engines, "ENOUGH", FRAMES)
    numbers = [plan(code=f"TW01{i}") for i in range(4)]
    engine = Engine(database, workers)
    monkeypatch.setattr(engine, "_all_room", lambda: 1)
    assert engine.is_leading()
    engine.step()
    assert set(engine._runs) == {numbers[0]}, "the others wait in the ledger, not in memory"
    with sessions.begin() as session:
        ledger.put_first(session, ledger.find_run(session, numbers[3]))
    engine.step()
    assert set(engine._runs) == {numbers[0], numbers[3]}
    most, until = 0, time.monotonic() + 120

    def over() -> bool:
        nonlocal most
        most = max(most, len(engine._runs))
        with sessions() as session:
            return not ledger.under_way(session) or time.monotonic() > until

    engine.work(until=over)
    with sessions() as session:
        assert {session.get_one(Run, number).state for number in numbers} == {"done"} and most <= 3


def test_a_run_is_not_held_up_by_what_arrived_meanwhile(plan, workers, sessions, database):
    number = plan()
    for i in range(12):
        plan(code=f"TW{100 + i}")
    with sessions.begin() as session:
        for run in session.query(Run).filter(Run.id != number):
            ledger.cancel(session, run)

    def is_over() -> bool:
        with sessions() as session:
            return session.get_one(Run, number).state not in ledger.UNDER_WAY

    until = time.monotonic() + 120
    Engine(database, workers).work(until=lambda: is_over() or time.monotonic() > until)
    with sessions() as session:
        run = session.get_one(Run, number)
        assert run.state == "done", [(frame.fault, frame.log) for frame in run.frames if frame.fault]
        states = [one.state for one in session.query(Measurement).filter_by(kind="depth")]
    assert len(states) == 13 and states.count("done") < 13, "somebody's distances can wait a little"


class Rounds:
    """Stands beside an engine and counts its rounds."""

    count = 0

    def step(self) -> None:
        self.count += 1


def test_an_engine_that_rests_asks_little_and_takes_up_at_once_what_is_written(
    monkeypatch, plan, workers, sessions, database
):
    monkeypatch.setattr(engines, "REST_S", 3600)
    monkeypatch.setattr(engines, "TICK_S", 0.02)
    rounds, ticks, planned, resting = Rounds(), 0, [], 0
    until = time.monotonic() + 240

    def over() -> bool:
        nonlocal ticks, resting
        ticks += 1
        if ticks == 40:
            resting = rounds.count
            planned.append(plan())
        with sessions() as session:
            done = bool(planned) and ledger.find_run(session, planned[0]).state == "done"
        return done or time.monotonic() > until

    Engine(database, workers, beside=[rounds]).work(until=over)
    # What it writes itself, and a database that cleans up, may have it look once more.
    assert 1 <= resting <= 10 and rounds.count > resting + 2
    with sessions() as session:
        assert ledger.find_run(session, planned[0]).state == "done"


def test_an_answer_that_dies_with_its_worker_is_not_waited_for_for_ever(monkeypatch, plan, finish, sessions):
    """All workers die while a frame that is done is being fetched, and none comes back by itself."""
    monkeypatch.setattr(answers, "FETCH_S", 0.5)
    own, killed = OwnWorkers(2, patience_s=1.0), []
    ask = Future.exception

    async def no_room() -> None:
        raise OSError("no process can be started")

    def ask_after_death(future: Future, **limits: float) -> BaseException | None:
        if not killed:
            for nanny in own._local.workers.values():
                nanny.instantiate = no_room
                killed.append(nanny.pid)
                os.kill(nanny.pid, signal.SIGKILL)
            wait_for(lambda: future.status == "lost", seconds=30)
        return ask(future, **limits)

    # One by one, as they are fetched when only one is done.
    monkeypatch.setattr(Engine, "_fetched", lambda engine, futures: {})
    monkeypatch.setattr(Future, "exception", ask_after_death)
    try:
        run = finish(plan(), own, seconds=240)
    finally:
        own.close()
    assert killed and run.package.state == "proven" and check_package(run.folder).is_proven
