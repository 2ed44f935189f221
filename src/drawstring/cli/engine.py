"""The engine's process: what waits in the ledger is worked off, and what is asked for beside it."""

from __future__ import annotations

import signal

from sqlalchemy.orm import sessionmaker

from drawstring.cli.waiting import cluster_of
from drawstring.installation import Installation
from drawstring.runs.engine import Engine
from drawstring.runs.feeds.recording import Recorder
from drawstring.runs.forks import start_warm_parent
from drawstring.runs.handoff import Reviewer, Sender
from drawstring.runs.joining import Joiner
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
    with cluster_of(installation) as client:
        database = connect(installation.database)
        sessions = sessionmaker(database, expire_on_commit=False)
        scanning = Scanning(sessions, Readers(installation.worker_count), installation.root_list)
        beside = (
            Sender(sessions), Reviewer(sessions, installation.output_folder), Joiner(sessions, Readers(1)),
            Recorder(sessions, Readers(1), installation.feed_addresses),
        )  # fmt: skip
        Engine(database, client, scanning=scanning, beside=beside).work(until=lambda: stopped)
