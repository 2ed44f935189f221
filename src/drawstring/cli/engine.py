"""An engine in this process: what waits in the ledger is worked off, and what is asked for beside it."""

from __future__ import annotations

import signal
from collections.abc import Callable
from contextlib import AbstractContextManager

from distributed import Client
from sqlalchemy import Engine as Database
from sqlalchemy.orm import sessionmaker

from drawstring.installation import Installation
from drawstring.runs.cluster import Certificates, cluster
from drawstring.runs.engine import Engine
from drawstring.runs.feeds.recording import Recorder
from drawstring.runs.forks import start_warm_parent
from drawstring.runs.handoff import Reviewer, Sender
from drawstring.runs.joining import Joiner
from drawstring.runs.kept_planes import Keeps
from drawstring.runs.readers import Readers
from drawstring.runs.scanning import Scanning
from drawstring.store.database import connect


def keep_working(installation: Installation) -> None:
    """Work until told to stop by a signal."""
    stopped = False

    def stop(*_: object) -> None:
        nonlocal stopped
        stopped = True

    signal.signal(signal.SIGTERM, stop)
    signal.signal(signal.SIGINT, stop)
    # While there is no other thread.
    start_warm_parent()
    work_off(installation, connect(installation.database), lambda: stopped, scans=True)


def work_off(
    installation: Installation, database: Database, until: Callable[[], bool], *, scans: bool = False
) -> None:
    """Work off what waits, on the cluster that an installation computes on.

    Parameters
    ----------
    until : callable
        Whether to stop.
    scans : bool
        Whether folders are scanned and watched, too.
    """
    sessions = sessionmaker(database, expire_on_commit=False)
    with _cluster_of(installation) as client:
        scanning = None
        if scans:
            scanning = Scanning(sessions, Readers(installation.worker_count), installation.root_list)
        beside = (
            Sender(sessions), Reviewer(sessions, installation.output_folder), Joiner(sessions, Readers(1)),
            Recorder(sessions, Readers(1), installation.feed_addresses),
        )  # fmt: skip
        keeps = Keeps(installation.kept_folder, installation.kept_mb << 20)
        Engine(database, client, scanning=scanning, beside=beside, keeps=keeps).work(until=until)


def _cluster_of(installation: Installation) -> AbstractContextManager[Callable[[], Client]]:
    files = installation.scheduler_files
    return cluster(
        scheduler=installation.scheduler,
        workers=installation.worker_count,
        certificates=Certificates(*files) if files else None,
    )
