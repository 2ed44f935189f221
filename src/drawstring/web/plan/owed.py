"""The show list: typed in a table, pasted, from CSV or from a timeline; what is missing, late or extra."""

from __future__ import annotations

from datetime import date

from flask import Blueprint, render_template, request, url_for
from werkzeug.wrappers import Response

from drawstring.core.errors import SettingError
from drawstring.core.owed.piece import Standing, piece_from
from drawstring.core.owed.reading import COLUMNS, ReadList, read_table, read_timeline
from drawstring.store import owed, shows
from drawstring.store.standing import shots_of
from drawstring.web.guards import brings_file, brought_file
from drawstring.web.services import go_to, work

bp = Blueprint("owed", __name__)

MOST_BYTES = 8 << 20


@bp.get("/shows/<code>/list")
def page(code: str) -> str:
    """Show the list: every piece, and how it stands."""
    wanted = request.args.get("standing", "")
    with work() as session:
        show = shows.find_show(session, code)
        rows = owed.standing(session, show, shots_of(session, show))
        counts = {one: sum(row.standing is one for row in rows) for one in Standing}
        shown = [row for row in rows if wanted in ("", row.standing.value)]
        return render_template(
            "plan/list.html", show=show, rows=shown, counts=counts, wanted=wanted, columns=COLUMNS,
            today=date.today(), notes=request.args.getlist("note"), total=len(rows),
        )  # fmt: skip


@bp.post("/shows/<code>/list")
def add(code: str) -> Response:
    """Add or change one piece, as it was typed in the row."""
    with work() as session:
        piece = piece_from({name: request.form.get(f"list.{name}", "") for name in COLUMNS}, "list")
        owed.put(session, shows.find_show(session, code), [piece])
        return go_to(url_for("owed.page", code=code))


@bp.post("/shows/<code>/list/paste")
def paste(code: str) -> Response:
    """Take a pasted table."""
    return _take(code, read_table(request.form.get("list.table", "")))


@bp.post("/shows/<code>/list/file")
@brings_file
def bring(code: str) -> Response:
    """Take a CSV file or an editorial timeline."""
    file = brought_file("list.file", "Choose a .csv, .otio or .edl file.")
    name = file.filename or ""
    data = file.read(MOST_BYTES + 1)
    if len(data) > MOST_BYTES:
        raise SettingError(
            "The file is larger than 8 MB.", where="list", why="No show list is that long.",
            remedy="Give the list or the timeline itself, without media.",
        )  # fmt: skip
    if name.lower().endswith((".csv", ".tsv", ".txt")):
        try:
            text = data.decode("utf-8-sig")
        except UnicodeDecodeError:
            text = data.decode("cp1252", errors="replace")
        return _take(code, read_table(text))
    with work() as session:
        fps = shows.find_show(session, code).fps
    first = request.form.get("list.starts_at", 1001, type=int)
    return _take(code, read_timeline(data, name, fps=fps, starts_at=first))


def _take(code: str, read: ReadList) -> Response:
    with work() as session:
        show = shows.find_show(session, code)
        made = owed.put(session, show, read.pieces, replaces=request.form.get("list.replaces") == "yes")
    told = [f"{len(read.pieces)} pieces were put on the list; {made} shots are new.", *read.notes]
    return go_to(url_for("owed.page", code=code, note=told[:12]))


@bp.post("/shows/<code>/list/<int:number>/drop")
def drop(code: str, number: int) -> Response:
    """Take a piece off the list."""
    with work() as session:
        owed.drop(session, shows.find_show(session, code), number)
        return go_to(url_for("owed.page", code=code))
