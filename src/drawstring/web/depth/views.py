"""Depth knot: near and far set by hand, from the picture or the measurement; the distance strip."""

from __future__ import annotations

from typing import Any

import numpy as np
from flask import Blueprint, render_template, request
from werkzeug.wrappers import Response

from drawstring.core.depth import DepthSettings, clipped_shares, normalise, nothing_there
from drawstring.core.depth.measure import bin_edges
from drawstring.core.errors import MissingError, SettingError
from drawstring.core.recipe import change
from drawstring.core.recipe.results import depth_inputs, depth_planes
from drawstring.core.units import say_length
from drawstring.store import deliveries, measuring, recipes, shows
from drawstring.web.bench.views import bench_words, changed
from drawstring.web.services import house, who, work

bp = Blueprint("depth", __name__)

REGION = 2
"""Pixels to each side of a click that are asked for their median: one pixel alone may be an edge."""


@bp.post("/shots/<int:shot_id>/depth")
def set_values(shot_id: int) -> Response:
    """Change settings; every change is a revision."""
    typed = {name: value for name, value in request.form.items() if name.startswith("depth.")}
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        recipes.set_values(session, shot, typed, by=who())
        return changed(session, shot, "depth")


@bp.post("/shots/<int:shot_id>/depth/measured")
def take_measured(shot_id: int) -> Response:
    """Take the measured ends as near and far."""
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        tally = measuring.whole_tally(session, deliveries.in_use(shot).measured("depth"))
        if tally is None or not tally.seen:
            raise MissingError(
                "Nothing is measured yet.",
                where="depth",
                why="The ends are known only after all frames were looked at.",
                remedy="Wait for the measurement, or type the distances.",
            )
        ends = {"depth.near": float(tally.nearest), "depth.far": float(tally.furthest)}
        recipes.set_values(session, shot, ends, by=who())
        return changed(session, shot, "depth")


@bp.post("/shots/<int:shot_id>/depth/pick")
def pick(shot_id: int) -> Response:
    """Take near or far from a pixel of the picture: the median distance around it."""
    end = request.form.get("end", "")
    if end not in ("near", "far"):
        raise SettingError(
            f"“{end}” is no end.", where="end", why="Nothing was changed.", remedy="Say near or far."
        )
    number, x, y = (int(request.form.get(name, "0")) for name in ("frame", "x", "y"))
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        delivery = deliveries.in_use(shot)
        passes, window = deliveries.passes_of(delivery), deliveries.window_of(delivery)
        files = deliveries.files_of(session, delivery, number)
        planes = house().frames.planes(files, depth_inputs(passes), window=window, level=0, is_light=False)
        z, alpha = depth_planes(planes, passes)
        row, col = y - window.y_min, x - window.x_min
        rows = slice(max(0, row - REGION), max(0, row + REGION + 1))
        cols = slice(max(0, col - REGION), max(0, col + REGION + 1))
        here = z[rows, cols][~nothing_there(z[rows, cols], alpha[rows, cols] if alpha is not None else None)]
        if not here.size:
            raise MissingError(
                f"There is no distance at {x}, {y}.",
                where=f"depth.{end}",
                why="That part of the picture is background.",
                remedy="Click on something solid.",
            )
        # A lower median: one of the values that are there, not a mean of two sides of an edge.
        distance = float(np.sort(here, axis=None)[(here.size - 1) // 2])
        recipes.set_values(session, shot, {f"depth.{end}": round(distance, 4)}, by=who())
        return changed(session, shot, "depth")


@bp.get("/shots/<int:shot_id>/depth/measurement")
def measurement(shot_id: int) -> str:
    """Tell how far measuring is; asked again by the page until it is done."""
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        return render_template("depth/_measurement.html", **bench_words(session, shot, "depth"))


@bp.get("/shots/<int:shot_id>/depth/strip")
def strip(shot_id: int) -> dict[str, Any]:
    """Give what the distance strip draws; settings in the query are tried out, nothing is written."""
    number = request.args.get("frame", "")
    typed = {name: value for name, value in request.args.items() if "." in name}
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        recipe = recipes.current(session, shot)
        unit = shot.show.scene_unit
        recipe = change(recipe, typed, scene_unit=unit) if typed else recipe
        measured = deliveries.in_use(shot).measured("depth")
        tally = measuring.whole_tally(session, measured)
        if measured is None or tally is None or not tally.seen:
            return {"ready": False}
        this = measured.frames.get(number)
        frames = _over_frames(measured.frames)
    settings = recipe.depth
    nearer, further = clipped_shares(tally, settings)
    low, high = tally.nearest / 1.35, tally.furthest * 1.35
    for end in (settings.near, settings.far):
        if end:
            low, high = min(low, end / 1.1), max(high, end * 1.1)
    first, counts = tally.coarse()
    edges = bin_edges(np.arange(first, first + len(counts) + 1), coarse=True)
    most = max(counts) or 1
    return {
        "ready": True,
        "unit": unit,
        "low": low,
        "high": high,
        "nearest": tally.nearest,
        "furthest": tally.furthest,
        "near": settings.near,
        "far": settings.far,
        "edges": edges.tolist(),
        "all": [count / most for count in counts],
        "this": _this_frame(this, first, len(counts)),
        "frames": frames,
        "ticks": [{"at": at, "label": say_length(at)} for at in _ticks(low, high)],
        "curve": _curve(settings, low, high),
        "nearer": f"{nearer:.1%} nearer",
        "further": f"{further:.1%} further",
    }


def _over_frames(curves: dict[str, dict[str, Any]]) -> list[list[float]]:
    """Give number, nearest, median and furthest of each frame that holds a distance, by number."""
    return [
        [int(number), one["nearest"], one["median"], one["furthest"]]
        for number, one in sorted(curves.items(), key=lambda item: int(item[0]))
        if one["nearest"] is not None
    ]


def _this_frame(curve: dict[str, Any] | None, first: int, length: int) -> list[float]:
    """Put one frame's counts on the bins of all frames, 1 for its own fullest."""
    if not curve or not curve["counts"]:
        return []
    most = max(curve["counts"])
    lifted = [0.0] * length
    for i, count in enumerate(curve["counts"]):
        at = curve["first_bin"] + i - first
        if 0 <= at < length:
            lifted[at] = count / most
    return lifted


def _ticks(low: float, high: float) -> list[float]:
    """Give round distances between two ends, about ten of them."""
    steps = (1, 2, 5) if high / low > 60 else (1, 1.5, 2, 3, 4, 6, 8)
    ticks = []
    power = 10.0 ** np.floor(np.log10(low))
    while power <= high:
        ticks += [step * power for step in steps if low <= step * power <= high]
        power *= 10
    return [float(round(tick, 6)) for tick in ticks]


def _curve(settings: DepthSettings, low: float, high: float) -> list[tuple[float, float]]:
    """Sample the value that each distance gets, for drawing."""
    if settings.near is None or settings.far is None:
        return []
    z = np.geomspace(low, high, 120)
    z = np.sort(np.append(z, [settings.near, settings.far]))
    drawn = np.clip(
        normalise(z[None].astype(np.float32), settings, nothing=np.zeros((1, z.size), bool))[0], 0, 1
    )
    return [(float(a), float(b)) for a, b in zip(z, drawn, strict=True)]
