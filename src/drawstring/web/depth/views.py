"""Depth knot: near and far, mists and focus, set by hand, from the picture or from the measurement."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, render_template, request
from sqlalchemy.orm import Session
from werkzeug.wrappers import Response

from drawstring.core.chain import PICTURE, Stage
from drawstring.core.errors import MissingError, SettingError
from drawstring.core.passes import Role
from drawstring.core.passes.hashed import names_in
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.pulls import distances
from drawstring.core.recipe.sources import of_view, pass_of
from drawstring.store import deliveries, recipes, shows
from drawstring.store.depth import measured
from drawstring.store.models import Shot
from drawstring.web.bench.changing import changed, set_settings, typed_at
from drawstring.web.bench.words import bench_words
from drawstring.web.depth.objects import name_at
from drawstring.web.depth.words import swatches
from drawstring.web.pictures.here import FrameHere, frame_here
from drawstring.web.pictures.points import colour_at, distance_at, place_in, point_in
from drawstring.web.services import who, work

bp = Blueprint("depth", __name__)


@bp.post("/shots/<int:shot_id>/depth")
def set_values(shot_id: int) -> Response:
    """Change settings; every change is a revision. A value that is keyed gets its key at the shown frame."""
    typed = typed_at("depth")
    if "depth.mist.add" in typed:
        typed |= _first_guess(shot_id)
    return set_settings(shot_id, "depth", typed, frame=request.form.get("frame", type=int))


@bp.post("/shots/<int:shot_id>/depth/measured")
def take_measured(shot_id: int) -> Response:
    """Take the measured ends as near and far, or percentiles; of a view that is named, else the first."""
    view, cut = request.form.get("view", ""), request.form.get("cut", 0.0, type=float)
    if not 0 <= cut < 50:
        raise SettingError(
            f"{cut:g} % can't be cut off at both ends.", where="depth.near", why="Nothing was changed.",
            remedy="Type a share below 50.",
        )  # fmt: skip
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        delivery = deliveries.in_use(shot)
        tally = measured.whole_tally(session, delivery)
        if view:
            tally = measured.told_distances(session, delivery)["views"].get(view)
        if tally is None or not tally.seen:
            raise MissingError(
                "Nothing is measured yet.",
                where="depth",
                why="The ends are known only after all frames were looked at.",
                remedy="Wait for the measurement, or type the distances.",
            )
        name = f"depth.views.{view}" if view else "depth"
        ends = {f"{name}.near": tally.percentile(cut), f"{name}.far": tally.percentile(100 - cut)}
        recipes.set_values(session, shot, ends, by=who())
        return changed(session, shot, "depth")


@bp.post("/shots/<int:shot_id>/depth/pick")
def pick(shot_id: int) -> Response:
    """Take a value from a pixel of the picture: a distance, a colour or a name, by what the setting is."""
    name = request.form.get("setting", "")
    number, x, y = (request.form.get(field, 0, type=int) for field in ("frame", "x", "y"))
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        at = frame_here(session, shot_id, number)
        row, col = point_in(at, recipes.current(session, shot), x, y)
        last = name.rpartition(".")[2]
        if last == "colour":
            value: Any = colour_at(at, recipes.current(session, shot), row, col)
        elif last == "clear_names":
            value = _with_name(session, shot, at, row, col, name)
        elif name.startswith("depth.") and last in ("near", "far", "start", "distance", "base"):
            value = distance_at(at, recipes.current(session, shot), row, col, name)
        else:
            raise SettingError(
                f"“{name}” can't be taken from the picture.", where="setting", why="Nothing was changed.",
                remedy="A distance, a colour or the name of an object can.",
            )  # fmt: skip
        # Whoever clicks on what is to be sharp wants to see it sharp.
        on = {"depth.focus.on": True} if name == "depth.focus.distance" else {}
        recipes.set_values(session, shot, {name: value, **on}, by=who(), frame=number)
        return changed(session, shot, "depth")


@bp.get("/shots/<int:shot_id>/depth/measurement")
def measurement(shot_id: int) -> str:
    """Tell how far measuring is; asked again by the page until it is done."""
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        return render_template("depth/_measurement.html", **bench_words(session, shot, "depth"))


@bp.get("/shots/<int:shot_id>/depth/swatches")
def swatches_of(shot_id: int) -> str:
    """Give colours out of the frame that a mist is likely to take, as buttons for one of the mists."""
    number, place = request.args.get("frame", 0, type=int), request.args.get("mist", 1, type=int)
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        at = frame_here(session, shot_id, number)
        recipe = recipes.current(session, shot)
    passes = of_view(at.passes, "")
    beauty = pass_of(Role.BEAUTY, passes)
    found = []
    if beauty is not None:
        level = min(4, max(0, (at.window.width // 240).bit_length() - 1))
        chain = Chains(at.passes, recipe).chain()
        read = at.of(distances(chain, Stage.ARRIVED, repair=False), level)
        found = swatches(at.of(chain.after(Stage.ARRIVED, PICTURE), level)[..., :3], read.z, read.nothing)
    return render_template("depth/_swatches.html", swatches=found, place=place)


def _first_guess(shot_id: int) -> dict[str, str]:
    """Give start and depth of a new mist from what was measured.

    Over the middle of the picture, as far as it goes.
    """
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        tally = measured.whole_tally(session, deliveries.in_use(shot))
        place = len(recipes.current(session, shot).depth.mist) + 1
    if tally is None or not tally.seen or tally.nearest == tally.furthest:
        return {}
    start, end = tally.percentile(20), tally.percentile(98)
    if not start < end:
        return {}
    at = f"depth.mist.{place}"
    return {f"{at}.start": f"{start:.3g}", f"{at}.depth": f"{end - start:.3g}"}


def _with_name(session: Session, shot: Shot, at: FrameHere, row: int, col: int, name: str) -> str:
    """Give the names that are kept clear, the one under the pixel added, or taken away if it was there."""
    named = pass_of(Role.OBJECT_MATTE, of_view(at.passes, ""))
    headers = [part.metadata for facts in at.headers().values() for part in facts.parts]
    names = sorted({one for said in headers for one in names_in(said)})
    planes = at.planes(list(named.channels), 0) if named else {}
    found = name_at(names, [planes[ref] for ref in named.channels], row, col) if named else ""
    if not found:
        raise MissingError(
            "Nothing with a name lies there.", where=name,
            why="A name is needed to find the object in every frame.",
            remedy="Click on an object, or draw a shape around it.",
        )  # fmt: skip
    mists = recipes.current(session, shot).depth.mist
    layer = mists[place_in(name, len(mists))]
    kept = [one for one in layer.clear_names if one != found]
    return ", ".join(kept if found in layer.clear_names else [*kept, found])
