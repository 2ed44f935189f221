"""Pixels for the well, thumbnails for the tray, view cubes, and true values at a point."""

from __future__ import annotations

import os
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from flask import Blueprint, Response, request
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from drawstring.core.colour import bake, look
from drawstring.core.depth.background import HUGE
from drawstring.core.errors import MissingError, SettingError
from drawstring.core.io.facts import ChannelRef, FileFacts, Window
from drawstring.core.passes import HASHED_ROLES, Pass, Role
from drawstring.core.recipe import RESULTS, Recipe, available_results, change, in_working_space
from drawstring.core.recipe.pictures import is_light, picture, picture_inputs
from drawstring.core.recipe.results import depth_pass
from drawstring.core.units import say_length
from drawstring.store import deliveries, recipes, shows
from drawstring.store.models import Shot
from drawstring.web.services import house, work

bp = Blueprint("pictures", __name__)

THUMB_PX = 320
MAX_LEVEL = 4


@bp.get("/shots/<int:shot_id>/frames/<int:number>/pixels/<name>")
def pixels(shot_id: int, number: int, name: str) -> Response:
    """Give a picture's values as raw bytes; `near`, `far` ... in the query try settings out."""
    level = _whole("level", 0, MAX_LEVEL)
    with work() as session:
        at, shot = _frame(session, shot_id, number), shows.shot_by_id(session, shot_id)
        recipe = _tried(session, shot, request.args)
    passes = at.passes
    refs = picture_inputs(name, passes)
    planes = house().frames.planes(
        at.files, refs, window=at.window, level=level, is_light=is_light(name, passes)
    )
    shown = picture(name, passes, recipe, planes)
    values = np.ascontiguousarray(shown.values)
    if values.shape[2] == 3:
        values = np.concatenate([values, np.ones_like(values[..., :1])], axis=-1)
    return Response(
        values.tobytes(),
        mimetype="application/octet-stream",
        headers={
            "X-Size": f"{values.shape[1]} {values.shape[0]} {values.shape[2]}",
            "X-Type": "half" if values.dtype == np.float16 else "float",
            "X-Kind": shown.kind,
            "X-Ends": f"{shown.low:.9g} {shown.high:.9g}",
            "X-Window": " ".join(map(str, at.window)),
            "X-Display": " ".join(map(str, at.display)),
            "Cache-Control": "no-store",
        },
    )


@bp.get("/shots/<int:shot_id>/frames/<int:number>/thumb/<name>")
def thumb(shot_id: int, number: int, name: str) -> Response:
    """Give a small picture of a pass or result."""
    with work() as session:
        at, shot = _frame(session, shot_id, number), shows.shot_by_id(session, shot_id)
        recipe = recipes.current(session, shot)
    passes = at.passes
    wide = _whole("wide", 32, 1024, THUMB_PX)
    level = min(MAX_LEVEL, max(0, (at.window.width // wide).bit_length() - 1))
    planes = house().frames.planes(
        at.files, picture_inputs(name, passes), window=at.window, level=level, is_light=is_light(name, passes)
    )
    if name in RESULTS:
        made, role = RESULTS[name].compute(planes, passes, recipe), Role.OTHER
    else:
        one = next(one for one in passes if one.name == name)
        pixels = in_working_space(planes, passes, recipe)
        made, role = [pixels[ref] for ref in one.channels], one.role
    # The address carries the delivery's and the recipe's digest, so the browser may keep it.
    return as_png(look(role, made), wide)


def as_png(shown: NDArray[np.uint8], wide: int) -> Response:
    """Answer with a picture for looking, brought to a width; the browser may keep it for a day."""
    height = max(1, round(wide * shown.shape[0] / shown.shape[1]))
    small = cv2.resize(shown, (wide, height), interpolation=cv2.INTER_AREA)
    _, data = cv2.imencode(".png", np.ascontiguousarray(small[..., ::-1]))
    return Response(data.tobytes(), mimetype="image/png", headers={"Cache-Control": "max-age=86400"})


@bp.get("/views/<name>")
def view_cube(name: str) -> Response:
    """Give a view transform as a cube of half floats."""
    cube = bake(name)
    return Response(
        cube.cube.tobytes(),
        mimetype="application/octet-stream",
        headers={
            "X-Size": str(cube.size),
            "X-Shaper": f"{cube.shaper_k} {cube.shaper_max}",
            "Cache-Control": "max-age=86400",
        },
    )


@bp.get("/shots/<int:shot_id>/frames/<int:number>/values")
def values(shot_id: int, number: int) -> dict[str, Any]:
    """Give every pass's true values at a pixel of the display window."""
    x, y = _whole("x", -(10**6), 10**6), _whole("y", -(10**6), 10**6)
    with work() as session:
        at, shot = _frame(session, shot_id, number), shows.shot_by_id(session, shot_id)
        recipe = _tried(session, shot, request.args)
        unit = shot.show.scene_unit
    window = at.window
    # What a frame came without can't be read; the rest can.
    passes = [one for one in at.passes if all(ref.source in at.files for ref in one.channels)]
    row, col = y - window.y_min, x - window.x_min
    if not (0 <= row < window.height and 0 <= col < window.width):
        return {"x": x, "y": y, "passes": []}
    refs = [ref for one in passes for ref in one.channels]
    planes = house().frames.planes(at.files, refs, window=window, level=0, is_light=False)
    here: dict[ChannelRef, Any] = {ref: plane[row : row + 1, col : col + 1] for ref, plane in planes.items()}
    here = dict(in_working_space(here, passes, recipe))
    told = [
        {
            "name": one.name,
            "values": _words(one, [here[ref][0, 0] for ref in one.channels], unit),
        }
        for one in passes
    ]
    for name in available_results(passes, recipe):
        made = RESULTS[name].compute(here, passes, recipe)
        told.append({"name": name, "values": " ".join(_number(plane[0, 0]) for plane in made)})
    depth = depth_pass(passes)
    distance = float(here[depth.channels[0]][0, 0]) if depth else 0.0
    return {"x": x, "y": y, "passes": told, "distance": distance if 0 < distance < HUGE else None}


def _words(one: Pass, values: list[Any], unit: str) -> str:
    if one.role is Role.DEPTH:
        z = float(values[0])
        return say_length(z, unit) if np.isfinite(z) and z < 1e9 else "nothing there"
    if one.role in HASHED_ROLES:
        pairs = zip(values[0::2], values[1::2], strict=False)
        return " ".join(f"{np.float32(n).view(np.uint32):08x} {c:.0%}" for n, c in pairs if c > 0) or "none"
    return " ".join(_number(value) for value in values)


def _number(value: Any) -> str:
    number = float(value)
    if not np.isfinite(number):
        return str(number)
    return f"{number:.4f}" if abs(number) < 1000 else f"{number:.1f}"


@dataclass(frozen=True)
class FrameHere:
    """One frame of the delivery in use: its files, windows and passes."""

    files: dict[int, FileFacts]
    window: Window
    display: Window
    passes: list[Pass]


def _frame(session: Session, shot_id: int, number: int) -> FrameHere:
    delivery = deliveries.in_use(shows.shot_by_id(session, shot_id))
    files = deliveries.files_of(session, delivery, number)
    for facts in files.values():
        if not os.path.exists(facts.path):
            raise MissingError(
                f"The file of frame {number} is gone.",
                where=facts.path,
                why="It was there when the delivery was accepted.",
                remedy="Bring it back, or scan again and accept what is there now.",
            )
    return FrameHere(
        files,
        deliveries.window_of(delivery),
        deliveries.display_window(delivery),
        deliveries.passes_of(delivery),
    )


def _tried(session: Session, shot: Shot, arguments: Mapping[str, str]) -> Recipe:
    """Give the recipe in use, with values of the query tried out and nothing written."""
    typed = {name: value for name, value in arguments.items() if "." in name}
    recipe = recipes.current(session, shot)
    return change(recipe, typed, scene_unit=shot.show.scene_unit) if typed else recipe


def _whole(name: str, low: int, high: int, usual: int = 0) -> int:
    text = request.args.get(name, str(usual))
    try:
        value = int(text)
    except ValueError:
        value = low - 1
    if not low <= value <= high:
        raise SettingError(
            f"“{text}” can't be {name}.", where=name, why="", remedy=f"It is a whole number, {low} to {high}."
        )
    return value
