"""A house's memory kept in one file, and brought back from it.

That is its database, the key that signs its pages, and the tables and configurations of colour it keeps.

Sources and packages are files of their own and stay where they are; a backup names their folders. What a
restore replaces is not thrown away: the database that was there keeps its contents under another name.
"""

from __future__ import annotations

import io
import json
import os
import shutil
import subprocess
import tarfile
import tempfile
import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from sqlalchemy import URL, create_engine, make_url, text
from sqlalchemy.pool import NullPool

from drawstring import __version__
from drawstring.core.errors import ConflictError, DrawstringError, MissingError, OutputError, SourceError
from drawstring.core.io.writing import final_name
from drawstring.installation import Installation
from drawstring.local_postgres import Trouble, program
from drawstring.store.database import connect, form_of, migrate, newest_form

DUMP, ABOUT, KEY, COLOUR = "database.dump", "about.json", "secrets/page-key", "colour"
KIND = "drawstring backup"


@dataclass(frozen=True)
class Restored:
    """What a restore did."""

    made_at: str
    """When the backup was made."""
    form: str
    """The form its tables had then."""
    before: str
    """What the database is called that was there before; empty where there was none."""


def backup(installation: Installation, file: str) -> dict[str, Any]:
    """Write a backup; give what is told about it. The house may go on meanwhile: it is one moment's state.

    Parameters
    ----------
    file : str
        A name that is free; ends up there whole or not at all.

    Raises
    ------
    ConflictError
        The name is taken.
    OutputError
        It can't be written, or the database can't be read.
    """
    url = make_url(installation.database)
    about = {
        "kind": KIND, "version": __version__, "form": form_of(installation.database),
        "made_at": datetime.now(UTC).isoformat(), "sources": installation.root_list,
        "packages": installation.output_folder,
    }  # fmt: skip
    with tempfile.TemporaryDirectory() as place, final_name(os.path.abspath(file)) as unfinished:
        dump = os.path.join(place, DUMP)
        _run(
            "pg_dump",
            url,
            "--format=custom",
            "--no-owner",
            "--no-privileges",
            f"--file={dump}",
            str(url.database),
        )
        with tarfile.open(unfinished, "w") as packed:
            _add(packed, ABOUT, json.dumps(about, indent=2).encode())
            _add(packed, KEY, installation.secret_key)
            packed.add(dump, DUMP)
            # Recipes name them by content: without them pictures could not be made again.
            if os.path.isdir(installation.colour_folder):
                packed.add(installation.colour_folder, COLOUR)
        os.chmod(unfinished, 0o600)
    return about


def restore(installation: Installation, file: str) -> Restored:
    """Bring a backup back: its database takes the place of the one that is there, which keeps another name.

    An older one is brought to today's form on the way, before anything is replaced.

    Raises
    ------
    MissingError, SourceError
        The file is not there, or is no backup.
    ConflictError
        It was made by a later version, or the house is running.
    OutputError
        The database can't be made.
    """
    with tempfile.TemporaryDirectory() as place:
        about = _unpacked(file, place)
        _refuse_later(about)
        url = make_url(installation.database)
        _refuse_running(installation)
        mark = f"{datetime.now(UTC):%Y%m%d_%H%M%S}_{uuid.uuid4().hex[:4]}"
        making, before = f"{url.database}_restoring_{mark}", f"{url.database}_before_{mark}"
        with _administering(url) as run:
            run(f'CREATE DATABASE "{making}"')
            try:
                _run(
                    "pg_restore", url, "--no-owner", "--no-privileges", "--exit-on-error",
                    f"--dbname={making}",                     os.path.join(place, DUMP),
                )  # fmt: skip
                migrate(url.set(database=making).render_as_string(hide_password=False))
            except BaseException:
                run(f'DROP DATABASE "{making}" WITH (FORCE)')
                raise
            had = run(f"SELECT 1 FROM pg_database WHERE datname = '{url.database}'")
            if had:
                run(f'ALTER DATABASE "{url.database}" RENAME TO "{before}"')
            run(f'ALTER DATABASE "{making}" RENAME TO "{url.database}"')
        _bring_key(installation, Path(place) / KEY)
        _bring_colour(installation, Path(place) / COLOUR)
        return Restored(about["made_at"], about["form"], before if had else "")


def _unpacked(file: str, place: str) -> dict[str, Any]:
    if not os.path.exists(file):
        raise MissingError(f"There is no {file}.", where="file", remedy="Name a file that “backup” wrote.")
    try:
        with tarfile.open(file) as packed:
            _extract(packed, place)
        with open(os.path.join(place, ABOUT), encoding="utf-8") as said:
            about: dict[str, Any] = json.load(said)
        if about.get("kind") != KIND or not os.path.exists(os.path.join(place, DUMP)):
            raise ValueError("it holds something else")
        return about
    except (tarfile.TarError, OSError, ValueError) as error:
        raise SourceError(
            f"{os.path.basename(file)} is no backup: {error}.", where="file", why="Nothing was changed.",
            remedy="Name a file that “drawstring backup” wrote, whole.",
        ) from error  # fmt: skip


def _extract(packed: tarfile.TarFile, place: str) -> None:
    """Unpack plain files and folders below a place, and nothing else.

    Python before 3.11.4, as Debian 12 has it, knows no filters for that.

    Raises
    ------
    ValueError
        A name leads elsewhere, or is no plain file.
    """
    for member in packed.getmembers():
        path = os.path.normpath(member.name)
        if os.path.isabs(path) or path.startswith("..") or not (member.isfile() or member.isdir()):
            raise ValueError(f"it holds {member.name}, which is no file of a backup")
        member.mode = 0o700 if member.isdir() else 0o600
        packed.extract(member, place, set_attrs=False)


def _refuse_later(about: dict[str, Any]) -> None:
    if about["form"] > newest_form():
        raise ConflictError(
            f"The backup has form {about['form']}; this version of Drawstring ({__version__}) knows "
            f"forms up to {newest_form()}.",
            where="file",
            why="A later version made it; this one would misread it. Nothing was changed.",
            remedy=f"Restore it with version {about['version']} or later.",
        )


def _refuse_running(installation: Installation) -> None:
    """Refuse while somebody works on the database: it would be taken away from under their hands."""
    engine = connect(installation.database)
    try:
        with engine.connect() as connection:
            others = connection.scalar(
                text(
                    "SELECT count(*) FROM pg_stat_activity WHERE datname = current_database() "
                    "AND pid <> pg_backend_pid() AND backend_type = 'client backend'"
                )
            )
    except DrawstringError:
        raise
    except Exception:
        return  # there is no such database yet
    finally:
        engine.dispose()
    if others:
        raise ConflictError(
            "The house is running on this database.", where="database",
            why="What is done meanwhile would be lost.",
            remedy="End it (make stop), start its database alone if it is the house's own (make database), "
            "and restore again.",
        )  # fmt: skip


@contextmanager
def _administering(url: URL) -> Iterator[Any]:
    """Lend a way to run statements beside the database that is meant."""
    engine = create_engine(url.set(database="postgres"), isolation_level="AUTOCOMMIT", poolclass=NullPool)
    try:
        with engine.connect() as connection:

            def run(statement: str) -> bool:
                done = connection.exec_driver_sql(statement)
                return done.returns_rows and done.first() is not None

            yield run
    finally:
        engine.dispose()


def _run(name: str, url: URL, *arguments: str) -> None:
    reach = [f"--host={url.host}", f"--port={url.port or 5432}", f"--username={url.username}"]
    try:
        done = subprocess.run(
            [program(name), *reach, "--no-password", *arguments], capture_output=True, text=True,
            env={**os.environ, "PGPASSWORD": url.password or ""},
        )  # fmt: skip
    except Trouble as trouble:
        raise OutputError(str(trouble), where=name, remedy="Install it and try again.") from trouble
    if done.returncode:
        raise OutputError(
            f"{name} did not succeed: {done.stderr.strip()[-400:]}", where="database",
            why="Nothing was changed.",
            remedy="Check that the database runs and may be read, then try again.",
        )  # fmt: skip


def _bring_colour(installation: Installation, kept: Path) -> None:
    """Put kept files of colour back; what is there already has the same content."""
    for file in kept.glob("*/*"):
        place = Path(installation.colour_folder) / file.parent.name / file.name
        if not place.exists():
            place.parent.mkdir(parents=True, exist_ok=True)
            shutil.copyfile(file, place)


def _bring_key(installation: Installation, key: Path) -> None:
    """Bring the key that signs pages back, so that who is at a page stays there."""
    target = Path(installation.var) / "secrets" / "page-key"
    if not key.exists():
        return
    target.parent.mkdir(parents=True, exist_ok=True)
    os.chmod(target.parent, 0o700)
    unfinished = target.with_name(f"page-key.{os.getpid()}")
    with os.fdopen(os.open(unfinished, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "wb") as file:
        file.write(key.read_bytes())
    unfinished.replace(target)


def _add(packed: tarfile.TarFile, name: str, data: bytes) -> None:
    member = tarfile.TarInfo(name)
    member.size, member.mode = len(data), 0o600
    packed.addfile(member, io.BytesIO(data))
