"""Pack knot: what goes out under which name, in which type, parts and files; and the press that runs it."""

from __future__ import annotations

import os
from dataclasses import asdict
from threading import Lock
from typing import Any

from flask import Blueprint, render_template, request
from flask import Response as FlaskResponse
from werkzeug.wrappers import Response

from drawstring.core.errors import SettingError
from drawstring.core.pack.form import (
    Also,
)
from drawstring.core.pack.profile import read_profile, written
from drawstring.core.pack.profile_checks import asked_settings
from drawstring.runs.estimate import TRY_S, Estimate, try_frames
from drawstring.runs.planning import plan_to_try
from drawstring.store import deliveries, profiles, recipes, shows
from drawstring.store.standing import standing
from drawstring.web.bench.changing import changed, set_settings, typed_at
from drawstring.web.bench.words import bench_words
from drawstring.web.services import house, who, work

bp = Blueprint("pack", __name__)


TRIED = 2
"""Frames that an estimate packs."""

_ESTIMATES: dict[tuple[object, ...], Estimate] = {}
"""What was estimated under a delivery and a recipe; both have digests, so it never goes stale."""

_BUSY = Lock()


@bp.get("/shots/<int:shot_id>/pack")
def page(shot_id: int, knot: str = "pack") -> str:
    """Show the channel map, the form of the files and the press to run."""
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        words = bench_words(session, shot, "pack")
        return render_template("pack/pack.html", **words)


@bp.post("/shots/<int:shot_id>/pack")
def set_values(shot_id: int) -> Response:
    """Change settings; every change is a revision."""
    typed = typed_at("pack")
    for name, value in typed.items():
        if name.endswith(".goes"):
            typed[name] = value == "yes"
    for one in Also:
        ticked = typed.pop(f"pack.also.{one.name.lower()}", None)
        if ticked is not None:
            typed["pack.also"] = _with_also(shot_id, one, is_wanted=ticked == "yes")
    return set_settings(shot_id, "pack", typed)


def _with_also(shot_id: int, one: Also, *, is_wanted: bool) -> str:
    with work() as session:
        now = recipes.current(session, shows.shot_by_id(session, shot_id)).pack.also
    return "; ".join(
        each for each in Also if (each is one and is_wanted) or (each in now and each is not one)
    )


@bp.post("/shots/<int:shot_id>/pack/profile")
def obey(shot_id: int) -> Response:
    """Set everything that the chosen profile asks for."""
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        how = standing(session, shot)
        profile = how.recipe.pack.profile
        asked = asked_settings(profile, how.passes, how.recipe) if profile else {}
        if asked:
            recipes.set_values(session, shot, asked, by=who())
        return changed(session, shot, "pack")


@bp.post("/shots/<int:shot_id>/pack/order")
def order(shot_id: int) -> Response:
    """Move a pass before another one, or by some places."""
    name, before = request.form.get("name", ""), request.form.get("before", "")
    by = request.form.get("by", "0")
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        sources = list(dict.fromkeys(one.source for one in standing(session, shot).outputs.channels))
        if name in sources:
            place = sources.index(name)
            sources.remove(name)
            to = sources.index(before) if before in sources else place + (int(by) if by in ("-1", "1") else 0)
            sources.insert(max(0, to), name)
            recipes.set_values(session, shot, {"pack.order": " ".join(sources)}, by=who())
        return changed(session, shot, "pack")


@bp.get("/shots/<int:shot_id>/pack/estimate")
def estimate(shot_id: int) -> str:
    """Pack a few frames, throw them away and tell what they came to."""
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        plan, tasks, total = plan_to_try(session, shot, frames=TRIED)
        key = (shot.id, deliveries.in_use(shot).digest, plan.recipe_digest, plan.passes)
        workers = house().installation.workers or os.cpu_count() or 1
    if key not in _ESTIMATES:
        # One at a time: pictures on the bench are decoded by the same few processes.
        if not _BUSY.acquire(blocking=False):
            return render_template("pack/_estimating.html", shot_id=shot_id)
        try:
            place = os.path.join(house().installation.var, "tries")
            if len(_ESTIMATES) > 200:
                _ESTIMATES.clear()
            _ESTIMATES[key] = house().readers.read(
                tasks[0].files[0].path, try_frames, plan, tasks, place, limit_s=TRY_S, growth_mb=0
            )
        finally:
            _BUSY.release()
    found = _ESTIMATES[key]
    sources = {channel.name: channel.source for channel in _channels(shot_id)}
    lost: dict[str, float] = {}
    for name, most in found.lost.items():
        lost[sources.get(name, name)] = max(lost.get(sources.get(name, name), 0.0), most)
    return render_template(
        "pack/_estimate.html", **asdict(found) | {"lost": lost}, total=total,
        seconds=found.frame_seconds * total / workers, unit=plan.scene_unit,
    )  # fmt: skip


def _channels(shot_id: int) -> Any:
    with work() as session:
        return standing(session, shows.shot_by_id(session, shot_id)).outputs.channels


@bp.get("/shows/<code>/profiles/<name>")
def export_profile(code: str, name: str) -> FlaskResponse:
    """Give a profile's document."""
    with work() as session:
        profile = profiles.find_profile(shows.find_show(session, code), name)
    file = name.replace(" ", "_")
    return FlaskResponse(
        written(profile),
        mimetype="application/json",
        headers={"Content-Disposition": f'attachment; filename="{file}.profile.json"'},
    )


@bp.post("/shots/<int:shot_id>/pack/profiles")
def import_profile(shot_id: int) -> Response:
    """Keep a profile's document with the show and choose it for the shot."""
    file = request.files.get("profile")
    text = file.read(1 << 20).decode("utf-8", "replace") if file else ""
    if not text.strip():
        raise SettingError(
            "No file was chosen.", where="profile", why="Nothing was taken from it.",
            remedy="Choose a profile's JSON file.",
        )  # fmt: skip
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        kept = profiles.keep_profile(session, shot.show, read_profile(text))
        recipes.set_values(session, shot, {"pack.profile": kept.name}, by=who())
        return changed(session, shot, "pack")
