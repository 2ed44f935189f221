"""What run tests share: one small cluster, and a shot that is ready to run."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator

import pytest
from distributed import Client
from makers import carry_out_here
from sqlalchemy import Engine as Database
from sqlalchemy.orm import Session, sessionmaker

from drawstring.core.arrivals import Candidate
from drawstring.runs.cluster import cluster
from drawstring.runs.engine import Engine
from drawstring.runs.planning import plan_run
from drawstring.store import deliveries, ledger, recipes, shows
from drawstring.store.models import Run


@pytest.fixture(scope="session")
def workers() -> Iterator[Callable[[], Client]]:
    """A cluster of two processes for all tests that leave it as it was."""
    with cluster(workers=2) as client:
        yield client


@pytest.fixture
def sessions(database: Database) -> sessionmaker[Session]:
    """Sessions on the test's own database; what they do is committed."""
    return sessionmaker(database, expire_on_commit=False)


@pytest.fixture
def plan(sessions, tmp_path, candidate: Candidate) -> Callable[..., int]:
    """Plan a run of a new or known shot; give its number."""

    def make(*, code: str = "TW010", output: str = "", of: Candidate = candidate, **typed: str) -> int:
        with sessions.begin() as session:
            try:
                shot = shows.find_shot(session, code)
            except Exception:
                have = session.query(shows.Show).first()
                shot = shows.make_shot(session, have or shows.make_show(session, "Tidewrack"), code)
                deliveries.accept(session, shot, of)
            settings = {
                "depth.near": "4.8",
                "depth.far": "90",
                **{k.replace("__", "."): v for k, v in typed.items()},
            }
            recipes.set_values(session, shot, settings)
            recipes.settle(session, shot, "depth")
            return plan_run(session, shot, output=output or str(tmp_path / "packages")).id

    return make


@pytest.fixture
def finish(database, sessions) -> Callable[..., Run]:
    """Let an engine work until a run is at its end; give the run."""

    def work(run_id: int, client: Callable[[], Client], *, seconds: float = 90) -> Run:
        until = time.monotonic() + seconds

        def over() -> bool:
            assert time.monotonic() < until, "the run did not come to its end"
            with sessions.begin() as session:
                return ledger.find_run(session, run_id).state not in ledger.UNDER_WAY

        Engine(database, client).work(until=over)
        with sessions() as session:
            run = session.get_one(Run, run_id)
            _ = run.frames, run.package, run.revision
            return run

    return work


@pytest.fixture
def packed(plan, sessions):
    """Pack a shot with settings, in this process; give the run."""

    def pack(**typed: str) -> Run:
        with sessions.begin() as session:
            run = session.get_one(Run, plan(**typed))
            carry_out_here(session, run)
            _ = run.frames, run.package
            return run

    return pack
