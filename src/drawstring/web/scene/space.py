"""Space: what stands in the scene at a frame, as numbers for the browser, with the picture's points."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from flask import Blueprint, Response, jsonify, request

from drawstring.core.camera import Camera
from drawstring.core.chain import PICTURE, Stage, Work, channels_of
from drawstring.core.colour import look
from drawstring.core.errors import DrawstringError
from drawstring.core.passes import Role
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.pulls import subject_of
from drawstring.core.scene.cards import stand_of
from drawstring.core.scene.footage import frame_count, frame_of
from drawstring.core.scene.sight import Sight, sight
from drawstring.core.scene.steps import lamp_for, place_of
from drawstring.core.scene.world import world_of
from drawstring.core.units import METRES
from drawstring.store import deliveries, recipes, shows
from drawstring.web.pictures.here import frame_here
from drawstring.web.services import work

bp = Blueprint("space", __name__)

MOST_POINTS, FEWEST_POINTS, USUAL_POINTS = 500_000, 5_000, 120_000
MOST_TRIANGLES = 60_000
"""Of the file's meshes, drawn as lines."""

BEHIND_PX = 640
"""How wide the picture is that stands behind the points."""


def _camera(name: str, camera: Camera, aspect: float, *, counts: bool) -> dict[str, Any]:
    axes, eye = camera.axes, camera.position
    wide = (camera.filmback_mm or 36) / 2 / (camera.focal_mm or 36)
    return {
        "name": name,
        "counts": counts,
        "eye": _plain(eye),
        "right": _plain(axes[0]) if axes is not None else None,
        "down": _plain(axes[1]) if axes is not None else None,
        "forward": _plain(axes[2]) if axes is not None else None,
        "wide": wide,
        "high": wide / aspect,
        "shift": camera.shift,
        "drop": camera.drop,
        "near": camera.near_clip,
        "far": camera.far_clip,
        "round": camera.is_latlong,
    }


def _plain(vector: Any) -> list[float] | None:
    return None if vector is None else [round(float(each), 6) for each in vector]


@bp.get("/shots/<int:shot_id>/frames/<int:number>/space")
def space(shot_id: int, number: int) -> Response:
    """Give cameras, lights, beams, cards, marks and meshes at a frame, and the camera's path."""
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        at = frame_here(session, shot_id, number)
        recipe = recipes.current(session, shot)
        delivery = deliveries.in_use(shot)
        frames = range(delivery.first, delivery.last + 1)
        unit, unit_name = METRES[shot.show.scene_unit], shot.show.scene_unit
    chain = Chains(at.passes, recipe).own_chains()[0]
    moment = at.moment(0)
    place = subject_of(chain).here(moment, Stage.DOUBLED).placed((1, 1))
    aspect = place.display.width * place.pixel_aspect / place.display.height
    world = world_of(recipe.scene, unit)
    told = subject_of(chain).here(moment, Stage.DOUBLED).camera()
    settings = recipe.scene
    cameras: list[dict[str, Any]] = []
    counting: Camera | None = None
    if told.has_lens and told.world_to_camera is not None:
        counting = told if not settings.camera else None
        cameras.append(_camera("headers", told, aspect, counts=not settings.camera))
    path: list[list[float] | None] = []
    if world is not None:
        for own in world.data.cameras:
            if own.is_flat:
                continue
            seen = world.seen(own, number, aspect)
            counts = settings.camera in (own.name, own.path)
            counting = seen if counts else counting
            cameras.append(_camera(own.name, seen, aspect, counts=counts))
            if counts or (not settings.camera and not path):
                path = [_plain(world.seen(own, each, aspect).position) for each in frames]
    now = settings.at(number)
    lights = [
        _lamp(one.name, lamp_for(one, world, number)) | {"part": "lights", "layer": i, "on": one.on}
        for i, one in enumerate(now.lights, 1)
    ]
    beams = [
        _lamp(one.name, lamp_for(one, world, number))
        | {
            "part": "beams",
            "layer": i,
            "on": one.on,
            "length": one.length,
        }
        for i, one in enumerate(now.beams, 1)
    ]
    cards = []
    for i, card in enumerate(now.cards, 1):
        stand = stand_of(
            card,
            place_of(card, world, number),
            counting or Camera(),
            settings.up,
            _aspect(card.footage, aspect),
        )
        cards.append(
            {
                "name": card.name,
                "part": "cards",
                "layer": i,
                "on": card.on,
                "corners": [_plain(each) for each in stand.corners],
            }
        )
    return jsonify(
        {
            "cameras": cameras,
            "path": path,
            "up": settings.up.value,
            "ground": settings.ground,
            "unit": unit_name,
            "lights": lights,
            "beams": beams,
            "cards": cards,
            "aspect": aspect,
            "lamps": [_lamp(one.name, world.lamp(one, number)) for one in world.data.lights] if world else [],
            "marks": [
                {"name": one.name, "at": _plain(world.stands(one.matrix(world.time(number)))[3, :3])}
                for one in world.data.marks
            ]
            if world
            else [],
            "meshes": _meshes(world, number) if world else [],
        }
    )


def _aspect(footage: str, otherwise: float) -> float:
    if not footage:
        return otherwise
    try:
        frame_count(footage)
        picture = frame_of(footage, 0)
        return picture.shape[1] / picture.shape[0]
    except DrawstringError:
        return otherwise


def _lamp(name: str, lamp: Any) -> dict[str, Any]:
    return {
        "name": name,
        "shines": lamp.shines,
        "at": _plain(lamp.position),
        "way": _plain(lamp.direction),
        "colour": _plain(lamp.colour),
        "outer": lamp.cone[1],
        "strength": round(float(lamp.strength), 6),
    }


def _meshes(world: Any, number: int) -> list[dict[str, Any]]:
    made, left = [], MOST_TRIANGLES
    for own in world.data.meshes:
        count = min(left, len(own.triangles))
        points, _ = world.mesh(own, number)
        edges = own.triangles[:count][:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2)
        edges = np.unique(np.sort(edges, axis=1), axis=0)
        made.append(
            {
                "name": own.name,
                "lines": [round(float(v), 4) for v in points[edges].ravel()],
                "all": count == len(own.triangles),
            }
        )
        left -= count
    return made


@bp.get("/shots/<int:shot_id>/frames/<int:number>/points")
def points(shot_id: int, number: int) -> Response:
    """Give the picture's points: their count, its places (float32 x y z) and colours as seen (bytes r g b).

    Made here from depth or positions and the camera that counts; the browser only draws them.
    """
    most = min(max(request.args.get("most", USUAL_POINTS, type=int), FEWEST_POINTS), MOST_POINTS)
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        at = frame_here(session, shot_id, number)
        recipe = recipes.current(session, shot)
    chain = Chains(at.passes, recipe).own_chains()[0]
    pixels = at.window.width * at.window.height
    level = 0
    while level < 4 and pixels >> (2 * (level + 1)) >= most:
        level += 1
    # The colours are those that came: a card is no part of what lies behind it.
    view, picture = sight(chain), chain.after(Stage.DOUBLED, PICTURE)
    frame = Work(at.planes(channels_of([view, picture]), level), at.moment(level))
    seen: Sight = frame.of(view)
    light = frame.of(picture)
    there = ~seen.here.nothing & np.isfinite(seen.here.z)
    rows, cols = np.nonzero(there)
    if len(rows) > most:
        # Evenly over the picture, by a step that does not fall in with its rows.
        chosen = np.linspace(0, len(rows) - 1, most).astype(np.int64)
        rows, cols = rows[chosen], cols[chosen]
    places = seen.rays.eye + seen.rays.ways[rows, cols] * seen.here.z[rows, cols][:, None]
    shown = look(Role.BEAUTY, list(np.moveaxis(light[..., :3], -1, 0)))[rows, cols]
    content = (
        np.uint32(len(rows)).tobytes()
        + places.astype("<f4").tobytes()
        + np.ascontiguousarray(shown, np.uint8).tobytes()
    )
    return Response(content, mimetype="application/octet-stream", headers={"Cache-Control": "no-store"})


@bp.get("/shots/<int:shot_id>/frames/<int:number>/behind.png")
def behind(shot_id: int, number: int) -> Response:
    """Give the picture as it stands in the scene, to be looked at behind its points. PNG."""
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        at = frame_here(session, shot_id, number)
        recipe = recipes.current(session, shot)
    chain = Chains(at.passes, recipe).own_chains()[0]
    level = at.level_within(BEHIND_PX)
    described = chain.after(Stage.VEILED, PICTURE)
    frame = Work(at.planes(channels_of([described]), level), at.moment(level))
    shown = look(Role.BEAUTY, list(np.moveaxis(frame.of(described)[..., :3], -1, 0)))
    _, data = cv2.imencode(".png", np.ascontiguousarray(shown[..., ::-1]))
    return Response(data.tobytes(), mimetype="image/png", headers={"Cache-Control": "no-store"})
