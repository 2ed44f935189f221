"""Bench: one shot, its cord across the top, the well in the middle, a knot's settings beside it."""

from __future__ import annotations

from functools import partial
from typing import Any

from flask import Blueprint, make_response, redirect, render_template, request, url_for
from sqlalchemy.orm import Session
from werkzeug.wrappers import Response

from drawstring.core.arrivals import camera_words
from drawstring.core.colour import SPACES, VIEWS
from drawstring.core.findings import gravest_first
from drawstring.core.passes import Pass, Role
from drawstring.core.recipe import RESULTS, KnotState, available_results, result_named, space_of
from drawstring.store import deliveries, measuring, recipes, shows
from drawstring.store.models import Delivery, Shot
from drawstring.store.standing import ShotStanding, standing
from drawstring.web.alpha.words import alpha_words
from drawstring.web.depth.words import depth_words
from drawstring.web.drawing import spark
from drawstring.web.eyes.words import eyes_words
from drawstring.web.services import who, work

bp = Blueprint("bench", __name__)


@bp.get("/shots/<int:shot_id>")
def shot(shot_id: int) -> Response:
    """Open a shot at the first knot that is not settled."""
    with work() as session:
        how = standing(session, shows.shot_by_id(session, shot_id))
        open_knots = [knot.name for knot in how.knots if not knot.is_taut]
        first = open_knots[0] if open_knots else "depth"
    return redirect(url_for("pack.page" if first == "pack" else "bench.bench", shot_id=shot_id, knot=first))


@bp.get("/shots/<int:shot_id>/<knot:knot>")
def bench(shot_id: int, knot: str) -> str:
    """Show the bench with one knot's settings."""
    with work() as session:
        one = shows.shot_by_id(session, shot_id)
        return render_template("bench/bench.html", **bench_words(session, one, knot))


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
    if knot == "pack":
        from drawstring.web.pack.views import pack_words

        words |= pack_words(session, one)
    response = make_response(render_template("bench/_changed.html", **words))
    # After the parts are in place, so that the scripts find the new tray.
    response.headers["HX-Trigger-After-Settle"] = "recipe-changed"
    return response


def bench_words(session: Session, one: Shot, knot: str) -> dict[str, Any]:
    """Gather what the bench's templates need."""
    how = standing(session, one)
    delivery = one.delivery
    frames = deliveries.frame_cells(session, delivery) if delivery else []
    usable = [frame.number for frame in frames if frame.state in ("here", "partial")]
    whole = [frame.number for frame in frames if frame.state == "here"] or usable
    # What is only there to be looked at lies in the tray of the knot that makes it.
    results = [
        name
        for name in available_results(how.passes, how.recipe)
        if (made := result_named(name)).is_packed or made.knot == knot
    ]
    findings = gravest_first(how.findings.get(knot, []))
    return {
        "shot": one,
        "show": one.show,
        "how": how,
        "knot": knot,
        "delivery": delivery,
        "facts": deliveries.facts_of(delivery) if delivery else None,
        "display": deliveries.display_window(delivery) if delivery else None,
        "measurement": delivery.measured("depth") if delivery else None,
        "counting": delivery.measured("facts") if delivery else None,
        "bytes_a_frame": deliveries.bytes_a_frame(session, delivery)
        if delivery and knot == "arrivals"
        else 0,
        "camera": camera_words(deliveries.facts_of(delivery)) if delivery else [],
        "told": measuring.told_facts(session, delivery.measured("facts")) if delivery else {},
        "sparks": _sparks(delivery) if delivery and knot == "arrivals" else {},
        "frames": frames,
        "flagged": {f.frame: f.what for f in how.all_findings if f.frame is not None},
        "frame": _shown_frame(usable, whole),
        "passes": sorted(how.passes, key=_place_in_tray),
        "results": results,
        "all_results": list(dict.fromkeys([*RESULTS, *results])),
        "first_pictures": _first_pictures(how, results),
        "views": VIEWS,
        "roles": list(Role),
        "spaces": list(SPACES),
        "space_of": partial(space_of, recipe=how.recipe),
        "findings": findings,
        "next_knot": _next_knot(how, knot),
        **(depth_words(session, one, how, usable) if knot == "depth" else {}),
        **(alpha_words(session, one, how, usable) if knot == "alpha" else {}),
        **(eyes_words(session, one, how, usable) if knot == "eyes" and delivery else {}),
    }


def _shown_frame(usable: list[int], whole: list[int]) -> int | None:
    """Give the frame that the page shows, else the one in the middle."""
    shown = request.values.get("frame", type=int)
    if shown in usable:
        return shown
    return whole[len(whole) // 2] if whole else None


def _sparks(delivery: Delivery) -> dict[str, str]:
    """Draw every pass's mean over the frames as a small line, where it was counted."""
    measurement = delivery.measured("facts")
    if measurement is None or measurement.state != "done":
        return {}
    counted = measuring.counted_of(measurement)
    names = {name for of_frame in counted.values() for name in of_frame}
    return {
        name: spark({n: of_frame[name].mean for n, of_frame in counted.items() if name in of_frame})
        for name in names
    }


def _place_in_tray(one: Pass) -> tuple[bool, int]:
    """Order the tray: the default view first, then by what is looked at most, then as roles are listed."""
    first = [Role.BEAUTY, Role.DEPTH, Role.NORMAL, Role.OBJECT_MATTE, Role.SHADOW, Role.OCCLUSION]
    order = [*first, *(role for role in Role if role not in first)]
    return "." in one.name, order.index(one.role)


def _first_pictures(how: ShotStanding, results: list[str]) -> tuple[str, str]:
    """Choose what lies in the well at first: the beauty, and the knot's result or the depth beside it."""
    names = [one.name for one in how.passes]
    first = "beauty" if "beauty" in names else names[0] if names else ""
    made = [name for name in results if result_named(name).is_packed]
    second = made[0] if made else "depth" if "depth" in names else first
    return first, second


def _next_knot(how: ShotStanding, knot: str) -> str:
    """Give the next knot that the shot needs; those it does without are on the cord, not on the way."""
    names = [view.name for view in how.knots]
    after = how.knots[names.index(knot) + 1 :]
    return next((view.name for view in after if view.state is not KnotState.NOT_NEEDED), "")
