"""Inbox: files, folders and archives from the browser, by the open tus protocol 1.0.0 (resumable upload).

A file is announced, then sent in pieces; whoever was cut off asks how much is here and goes on.
Extensions: creation, termination. The token of the page comes as a header, as a body of many megabytes
is no form.
"""

from __future__ import annotations

import base64
import binascii
from typing import Any, BinaryIO, cast

from flask import Blueprint, Response, make_response, request, url_for
from flask_wtf.csrf import CSRFError, validate_csrf
from wtforms.validators import ValidationError

from drawstring.core.arrivals.inbox import MAX_UPLOAD_BYTES
from drawstring.core.errors import SettingError
from drawstring.runs import inbox
from drawstring.store import scans, shows
from drawstring.web.services import house, work

bp = Blueprint("inbox", __name__)

TUS = "1.0.0"
LARGEST_PIECE = 64 << 20


@bp.before_request
def know() -> None:
    """Let in only what a page of this house sends."""
    if request.method in ("GET", "HEAD", "OPTIONS"):
        return
    try:
        validate_csrf(request.headers.get("X-CSRFToken"))
    except ValidationError as error:
        raise CSRFError(str(error)) from error


@bp.route("/shows/<code>/inbox/<batch>/files", methods=["OPTIONS"])
def options(code: str, batch: str) -> Response:
    """Tell what is understood here."""
    return _answer(204, {
        "Tus-Version": TUS, "Tus-Extension": "creation,termination", "Tus-Max-Size": str(MAX_UPLOAD_BYTES),
    })  # fmt: skip


@bp.post("/shows/<code>/inbox/<batch>/files")
def announce(code: str, batch: str) -> Response:
    """Take note of a file: its length, and its name (with its folders) in the metadata."""
    length, said = request.headers.get("Upload-Length", ""), _metadata()
    if not length.isdigit() or len(length) > 18:
        raise SettingError(
            "The file came without its length.", where="inbox", why="It would not be known when it is whole.",
            remedy="Send it with an Upload-Length.",
        )  # fmt: skip
    upload = inbox.announce(
        _folder(code, batch), said.get("relativePath") or said.get("filename", ""), int(length)
    )
    where = url_for("inbox.take", code=code, batch=batch, number=upload.number)
    if upload.size == 0:
        inbox.append(_folder(code, batch), upload.number, 0, cast(BinaryIO, request.stream))
    return _answer(201, {"Location": where, "Upload-Offset": "0"})


@bp.route("/shows/<code>/inbox/<batch>/files/<number>", methods=["HEAD"])
def ask(code: str, batch: str, number: str) -> Response:
    """Tell how much of a file is here."""
    upload = inbox.find_upload(_folder(code, batch), number)
    return _answer(200, {
        "Upload-Offset": str(upload.offset), "Upload-Length": str(upload.size), "Cache-Control": "no-store",
    })  # fmt: skip


@bp.patch("/shows/<code>/inbox/<batch>/files/<number>")
def take(code: str, batch: str, number: str) -> Response:
    """Take the next piece of a file."""
    request.max_content_length = LARGEST_PIECE
    offset = request.headers.get("Upload-Offset", "")
    if not offset.isdigit() or len(offset) > 18:
        raise SettingError(
            "The piece came without its place.", where="inbox", why="It could not be put together.",
            remedy="Send it with an Upload-Offset.",
        )  # fmt: skip
    upload, _ = inbox.append(_folder(code, batch), number, int(offset), cast(BinaryIO, request.stream))
    return _answer(204, {"Upload-Offset": str(upload.offset)})


@bp.delete("/shows/<code>/inbox/<batch>/files/<number>")
def forget(code: str, batch: str, number: str) -> Response:
    """Let go of a file that somebody thought better of."""
    inbox.forget(_folder(code, batch), number)
    return _answer(204, {})


@bp.post("/shows/<code>/inbox/<batch>/scan")
def look(code: str, batch: str) -> dict[str, Any]:
    """Have the hand-in scanned, when all of its files are there."""
    folder = _folder(code, batch)
    with work() as session:
        return {"scan": scans.ask(session, shows.find_show(session, code), folder).id}


def _folder(code: str, batch: str) -> str:
    with work() as session:
        show = shows.find_show(session, code).code
    return inbox.batch_folder(house().installation.root_list[0], show, batch)


def _metadata() -> dict[str, str]:
    """Read what a file is called: names and base64 values with commas between them."""
    said = {}
    for pair in request.headers.get("Upload-Metadata", "").split(","):
        name, _, value = pair.strip().partition(" ")
        try:
            said[name] = base64.b64decode(value, validate=True).decode()
        except (binascii.Error, UnicodeDecodeError) as error:
            raise SettingError(
                "The file's name can't be read.", where="inbox", why="It could not be put in its place.",
                remedy="Send it as base64 of UTF-8.",
            ) from error  # fmt: skip
    return said


def _answer(status: int, headers: dict[str, str]) -> Response:
    answer = make_response("", status)
    answer.headers.update({"Tus-Resumable": TUS, **headers})
    return answer
