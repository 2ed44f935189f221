"""Bench: one shot, its cord across the top, the well in the middle, a knot's settings beside it."""

from __future__ import annotations

from flask import Blueprint, redirect, render_template, request
from werkzeug.wrappers import Response

from drawstring.core.recipe import KnotState
from drawstring.store import recipes, shows
from drawstring.store.standing import standing
from drawstring.web.bench.changing import changed
from drawstring.web.bench.first import first_address, first_view
from drawstring.web.bench.words import bench_words
from drawstring.web.homes import page_of
from drawstring.web.services import who, work

bp = Blueprint("bench", __name__)


@bp.get("/shots/<int:shot_id>")
def shot(shot_id: int) -> Response:
    """Open a shot at the first knot that is not settled."""
    with work() as session:
        how = standing(session, shows.shot_by_id(session, shot_id))
        open_knots = [knot.name for knot in how.knots if not knot.is_taut]
        needed = [knot.name for knot in how.knots if knot.state is not KnotState.NOT_NEEDED]
        first = (open_knots or needed[1:2] or needed)[0]
    return redirect(page_of(first, shot_id))


@bp.get("/shots/<int:shot_id>/<knot:knot>")
def bench(shot_id: int, knot: str) -> str:
    """Show the bench with one knot's settings."""
    with work() as session:
        one = shows.shot_by_id(session, shot_id)
        words = bench_words(session, one, knot)
        first = [first_address(words), first_view(words)]
        return render_template("bench/bench.html", tray_waits=True, first=first, **words)


@bp.post("/shots/<int:shot_id>/<knot:knot>/settle")
def settle(shot_id: int, knot: str) -> Response:
    """Settle a knot as it is."""
    with work() as session:
        one = shows.shot_by_id(session, shot_id)
        recipes.settle(session, one, knot, by=who())
        return changed(session, one, knot)


@bp.post("/shots/<int:shot_id>/<knot:knot>/needed")
def needed(shot_id: int, knot: str) -> Response:
    """Say whether a knot is needed for this shot."""
    with work() as session:
        one = shows.shot_by_id(session, shot_id)
        value = request.form.get("needed") == "yes"
        recipes.set_values(session, one, {f"{knot}.needed": value}, by=who())
        return changed(session, one, knot)


@bp.post("/shots/<int:shot_id>/<knot:knot>/undo")
def undo(shot_id: int, knot: str) -> Response:
    """Go back one revision."""
    with work() as session:
        one = shows.shot_by_id(session, shot_id)
        recipes.undo(session, one, by=who())
        return changed(session, one, knot)
