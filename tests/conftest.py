"""What tests share: a real PostgreSQL, a few rendered frames, makers of small files."""

from __future__ import annotations

import gc
import os
import shutil
import tempfile
import threading
from collections.abc import Callable, Iterator
from multiprocessing import forkserver
from pathlib import Path

import hypothesis
import pytest
from makers import FRAMES, HEIGHT, WIDTH, copied_database
from sqlalchemy import Engine, event
from sqlalchemy.orm import Session, sessionmaker
from werkzeug.serving import make_server

from drawstring.core.arrivals import Candidate, scan
from drawstring.core.arrivals.report import SequenceReport
from drawstring.installation import Installation
from drawstring.local_postgres import LocalPostgres, as_account, free_port
from drawstring.runs.forks import warm_parent
from drawstring.standins.client_inbox import Faults, create_inbox
from drawstring.standins.tidewrack import SHOTS, render_show, renderers
from drawstring.store import deliveries, shows
from drawstring.store.database import connect, migrate
from drawstring.store.models import Shot

# Every process that a test has computing is forked from a parent that has everything loaded. The first to
# ask for one says what that is: a test that knows nothing of it must not be that.
warm_parent()
forkserver.ensure_running()

# One state of the code gives one verdict, on a slow day too. To search further by chance:
# pytest --hypothesis-profile=default
hypothesis.settings.register_profile("steady", derandomize=True, deadline=None)
hypothesis.settings.load_profile("steady")


def pytest_collection_finish() -> None:
    """Look for garbage only in what the tests make: what is loaded stays."""
    gc.collect()
    gc.freeze()


def pytest_unconfigure() -> None:
    """Let libraries count what is left over at the end, as they do."""
    gc.unfreeze()


@pytest.fixture(scope="session")
def postgres() -> Iterator[LocalPostgres]:
    """A PostgreSQL of the tests' own, with one migrated database to copy from."""
    place = Path(tempfile.mkdtemp(prefix="drawstring-test-"))
    place.chmod(0o755)
    if as_account(["test", "-x", str(place)]).returncode:
        shutil.rmtree(place)
        place = Path(tempfile.mkdtemp(prefix="drawstring-test-", dir="/var/tmp"))
        place.chmod(0o755)
    server = LocalPostgres(place / "data", free_port(), "not-a-secret", is_lasting=False)
    server.make()
    server.start()
    server.make_database("pattern")
    migrate(server.url("pattern"))
    yield server
    server.stop(at_once=True)
    shutil.rmtree(place, ignore_errors=True)


@pytest.fixture
def database_url(postgres: LocalPostgres) -> Iterator[str]:
    """A database of one test's own, for what commits or runs in other processes."""
    with copied_database(postgres) as url:
        yield url


@pytest.fixture
def database(database_url: str) -> Iterator[Engine]:
    """An engine on the test's own database."""
    engine = connect(database_url)
    yield engine
    engine.dispose()


@pytest.fixture
def session(postgres: LocalPostgres) -> Iterator[Session]:
    """A session whose commits are real to the code under test and gone afterwards."""
    engine = connect(postgres.url("pattern"))
    with engine.connect() as connection:
        outer = connection.begin()
        made = sessionmaker(connection, join_transaction_mode="create_savepoint", expire_on_commit=False)
        with made() as session:
            yield session
        outer.rollback()
    engine.dispose()


@pytest.fixture
def count_queries() -> Iterator[Callable[[Session], list[str]]]:
    """Count the statements of a session from the call on."""
    undo = []

    def begin(session: Session) -> list[str]:
        seen: list[str] = []
        engine = session.get_bind().engine

        def note(connection, cursor, statement, *rest):  # noqa: ANN001, ANN002
            seen.append(statement)

        event.listen(engine, "before_cursor_execute", note)
        undo.append((engine, note))
        return seen

    yield begin
    for engine, note in undo:
        event.remove(engine, "before_cursor_execute", note)


@pytest.fixture(scope="session")
def sources(demo_show: Path) -> Path:
    """A folder that may be scanned. Not to be changed."""
    return demo_show


@pytest.fixture(scope="session")
def demo_show(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo show, small, below a folder; made once where several processes test at a time."""
    made = os.environ.get("DRAWSTRING_TEST_DEMO", "")
    return Path(made) if made else render_demo(str(tmp_path_factory.mktemp("sources")))


def render_demo(folder: str) -> Path:
    """Render the small demo show below a folder."""
    with renderers(2) as pool:
        for _ in render_show(f"{folder}/tidewrack", width=WIDTH, height=HEIGHT, frames=FRAMES, pool=pool):
            pass
    return Path(folder)


@pytest.fixture
def copied(sources: Path, tmp_path: Path) -> Path:
    """The fog shot's folder, copied so that a test may spoil it; its root is the folder above."""
    folder = tmp_path / "sources" / "fog"
    shutil.copytree(sources / "tidewrack" / SHOTS[0].folder, folder)
    return folder


@pytest.fixture(scope="session")
def candidate(sources: Path) -> Candidate:
    """The fog shot as it was scanned; nothing of it can be changed."""
    return scan(str(sources / "tidewrack" / "TW010"), roots=[str(sources)]).candidates[0]


@pytest.fixture(scope="session")
def report(candidate: Candidate) -> SequenceReport:
    """The fog shot's one sequence."""
    return candidate.members[0]


@pytest.fixture
def shot(session: Session, candidate: Candidate) -> Shot:
    """A shot with the fog delivery accepted."""
    show = shows.make_show(session, "Tidewrack")
    made = shows.make_shot(session, show, "TW010", title="Fog over the yard")
    deliveries.accept(session, made, candidate)
    return made


@pytest.fixture
def installation(own_installation: Installation) -> Installation:
    """The installation that the test works with."""
    return own_installation


@pytest.fixture
def own_installation(tmp_path: Path, sources: Path, database_url: str) -> Installation:
    """An installation of the test's own."""
    return Installation(
        var=str(tmp_path / "var"),
        roots=str(sources),
        output=str(tmp_path / "packages"),
        port=free_port(),
        inbox_port=free_port(),
        feed_port=free_port(),
        database_url=database_url,
        workers=2,
    )


@pytest.fixture
def inbox(installation: Installation, tmp_path: Path) -> Iterator[tuple[str, str, Faults]]:
    """The made-up client's inbox that the installation knows: its address, folder and faults."""
    faults, folder = Faults(), str(tmp_path / "inbox")
    server = make_server("127.0.0.1", installation.inbox_port, create_inbox(folder, faults), threaded=True)
    thread = threading.Thread(target=server.serve_forever)
    thread.start()
    yield f"http://127.0.0.1:{server.port}", folder, faults
    server.shutdown()
    thread.join()
    server.server_close()
