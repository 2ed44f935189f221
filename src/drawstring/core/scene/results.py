"""What Scene makes beside the picture: its light, cards and beams as layers, and what a mesh of it tells."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from drawstring.core.alpha.matte_settings import MatteFrom, MatteSettings
from drawstring.core.arrays import Plane
from drawstring.core.camera import Moment
from drawstring.core.chain import Chain, Stage, Value, value
from drawstring.core.passes.recognition import Pass
from drawstring.core.recipe.homes import ToldMatte
from drawstring.core.recipe.pulls import apart
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.result import RGB, RGBA, Result
from drawstring.core.scene.rays import Points, points_at
from drawstring.core.scene.settings import SceneSettings
from drawstring.core.scene.sight import Sight, mesh_seen, sight
from drawstring.core.scene.steps import (
    beam_layer,
    beams_on,
    card_layer,
    cards_on,
    is_ready,
    light_layer,
    lights_on,
)


def _has_lights(passes: Sequence[Pass], recipe: Recipe) -> bool:
    return bool(lights_on(recipe)) and is_ready(passes, recipe)


def _has_cards(passes: Sequence[Pass], recipe: Recipe) -> bool:
    return bool(cards_on(recipe, passes)) and is_ready(passes, recipe)


def _has_beams(passes: Sequence[Pass], recipe: Recipe) -> bool:
    return bool(beams_on(recipe)) and is_ready(passes, recipe)


def _light(chain: Chain) -> Value:
    return apart(light_layer(chain))


def _cards(chain: Chain) -> Value:
    return apart(card_layer(chain))


def _beams(chain: Chain) -> Value:
    return apart(beam_layer(chain))


def _has_mesh(passes: Sequence[Pass], recipe: Recipe) -> bool:
    return bool(recipe.scene.mesh) and is_ready(passes, recipe)


def _mesh(part: str) -> Callable[[Chain], Value]:
    def tap(chain: Chain) -> Value:
        view = sight(chain)

        def make(at: Moment, seen: Sight, mesh: tuple[Plane, Points]) -> list[Plane]:
            far, faces = mesh
            there = np.isfinite(far)
            if part == "matte":
                return [there.astype(np.float32)]
            if part == "normal":
                return [np.ascontiguousarray(faces[..., i]) for i in range(3)]
            points = points_at(seen.rays, np.where(there, far, np.float32(0)))
            return [np.where(there, points[..., i], np.float32(0)) for i in range(3)]

        return value(f"mesh {part}", make, view, mesh_seen(chain, view))

    return tap


def _is_mesh_known(matte: MatteSettings, passes: Sequence[Pass], recipe: Recipe) -> bool:
    return bool(matte.of or recipe.scene.mesh) and is_ready(passes, recipe)


def _mesh_share(chain: Chain, matte: MatteSettings) -> Value:
    """Describe where a mesh is seen in the picture that came: 1 there, else 0."""
    seen = mesh_seen(chain, sight(chain, Stage.PARTED), matte.of)
    return value("mesh share", lambda at, mesh: np.isfinite(mesh[0]).astype(np.float32), seen)


MATTES = (ToldMatte(MatteFrom.MESH, _is_mesh_known, _mesh_share),)

RESULTS = (
    # Where no pass tells them, a mesh of the scene does.
    Result(
        "mesh_normal", SceneSettings.knot, ("X", "Y", "Z"), Stage.DOUBLED, _has_mesh, _mesh("normal"),
        is_signed=True, is_pointwise=False, is_extra=True,
    ),
    Result(
        "mesh_position", SceneSettings.knot, ("X", "Y", "Z"), Stage.DOUBLED, _has_mesh, _mesh("position"),
        is_signed=True, is_pointwise=False, is_extra=True,
    ),
    Result(
        "mesh_matte", SceneSettings.knot, ("A",), Stage.DOUBLED, _has_mesh, _mesh("matte"), is_mixed=True,
        is_pointwise=False, is_extra=True,
    ),
    Result(
        "scene_light", SceneSettings.knot, RGB, Stage.SET, _has_lights, _light, is_light=True,
        is_pointwise=False, is_extra=True,
    ),
    Result(
        "scene_cards", SceneSettings.knot, RGBA, Stage.SET, _has_cards, _cards, is_light=True,
        is_pointwise=False, is_extra=True,
    ),
    Result(
        "scene_beams", SceneSettings.knot, RGB, Stage.VEILED, _has_beams, _beams, is_light=True,
        is_pointwise=False, is_extra=True,
    ),
)  # fmt: skip
