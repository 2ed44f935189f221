"""Arrivals: a folder scanned, what was found, and one press to accept it as a shot."""

from __future__ import annotations

import os
from typing import cast

from flask import Blueprint, make_response, render_template, request, url_for
from werkzeug.wrappers import Response

from drawstring.core.arrivals import Scan, scan
from drawstring.core.arrivals.scan import Sampler
from drawstring.core.errors import MissingError
from drawstring.store import deliveries, shows
from drawstring.store.models import Shot, Show
from drawstring.web.services import house, who, work

bp = Blueprint("arrivals", __name__)


@bp.get("/shows/<code>/arrivals")
def page(code: str) -> str:
    """Show the form, and the folders below the allowed roots to begin with."""
    folder = request.args.get("folder", "")
    with work() as session:
        show = shows.find_show(session, code)
        found = _scan(folder) if folder else None
        return render_template(
            "arrivals/arrivals.html", show=show, found=found, shots=_by_code(show), folder=folder,
            roots=house().installation.root_list, offered=_offered(), cells=_cells(found) if found else {},
        )  # fmt: skip


@bp.post("/shows/<code>/arrivals")
def look(code: str) -> str:
    """Scan a folder and show what lies there."""
    folder = request.form.get("arrivals.folder", "")
    found = _scan(folder)
    with work() as session:
        show = shows.find_show(session, code)
        return render_template(
            "arrivals/_found.html", show=show, found=found, shots=_by_code(show), cells=_cells(found)
        )


@bp.post("/shows/<code>/arrivals/accept")
def accept(code: str) -> Response:
    """Accept one scanned sequence for a shot, which is made if it is new; go to its bench."""
    folder, pattern = request.form.get("folder", ""), request.form.get("pattern", "")
    report = next((r for r in _scan(folder).sequences if r.pattern == pattern), None)
    if report is None:
        raise MissingError(
            f"{pattern} is not in {folder} any more.",
            where="arrivals",
            why="It changed since it was scanned.",
            remedy="Scan the folder again.",
        )
    with work() as session:
        show = shows.find_show(session, code)
        wanted = request.form.get("shot", "").strip()
        shot = _by_code(show).get(wanted) or shows.make_shot(
            session, show, wanted, title=request.form.get("title", "").strip()
        )
        deliveries.accept(session, shot, report, by=who())
        target = url_for("bench.shot", shot_id=shot.id)
    response = make_response("", 204)
    response.headers["HX-Redirect"] = target
    return response


def _scan(folder: str) -> Scan:
    readers = house().readers
    return scan(
        folder,
        roots=house().installation.root_list,
        surveyor=readers.survey,
        sampler=cast(Sampler, readers.sample),
    )


def _cells(found: Scan) -> dict[str, list[deliveries.FrameCell]]:
    return {
        f"{report.pattern}{report.folder}": deliveries.cells_of([(f.number, f.fault) for f in report.frames])
        for report in found.sequences
    }


def _by_code(show: Show) -> dict[str, Shot]:
    return {shot.code: shot for shot in show.shots}


def _offered(limit: int = 24) -> list[str]:
    """List folders below the roots that hold files, newest first, so that nobody has to type."""
    found: list[tuple[float, str]] = []
    for root in house().installation.root_list:
        for place, folders, names in os.walk(root):
            depth = place[len(root) :].count(os.sep)
            if depth >= 4:
                folders.clear()
            if any(name.lower().endswith(".exr") for name in names):
                found.append((os.stat(place).st_mtime, place))
    return [place for _, place in sorted(found, reverse=True)[:limit]]
