"""Dictionary: what people said about names of passes; tried out on everything before it is remembered."""

from __future__ import annotations

import json

from flask import Blueprint, Response, make_response, render_template, request, url_for

from drawstring.core.errors import SettingError
from drawstring.core.passes import EntryKind, Role, entry, read_entries
from drawstring.core.passes.words import words_of
from drawstring.store import correcting, shows
from drawstring.store.models import Show
from drawstring.web.services import who, work

bp = Blueprint("dictionary", __name__)


@bp.get("/shows/<code>/dictionary")
def page(code: str) -> str:
    """List the dictionary's lines, with forms to add and to bring in."""
    with work() as session:
        show = shows.find_show(session, code)
        return render_template(
            "dictionary/dictionary.html", show=show, roles=list(Role), kinds=list(EntryKind)
        )


@bp.get("/shows/<code>/dictionary/preview")
def preview(code: str) -> str:
    """Say what an entry would do to everything that has arrived; nothing is changed."""
    kind, text, role = _typed()
    with work() as session:
        show = shows.find_show(session, code)
        told = entry(kind, text, role)
        return render_template(
            "dictionary/_preview.html",
            show=show,
            told=told,
            effects=correcting.effects(session, show, [told]),
        )


@bp.get("/shows/<code>/dictionary/offer")
def offer(code: str) -> str:
    """Offer to remember a correction: as the whole name, or as one of its words."""
    name, role = request.args.get("name", ""), request.args.get("role", "")
    words = [word for word in dict.fromkeys(words_of(name)) if not word.isdigit()]
    with work() as session:
        show = shows.find_show(session, code)
        choices = [entry(EntryKind.NAME, name, role)] if name.strip() else []
        choices += [entry(EntryKind.WORD, word, role) for word in words]
        told = [(one, correcting.effects(session, show, [one])) for one in choices]
        return render_template("dictionary/_offer.html", show=show, name=name, role=role, told=told)


@bp.post("/shows/<code>/dictionary")
def remember(code: str) -> Response:
    """Remember an entry and apply it to everything that has arrived."""
    kind, text, role = _typed()
    with work() as session:
        show = shows.find_show(session, code)
        correcting.remember(session, show, [entry(kind, text, role)], by=who())
        return _back(show)


@bp.post("/shows/<code>/dictionary/<int:entry_id>/forget")
def forget(code: str, entry_id: int) -> Response:
    """Take a line out again."""
    with work() as session:
        show = shows.find_show(session, code)
        correcting.forget(session, show, entry_id)
        return _back(show)


@bp.get("/shows/<code>/dictionary.json")
def export(code: str) -> Response:
    """Hand the dictionary on as JSON."""
    with work() as session:
        entries = correcting.dictionary_of(shows.find_show(session, code))
    body = json.dumps({"entries": [one.as_dict() for one in entries]}, indent=2)
    return Response(
        body, mimetype="application/json",
        headers={"Content-Disposition": f'attachment; filename="{code}-dictionary.json"'},
    )  # fmt: skip


@bp.post("/shows/<code>/dictionary/file")
def bring_in(code: str) -> Response:
    """Add the entries of a JSON file."""
    file = request.files.get("dictionary.file")
    try:
        plain = json.loads(file.read() if file else b"")
    except ValueError as error:
        raise SettingError(
            "The file is no JSON.", where="dictionary.file", why="Nothing was remembered.",
            remedy="Choose a file that was exported from a dictionary.",
        ) from error  # fmt: skip
    with work() as session:
        show = shows.find_show(session, code)
        correcting.remember(session, show, read_entries(plain), by=who())
        return _back(show)


def _typed() -> tuple[str, str, str]:
    values = request.values
    return (
        values.get("dictionary.kind", ""),
        values.get("dictionary.text", ""),
        values.get("dictionary.role", ""),
    )


def _back(show: Show) -> Response:
    """Answer with the page that asked, loaded anew: names may have changed everywhere on it."""
    response = make_response("", 204)
    if request.form.get("back") == "here":
        response.headers["HX-Refresh"] = "true"
    else:
        response.headers["HX-Redirect"] = url_for("dictionary.page", code=show.code)
    return response
