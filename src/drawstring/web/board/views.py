"""Board: a show's shots, a cord each. And the list of shows."""

from __future__ import annotations

from flask import Blueprint, redirect, render_template, request, url_for
from sqlalchemy import select
from werkzeug.wrappers import Response

from drawstring.core.errors import SettingError
from drawstring.core.owed.piece import Standing
from drawstring.core.recipe import KNOTS
from drawstring.core.units import METRES
from drawstring.store import ledger, owed, scans, shows
from drawstring.store.models import Show
from drawstring.store.standing import shots_of, standings
from drawstring.web.services import work

bp = Blueprint("board", __name__)


@bp.get("/alive")
def alive() -> str:
    """Say that the pages are up."""
    return "yes"


@bp.get("/summary")
def summary() -> str:
    """Tell of the runs under way, for the top of the page."""
    code = request.args.get("code", "")
    with work() as session:
        return render_template("_summary.html", show=shows.find_show(session, code) if code else None)


@bp.get("/")
def front() -> str | Response:
    """Open the only show's board, or the list of shows."""
    with work() as session:
        codes = list(session.scalars(select(Show.code).order_by(Show.code)))
        if len(codes) == 1:
            return redirect(url_for("board.board", code=codes[0]))
        return render_template(
            "board/shows.html", shows=[shows.find_show(session, c) for c in codes], units=METRES
        )


@bp.get("/shows")
def all_shows() -> str:
    """List the shows, with a form for a new one."""
    with work() as session:
        found = list(session.scalars(select(Show).order_by(Show.code)))
        return render_template("board/shows.html", shows=found, units=METRES)


@bp.post("/shows")
def make_show() -> Response:
    """Make a show."""
    form = request.form
    try:
        fps = float(form.get("show.fps", "24").replace(",", "."))
    except ValueError as error:
        raise SettingError(
            f"“{form.get('show.fps')}” is not a rate.",
            where="show.fps",
            why="Playback needs one.",
            remedy="Type a number above 0, such as 24.",
        ) from error
    with work() as session:
        show = shows.make_show(
            session,
            form.get("show.code", "").strip(),
            title=form.get("show.title", "").strip(),
            fps=fps,
            scene_unit=form.get("show.unit", "m"),
        )
        return redirect(url_for("board.board", code=show.code), 303)


def _by_shot(pieces: list[owed.Owed]) -> dict[int, list[owed.Owed]]:
    """Give the pieces that are not simply here, by the shot they belong to."""
    told: dict[int, list[owed.Owed]] = {}
    for piece in pieces:
        if piece.shot is not None and piece.standing is not Standing.HERE:
            told.setdefault(piece.shot.id, []).append(piece)
    return told


@bp.get("/shows/<code>")
def board(code: str) -> str:
    """Show how every shot of a show stands."""
    with work() as session:
        show = shows.find_show(session, code)
        rows = standings(session, shots_of(session, show))
        running = {run.shot_id: run for run in ledger.under_way(session, show)}
        begun = [run for run in running.values() if run.state == "running"]
        progress = ledger.progress(session, begun)
        newer = scans.newer_versions(session, show)
        pieces = owed.standing(session, show, [row.shot for row in rows])
        return render_template(
            "board/board.html",
            show=show,
            rows=rows,
            knots=KNOTS,
            running=running,
            progress=progress,
            newer=newer,
            owed=_by_shot(pieces),
            counts={one: sum(piece.standing is one for piece in pieces) for one in Standing}
            if pieces
            else {},
            tight=sum(1 for row in rows if all(knot.is_taut for knot in row.knots)),
            stopped=sum(1 for row in rows if row.stops),
        )
