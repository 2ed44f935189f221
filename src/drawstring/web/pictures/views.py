"""Pixels for the well, thumbnails for the tray, view cubes, and true values at a point."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import cv2
import numpy as np
from flask import Blueprint, Response, request
from numpy.typing import NDArray

from drawstring.core.arrays import Stored
from drawstring.core.camera import Place
from drawstring.core.chain import Work, channels_of
from drawstring.core.colour import bake, look
from drawstring.core.errors import MissingError, SettingError
from drawstring.core.halves import halves_of
from drawstring.core.io.facts import ChannelRef, Window
from drawstring.core.pack.storing import HALF_MAX
from drawstring.core.pack.trimming import cut
from drawstring.core.passes import HASHED_ROLES, Pass, Role
from drawstring.core.recipe import (
    available_results,
    find_result,
    result_named,
)
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.frames import framed
from drawstring.core.recipe.pictures import picture, picture_inputs, proxy
from drawstring.core.recipe.sources import depth_pass, of_view, pass_named, read_distances
from drawstring.core.units import say_length
from drawstring.runs.kept_planes import MAX_LEVEL, SHEET_PX
from drawstring.store import recipes, shows
from drawstring.web.pictures.here import frame_here, tried
from drawstring.web.services import house, work

bp = Blueprint("pictures", __name__)


@bp.get("/shots/<int:shot_id>/frames/<int:number>/pixels/<name>")
def pixels(shot_id: int, number: int, name: str) -> Response:
    """Give a picture's values as raw bytes; `near`, `far` ... in the query try settings out.

    With `tile` (left, top, right, bottom in the frame's pixels, the last two included), only those of them
    are given that the picture has: of a large picture, what can be seen.
    """
    level = _whole("level", 0, MAX_LEVEL)
    tile = _tile()
    with work() as session:
        at, shot = frame_here(session, shot_id, number), shows.shot_by_id(session, shot_id)
        recipe = tried(session, shot, request.args, number)
    passes = at.passes
    size = at.display.width, at.display.height
    is_trial = any("." in argument for argument in request.args)
    chains = Chains(passes, recipe, is_trial=is_trial)
    whole = chains.needs_whole(name, size, level)
    made_at = 0 if whole else level
    untouched = tile is not None and not level and pass_named(name, passes) is not None and not chains.moves
    part = None
    if tile is not None and untouched:
        # What came and goes nowhere else is read there alone.
        part = meeting(tile, at.window)
        if part is None:
            raise _nothing_there(tile)
        at = replace(at, window=part)
    planes = at.planes(picture_inputs(name, passes, recipe), made_at)
    # What is kept of a frame is of all of it: nothing of a part is.
    repeats = is_trial and part is None
    moment = at.trial(name, made_at) if repeats else at.moment(made_at, part)
    shown = picture(name, passes, recipe, planes, moment, is_trial=is_trial)
    if repeats:
        at.keep_trial(name, made_at, moment)
    values = shown.values
    if whole:
        light = shown.kind == "light"
        values = np.stack([proxy(values[..., c], level, is_light=light) for c in range(values.shape[2])], -1)
    window, display = at.lies(values.shape, level, chains)
    if tile is not None and not untouched:
        inside = meeting(tile, window)
        if inside is None or level:
            raise _nothing_there(tile)
        values = cut(values, window, inside)
        window = inside
    values = _sent(values, is_quick=request.args.get("as") == "half" and shown.kind in ("light", "values"))
    return Response(
        values.tobytes(),
        mimetype="application/octet-stream",
        headers={
            "X-Size": f"{values.shape[1]} {values.shape[0]} {values.shape[2]}",
            "X-Type": "half" if values.dtype == np.float16 else "float",
            "X-Kind": shown.kind,
            "X-Ends": f"{shown.low:.9g} {shown.high:.9g}",
            "X-Window": " ".join(map(str, window)),
            "X-Display": " ".join(map(str, display)),
            "Cache-Control": "no-store",
        },
    )


def _sent(values: NDArray[Any], *, is_quick: bool) -> NDArray[Any]:
    """Give what goes to the browser: three channels get a fourth of ones, as a graphics card takes four.

    Only to be looked at, floats go as half: what half can't hold would look no brighter than its limit.
    """
    if values.shape[2] == 3:
        values = (
            cv2.cvtColor(np.ascontiguousarray(values), cv2.COLOR_RGB2RGBA)
            if values.dtype == np.float32
            else np.concatenate([values, np.ones_like(values[..., :1])], axis=2)
        )
    if is_quick and values.dtype == np.float32:
        return halves_of(np.clip(values, -HALF_MAX, HALF_MAX))
    return np.ascontiguousarray(values)


MOST_TILE = 2048
"""Pixels along a tile's side."""


def _tile() -> Window | None:
    text = request.args.get("tile", "")
    if not text:
        return None
    numbers = [int(each) for each in text.split(",") if each.lstrip("-").isdigit() and len(each) < 8]
    window = Window(*numbers) if len(numbers) == 4 else Window(0, 0, -1, -1)
    if not (0 < window.width <= MOST_TILE and 0 < window.height <= MOST_TILE):
        raise SettingError(
            f"“{text}” can't be a tile.", where="tile", why="",
            remedy=f"It is left, top, right and bottom, up to {MOST_TILE} pixels wide and high.",
        )  # fmt: skip
    return window


def meeting(one: Window, other: Window) -> Window | None:
    """Give what two windows have in common; None where that is nothing."""
    both = Window(
        max(one.x_min, other.x_min), max(one.y_min, other.y_min),
        min(one.x_max, other.x_max), min(one.y_max, other.y_max),
    )  # fmt: skip
    return both if both.width > 0 and both.height > 0 else None


def _nothing_there(tile: Window) -> MissingError:
    return MissingError(
        "The picture has no pixel there.", where=f"tile {tile}", why="", remedy="Ask for a part that it has."
    )


@bp.get("/shots/<int:shot_id>/frames/<int:number>/thumb/<name>")
def thumb(shot_id: int, number: int, name: str) -> Response:
    """Give a small picture of a pass or result."""
    with work() as session:
        at, shot = frame_here(session, shot_id, number), shows.shot_by_id(session, shot_id)
        recipe = recipes.current(session, shot)
    passes = at.passes
    wide = _whole("wide", 32, 1024, SHEET_PX)
    level = at.level_within(wide)
    chains = Chains(passes, recipe)
    if chains.needs_whole(name, (at.display.width, at.display.height), level):
        level = 0
    if level:
        at.look_at_all(level)
    place = at.place_out(chains, level)
    planes = [in_frame(plane, place) for plane in at.of(chains.own(name), level)]
    one, result = pass_named(name, passes), find_result(name)
    if one is not None:
        role = one.role
    else:
        assert result is not None, name
        if result.is_dark:
            # Black on black would show nothing.
            planes = [light + (1 - planes[3]) * np.float32(0.5) for light in planes[:3]]
        role = Role.BEAUTY if result.is_light else Role.OTHER
        if result.is_signed:
            planes = [0.5 + 0.5 * planes[0] / max(float(np.abs(planes[0]).max(initial=0)), 1e-3)]
    # The address carries the delivery's and the recipe's digest, so the browser may keep it.
    return as_png(look(role, planes), wide)


def in_frame(plane: Stored, place: Place) -> Stored:
    """Cut a plane to the frame, where it holds what lies outside; one of another size stays as it is."""
    window, step = place.window, place.step
    held = -(-window.height // step), -(-window.width // step)
    return framed(plane, place) if plane.shape[:2] == held else plane


def as_png(shown: NDArray[np.uint8], wide: int) -> Response:
    """Answer with a picture for looking, brought to a width; the browser may keep it for a day."""
    height = max(1, round(wide * shown.shape[0] / shown.shape[1]))
    small = cv2.resize(shown, (wide, height), interpolation=cv2.INTER_AREA)
    _, data = cv2.imencode(".png", np.ascontiguousarray(small[..., ::-1]))
    return Response(data.tobytes(), mimetype="image/png", headers={"Cache-Control": "max-age=86400"})


@bp.get("/shots/<int:shot_id>/view")
def view_cube(shot_id: int) -> Response:
    """Give a view transform of a shot's colour management as a cube of half floats: (S, S, S, 3)."""
    with work() as session:
        management = recipes.current(session, shows.shot_by_id(session, shot_id)).arrivals.management
    cube = bake(request.args.get("name", ""), management)
    return Response(
        np.ascontiguousarray(cube.cube[..., :3]).tobytes(),
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
        at, shot = frame_here(session, shot_id, number), shows.shot_by_id(session, shot_id)
        recipe = tried(session, shot, request.args, number)
        unit = shot.show.scene_unit
    window = at.window
    # What a frame came without can't be read; the rest can.
    passes = [one for one in at.passes if all(ref.source in at.files for ref in one.channels)]
    pulled = Chains(passes, recipe)
    row, col = at.came_from(pulled, x, y)
    if row < 0 or col < 0:
        return {"x": x, "y": y, "passes": []}
    refs = [ref for one in passes for ref in one.channels]
    planes = house().frames.planes(at.files, refs, window=window, level=0, is_light=False, display=at.display)
    here: dict[ChannelRef, Any] = {ref: plane[row : row + 1, col : col + 1] for ref, plane in planes.items()}
    # True values: those that arrived, of the pixel that is shown there.
    left, top = col + window.x_min, row + window.y_min
    moment = at.moment(0, Window(left, top, left, top))
    pixel = Work(here, moment)
    told = [
        {
            "name": one.name,
            "values": _words(one, [plane[0, 0] for plane in pixel.of(pulled.arrived(one))], unit),
        }
        for one in passes
    ]
    for name in [] if pulled.moves else available_results(passes, recipe):
        result = result_named(name)
        if result.is_light or not result.is_pointwise:
            continue  # what depends on its neighbours is read from the picture that is shown
        described = pulled.own(name)
        if not all(ref in here for ref in channels_of([described])):
            continue
        told.append({"name": name, "values": " ".join(_number(plane[0, 0]) for plane in pixel.of(described))})
    first, distance = of_view(passes, ""), None
    if depth_pass(first) is not None:
        read = read_distances(here, first, recipe.depth, moment, repair=False)
        distance = None if read.nothing[0, 0] else float(read.z[0, 0])
    return {"x": x, "y": y, "passes": told, "distance": distance}


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
