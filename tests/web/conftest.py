"""What page tests share: the application over the test's own database, and a served one for the browser."""

from __future__ import annotations

import html
import re
import shutil
import subprocess
import sys
import urllib.request
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

import pytest
from browser import launched
from flask import Flask
from flask.testing import FlaskClient
from makers import copied_database, environment_of, wait_for
from playwright.sync_api import Browser, Page, sync_playwright
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session, sessionmaker
from werkzeug.datastructures import Headers

from drawstring.core.arrivals import Candidate, scan
from drawstring.installation import Installation
from drawstring.local_postgres import LocalPostgres, free_port
from drawstring.runs.scanning import carry_out_scan
from drawstring.store import deliveries, scans, shows
from drawstring.store.database import connect
from drawstring.store.models import Base, Shot
from drawstring.web.app import create_app, furnished
from drawstring.web.services import House


class PageClient(FlaskClient):
    """A client that sends a page's token with every change, as the pages' own scripts do."""

    token = ""

    def open(self, *arguments: Any, **options: Any) -> Any:
        """Send a request."""
        method = options.get("method", "GET")
        is_page = not (arguments and str(arguments[0]).startswith("/api/"))
        if method not in ("GET", "HEAD", "OPTIONS") and is_page:
            self.token = self.token or self._token()
            options["headers"] = Headers(options.get("headers") or {})
            options["headers"].setdefault("X-CSRFToken", self.token)
        return super().open(*arguments, **options)

    def _token(self) -> str:
        with self.application.extensions["house"].sessions() as session:
            front = "/shows" if shows.all_shows(session) else "/"
        text = super().open(front, follow_redirects=True).text
        return html.unescape(re.search(r'"X-CSRFToken": "([^"]+)"', text)[1])


_APPS: list[Flask] = []
"""Its addresses and templates are the same for every test; what it works with is each test's own."""


@pytest.fixture
def app(installation) -> Iterator[Flask]:
    """The application as it is served, in this process."""
    if _APPS:
        made = _APPS[0]
        made.extensions["house"], made.config["SECRET_KEY"] = furnished(installation), installation.secret_key
    else:
        made = create_app(installation, SUMMARY_S=0, TESTING=True, PROPAGATE_EXCEPTIONS=False)
        made.test_client_class = PageClient
        _APPS.append(made)
    yield made
    house: House = made.extensions["house"]
    house.readers.close()
    house.sessions.kw["bind"].dispose()


@pytest.fixture
def client(app: Flask) -> FlaskClient:
    """A client of the application."""
    return app.test_client()


@pytest.fixture
def sessions(app: Flask) -> sessionmaker[Session]:
    """Sessions on the application's database."""
    return app.extensions["house"].sessions


@pytest.fixture
def fog(sessions, candidate: Candidate) -> Shot:
    """A committed shot with the fog delivery accepted."""
    with sessions.begin() as session:
        shot = shows.make_shot(session, shows.make_show(session, "Tidewrack"), "TW010", title="Fog")
        deliveries.accept(session, shot, candidate)
        _ = shot.delivery.members[0].frames
        return shot


@pytest.fixture(scope="session")
def buoy_candidate(sources: Path) -> Candidate:
    """The painted buoy as it was scanned."""
    return scan(str(sources / "tidewrack" / "TW030"), roots=[str(sources)]).candidates[0]


@pytest.fixture
def buoy(sessions, buoy_candidate: Candidate) -> Shot:
    """A committed shot with the painted buoy on white: object, ground and plate, three sequences."""
    with sessions.begin() as session:
        shot = shows.make_shot(session, shows.make_show(session, "Tidewrack"), "TW030", title="Buoy")
        deliveries.accept(session, shot, buoy_candidate)
        _ = [member.frames for member in shot.delivery.members]
        return shot


@pytest.fixture
def look_through(app: Flask, sessions) -> Callable[[], None]:
    """Do what the engine would: carry out every scan that waits."""
    house: House = app.extensions["house"]

    def look() -> None:
        with sessions() as session:
            todo = [row.id for row in scans.waiting(session)]
        for number in todo:
            carry_out_scan(sessions, number, house.readers, house.installation.root_list)

    return look


@pytest.fixture(scope="session")
def faulty(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder for what is wrong; it may be scanned, too."""
    return tmp_path_factory.mktemp("faulty")


@pytest.fixture(scope="session")
def house(
    postgres: LocalPostgres, demo_show: Path, faulty: Path, tmp_path_factory: pytest.TempPathFactory
) -> Iterator[Installation]:
    """Pages and engine as a user starts them, for all tests in the browser; each gets it empty."""
    place = tmp_path_factory.mktemp("house")
    with copied_database(postgres) as url:
        installation = Installation(
            var=str(place / "var"),
            roots=f"{demo_show}:{faulty}",
            output=str(place / "packages"),
            handoff=str(place / "handoff"),
            port=free_port(),
            inbox_port=free_port(),
            feed_port=free_port(),
            database_url=url,
            workers=2,
        )
        with served(installation):
            yield installation


@pytest.fixture
def installation(request: pytest.FixtureRequest) -> Installation:
    """The installation of the test: the served one where there is a browser, emptied before."""
    if "page" not in request.fixturenames:
        own: Installation = request.getfixturevalue("own_installation")
        return own
    house: Installation = request.getfixturevalue("house")
    database = connect(house.database_url)

    def is_empty() -> bool:
        # Numbers are not given twice: the engine may still be at work for the test before, and in the way.
        names = ", ".join(table.name for table in Base.metadata.sorted_tables)
        with suppress(OperationalError), database.begin() as connection:
            connection.exec_driver_sql(f"TRUNCATE {names} CASCADE")
            return True
        return False

    wait_for(is_empty)
    database.dispose()
    for folder in (house.output, house.handoff):
        shutil.rmtree(folder, ignore_errors=True)
    return house


@contextmanager
def served(installation: Installation) -> Iterator[None]:
    """Serve an installation for a while."""
    process = subprocess.Popen(
        [sys.executable, "-m", "drawstring.cli", "serve"], env=environment_of(installation)
    )
    address = f"http://127.0.0.1:{installation.port}"

    def answers() -> bool:
        assert process.poll() is None, "the server ended"
        try:
            with urllib.request.urlopen(f"{address}/alive", timeout=2) as answer:
                return answer.status == 200
        except OSError:
            return False

    try:
        wait_for(answers)
        yield
    finally:
        process.terminate()
        process.wait(30)


SMALL = {"width": 1024, "height": 680}
"""A small window: pages have to be of use in it, too."""


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    """Debian's Chromium."""
    with sync_playwright() as playwright:
        made = launched(playwright)
        yield made
        made.close()


@pytest.fixture
def page(browser: Browser, installation: Installation) -> Iterator[Page]:
    """A page that fails the test when a script fails or an address answers with a fault of the server."""
    base = f"http://127.0.0.1:{installation.port}"
    # Drawn without a graphics card: what a test looks at has to be no larger than it needs.
    context = browser.new_context(viewport=SMALL, base_url=base)
    made = context.new_page()
    troubles: list[str] = []
    made.on("pageerror", lambda error: troubles.append(str(error)))
    made.on("response", lambda r: troubles.append(f"{r.status} {r.url}") if r.status >= 500 else None)
    yield made
    context.close()
    assert not troubles
