"""Waiting in a shell, with a bar: for a folder to be scanned, for the ledger to be worked off."""

from __future__ import annotations

import os
import sys
import time
from collections.abc import Callable

import click
from sqlalchemy.orm import Session, sessionmaker

from drawstring.core.arrivals import Scan, scan
from drawstring.installation import Installation
from drawstring.runs.readers import Readers
from drawstring.store import correcting
from drawstring.store.database import connect, engine_is_up, unit_of_work
from drawstring.store.models import Show


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
            if engine_is_up(database):
                time.sleep(0.5)
                continue
            # The whole house takes seconds to load: it is needed here alone.
            from drawstring.cli.engine import work_off

            work_off(installation, database, is_over)
