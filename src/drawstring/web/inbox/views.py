"""Inbox: files or archives from the browser, one request to a file so that progress is true."""

from __future__ import annotations

from typing import Any, BinaryIO, cast

from flask import Blueprint, request

from drawstring.core.arrivals.inbox import MAX_UPLOAD_BYTES
from drawstring.runs.inbox import batch_folder, receive
from drawstring.store import scans, shows
from drawstring.web.services import house, work

bp = Blueprint("inbox", __name__)


@bp.post("/shows/<code>/inbox/<batch>")
def hand_in(code: str, batch: str) -> dict[str, Any]:
    """Take one file; its name comes in the query, its bytes are the body."""
    request.max_content_length = MAX_UPLOAD_BYTES
    with work() as session:
        show = shows.find_show(session, code).code
    folder = batch_folder(house().installation.root_list[0], show, batch)
    names = receive(
        folder, request.args.get("name", ""), cast(BinaryIO, request.stream), request.content_length or 0
    )
    return {"taken": names}


@bp.post("/shows/<code>/inbox/<batch>/scan")
def look(code: str, batch: str) -> dict[str, Any]:
    """Have the hand-in scanned, when all of its files are there."""
    with work() as session:
        show = shows.find_show(session, code)
        row = scans.ask(session, show, batch_folder(house().installation.root_list[0], show.code, batch))
        return {"scan": row.id}
