"""Board: a show's shots, a cord each. And the list of shows."""

from __future__ import annotations

from datetime import date
from typing import Any

from flask import Blueprint, redirect, render_template, request, url_for
from sqlalchemy import select
from sqlalchemy.orm import Session
from werkzeug.wrappers import Response

from drawstring.core.errors import SettingError
from drawstring.core.owed.piece import Standing
from drawstring.core.recipe import KNOTS
from drawstring.core.units import METRES
from drawstring.store import ledger, owed, scans, shows
from drawstring.store.models import Show
from drawstring.store.standing import ShotStanding, shots_of, standings
from drawstring.store.tallies import SORTS, WHICH, Tally, chosen, tallies
from drawstring.web.services import work

bp = Blueprint("board", __name__)

ON_A_PAGE = 50
"""Shots."""


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
    """Show how the shots of a show stand, a page at a time; the query finds, narrows and sorts them."""
    wanted = {name: request.args.get(name, "") for name in ("q", "which", "by")}
    with work() as session:
        show = shows.find_show(session, code)
        every = tallies(session, show)
        some = chosen(every, words=wanted["q"], which=wanted["which"], by=wanted["by"])
        pages = max(1, -(-len(some) // ON_A_PAGE))
        at = min(max(request.args.get("page", 1, type=int), 1), pages)
        here = [one.shot_id for one in some[(at - 1) * ON_A_PAGE : at * ON_A_PAGE]]
        place = {shot_id: i for i, shot_id in enumerate(here)}
        rows = standings(session, shots_of(session, show, here))
        rows.sort(key=lambda row: place[row.shot.id])
        running = {run.shot_id: run for run in ledger.under_way(session, here)}
        begun = [run for run in running.values() if run.state == "running"]
        progress = ledger.progress(session, begun)
        newer = scans.newer_versions(session, show)
        pieces, counts = _owed(session, show, rows, every)
        return render_template(
            "board/board.html",
            show=show,
            rows=rows,
            knots=KNOTS,
            running=running,
            progress=progress,
            newer=newer,
            owed=_by_shot(pieces),
            counts=counts,
            tight=sum(one.is_settled for one in every),
            stopped=sum(one.stops > 0 for one in every),
            total=len(every),
            matching=len(some),
            wanted=wanted,
            whiches={which: says for which, (says, _) in WHICH.items()},
            sorts=SORTS,
            page=at,
            pages=pages,
        )


def _owed(
    session: Session, show: Show, rows: list[ShotStanding], every: list[Tally]
) -> tuple[list[owed.Owed], dict[Standing, int]]:
    """Give the pieces of the shots on the page, and how many of all pieces stand how.

    The whole list is held against what came only when either has changed.
    """
    pieces = owed.standing(session, show, [row.shot for row in rows])
    if not pieces:
        return [], {}
    state = show.id, date.today(), hash(tuple(one.state for one in every))
    if _COUNTED.get("state") != state:
        whole = owed.standing(session, show, shots_of(session, show)) if len(every) > len(rows) else pieces
        _COUNTED["state"] = state
        _COUNTED["counts"] = {one: sum(piece.standing is one for piece in whole) for one in Standing}
    return pieces, _COUNTED["counts"]


_COUNTED: dict[str, Any] = {}
"""How many pieces of the show that was looked at last stand how, and what that followed from."""
