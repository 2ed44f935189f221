"""Framing knot: the frame that goes out, set by hand or by dragging the picture; what of it is filled."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from flask import Blueprint, render_template, request
from werkzeug.wrappers import Response

from drawstring.core.camera import Place
from drawstring.core.chain import PICTURE, Stage, Work, channels_of
from drawstring.core.colour import look
from drawstring.core.errors import MissingError
from drawstring.core.framing.coverage import coverage, rim_back
from drawstring.core.framing.filters import Filter
from drawstring.core.framing.fitting import Told, fit_of
from drawstring.core.framing.map import FrameMap, inset, map_of
from drawstring.core.framing.settings import FramingSettings
from drawstring.core.io.facts import Window
from drawstring.core.passes import Role
from drawstring.core.recipe.chains import Chains
from drawstring.store import deliveries, recipes, shows
from drawstring.web import colour_files
from drawstring.web.bench.changing import changed, set_settings, typed_at
from drawstring.web.delivery.others import brightness_of, light_of, others_of
from drawstring.web.guards import brings_file, brought_file
from drawstring.web.pictures.here import frame_here
from drawstring.web.pictures.views import as_png
from drawstring.web.services import who, work

bp = Blueprint("framing", __name__)


@bp.post("/shots/<int:shot_id>/framing")
def set_values(shot_id: int) -> Response:
    """Write settings; at the frame that is shown, where a value changes over the frames."""
    return set_settings(shot_id, "framing", typed_at("framing"), frame=request.form.get("frame", type=int))


@bp.post("/shots/<int:shot_id>/framing/map")
@brings_file
def bring_map(shot_id: int) -> Response:
    """Take over a coordinate map of a lens, once it can be used."""
    file = brought_file(
        "framing.map", "Choose an OpenEXR file whose first two channels are shares of the frame.", what="map",
        endings=(".exr",),
    )  # fmt: skip
    path = colour_files.bring_map(file)
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        recipes.set_values(session, shot, {"framing.lens.map_bends": path}, by=who())
        return changed(session, shot, "framing")


@bp.get("/shots/<int:shot_id>/framing/evidence")
def evidence(shot_id: int) -> str:
    """Draw what came and what of it goes out, to scale."""
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        delivery = deliveries.in_use(shot)
        settings = recipes.current(session, shot).framing
        came = deliveries.place_of(delivery)
        number = request.args.get("frame", delivery.first, type=int)
        frames = range(delivery.first, delivery.last + 1)
        framed = map_of(settings, came, number)
        found = coverage(settings, came, frames)
        return render_template(
            "framing/_plan.html", shot=shot, frame=number, settings=settings, came=came, framed=framed,
            found=found, frames=frames, drawn=_drawn(settings, came, framed), scale=_scale(framed),
            each=found.each(came), part=request.args.get("part", ""), filters=list(Filter),
        )  # fmt: skip


def _drawn(settings: FramingSettings, came: Place, framed: FrameMap) -> dict[str, Any]:
    """Give what is drawn, in pixels that came: all that came, its frame, the frame that goes out."""
    x, y = rim_back(framed, 33)
    there = np.isfinite(x) & np.isfinite(y)
    shown = inset(came.display, settings.arrived)
    left = min(came.window.x_min, shown.x_min, *x[there]) if there.any() else came.window.x_min
    right = max(came.window.x_max + 1, shown.x_max + 1, *x[there]) if there.any() else came.window.x_max + 1
    top = min(came.window.y_min, shown.y_min, *y[there]) if there.any() else came.window.y_min
    bottom = max(came.window.y_max + 1, shown.y_max + 1, *y[there]) if there.any() else came.window.y_max + 1
    margin = 0.04 * (right - left)
    return {
        "box": f"{left - margin:.1f} {top - margin:.1f} {right - left + 2 * margin:.1f} "
        f"{bottom - top + 2 * margin:.1f}",
        "line": (right - left) / 300,
        "came": _rect(came.window),
        "frame": _rect(shown),
        "goes": " ".join(f"{a:.1f},{b:.1f}" for a, b in zip(x[there], y[there], strict=True)),
    }


def _rect(window: Window) -> dict[str, int]:
    return {"x": window.x_min, "y": window.y_min, "width": window.width, "height": window.height}


def _scale(framed: FrameMap) -> float:
    """Give how large pixels that came go out, in percent."""
    return float(100 / np.hypot(framed.scene[0, 0], framed.scene[1, 0]))


@bp.get("/shots/<int:shot_id>/framing/others")
def others(shot_id: int) -> str:
    """List the plain renders that the picture can be measured against; in a large show these are many."""
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        return render_template("framing/_others.html", others=others_of(session, shot))


@bp.get("/shots/<int:shot_id>/framing/fit")
def fit(shot_id: int) -> str:
    """Tell where a plain render lies within the shot's picture."""
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        delivery = deliveries.in_use(shot)
        number = request.args.get("frame", delivery.first, type=int)
        wanted = request.args.get("with", "")
        chosen = next((one for one in others_of(session, shot) if one["key"] == wanted), None)
        mine = light_of(deliveries.passes_of(delivery))
        if chosen is None or mine is None:
            raise MissingError(
                "There is no plain render to hold it against.", where="with", why="Nothing was measured.",
                remedy="Accept the render without overscan as another delivery or shot, and choose it here.",
            )  # fmt: skip
        larger, _ = brightness_of(session, delivery, mine, number)
        plain, _ = brightness_of(session, chosen["delivery"], chosen["one"], number)
    return render_template("framing/_fit.html", found=fit_of(plain, larger), told=Told, says=chosen["says"])


CROP, ENLARGED = 72, 2
"""Pixels of a crop, and how large each of them is shown."""


@bp.get("/shots/<int:shot_id>/frames/<int:number>/filters.png")
def filters(shot_id: int, number: int) -> Response:
    """Show the same hard edge through every filter, beside each other, pixel by pixel."""
    with work() as session:
        at, shot = frame_here(session, shot_id, number), shows.shot_by_id(session, shot_id)
        recipe = recipes.current(session, shot)
    described = []
    for kind in Filter:
        framing = recipe.framing.model_copy(update={"light": kind})
        chain = Chains(at.passes, recipe.with_knot(framing)).own_chains()[0]
        described.append(chain.after(Stage.PLACED, PICTURE))
    # What comes before is the same for all of them, and worked out once.
    frame = Work(at.planes(channels_of(described), 0), at.moment(0))
    pictures = [frame.of(each) for each in described]
    rows, cols = _hardest(pictures[0])
    cells = [
        np.kron(
            look(Role.BEAUTY, list(np.moveaxis(each[rows, cols, :3], -1, 0))),
            np.ones((ENLARGED, ENLARGED, 1)),
        )
        for each in pictures
    ]
    gap = np.full((cells[0].shape[0], 6, 3), 128.0)
    strip = np.concatenate([part for cell in cells for part in (cell, gap)][:-1], axis=1)
    return as_png(np.asarray(strip, np.uint8), strip.shape[1])


def _hardest(picture: np.ndarray) -> tuple[slice, slice]:
    """Give the crop around the hardest edge."""
    light = np.nan_to_num(np.log2(np.clip(picture[..., :3].mean(-1), 1e-3, 1e3)))
    steps = (
        np.abs(np.gradient(light, axis=0)) + np.abs(np.gradient(light, axis=1))
        if min(light.shape) > 1
        else light
    )
    size = min(CROP, *light.shape)
    calm = cv2.boxFilter(steps.astype(np.float32), -1, (size // 2, size // 2))
    row, col = np.unravel_index(int(np.argmax(calm)), calm.shape)
    top = int(np.clip(row - size // 2, 0, light.shape[0] - size))
    left = int(np.clip(col - size // 2, 0, light.shape[1] - size))
    return slice(top, top + size), slice(left, left + size)
