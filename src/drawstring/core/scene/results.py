"""What Scene makes beside the picture: its light, its cards and its beams, each as a layer of its own."""

from __future__ import annotations

from collections.abc import Sequence

from drawstring.core.chain import Chain, Stage, Value
from drawstring.core.passes.recognition import Pass
from drawstring.core.recipe.pulls import apart
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.result import RGB, RGBA, Result
from drawstring.core.scene.settings import SceneSettings
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


RESULTS = (
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
