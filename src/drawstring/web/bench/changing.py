"""Settings written from any page, and the answer that draws the shot anew."""

from __future__ import annotations

from typing import Any

from flask import make_response, render_template, request
from sqlalchemy.orm import Session
from werkzeug.wrappers import Response

from drawstring.store import recipes, shows
from drawstring.store.models import Shot
from drawstring.web.bench.words import bench_words
from drawstring.web.services import who, work


def set_settings(shot_id: int, knot: str, typed: dict[str, Any], *, frame: int | None = None) -> Response:
    """Write settings as a revision of a shot's recipe; answer with the knot they were typed at."""
    with work() as session:
        one = shows.shot_by_id(session, shot_id)
        recipes.set_values(session, one, typed, by=who(), frame=frame)
        return changed(session, one, knot)


def typed_at(knot: str) -> dict[str, Any]:
    """Give the settings of a knot that the request's form holds."""
    return {name: value for name, value in request.form.items() if name.startswith(f"{knot}.")}


def changed(session: Session, one: Shot, knot: str) -> Response:
    """Answer a change with the knot as it now stands, the cord, and word for the scripts to draw anew."""
    session.expire_all()
    words = bench_words(session, one, knot)
    response = make_response(render_template("bench/_changed.html", **words))
    # After the parts are in place, so that the scripts find the new tray.
    response.headers["HX-Trigger-After-Settle"] = "recipe-changed"
    return response
