"""The pages over a database of their own, for timings."""

from __future__ import annotations

import shutil
import sys
import tempfile
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

from flask import Flask

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "ops"))
from drawstring.installation import Installation  # noqa: E402
from drawstring.local_postgres import LocalPostgres, free_port, place_for  # noqa: E402
from drawstring.store.database import migrate  # noqa: E402
from drawstring.web.app import create_served_app  # noqa: E402


@contextmanager
def served(roots: Sequence[Path]) -> Iterator[tuple[Flask, str]]:
    """Give the application and its database's address; both are gone afterwards."""
    place = Path(tempfile.mkdtemp(prefix="drawstring-bench-"))
    place.chmod(0o755)
    server = LocalPostgres(place_for(place / "data"), free_port(), "bench", is_lasting=False)
    server.make()
    server.start()
    server.make_database("bench")
    migrate(server.url("bench"))
    try:
        folders = ":".join(str(root) for root in roots)
        app = create_served_app(
            Installation(var=str(place / "var"), roots=folders, database_url=server.url("bench")),
            TESTING=True,
            WTF_CSRF_ENABLED=False,
        )
        yield app, server.url("bench")
        app.extensions["house"].readers.close()
    finally:
        server.stop()
        shutil.rmtree(place, ignore_errors=True)
