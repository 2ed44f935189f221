"""What a house remembers outlives versions and machines: upgraded, backed up, restored, brought back."""

import os
import subprocess
import sys
import tarfile
import time
from pathlib import Path

import pytest
from makers import environment_of, wait_for
from sqlalchemy import create_engine, select, text
from sqlalchemy.orm import sessionmaker

from drawstring import keeping
from drawstring.core.colour.kept_files import find_kept, keep_file
from drawstring.core.errors import ConflictError, MissingError, SourceError
from drawstring.installation import Installation
from drawstring.keeping import backup, restore
from drawstring.local_postgres import free_port, is_taken, kept_database, program
from drawstring.serving import OwnDatabase
from drawstring.store import deliveries, ledger, measuring, recipes, shows
from drawstring.store.database import connect, form_of, migrate, newest_form
from drawstring.store.models import Run
from drawstring.store.standing import shots_of, standings

OLD = Path(__file__).parent / "store" / "house_0004.sql"
"""A small house as the version before this one left it: three shots, a recipe, a package."""


@pytest.fixture
def empty(postgres):
    """An empty database; its address."""
    name = f"empty_{time.monotonic_ns()}"
    postgres.make_database(name)
    return postgres.url(name)


def load(postgres, url: str) -> None:
    subprocess.run(
        [
            program("psql"), "-q", "-v", "ON_ERROR_STOP=1", "-h", "127.0.0.1", "-p", str(postgres.port),
            "-U", "drawstring", "-f", str(OLD), url.rpartition("/")[2],
        ],
        env={**os.environ, "PGPASSWORD": postgres.password}, check=True, stdout=subprocess.DEVNULL,
    )  # fmt: skip


def contents(url: str) -> dict[str, list]:
    """Give every row of every table."""
    engine = connect(url)
    with engine.connect() as connection:
        names = connection.scalars(
            text("SELECT tablename FROM pg_tables WHERE schemaname = 'public' ORDER BY 1")
        ).all()
        found = {
            name: sorted(map(str, connection.execute(text(f"SELECT to_jsonb(t) FROM {name} t")).all()))
            for name in names
        }
    engine.dispose()
    return found


def test_a_house_of_the_version_before_is_taken_over_whole(postgres, empty):
    load(postgres, empty)
    assert form_of(empty) == "0004"
    before = contents(empty)
    migrate(empty)
    assert form_of(empty) == newest_form() > "0004"
    engine = connect(empty)
    after = contents(empty)
    kept = {name: len(after[name]) for name in before}
    assert kept == {name: len(rows) for name, rows in before.items()}
    assert not any(after[name] for name in after.keys() - before.keys())
    with sessionmaker(engine)() as session:
        show = shows.find_show(session, "Tidewrack")
        rows = standings(session, shots_of(session, show))
        assert [row.shot.code for row in rows] == ["TW010", "TW030", "TW040"]
        first = rows[0]
        assert first.recipe.depth.near == 4.8 and first.recipe.depth.mist and first.last_package
        assert {knot.name: knot.state for knot in first.knots}["depth"] == "settled"
        assert [len(row.passes) > 3 for row in rows] == [True] * 3
        assert deliveries.files_of(session, first.shot.delivery, first.shot.delivery.first)
        recipes.set_values(session, first.shot, {"depth.far": "80"})
        assert recipes.current(session, first.shot).depth.far == 80
        run = session.scalars(select(Run)).one()
        assert ledger.progress(session, [run])[run.id].proven == 2
        measuring.ask(session, first.shot.delivery, recipes.current(session, first.shot))
    engine.dispose()


def test_a_house_of_a_later_version_is_refused_in_words_and_left_as_it_is(installation, empty):
    migrate(empty)
    engine = create_engine(empty)
    with engine.begin() as connection:
        connection.execute(text("UPDATE alembic_version SET version_num = '9999'"))
    with pytest.raises(ConflictError, match="has form 9999; this version of Drawstring knows forms up to"):
        migrate(empty)
    shell = subprocess.run(
        [sys.executable, "-m", "drawstring.cli", "migrate"], capture_output=True, text=True,
        env={**environment_of(installation), "DRAWSTRING_DATABASE_URL": empty},
    )  # fmt: skip
    assert shell.returncode == 6 and "later version" in shell.stderr and "Traceback" not in shell.stderr
    assert form_of(empty) == "9999"
    engine.dispose()


def test_a_backup_brings_everything_back_elsewhere_and_throws_nothing_away(
    postgres, installation, empty, tmp_path, candidate, monkeypatch
):
    engine = connect(installation.database_url)
    with sessionmaker(engine).begin() as session:
        show = shows.make_show(session, "Tidewrack")
        deliveries.accept(session, shows.make_shot(session, show, "TW010"), candidate)
    engine.dispose()
    table = keep_file(installation.colour_folder, "gain.cube", b"LUT_1D_SIZE 2\n0 0 0\n2 2 2\n")
    file = str(tmp_path / "night.backup")
    about = backup(installation, file)
    assert about["form"] == newest_form() and os.stat(file).st_mode & 0o077 == 0
    with pytest.raises(ConflictError, match="is there already"):
        backup(installation, file)
    elsewhere = Installation(var=str(tmp_path / "other"), roots=installation.roots, database_url=empty)
    other = create_engine(empty)
    with other.begin() as connection:
        connection.execute(text("CREATE TABLE keepsake (said text)"))
        connection.execute(text("INSERT INTO keepsake VALUES ('mine')"))
    with other.connect(), pytest.raises(ConflictError, match="is running on this database"):
        restore(elsewhere, file)
    other.dispose()
    done = restore(elsewhere, file)
    assert contents(empty) == contents(installation.database_url)
    assert elsewhere.secret_key == installation.secret_key
    os.unlink(table)
    monkeypatch.setenv("DRAWSTRING_COLOUR", elsewhere.colour_folder)
    assert find_kept(table, "table").startswith(elsewhere.var)
    before = create_engine(postgres.url(done.before))
    with before.connect() as connection:
        assert connection.scalar(text("SELECT said FROM keepsake")) == "mine"
    before.dispose()


@pytest.mark.parametrize(
    ("spoil", "error", "words"),
    [
        (lambda path: path.unlink(), MissingError, "There is no"),
        (lambda path: path.write_bytes(b"nonsense"), SourceError, "is no backup"),
        (lambda path: path.write_bytes(path.read_bytes()[:3000]), SourceError, "is no backup"),
        (lambda path: tarfile.open(path, "w").close(), SourceError, "is no backup"),
    ],
)
def test_what_is_no_backup_changes_nothing(installation, tmp_path, spoil, error, words):
    path = tmp_path / "night.backup"
    backup(installation, str(path))
    spoil(path)
    was = contents(installation.database_url)
    with pytest.raises(error, match=words):
        restore(installation, str(path))
    assert contents(installation.database_url) == was


def test_a_backup_of_a_later_version_is_refused(monkeypatch, installation, tmp_path):
    file = str(tmp_path / "night.backup")
    with monkeypatch.context() as later:
        later.setattr(keeping, "form_of", lambda url: "9999")
        backup(installation, file)
    with pytest.raises(ConflictError, match="The backup has form 9999"):
        restore(installation, file)


def test_the_house_brings_its_own_database_back_when_it_dies(tmp_path):
    place = Path(f"/var/tmp/drawstring-own-{os.getpid()}")
    place.mkdir(mode=0o755)
    kept = Installation(
        var=str(tmp_path), database_port=free_port(), database_folder=str(place / "data")
    )  # fmt: skip
    server = kept_database(kept)
    server.make()
    server.start()
    try:
        own = OwnDatabase(kept)
        own.look_after()
        server.stop(at_once=True)
        assert not is_taken(kept.database_port)
        wait_for(lambda: own.look_after() or is_taken(kept.database_port))
        assert server.is_running()
        OwnDatabase(Installation(var=str(tmp_path), database_url="postgresql://elsewhere/x")).look_after()
    finally:
        server.stop(at_once=True)
        subprocess.run(["rm", "-rf", str(place)], check=True)


@pytest.mark.parametrize("name", ["../outside", "/tmp/outside", "link"])
def test_a_backup_that_leads_elsewhere_is_refused(installation, tmp_path, name):
    path = tmp_path / "night.backup"
    with tarfile.open(path, "w") as packed:
        member = tarfile.TarInfo(name)
        if name == "link":
            member.type, member.linkname = tarfile.SYMTYPE, "/etc/hostname"
        packed.addfile(member)
    with pytest.raises(SourceError, match="is no backup"):
        restore(installation, str(path))
    assert not (tmp_path / "outside").exists()
