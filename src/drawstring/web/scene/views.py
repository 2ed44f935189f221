"""Scene knot: a file taken over, lights, beams and cards set by hand or placed on the picture."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Sequence
from typing import Any

import numpy as np
from flask import Blueprint, jsonify, request
from sqlalchemy.orm import Session
from werkzeug.wrappers import Response

from drawstring.core.chain import Work, channels_of
from drawstring.core.errors import MissingError, SettingError
from drawstring.core.recipe.chains import Chains
from drawstring.core.scene.agreement import counting, held_against_points
from drawstring.core.scene.checks import reading_words
from drawstring.core.scene.limits import MOST_MB
from drawstring.core.scene.reading import ENDINGS, read_and_write
from drawstring.core.scene.settings import SceneSettings
from drawstring.core.scene.sight import Sight, facing, sight
from drawstring.store import recipes, shows
from drawstring.store.models import Shot
from drawstring.store.scene.taking import scenes_beside, take_scene
from drawstring.web import colour_files
from drawstring.web.bench.changing import changed, set_settings, typed_at
from drawstring.web.guards import brings_file, brought_file
from drawstring.web.pictures.here import FrameHere, frame_here
from drawstring.web.pictures.points import colour_at, place_in, point_in
from drawstring.web.services import house, who, work

bp = Blueprint("scene", __name__)

READING_S = 120.0
"""For how long one scene's file may be read."""

LOOKED_AT_PX, DRAWN_ACROSS = 960, 24
"""For holding points against the camera on the picture: how wide it is read, how many are drawn across it."""

LIFT = 0.08
"""How far before a clicked surface a lamp is placed, as share of its distance."""


@bp.post("/shots/<int:shot_id>/scene")
def set_values(shot_id: int) -> Response:
    """Write settings; at the frame that is shown, where a value changes over the frames."""
    return set_settings(shot_id, "scene", typed_at("scene"), frame=request.form.get("frame", type=int))


def _reading(path: str, name: str, roots: Sequence[str]) -> bytes:
    return house().readers.read(path, read_and_write, path, name, tuple(roots), limit_s=READING_S)


def _take(session: Session, shot: Shot, path: str, name: str, roots: Sequence[str]) -> None:
    take_scene(
        session,
        shot,
        path,
        name=name,
        folder=house().installation.colour_folder,
        roots=roots,
        reading=_reading,
        by=who(),
    )


@bp.post("/shots/<int:shot_id>/scene/file")
@brings_file
def bring(shot_id: int) -> Response:
    """Take over a scene's file that was sent."""
    file = brought_file("scene.file", "Choose a scene in USD or glTF.")
    name = os.path.basename((file.filename or "").replace("\\", "/"))
    with tempfile.TemporaryDirectory() as folder:
        path = os.path.join(folder, f"scene.{name.rpartition('.')[2].lower()}")
        file.save(path)
        with work() as session:
            shot = shows.shot_by_id(session, shot_id)
            _take(session, shot, path, name, [])
            return changed(session, shot, "scene")


@bp.post("/shots/<int:shot_id>/scene/beside")
def take_beside(shot_id: int) -> Response:
    """Take over a scene's file that lies with the delivery."""
    path = request.form.get("path", "")
    roots = house().installation.root_list
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        if path not in scenes_beside(shot, roots):
            raise MissingError(
                "That file does not lie with the delivery any more.",
                where="scene.file",
                why="Nothing was taken over.",
                remedy=f"Bring it in here: {', '.join(f'.{each}' for each in ENDINGS)}, up to {MOST_MB} MB.",
            )
        _take(session, shot, path, os.path.basename(path), roots)
        return changed(session, shot, "scene")


@bp.post("/shots/<int:shot_id>/scene/footage/<int:place>")
@brings_file
def bring_footage(shot_id: int, place: int) -> Response:
    """Take over footage for a card, once all of it can be read."""
    file = brought_file("scene.footage", "Choose a picture, a film or an archive (.zip) of pictures.")
    path = colour_files.bring_footage(file)
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        recipes.set_values(session, shot, {f"scene.cards.{place}.footage": path}, by=who())
        return changed(session, shot, "scene")


@bp.get("/shots/<int:shot_id>/frames/<int:number>/scene/held")
def held(shot_id: int, number: int) -> Response:
    """Give where points of a frame are seen, as the file is read now and as it fits better.

    Places are in the display window's pixels; None where a point lies behind the camera.
    """
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        at, recipe = frame_here(session, shot_id, number), recipes.current(session, shot)
    told = counting(at.passes, recipe)
    level = at.level_within(LOOKED_AT_PX)
    points = None
    if told is not None:
        planes = at.planes(list(told.inputs), level)
        points = held_against_points(at.passes, recipe, planes, at.moment(level), DRAWN_ACROSS)
    if points is None:
        raise MissingError(
            "There are no points to hold the camera against.",
            where="scene.camera",
            why="Positions, or depth with a camera in its headers, tell where points lie.",
            remedy="Have positions rendered, of one frame at least; or choose one of the file's cameras.",
        )
    step, (left, top) = points.place.step, (points.place.window.x_min, points.place.window.y_min)
    spots = [[left + int(col) * step + 0.5, top + int(row) * step + 0.5] for col, row in points.spots]

    def shown(settings: SceneSettings) -> list[list[float] | None] | None:
        places = points.seen(settings)
        if places is None:
            return None
        return [
            [round(left + col * step + 0.5, 2), round(top + row * step + 0.5, 2)] if away > 0 else None
            for col, row, away in places
        ]

    better = points.better()
    return jsonify(
        {
            "spots": spots,
            "now": shown(points.settings),
            "off": _finite(points.off(points.settings)),
            "after": shown(better[1]) if better else None,
            "fits": reading_words(
                points.settings, scale=better[1].scale, turn=better[1].turn, late=better[1].late
            )
            if better
            else "",
            "left": _finite(better[0]) if better else None,
        }
    )


def _finite(gap: float) -> float | None:
    return round(gap, 3) if gap < 1e8 else None


@bp.post("/shots/<int:shot_id>/scene/pick")
def pick(shot_id: int) -> Response:
    """Take a place or a colour from the picture."""
    name = request.form.get("setting", "")
    number, x, y = (request.form.get(field, 0, type=int) for field in ("frame", "x", "y"))
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        recipe = recipes.current(session, shot)
        at = frame_here(session, shot_id, number)
        row, col = point_in(at, recipe, x, y)
        kind, last = name.split(".")[1:2] or [""], name.rpartition(".")[2]
        value: Any
        if last == "colour":
            value = colour_at(at, recipe, row, col)
        elif last == "position" and kind[0] in ("lights", "beams", "cards"):
            one = getattr(recipe.scene, kind[0])[place_in(name, len(getattr(recipe.scene, kind[0])))]
            view, away = _seen(at, recipe)
            point, normal = _point(view, away, row, col, name)
            follows = view.world.place(one.follows, number) if view.world and one.follows else None
            if kind[0] == "cards":
                up = np.array([0.0, 1, 0]) if recipe.scene.up.value == "y" else np.array([0.0, 0, 1])
                point = point + up * (one.height or one.width) / 2
            else:
                point = point + normal * LIFT * float(view.here.z[row, col])
            if follows is not None:
                point = point - follows[3, :3]
            value = " ".join(f"{each:.5g}" for each in point)
        elif last == "ground":
            view, away = _seen(at, recipe)
            point, _ = _point(view, away, row, col, name)
            value = f"{point[1 if recipe.scene.up.value == 'y' else 2]:.5g}"
        else:
            raise SettingError(
                f"“{name}” can't be taken from the picture.",
                where="setting",
                why="Nothing was changed.",
                remedy="A place or a colour can.",
            )
        recipes.set_values(session, shot, {name: value}, by=who(), frame=number)
        return changed(session, shot, "scene")


def _seen(at: FrameHere, recipe: Any) -> tuple[Sight, np.ndarray]:
    chain = Chains(at.passes, recipe).own_chains()[0]
    view = sight(chain)
    faces = facing(chain, view)
    frame = Work(at.planes(channels_of([view, faces]), 0), at.moment(0))
    return frame.of(view), frame.of(faces)


def _point(view: Sight, faces: np.ndarray, row: int, col: int, name: str) -> tuple[np.ndarray, np.ndarray]:
    """Give the point that a pixel shows, and which way it faces."""
    if view.here.nothing[row, col]:
        raise MissingError(
            "Nothing solid lies there.",
            where=name,
            why="A place needs a distance.",
            remedy="Click on something solid.",
        )
    point = view.rays.eye + view.rays.ways[row, col].astype(np.float64) * float(view.here.z[row, col])
    normal = faces[row, col].astype(np.float64)
    length = float(np.linalg.norm(normal))
    if length < 0.5:
        normal, length = -view.rays.ways[row, col].astype(np.float64), 1.0
        length = float(np.linalg.norm(normal))
    return point, normal / length
