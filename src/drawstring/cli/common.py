"""The shell's own ways: refusals into words and exit codes, data as text or JSON, waiting with a bar.

Exit codes: 0 done; 1 something is not proven; 2 wrong call; 3 a setting is refused; 4 a source can't be
used; 5 something is missing; 6 something holds the place; 7 nothing can be written; 8 the database is away.
"""

from __future__ import annotations

import json
import os
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

import click
from sqlalchemy import text
from sqlalchemy.orm import Session, sessionmaker

from drawstring import __version__
from drawstring.core.arrivals import Scan, scan
from drawstring.core.errors import (
    ConflictError,
    DrawstringError,
    MissingError,
    OutputError,
    SettingError,
    SeveralSettingErrors,
    SourceError,
)
from drawstring.installation import Installation, read_installation
from drawstring.runs.cluster import cluster
from drawstring.runs.engine import ENGINE_LOCK, Engine
from drawstring.runs.handoff import Sender
from drawstring.runs.readers import Readers
from drawstring.store import correcting
from drawstring.store.database import DatabaseAway, connect, unit_of_work
from drawstring.store.models import Show

EXIT_CODES: tuple[tuple[type[DrawstringError], int], ...] = (
    (SettingError, 3),
    (SourceError, 4),
    (MissingError, 5),
    (ConflictError, 6),
    (OutputError, 7),
    (DatabaseAway, 8),
    (DrawstringError, 1),
)

as_json = click.option("--json", "wants_json", is_flag=True, help="Print one JSON object.")


class Shell(click.Group):
    """Turns refusals into words and exit codes, in one place for all commands."""

    def invoke(self, ctx: click.Context) -> Any:
        """Carry out a command."""
        try:
            return super().invoke(ctx)
        except DrawstringError as error:
            refusals = error.refusals if isinstance(error, SeveralSettingErrors) else [error]
            if "--json" in sys.argv:
                click.echo(json.dumps({"errors": [one.as_dict() for one in refusals]}, indent=2))
            for one in refusals:
                click.echo(f"{one.where}: {one}" if one.where else str(one), err=True)
            ctx.exit(next(code for kind, code in EXIT_CODES if isinstance(error, kind)))


@click.group(cls=Shell)
@click.version_option(__version__)
@click.pass_context
def main(ctx: click.Context) -> None:
    """From a folder of renders to a proven package."""
    ctx.obj = read_installation()


@contextmanager
def opened(installation: Installation) -> Iterator[Session]:
    """Open one unit of work on the installation's database."""
    with unit_of_work(sessionmaker(connect(installation.database), expire_on_commit=False)) as session:
        yield session


def say(data: Any, wants_json: bool, words: Callable[[], str]) -> None:
    """Print data as JSON, or as words."""
    click.echo(json.dumps(data, indent=2, default=str) if wants_json else words())


def scanned(installation: Installation, folder: str, show: Show | None = None) -> Scan:
    """Scan with other processes doing the decoding, by a show's patterns and dictionary if one is given."""
    readers = Readers(installation.worker_count)
    where = folder if os.path.isabs(folder) or not os.path.exists(folder) else os.path.abspath(folder)
    shown = sys.stderr.isatty()

    def told(doing: str, done: int, total: int) -> None:
        if shown:
            click.echo(f"\r{doing} {done} of {total}   ", nl=done >= total, err=True)

    try:
        return scan(
            where,
            roots=installation.root_list,
            patterns=show.patterns if show else (),
            dictionary=correcting.dictionary_of(show) if show else (),
            fps=show.fps if show else 0.0,
            surveyor=readers.survey,
            recogniser=readers.recognise,
            told=told,
        )
    finally:
        readers.close()


def wait_for(installation: Installation, look: Callable[[Session], tuple[bool, int, int]]) -> None:
    """Wait for work in the ledger, with a progress bar; do it here when no engine is running."""
    database = connect(installation.database)
    sessions = sessionmaker(database, expire_on_commit=False)
    with click.progressbar(length=1, label="Working", file=sys.stderr, show_pos=True) as bar:

        def is_over() -> bool:
            with unit_of_work(sessions) as session:
                over, done, total = look(session)
            bar.length = max(1, total)
            bar.update(done - bar.pos)
            return over

        while not is_over():
            if _engine_runs(database):
                time.sleep(0.5)
                continue
            with cluster(scheduler=installation.scheduler, workers=installation.worker_count) as client:
                Engine(database, client, sender=Sender(sessions)).work(until=is_over)


def _engine_runs(database: Any) -> bool:
    """Whether an engine leads just now."""
    with database.connect() as connection:
        free = connection.execute(text(f"SELECT pg_try_advisory_lock({ENGINE_LOCK})")).scalar()
        if free:
            connection.execute(text(f"SELECT pg_advisory_unlock({ENGINE_LOCK})"))
        connection.commit()
    return not free


def me() -> str:
    """Give who is at the shell."""
    return os.environ.get("USER") or os.environ.get("LOGNAME") or "shell"
