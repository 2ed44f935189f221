"""Whether the camera that counts is the picture's own: counted on frames by where points are seen again.

A point that a pixel shows, seen through the right camera, lies in that pixel. Where it does not, other
readings of the file are tried (its unit, its axes, a frame sooner or later), and the one that fits is told.
"""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import product
from typing import Any

import numpy as np
from numpy.typing import NDArray

from drawstring.core.camera import Camera, Moment, Place
from drawstring.core.chain import Chain, Stage, Work
from drawstring.core.depth.settings import Along
from drawstring.core.errors import DrawstringError
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import Role
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.counting import Counting
from drawstring.core.recipe.pulls import distances, planes, subject_of
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

FEWEST = 8
"""Points below which nothing is said."""


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


@dataclass(frozen=True)
class Held:
    """Some pixels of a frame with the points that they show, to be held against a camera.

    Attributes
    ----------
    settings : SceneSettings
    told : Camera
        The headers' own.
    place : Place
    shape : tuple of int
        Of the planes.
    shown : (N, 3) float64
        The points, in the scene's axes.
    spots : (N, 2) int64
        The pixels that show them, column and row.
    at : Moment
    is_ray : bool
        Whether depth is measured along the ray.
    """

    settings: SceneSettings
    told: Camera
    place: Place
    shape: tuple[int, ...]
    shown: NDArray[np.float64]
    spots: NDArray[np.int64]
    at: Moment
    is_ray: bool

    def camera(self, settings: SceneSettings) -> Camera | None:
        """Give the camera that counts under these settings; None where there is none."""
        if not settings.camera:
            return self.told if self.told.has_lens and self.told.world_to_camera is not None else None
        world = world_of(settings, self.at.scene_unit_m)
        aspect = self.place.display.width * self.place.pixel_aspect / self.place.display.height
        own = world.camera(settings.camera, self.at.frame, aspect=aspect) if world is not None else None
        return replace(own, is_latlong=self.told.is_latlong) if own is not None else None

    def seen(self, settings: SceneSettings) -> NDArray[np.float64] | None:
        """Say where these settings see the points: column, row, distance (N, 3); None without camera."""
        camera = self.camera(settings)
        eye = seeing(camera, self.place, self.shape, is_ray=self.is_ray) if camera is not None else None
        return seen_points(eye, self.shown) if eye is not None else None

    def off(self, settings: SceneSettings) -> float:
        """Say how far points are seen from their pixels: median, in pixels; inf without a camera."""
        places = self.seen(settings)
        if places is None:
            return float("inf")
        gaps = np.hypot(*(places[:, :2] - self.spots).T) * self.place.step
        return float(np.median(np.where(places[:, 2] > 0, gaps, 1e9)))

    def better(self) -> tuple[float, SceneSettings] | None:
        """Give the reading of the file that fits better than what is settled, with how far it is off."""
        if not self.settings.camera:
            return None
        best, how = self.off(self.settings), None
        if best < NEAR_PX:
            return None
        for turn, scale, late in product(Turn, SCALES, (0.0, 1.0, -1.0)):
            tried = self.settings.model_copy(
                update={"turn": turn, "scale": self.settings.scale * scale, "late": self.settings.late + late}
            )
            gap = self.off(tried)
            # A plainer reading is to be preferred: another one has to be much better.
            if gap < 0.5 * best - 0.05:
                best, how = gap, tried
        return (best, how) if how is not None else None


@dataclass(frozen=True)
class _Sampled:
    """What a frame shows at some pixels: distances, points, and which of the pixels show anything."""

    here: Distances | None
    points: NDArray[np.float64] | None
    rows: NDArray[Any]
    cols: NDArray[Any]
    there: NDArray[np.bool_]


def held_against_points(
    passes: Sequence[Pass], recipe: Recipe, pixels: Pixels, at: Moment, across: int = ACROSS
) -> Held | None:
    """Give pixels of a frame with the points that they show; None where nothing tells them."""
    chain = Chains(passes, recipe).own_chains()[0]
    return _held(chain, Work(pixels, at), recipe, at, across)[0]


def _held(
    chain: Chain, work: Work, recipe: Recipe, at: Moment, across: int
) -> tuple[Held | None, _Sampled | None]:
    subject = subject_of(chain)
    mine, settings = subject.passes, recipe.scene
    here: Distances | None = work.of(distances(chain, Stage.DOUBLED)) if depth_pass(mine) else None
    position = pass_of(Role.POSITION, mine)
    points = None
    if position is not None and len(position.channels) >= 3:
        came = work.of(planes(chain, Stage.DOUBLED, position, 3))
        points = np.stack([np.asarray(each, np.float64) for each in came], axis=-1)
    if points is None and here is None:
        return None, None
    shape = points.shape[:2] if points is not None else here.z.shape  # type: ignore[union-attr]
    place = subject.here(at, Stage.DOUBLED).placed(shape)
    told = here.camera if here is not None else at.camera(*_first(position))
    step = max(1, max(shape) // across)
    rows, cols = np.mgrid[step // 2 : shape[0] : step, step // 2 : shape[1] : step].reshape(2, -1)
    is_ray = recipe.depth.along is Along.RAY
    there = np.ones(len(rows), bool)
    if here is not None:
        there = ~here.nothing[rows, cols] & np.isfinite(here.z[rows, cols])
    distance = np.empty(0) if here is None else here.z[rows, cols][there]
    if points is not None:
        all_shown = points[rows, cols]
        there &= np.isfinite(all_shown).all(-1) & all_shown.any(-1)
        shown = all_shown[there]
    else:
        rays = rays_of(told, place, shape, is_ray=is_ray)
        if rays is None or not settings.camera:
            return None, _Sampled(here, points, rows, cols, there)
        shown = rays.eye + rays.ways[rows, cols][there] * distance[:, None]
    sampled = _Sampled(here, points, rows, cols, there)
    spots = np.stack([cols, rows], axis=1)[there]
    if len(spots) < FEWEST:
        return None, sampled
    return Held(settings, told, place, shape, shown, spots, at, is_ray), sampled


def _counted(passes: Sequence[Pass], recipe: Recipe, pixels: Pixels, at: Moment) -> dict[str, Any]:
    chain = Chains(passes, recipe).own_chains()[0]
    work = Work(pixels, at)
    held, sampled = _held(chain, work, recipe, at, ACROSS)
    counted: dict[str, Any] = {}
    if sampled is None:
        return counted
    here, rows, cols = sampled.here, sampled.rows, sampled.cols
    if here is not None:
        reaching = ~here.nothing[rows, cols] & np.isfinite(here.z[rows, cols])
        known = here.z[rows, cols][reaching]
        if len(known):
            counted |= {"nearest": float(known.min()), "furthest": float(known.max())}
    if held is None:
        return counted
    counted |= _fits(held)
    used = held.camera(held.settings)
    eye = seeing(used, held.place, held.shape, is_ray=held.is_ray) if used is not None else None
    if eye is not None and sampled.points is not None and here is not None:
        far = seen_points(eye, held.shown)[:, 2]
        z = here.z[rows, cols][sampled.there]
        with np.errstate(divide="ignore", invalid="ignore"):
            ratio = far / z
        counted["apart"] = float(np.nanmedian(ratio))
    normals = pass_of(Role.NORMAL, chain.subject.passes)
    if normals is not None and len(normals.channels) >= 3 and used is not None:
        came = work.of(planes(chain, Stage.DOUBLED, normals, 3))
        counted |= _normals(came, used, held, sampled)
    return counted


def _first(one: Pass | None) -> tuple[int, int]:
    return (one.channels[0].source, one.channels[0].part) if one is not None else (0, 0)


def _fits(held: Held) -> dict[str, Any]:
    """Say how far points are seen from their pixels, and which reading of the file fits better."""
    now = held.off(held.settings)
    if not np.isfinite(now):
        return {}
    counted: dict[str, Any] = {"off": min(now, 1e9)}
    better = held.better()
    if better is not None:
        best, how = better
        counted["better"] = {"off": best, "turn": how.turn.value, "scale": how.scale, "late": how.late}
    return counted


def _normals(came: Sequence[Any], camera: Camera, held: Held, sampled: _Sampled) -> dict[str, Any]:
    """Say how well each reading of the normals fits the points, and how many of them are of length 1."""
    here, points, is_ray = sampled.here, sampled.points, held.is_ray
    rows, cols, there, shape = sampled.rows, sampled.cols, sampled.there, held.shape
    rays = rays_of(camera, held.place, shape, is_ray=is_ray)
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
