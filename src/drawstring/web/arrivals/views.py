"""Arrivals: folders scanned in the background, what was found as it will be accepted, and what names mean."""

from __future__ import annotations

import os
from typing import Any

from flask import Blueprint, make_response, redirect, render_template, request, url_for
from sqlalchemy.orm import Session
from werkzeug.wrappers import Response

from drawstring.core.arrivals import Candidate, inside_roots, read_path, suggest
from drawstring.core.arrivals.patterns import FIELDS, check_pattern
from drawstring.core.arrivals.report import SequenceReport
from drawstring.core.colour import look
from drawstring.core.errors import MissingError, SettingError
from drawstring.core.io.headers import read_facts
from drawstring.core.passes import Role
from drawstring.runs.kept_planes import SHEET_PX, level_within
from drawstring.store import deliveries, orders, scans, shows
from drawstring.store.facts import delivery_digest
from drawstring.store.models import ScanRow, Shot, Show
from drawstring.web.arrivals.tiles import tile_words
from drawstring.web.pictures.views import as_png
from drawstring.web.services import go_to, house, who, work

bp = Blueprint("arrivals", __name__)


@bp.get("/shows/<code>/arrivals")
def page(code: str) -> str | Response:
    """Show the newest scan; before the first one, the folders that hold pictures."""
    with work() as session:
        show = shows.find_show(session, code)
        recent = scans.recent(session, show)
        if recent and not request.args.get("new"):
            chosen = request.args.get("chosen")
            return redirect(url_for("arrivals.scan", code=code, scan_id=recent[0].id, chosen=chosen))
        return render_template("arrivals/arrivals.html", **_words(session, show, None))


@bp.post("/shows/<code>/arrivals")
def ask(code: str) -> Response:
    """Have a folder scanned; go to where its progress is shown."""
    folder = inside_roots(request.form.get("arrivals.folder", ""), house().installation.root_list)
    with work() as session:
        show = shows.find_show(session, code)
        row = scans.ask(session, show, folder)
        if request.form.get("arrivals.watch") == "yes":
            scans.watch(session, show, folder)
        return go_to(url_for("arrivals.scan", code=code, scan_id=row.id))


@bp.get("/shows/<code>/arrivals/<int:scan_id>")
def scan(code: str, scan_id: int) -> str:
    """Show a scan: its progress while it goes on, what it found when it is done."""
    with work() as session:
        show = shows.find_show(session, code)
        row = scans.find(session, scan_id)
        words = _words(session, show, row)
        if request.headers.get("HX-Request"):
            return render_template("arrivals/_scan.html", **words)
        return render_template("arrivals/arrivals.html", **words)


@bp.get("/shows/<code>/arrivals/<int:scan_id>/found/<key>")
def detail(code: str, scan_id: int, key: str) -> str:
    """Show one candidate: its passes, frames and findings, and the press to accept it."""
    with work() as session:
        show = shows.find_show(session, code)
        row = scans.find(session, scan_id)
        one = scans.candidate(session, row, key)
        return render_template(
            "arrivals/_candidate.html", show=show, row=row, **_candidate_words(session, show, one)
        )


@bp.post("/shows/<code>/arrivals/<int:scan_id>/found/<key>/accept")
def accept(code: str, scan_id: int, key: str) -> Response:
    """Accept a candidate for a shot, which is made if it is new; go to its bench."""
    with work() as session:
        show = shows.find_show(session, code)
        row = scans.find(session, scan_id)
        wanted = request.form.get("shot", "").strip()
        shot = shows.shot_for(session, show, wanted, title=request.form.get("title", "").strip())
        scans.accept(session, row, key, shot, by=who())
        return go_to(url_for("bench.shot", shot_id=shot.id))


@bp.get("/shows/<code>/arrivals/<int:scan_id>/found/<key>/thumb/<int:place>")
def thumb(code: str, scan_id: int, key: str, place: int) -> Response:
    """Give a small picture of a pass that was found, from the frame in the middle."""
    with work() as session:
        one = scans.candidate(session, scans.find(session, scan_id), key)
    if place >= len(one.passes):
        raise MissingError(f"There is no pass number {place}.", where="pass", remedy="Scan the folder again.")
    chosen = one.passes[place]
    member = one.members[chosen.channels[0].source]
    wished = request.args.get("frame", type=int)
    frame = next(
        (each for each in member.usable if each.number == wished), member.usable[len(member.usable) // 2]
    )
    facts = house().readers.read(frame.path, read_facts, frame.path)
    window = facts.window
    level = level_within(window.width)
    refs = [ref._replace(source=0) for ref in chosen.channels]
    planes = house().frames.planes({0: facts}, refs, window=window, level=level, is_light=False)
    return as_png(look(chosen.role, [planes[ref] for ref in refs]), SHEET_PX)


@bp.post("/shows/<code>/arrivals/watched")
def watch(code: str) -> Response:
    """Have a folder scanned by itself whenever it changes, or leave it to itself again."""
    folder = inside_roots(request.form.get("arrivals.folder", ""), house().installation.root_list)
    with work() as session:
        show = shows.find_show(session, code)
        if request.form.get("arrivals.watch") == "yes":
            scans.watch(session, show, folder)
        else:
            scans.unwatch(session, show, folder)
        return _refresh()


@bp.get("/shows/<code>/arrivals/<int:scan_id>/names")
def names(code: str, scan_id: int) -> str:
    """Show what names mean by the show's patterns, with suggestions made from the names themselves."""
    with work() as session:
        show = shows.find_show(session, code)
        row = scans.find(session, scan_id)
        found = scans.found(session, row)
        examples = [report.frames[0].path for report in found.sequences]
        return render_template(
            "arrivals/_names.html", show=show, row=row, refusal=None, fields=list(FIELDS),
            suggested=[s for s in suggest(examples) if s.pattern not in show.patterns],
            lines=_meanings(found.sequences, list(show.patterns)),
        )  # fmt: skip


@bp.post("/shows/<code>/arrivals/<int:scan_id>/meaning")
def try_patterns(code: str, scan_id: int) -> str:
    """Say what each name would mean by the patterns as typed; nothing is written."""
    with work() as session:
        show = shows.find_show(session, code)
        row = scans.find(session, scan_id)
        patterns, refusal = _typed_patterns()
        return render_template(
            "arrivals/_meaning.html", show=show, row=row, refusal=refusal,
            lines=_meanings(scans.found(session, row).sequences, patterns),
        )  # fmt: skip


@bp.post("/shows/<code>/arrivals/<int:scan_id>/patterns")
def set_patterns(code: str, scan_id: int) -> Response:
    """Let names mean what the patterns say, and look at the folder again with them."""
    with work() as session:
        show = shows.find_show(session, code)
        row = scans.find(session, scan_id)
        scans.set_patterns(session, show, request.form.get("patterns.text", "").splitlines())
        again = scans.ask(session, show, row.folder)
        return go_to(url_for("arrivals.scan", code=code, scan_id=again.id))


@bp.post("/shows/<code>/arrivals/<int:scan_id>/words")
def take_words(code: str, scan_id: int) -> Response:
    """Take words in names for views, or for passes, from now on; look at the folder again."""
    with work() as session:
        show = shows.find_show(session, code)
        row = scans.find(session, scan_id)
        scans.take_words(session, show, request.form.getlist("word"), request.form.get("taken", ""))
        again = scans.ask(session, show, row.folder)
        return go_to(url_for("arrivals.scan", code=code, scan_id=again.id))


def _typed_patterns() -> tuple[list[str], SettingError | None]:
    """Read the patterns that can be read; tell of the first that can't, so that typing is not interrupted."""
    patterns, refusal = [], None
    for line in request.form.get("patterns.text", "").splitlines():
        if not line.strip():
            continue
        try:
            patterns.append(check_pattern(line))
        except SettingError as error:
            refusal = refusal or error
    return patterns, refusal


def _meanings(reports: list[SequenceReport], patterns: list[str]) -> list[dict[str, Any]]:
    """Say what each sequence's first path means; those that no pattern fits come first."""
    lines = []
    for report in reports:
        path = report.frames[0].path
        meaning = read_path(path, patterns)
        short = os.path.join(*path.split(os.sep)[-3:])
        lines.append({"path": short, "meaning": meaning, "frames": len(report.frames)})
    return sorted(lines, key=lambda line: bool(line["meaning"].pattern))


def _words(session: Session, show: Show, row: ScanRow | None) -> dict[str, Any]:
    found = scans.found(session, row) if row is not None and row.state == "done" else None
    words: dict[str, Any] = {
        "show": show,
        "row": row,
        "found": found,
        "recent": scans.recent(session, show),
        "short": _short,
        "watched": {one.folder for one in show.watched},
        "roots": house().installation.root_list,
        "offered": _offered() if found is None else [],
        "shots": _by_code(show),
    }
    if row is not None and found is not None:
        chosen = request.args.get("chosen", "")
        one = next((c for c in found.candidates if c.key == chosen), None)
        tiles = next((t for t in found.tiles if t.key == chosen), None)
        if one is None and tiles is None:
            one = next(iter(found.candidates), None)
            tiles = next(iter(found.tiles), None) if one is None else None
        told = {f for c in found.candidates for f in c.findings}
        told |= {f for t in found.tiles for f in t.findings}
        words |= {
            "loose": [f for f in found.findings if f not in told],
            "states": {each.key: _state(show, each) for each in found.candidates},
            "chosen": one,
        }
        if one is not None:
            words |= _candidate_words(session, show, one)
        elif tiles is not None:
            words |= tile_words(session, show, row, tiles)
    return words


def _short(folder: str) -> str:
    """Call a folder by its place below its source root; by its end where that is long."""
    for root in house().installation.root_list:
        if folder.startswith(f"{root}{os.sep}"):
            folder = folder[len(root) + 1 :]
            break
    return folder if len(folder) <= 40 else f"…{folder[-39:]}"


def _candidate_words(session: Session, show: Show, one: Candidate) -> dict[str, Any]:
    shots = _by_code(show)
    shot = shots.get(one.shot)
    return {
        "differences": deliveries.differences_to(shot, one) if shot and one.passes else [],
        "one": one,
        "shots": shots,
        "shot": shot,
        "state": _state(show, one),
        "cells": [deliveries.cells_of([(f.number, f.fault) for f in m.frames]) for m in one.members],
        "roles": list(Role),
        "asked": orders.standing_of_candidate(session, show, one, is_filling=_is_filling(show, one)),
    }


def _is_filling(show: Show, one: Candidate) -> bool:
    """Whether more may come into the folder: it is watched."""
    folders = {member.folder for member in one.members}
    return any(
        folder == watched.folder or folder.startswith(f"{watched.folder}{os.sep}")
        for watched in show.watched
        for folder in folders
    )


def _state(show: Show, one: Candidate) -> str:
    """Say how a candidate stands to what was accepted."""
    shot = _by_code(show).get(one.shot)
    if not one.passes:
        return "can't be used"
    if shot is None or shot.delivery is None:
        return "new"
    if one.version > shot.delivery.version:
        return f"newer than v{shot.delivery.version:03d}"
    if one.version < shot.delivery.version:
        return f"older than v{shot.delivery.version:03d}"
    lying_there = delivery_digest(frame for member in one.members for frame in member.frames)
    return "in use" if lying_there == shot.delivery.digest else "in use, files have changed"


def _refresh() -> Response:
    response = make_response("", 204)
    response.headers["HX-Refresh"] = "true"
    return response


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
            if any(not name.startswith(".") for name in names) or depth == 1:
                found.append((os.stat(place).st_mtime, place))
    return [place for _, place in sorted(found, reverse=True)[:limit]]
