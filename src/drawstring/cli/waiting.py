"""Waiting in a shell, with a bar: for a folder to be scanned, for the ledger to be worked off."""

from __future__ import annotations

import os
import sys
import time
from collections.abc import Callable
from contextlib import AbstractContextManager
from typing import Any

import click
from distributed import Client
from sqlalchemy import text
from sqlalchemy.orm import Session, sessionmaker

from drawstring.core.arrivals import Scan, scan
from drawstring.installation import Installation
from drawstring.runs.cluster import Certificates, cluster
from drawstring.runs.engine import ENGINE_LOCK, Engine
from drawstring.runs.feeds.recording import Recorder
from drawstring.runs.handoff import Reviewer, Sender
from drawstring.runs.joining import Joiner
from drawstring.runs.readers import Readers
from drawstring.store import correcting
from drawstring.store.database import connect, unit_of_work
from drawstring.store.models import Show


def cluster_of(installation: Installation) -> AbstractContextManager[Callable[[], Client]]:
    """Give the cluster that an installation computes on."""
    files = installation.scheduler_files
    return cluster(
        scheduler=installation.scheduler,
        workers=installation.worker_count,
        certificates=Certificates(*files) if files else None,
    )


def scanned(installation: Installation, folder: str, show: Show | None = None) -> Scan:
    """Scan with other processes doing the decoding, by a show's patterns and dictionary if one is given."""
    readers = Readers(installation.worker_count, growth_mb=installation.reader_mb)
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
            words=show.words if show else None,
            fps=show.fps if show else 0.0,
            surveyor=readers.survey,
            recogniser=readers.recognise,
            layer=readers.lay_out,
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
            with cluster_of(installation) as client:
                beside = (
                    Sender(sessions), Reviewer(sessions, installation.output_folder),
                    Joiner(sessions, Readers(1)),
                    Recorder(sessions, Readers(1), installation.feed_addresses),
                )  # fmt: skip
                Engine(database, client, beside=beside).work(until=is_over)


def _engine_runs(database: Any) -> bool:
    """Whether an engine leads just now."""
    with database.connect() as connection:
        free = connection.execute(text(f"SELECT pg_try_advisory_lock({ENGINE_LOCK})")).scalar()
        if free:
            connection.execute(text(f"SELECT pg_advisory_unlock({ENGINE_LOCK})"))
        connection.commit()
    return not free
