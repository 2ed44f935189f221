"""Findings of a whole show in one list: filtered, put away with a reason, brought back, mended."""

from __future__ import annotations

from flask import Blueprint, make_response, render_template, request
from sqlalchemy import select
from sqlalchemy.orm import Session
from werkzeug.wrappers import Response

from drawstring.core.findings import ORDER, Finding, Severity
from drawstring.store import correcting, deliveries, dismissals, shows
from drawstring.store.models import Shot
from drawstring.store.tallies import Away, Tally, tallies
from drawstring.web.bench.changing import changed, set_settings
from drawstring.web.services import who, work

bp = Blueprint("findings", __name__)

MOST = 100
"""How many findings are shown before somebody asks for all of them."""


@bp.get("/shows/<code>/findings")
def page(code: str) -> str:
    """List what was noticed, the gravest first; the query narrows it."""
    wanted = {name: request.args.get(name, "") for name in ("severity", "kind", "shot")}
    shows_away = request.args.get("away") == "yes"
    with work() as session:
        show = shows.find_show(session, code)
        rows = tallies(session, show)
        found: list[tuple[Tally, Finding, Away | None]] = []
        for row in rows:
            if shows_away:
                found += [(row, away.finding, away) for away in row.away]
            else:
                found += [(row, finding, None) for finding in row.findings]
        codes = sorted({finding.code for _, finding, _ in found})
        found = [
            (row, finding, away)
            for row, finding, away in found
            if wanted["severity"] in ("", finding.severity.value)
            and wanted["kind"] in ("", finding.code)
            and wanted["shot"] in ("", row.code)
        ]
        found.sort(key=lambda one: (ORDER[one[1].severity], one[1].code, one[0].code))
        total, found = len(found), found[: MOST if request.args.get("all") != "yes" else None]
        shown = session.scalars(select(Shot).where(Shot.id.in_({row.shot_id for row, _, _ in found})))
        by_id = {shot.id: shot for shot in shown}
        told = [(by_id[row.shot_id], *rest) for row, *rest in found if row.shot_id in by_id]
        template = "findings/_list.html" if request.headers.get("HX-Request") else "findings/findings.html"
        return render_template(
            template, show=show, told=told, total=total, wanted=wanted, shows_away=shows_away, codes=codes,
            severities=list(Severity), shots=[row.code for row in rows],
            counting=[(row.code, row.counting) for row in rows if row.counting],
            away_count=sum(len(row.away) for row in rows),
        )  # fmt: skip


@bp.post("/shots/<int:shot_id>/<knot:knot>/findings/<fact>/dismiss")
def dismiss(shot_id: int, knot: str, fact: str) -> Response:
    """Put a finding away."""
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        dismissals.dismiss(session, shot, fact, request.form.get("finding.reason", ""), by=who())
        return _answer(session, shot, knot)


@bp.post("/shots/<int:shot_id>/<knot:knot>/findings/<fact>/bring-back")
def bring_back(shot_id: int, knot: str, fact: str) -> Response:
    """Let a finding count again."""
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        dismissals.bring_back(session, shot, fact)
        return _answer(session, shot, knot)


def _answer(session: Session, shot: Shot, knot: str) -> Response:
    """Answer the bench with the knot as it now stands, the list of all findings with itself anew."""
    if request.form.get("back") != "here":
        return changed(session, shot, knot)
    response = make_response("", 204)
    response.headers["HX-Refresh"] = "true"
    return response


@bp.post("/shots/<int:shot_id>/<knot:knot>/mend")
def mend(shot_id: int, knot: str) -> Response:
    """Change what a finding's press says; the settings may be another knot's."""
    typed = {name: value for name, value in request.form.items() if "." in name}
    return set_settings(shot_id, knot, typed)


@bp.post("/shots/<int:shot_id>/<knot:knot>/twin")
def choose_twin(shot_id: int, knot: str) -> Response:
    """Use the other one of two twins."""
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        correcting.choose_twin(session, deliveries.in_use(shot), request.form.get("pass", ""))
        return changed(session, shot, knot)
