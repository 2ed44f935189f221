"""The application put together: settings, services, blueprints, errors."""

from __future__ import annotations

import atexit
import gc
import os
from typing import Any

from flask import Flask
from flask_wtf.csrf import CSRFProtect
from sqlalchemy.orm import sessionmaker
from werkzeug.routing import BaseConverter

from drawstring.core.loaded import keep_loaded
from drawstring.core.recipe import KNOTS
from drawstring.installation import Installation, read_installation
from drawstring.runs.kept_planes import KeptPlanes
from drawstring.runs.readers import Readers
from drawstring.store.database import connect
from drawstring.web import errors, filters, guards, styles
from drawstring.web.api import bp as api
from drawstring.web.bench.cut_sound import bp as cut_sound
from drawstring.web.bench.keys_from import bp as keys_from
from drawstring.web.bench.monitor import bp as monitor
from drawstring.web.bench.views import bp as bench
from drawstring.web.board.views import bp as board
from drawstring.web.dictionary.views import bp as dictionary
from drawstring.web.feed.views import bp as feed
from drawstring.web.findings.views import bp as findings
from drawstring.web.guards import static_address
from drawstring.web.homes import blueprints
from drawstring.web.inbox.views import bp as inbox
from drawstring.web.made.views import bp as made
from drawstring.web.many.views import bp as many
from drawstring.web.packages.reviews import bp as reviews
from drawstring.web.packages.sendings import bp as sendings
from drawstring.web.packages.views import bp as packages
from drawstring.web.pictures.frames import FrameCache
from drawstring.web.pictures.levels import bp as levels
from drawstring.web.pictures.views import bp as pictures
from drawstring.web.runs.views import bp as runs
from drawstring.web.services import House
from drawstring.web.titles.views import bp as titles

BLUEPRINTS = (board, bench, dictionary, feed, findings, inbox, api, made, many, monitor, pictures, runs,
              packages, reviews, sendings, titles, keys_from, levels, cut_sound)  # fmt: skip

csrf = CSRFProtect()


class KnotConverter(BaseConverter):
    """The name of a knot in an address: whichever knots there are."""

    regex = "|".join(knot.name for knot in KNOTS)


def create_served_app(installation: Installation | None = None, **overrides: Any) -> Flask:
    """Make the application for a process that does nothing but serve it."""
    app = create_app(installation, **overrides)
    # What the house is made of stays: looking for garbage in all of it cost a board a third of its time.
    gc.collect()
    keep_loaded()
    gc.set_threshold(20_000, 20, 50)
    return app


def create_app(installation: Installation | None = None, **overrides: Any) -> Flask:
    """Make the application.

    Parameters
    ----------
    installation : Installation, optional
        Read from the environment when not given.
    overrides
        Flask settings, for tests.
    """
    installation = installation or read_installation()
    folder = os.path.join(os.path.dirname(__file__), "static")
    app = Flask(__name__, static_url_path=static_address(folder), static_folder=folder)
    app.config.update(
        SECRET_KEY=installation.secret_key,
        # Settings are small; the inbox sets its own bound.
        MAX_CONTENT_LENGTH=4 << 20,
        WTF_CSRF_TIME_LIMIT=None,
        # How long the summary on every page serves: a night has tens of thousands of frames to count.
        SUMMARY_S=0.5,
        SESSION_COOKIE_SAMESITE="Strict",
        SESSION_COOKIE_HTTPONLY=True,
    )
    app.config.update(overrides)
    app.extensions["house"] = furnished(installation)
    guards.init_app(app)
    styles.init_app(app)
    app.url_map.converters["knot"] = KnotConverter
    csrf.init_app(app)
    # Programs come with a token instead of a page's form.
    csrf.exempt(api)
    # What is handed in is far larger than a form: its token comes as a header, and its body is left alone.
    csrf.exempt(inbox)
    errors.init_app(app)
    filters.init_app(app)
    for blueprint in (*BLUEPRINTS, *blueprints()):
        app.register_blueprint(blueprint)
    return app


def furnished(installation: Installation) -> House:
    """Bring up what the pages of an installation work with: its database, readers and kept pictures."""
    readers = Readers(installation.worker_count, growth_mb=installation.reader_mb)
    atexit.register(readers.close)
    return House(
        installation,
        sessionmaker(connect(installation.database), expire_on_commit=False),
        readers,
        FrameCache(
            readers,
            installation.cache_mb << 20,
            KeptPlanes(installation.kept_folder, installation.kept_mb << 20),
        ),
    )
