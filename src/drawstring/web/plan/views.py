"""Plan knot: values typed, dragged, or picked on a test frame; and the press that orders."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, render_template, request
from werkzeug.wrappers import Response

from drawstring.core.errors import SettingError
from drawstring.core.recipe.chains import Chains
from drawstring.store import orders, recipes, shows
from drawstring.web.bench.changing import changed, typed_at
from drawstring.web.bench.words import bench_words
from drawstring.web.pictures.here import frame_here
from drawstring.web.pictures.points import distance_at, point_in
from drawstring.web.services import who, work

bp = Blueprint("plan", __name__)


@bp.get("/shots/<int:shot_id>/plan")
def page(shot_id: int, knot: str = "plan") -> str:
    """Show one part of the plan: its drawing, what follows from it, its settings."""
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        words = bench_words(session, shot, "plan")
        template = "plan/_panel.html" if request.headers.get("HX-Request") else "plan/plan.html"
        return render_template(template, **words)


@bp.post("/shots/<int:shot_id>/plan")
def set_values(shot_id: int) -> Response:
    """Change settings; whoever plans a shot needs the plan."""
    return _set(shot_id, typed_at("plan"))


def _set(shot_id: int, typed: dict[str, Any]) -> Response:
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        if not recipes.current(session, shot).plan.needed:
            typed = {"plan.needed": True, **typed}
        recipes.set_values(session, shot, typed, by=who())
        return changed(session, shot, "plan")


@bp.post("/shots/<int:shot_id>/plan/passes")
def set_passes(shot_id: int) -> Response:
    """Ask for a pass, or leave one out."""
    name, is_wanted = request.form.get("name", "")[:80], request.form.get("wanted") == "yes"
    with work() as session:
        settings = recipes.current(session, shows.shot_by_id(session, shot_id)).plan
    passes = [one for one in settings.passes if one != name] + ([name] if is_wanted and name else [])
    without = [one for one in settings.without if one != name] + ([name] if not is_wanted and name else [])
    return _set(shot_id, {"plan.passes": ", ".join(passes), "plan.without": ", ".join(without)})


@bp.post("/shots/<int:shot_id>/plan/pick")
def pick(shot_id: int) -> Response:
    """Take the distance under a click on the test frame as near, far, or the rig's subject."""
    target = request.form.get("of", "")
    if target not in ("plan.near", "plan.far", "plan.rig.subject", "plan.shutter.focus"):
        raise SettingError(
            "Nothing is picked with that.", where=target[:40], why="Nothing was changed.",
            remedy="Near, far, the subject and the focus can be picked.",
        )  # fmt: skip
    across, down = request.form.get("across", type=float), request.form.get("down", type=float)
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        number = request.form.get("number", type=int)
        if number is None or across is None or down is None or not (0 <= across <= 1 and 0 <= down <= 1):
            raise SettingError(
                "This is no place in the picture.", where=target, why="Nothing was changed.",
                remedy="Click within it.",
            )  # fmt: skip
        at, recipe = frame_here(session, shot_id, number), recipes.current(session, shot)
        shown = at.place_out(Chains(at.passes, recipe), 0).display
        x, y = shown.x_min + int(across * (shown.width - 1)), shown.y_min + int(down * (shown.height - 1))
        distance = distance_at(at, recipe, *point_in(at, recipe, x, y), target)
    return _set(shot_id, {target: f"{distance:.5g}"})


@bp.post("/shots/<int:shot_id>/plan/order")
def order(shot_id: int) -> Response:
    """Order the shot as it is planned."""
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        orders.make(session, shot.show, [shot], says=request.form.get("order.says", ""), by=who())
        return changed(session, shot, "plan")


@bp.post("/shots/<int:shot_id>/<knot:knot>/ask-again")
def ask_again(shot_id: int, knot: str) -> Response:
    """Put what is missing or wrong into the next repair order."""
    numbers = orders.read_frames(request.form.get("frames", ""))
    passes = [name for name in request.form.get("passes", "").split(",") if name]
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        orders.ask_again(
            session,
            shot,
            request.form.get("render", ""),
            numbers,
            passes,
            why=request.form.get("why", ""),
            by=who(),
        )
        return changed(session, shot, knot)
