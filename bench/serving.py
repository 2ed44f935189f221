"""The pages over a database of their own, for timings."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path

from flask import Flask
from sqlalchemy.orm import sessionmaker

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "ops"))
from drawstring.core.arrivals import scan  # noqa: E402
from drawstring.installation import Installation  # noqa: E402
from drawstring.local_postgres import LocalPostgres, free_port, place_for  # noqa: E402
from drawstring.standins.tidewrack import SHOTS, render_show  # noqa: E402
from drawstring.store import deliveries, shows  # noqa: E402
from drawstring.store.database import connect, migrate  # noqa: E402
from drawstring.web.app import create_served_app  # noqa: E402


def _database() -> tuple[Path, LocalPostgres]:
    """Bring up a database of a benchmark's own; give the folder in which it lies, too."""
    place = Path(tempfile.mkdtemp(prefix="drawstring-bench-"))
    place.chmod(0o755)
    server = LocalPostgres(place_for(place / "data"), free_port(), "bench", is_lasting=False)
    server.make()
    server.start()
    server.make_database("bench")
    migrate(server.url("bench"))
    return place, server


@contextmanager
def filled(frames: Path) -> Iterator[tuple[str, int, Callable[..., None], dict[str, str]]]:
    """Serve a house with one shot as it is served to people.

    Give its address, the shot, a restart, and the environment in which a shell finds it. A restart may be
    given settings, such as `DRAWSTRING_KEPT_MB="0"`.
    """
    place, server = _database()
    port = free_port()
    environment = {
        **os.environ, "DRAWSTRING_VAR": str(place / "var"), "DRAWSTRING_ROOTS": str(frames),
        "DRAWSTRING_PORT": str(port),
        "DRAWSTRING_DATABASE_URL": server.url("bench"),
    }  # fmt: skip
    running: list[subprocess.Popen[bytes]] = []

    def stop() -> None:
        for process in running:
            process.terminate()
            process.wait(30)
        running.clear()

    def start(**settings: str) -> None:
        stop()
        running.append(
            subprocess.Popen(
                [sys.executable, "-m", "drawstring.cli", "serve"],
                env=environment | settings,
                stderr=subprocess.DEVNULL,
            )  # fmt: skip
        )
        until = time.monotonic() + 60
        while time.monotonic() < until:
            with suppress(OSError), urllib.request.urlopen(f"http://127.0.0.1:{port}/alive", timeout=2):
                return
            time.sleep(0.2)
        raise RuntimeError("the house did not come up")

    try:
        (found,) = scan(str(frames), roots=[str(frames)]).candidates
        with sessionmaker(connect(server.url("bench"))).begin() as session:
            shot = shows.make_shot(session, shows.make_show(session, "Bench"), "B001")
            deliveries.accept(session, shot, found)
            number = shot.id
        start()
        time.sleep(10)  # the engine comes up and counts
        with sessionmaker(connect(server.url("bench")))() as session:
            until = time.monotonic() + 300
            while time.monotonic() < until and not all(
                one.state in ("done", "failed")
                for one in shows.shot_by_id(session, number).delivery.measurements
            ):
                time.sleep(1)
                session.expire_all()
        yield f"http://127.0.0.1:{port}", number, start, environment
    finally:
        stop()
        server.stop()
        shutil.rmtree(place, ignore_errors=True)


@contextmanager
def served(roots: Sequence[Path]) -> Iterator[tuple[Flask, str]]:
    """Give the application and its database's address; both are gone afterwards."""
    place, server = _database()
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


@contextmanager
def pair_served() -> Iterator[tuple[Flask, str, int, Path]]:
    """Serve an HD pair of two frames; give the application, its database, the shot, and the folder."""
    folder = Path(tempfile.mkdtemp(prefix="drawstring-pair-"))
    try:
        bell = tuple(shot for shot in SHOTS if shot.code == "TW040")
        for _ in render_show(str(folder), shots=bell, width=1920, height=1080, frames=2):
            pass
        with served([folder]) as (app, url):
            (found,) = scan(str(folder), roots=[str(folder)]).candidates
            with sessionmaker(connect(url)).begin() as session:
                shot = shows.make_shot(session, shows.make_show(session, "Bench"), "TW040")
                deliveries.accept(session, shot, found)
                number = shot.id
            yield app, url, number, folder
    finally:
        shutil.rmtree(folder, ignore_errors=True)
