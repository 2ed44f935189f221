"""What every answer carries for the browser's sake, and what is asked of every request before a view sees it.

Scripts and styles come from this house only (Content Security Policy Level 3); no page is shown within
another; an address of ours is told to nobody. Text is sent compressed; pixels are sent as they are.
"""

from __future__ import annotations

import hashlib
import re
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar

from flask import Flask, Response, current_app, request
from flask_compress import Compress
from werkzeug.datastructures import FileStorage
from werkzeug.exceptions import SecurityError
from werkzeug.routing import IntegerConverter

from drawstring.core.errors import SettingError

POLICY = "; ".join(
    (
        "default-src 'self'",
        "script-src 'self'",
        "style-src 'self'",
        # Positions along a drawing are attributes of its parts; no style sheet is written into a page.
        "style-src-attr 'unsafe-inline'",
        "img-src 'self' data: blob:",
        "object-src 'none'",
        "base-uri 'none'",
        "form-action 'self'",
        "frame-ancestors 'none'",
    )
)
DOCUMENT_POLICY = (
    "default-src 'none'; img-src data:; style-src 'unsafe-inline'; base-uri 'none'; frame-ancestors 'none'"
)
"""For documents that stand alone (reports): their own style and pictures, and nothing else."""

HOST = re.compile(r"(127\.0\.0\.1|localhost|\[::1\])(:\d{1,5})?")
"""This machine's own names."""

TEXTS = [
    "text/html", "text/css", "text/javascript", "application/javascript", "application/json",
    "image/svg+xml", "text/plain",
]  # fmt: skip

LARGEST_NUMBER = 2**31 - 1
"""What a number in an address can be: the database counts its rows in 32 bits."""

A_YEAR_S = 365 * 24 * 3600


class RowNumber(IntegerConverter):
    """The number of a row in an address; one that no row can have leads nowhere."""

    def __init__(self, url_map: object, **options: object) -> None:
        super().__init__(url_map, max=LARGEST_NUMBER, **options)  # type: ignore[arg-type]


def static_address(folder: str) -> str:
    """Give the address below which scripts and styles lie: it names their contents, so they never grow stale.

    Modules import each other by relative addresses, so all of them lie below one digest.
    """
    digest = hashlib.sha256()
    for path in sorted(Path(folder).rglob("*")):
        if path.is_file():
            digest.update(f"{path.relative_to(folder)}\n".encode())
            digest.update(path.read_bytes())
    return f"/static/{digest.hexdigest()[:12]}"


LARGEST_FILE = 66 << 20
"""Of a request that brings a file along: kept files of colour have up to 64 MB."""

View = TypeVar("View", bound=Callable[..., Any])


def brings_file(view: View) -> View:
    """Mark a view whose requests bring a file along, and so are larger than forms of settings are."""
    view.brings_file = True  # type: ignore[attr-defined]
    return view


def brought_file(name: str, remedy: str, *, what: str = "file", endings: tuple[str, ...] = ()) -> FileStorage:
    """Give the file that a request brings along.

    Parameters
    ----------
    name : str
        Of the form's field.
    remedy : str
        What to choose.
    what : str, optional
        What the file is, in words.
    endings : tuple of str, optional
        Endings its name may have, in lower case; any if empty.

    Raises
    ------
    SettingError
        There is none, or one with another ending.
    """
    file = request.files.get(name)
    if file is None or not file.filename or not file.filename.lower().endswith(endings or ""):
        raise SettingError(f"No {what} was chosen.", where=name, why="Nothing was changed.", remedy=remedy)
    return file


def _allow_files() -> None:
    """Let a request be as large as the file it brings, before anything reads its form."""
    view = current_app.view_functions.get(request.endpoint or "")
    if getattr(view, "brings_file", False):
        request.max_content_length = LARGEST_FILE


def init_app(app: Flask) -> None:
    """Guard an application; its converters must be set before addresses are registered."""
    app.url_map.converters["int"] = RowNumber
    app.config.update(
        COMPRESS_MIMETYPES=TEXTS,
        COMPRESS_ALGORITHM=["gzip"],
        COMPRESS_ALGORITHM_STREAMING=["deflate"],  # what comes from a file: scripts and styles
        COMPRESS_LEVEL=5,
    )
    app.before_request(_know_host)
    app.before_request(_allow_files)
    app.after_request(_guard)
    Compress(app)


def _know_host() -> None:
    """Refuse a page of another site that has its name point here."""
    if not HOST.fullmatch(request.host):
        raise SecurityError(f"Host {request.host!r} is not trusted.")


def _guard(response: Response) -> Response:
    response.headers.setdefault("Content-Security-Policy", POLICY)
    response.headers["X-Content-Type-Options"] = "nosniff"
    response.headers["X-Frame-Options"] = "DENY"
    response.headers["Referrer-Policy"] = "same-origin"
    response.headers["Cross-Origin-Resource-Policy"] = "same-origin"
    response.headers["Cross-Origin-Opener-Policy"] = "same-origin"
    if request.endpoint in ("static", "styles") and response.status_code == 200:
        response.headers["Cache-Control"] = f"public, max-age={A_YEAR_S}, immutable"
    return response
