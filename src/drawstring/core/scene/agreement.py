"""Whether the camera that counts is the picture's own: counted on frames by where points are seen again.

A point that a pixel shows, seen through the right camera, lies in that pixel. Where it does not, other
readings of the file are tried (its unit, its axes, a frame sooner or later), and the one that fits is told.
"""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import replace
from itertools import product
from typing import Any

import numpy as np
from numpy.typing import NDArray

from drawstring.core.camera import Camera, Moment, Place
from drawstring.core.chain import Stage, Work
from drawstring.core.depth.settings import Along
from drawstring.core.errors import DrawstringError
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import Role
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.counting import Counting
from drawstring.core.recipe.pulls import distances, planes
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.sources import Distances, Pixels, depth_pass, of_view, pass_of
from drawstring.core.scene.rays import normals_from, rays_of, seeing, seen_points
from drawstring.core.scene.settings import Normals, SceneSettings, Turn
from drawstring.core.scene.sight import has_points, world_normals
from drawstring.core.scene.world import world_of

ACROSS = 40
"""Points looked at along the longer side."""

SCALES = (1.0, 0.01, 100.0, 0.1, 10.0, 0.001, 1000.0, 0.0254, 39.3701, 0.3048, 3.28084)
"""Slips of the unit: metres, centimetres, millimetres, inches, feet for each other."""

NEAR_PX = 0.75
"""Below it nothing is amiss: a renderer's sample lies anywhere in its pixel."""

Told = tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]


def counting(passes: Sequence[Pass], recipe: Recipe) -> Counting | None:
    """Say what has to be counted; None where nothing tells where points lie."""
    settings, mine = recipe.scene, of_view(passes, "")
    if not settings.needed or not has_points(mine, recipe):
        return None
    how = settings.model_dump_json(
        include={"file", "camera", "scale", "turn", "starts", "rate", "late", "normals", "flips"}
    )
    depth = recipe.depth.model_dump_json(include={"arrived", "along"})
    key = hashlib.blake2b(f"{how}{depth}".encode(), digest_size=8).hexdigest()
    refs = [
        ref for one in mine if one.role in (Role.DEPTH, Role.POSITION, Role.NORMAL, Role.BEAUTY, Role.ALPHA)
        for ref in one.channels
    ]  # fmt: skip
    return Counting(key, tuple(dict.fromkeys(refs)), "holding the camera against the points", is_sampled=True)


def count(
    passes: Sequence[Pass], recipe: Recipe, pixels: Pixels, at: Moment, *, is_looked_at: bool
) -> dict[str, Any]:
    """Count one frame.

    Returns
    -------
    dict
        `off`: how far points are seen from their pixels, middle value in pixels; `better`: the reading of the
        file that fits, with how far; `apart`: positions' distance by depth's; `normals`: how well each
        reading of them fits the points, and which share is of length 1; `nearest`, `furthest`; `why`: why
        nothing was counted.
    """
    try:
        return _counted(passes, recipe, pixels, at)
    except DrawstringError as error:
        return {"why": error.what}


def _counted(passes: Sequence[Pass], recipe: Recipe, pixels: Pixels, at: Moment) -> dict[str, Any]:
    chain = Chains(passes, recipe).own_chains()[0]
    subject, work = chain.subject, Work(pixels, at)
    mine, settings = subject.passes, recipe.scene
    here: Distances | None = work.of(distances(chain, Stage.DOUBLED)) if depth_pass(mine) else None
    position = pass_of(Role.POSITION, mine)
    points = None
    if position is not None and len(position.channels) >= 3:
        came = work.of(planes(chain, Stage.DOUBLED, position, 3))
        points = np.stack([np.asarray(each, np.float64) for each in came], axis=-1)
    if points is None and here is None:
        return {}
    shape = points.shape[:2] if points is not None else here.z.shape  # type: ignore[union-attr]
    place = subject.here(at, Stage.DOUBLED).placed(shape)
    told = here.camera if here is not None else at.camera(*_first(position))
    step = max(1, max(shape) // ACROSS)
    rows, cols = np.mgrid[step // 2 : shape[0] : step, step // 2 : shape[1] : step].reshape(2, -1)
    counted: dict[str, Any] = {}
    is_ray = recipe.depth.along is Along.RAY
    seen_there = np.ones(len(rows), bool)
    if here is not None:
        seen_there = ~here.nothing[rows, cols] & np.isfinite(here.z[rows, cols])
        known = here.z[rows, cols][seen_there]
        if len(known):
            counted |= {"nearest": float(known.min()), "furthest": float(known.max())}
    if points is not None:
        shown = points[rows, cols]
        seen_there &= np.isfinite(shown).all(-1) & shown.any(-1)
        shown = shown[seen_there]
    else:
        rays = rays_of(told, place, shape, is_ray=is_ray)
        if rays is None or not settings.camera or here is None:
            return counted
        shown = rays.eye + rays.ways[rows, cols][seen_there] * here.z[rows, cols][seen_there][:, None]
    spots = np.stack([cols, rows], axis=1)[seen_there]
    if len(spots) < 8:
        return counted
    counted |= _fits(settings, told, place, shape, shown, spots, at, is_ray=is_ray)
    used = _camera(settings, told, at, place)
    eye = seeing(used, place, shape, is_ray=is_ray) if used is not None else None
    if eye is not None and points is not None and here is not None:
        far = seen_points(eye, shown)[:, 2]
        z = here.z[rows, cols][seen_there]
        with np.errstate(divide="ignore", invalid="ignore"):
            ratio = far / z
        counted["apart"] = float(np.nanmedian(ratio))
    normals = pass_of(Role.NORMAL, mine)
    if normals is not None and len(normals.channels) >= 3 and used is not None:
        came = work.of(planes(chain, Stage.DOUBLED, normals, 3))
        counted |= _normals(came, used, place, shape, here, points, rows, cols, seen_there, is_ray=is_ray)
    return counted


def _first(one: Pass | None) -> tuple[int, int]:
    return (one.channels[0].source, one.channels[0].part) if one is not None else (0, 0)


def _camera(settings: SceneSettings, told: Camera, at: Moment, place: Place) -> Camera | None:
    if not settings.camera:
        return told if told.has_lens and told.world_to_camera is not None else None
    world = world_of(settings, at.scene_unit_m)
    aspect = place.display.width * place.pixel_aspect / place.display.height
    own = world.camera(settings.camera, at.frame, aspect=aspect) if world is not None else None
    return replace(own, is_latlong=told.is_latlong) if own is not None else None


def _fits(
    settings: SceneSettings, told: Camera, place: Place, shape: tuple[int, ...], shown: NDArray[np.float64],
    spots: NDArray[np.int64], at: Moment, *, is_ray: bool,
) -> dict[str, Any]:  # fmt: skip
    """Say how far points are seen from their pixels, and which reading of the file fits better."""

    def off(how: SceneSettings) -> float:
        camera = _camera(how, told, at, place)
        eye = seeing(camera, place, shape, is_ray=is_ray) if camera is not None else None
        if eye is None:
            return float("inf")
        found = seen_points(eye, shown)
        gaps = np.hypot(*(found[:, :2] - spots).T) * place.step
        return float(np.median(np.where(found[:, 2] > 0, gaps, 1e9)))

    now = off(settings)
    if not np.isfinite(now):
        return {}
    counted: dict[str, Any] = {"off": min(now, 1e9)}
    if not settings.camera or now < NEAR_PX:
        return counted
    best, how = now, None
    for turn, scale, late in product(Turn, SCALES, (0.0, 1.0, -1.0)):
        tried = settings.model_copy(
            update={"turn": turn, "scale": settings.scale * scale, "late": settings.late + late}
        )
        gap = off(tried)
        # A plainer reading is to be preferred: another one has to be much better.
        if gap < 0.5 * best - 0.05:
            best, how = gap, tried
    if how is not None:
        counted["better"] = {
            "off": best, "turn": how.turn.value, "scale": how.scale, "late": how.late,
        }  # fmt: skip
    return counted


def _normals(
    came: Sequence[Any], camera: Camera, place: Place, shape: tuple[int, ...], here: Distances | None,
    points: NDArray[np.float64] | None, rows: NDArray[Any], cols: NDArray[Any], there: NDArray[np.bool_],
    *, is_ray: bool,
) -> dict[str, Any]:  # fmt: skip
    """Say how well each reading of the normals fits the points, and how many of them are of length 1."""
    rays = rays_of(camera, place, shape, is_ray=is_ray)
    if rays is None:
        return {}
    if here is not None:
        z, nothing = here.z, here.nothing
    else:
        assert points is not None
        away = np.nan_to_num(points - rays.eye)
        z = (np.linalg.norm(away, axis=-1) if is_ray else away @ rays.axes[2]).astype(np.float32)
        nothing = ~(z > 0)
    faces = np.zeros((*shape, 3), np.float32)
    normals_from(rays.ways, np.where(nothing, np.float32(0), z), nothing, faces, 0, shape[0])
    mine = faces[rows, cols][there]
    length = np.linalg.norm(
        np.stack([np.asarray(each, np.float64)[rows, cols][there] for each in came], axis=-1), axis=-1
    )
    known = (np.linalg.norm(mine, axis=-1) > 0.5) & np.isfinite(length) & (length > 1e-3)
    if known.sum() < 8:
        return {}
    fits = {}
    for kind, flips in product((Normals.WORLD, Normals.CAMERA), (False, True)):
        read = world_normals(came, rays, SceneSettings(normals=kind, flips=flips))[rows, cols][there]
        size = np.maximum(np.linalg.norm(read, axis=-1), 1e-9)
        fits[f"{kind.value}{' flipped' if flips else ''}"] = float(
            np.median((read * mine).sum(-1)[known] / size[known])
        )
    return {"normals": fits, "unit": float((np.abs(length[known] - 1) < 0.02).mean())}
