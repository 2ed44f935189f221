"""What the Alpha knot makes: element, fringes, mattes, shadow, stack."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from drawstring.core.alpha.conversion import cut_out, straight
from drawstring.core.alpha.fringe import fringes, over_ground
from drawstring.core.alpha.settings import CutBy
from drawstring.core.alpha.shadow import black_layer, recomposed
from drawstring.core.alpha.stack_settings import Sends, StackLayer
from drawstring.core.arrays import Picture, Plane
from drawstring.core.camera import Moment
from drawstring.core.io.facts import ChannelRef
from drawstring.core.passes.hashed import ranked_channels
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import Role
from drawstring.core.recipe import layers as laying
from drawstring.core.recipe.mattes import is_matte_ready, matte_inputs, matte_of
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.result import RGB, RGBA, Result
from drawstring.core.recipe.shadows import has_ground, is_shadow_ready, shadow_inputs, shadow_of
from drawstring.core.recipe.sources import (
    Pixels,
    alpha_channel,
    depth_inputs,
    depth_pass,
    pass_of,
    picture_of,
    read_distances,
)

MATTE, LAYER = "matte_", "layer_"
"""What names of mattes and of layers that go out begin with."""


NAMES, NAME_LAYERS = "CryptoNamed", 3
"""What the mattes' own set of hashed names is called, and how many layers of two ranks it has at most."""


def planes_of(picture: Picture) -> list[Plane]:
    """Give a picture's channels one by one."""
    return [np.ascontiguousarray(picture[..., i]) for i in range(picture.shape[-1])]


def _beauty_inputs(passes: Sequence[Pass], recipe: Recipe) -> list[ChannelRef]:
    beauty, alpha = pass_of(Role.BEAUTY, passes), alpha_channel(passes)
    return list(dict.fromkeys([*(beauty.channels[:4] if beauty else ()), *([alpha] if alpha else [])]))


def _has_element(passes: Sequence[Pass], recipe: Recipe) -> bool:
    return (
        recipe.alpha.needed and pass_of(Role.BEAUTY, passes) is not None and alpha_channel(passes) is not None
    )


def _straight(pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment) -> list[Plane]:
    return planes_of(straight(picture_of(pixels, passes)))


def _cut_ready(passes: Sequence[Pass], recipe: Recipe) -> bool:
    if not recipe.alpha.needed or pass_of(Role.BEAUTY, passes) is None:
        return False
    if recipe.alpha.cut is CutBy.DEPTH:
        return depth_pass(passes) is not None
    return recipe.alpha.cut is CutBy.MATTE and is_matte_ready(recipe.alpha.cut_matte, passes, recipe)


def _cut_inputs(passes: Sequence[Pass], recipe: Recipe) -> list[ChannelRef]:
    refs = _beauty_inputs(passes, recipe)
    if recipe.alpha.cut is CutBy.DEPTH:
        refs += depth_inputs(passes)
    elif recipe.alpha.cut is CutBy.MATTE:
        refs += matte_inputs(recipe.alpha.cut_matte, passes, recipe)
    return list(dict.fromkeys(refs))


def _cut(pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment) -> list[Plane]:
    return planes_of(element_of(pixels, passes, recipe, at))


def element_of(pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment) -> Picture:
    """Give the element: the beauty, its environment taken out where that is settled. (H, W, 4) float32."""
    picture = picture_of(pixels, passes)
    if recipe.alpha.cut is CutBy.MATTE and _cut_ready(passes, recipe):
        return cut_out(picture, matte_of(recipe.alpha.cut_matte, pixels, passes, recipe, at))
    if recipe.alpha.cut is CutBy.DEPTH and _cut_ready(passes, recipe):
        here = read_distances(pixels, passes, recipe.depth, at, repair=False)
        # Distances have hard rims, of whatever covers a pixel in the least: pull the rim in by half a pixel.
        return cut_out(picture, _softened_rim(~here.nothing))
    return picture


def _softened_rim(there: np.ndarray) -> Plane:
    import cv2

    solid = there.astype(np.float32)
    mean = cv2.blur(solid, (3, 3), borderType=cv2.BORDER_REPLICATE)
    return np.asarray(np.where(there, np.clip(2 * mean - 1, 0, 1), 0), np.float32)


def _over(pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment) -> list[Plane]:
    element = element_of(pixels, passes, recipe, at)
    step = at.placed(element.shape[:2]).step
    return planes_of(
        over_ground(element, recipe.alpha.over, recipe.alpha.over_colour, square=max(2, 16 // step))
    )


def _fringes(pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment) -> list[Plane]:
    return [fringes(element_of(pixels, passes, recipe, at)).off]


def _look_inputs(passes: Sequence[Pass], recipe: Recipe) -> list[ChannelRef]:
    return _cut_inputs(passes, recipe) if _cut_ready(passes, recipe) else _beauty_inputs(passes, recipe)


def _shadow_layer(pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment) -> list[Plane]:
    made = shadow_of(pixels, passes, recipe, at)
    return planes_of(black_layer(made.s, made.tint))


def _shadow_multiply(pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment) -> list[Plane]:
    return planes_of(shadow_of(pixels, passes, recipe, at).multiply)


def _clean_ground(pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment) -> list[Plane]:
    ground = shadow_of(pixels, passes, recipe, at).ground
    assert ground is not None
    return planes_of(ground)


def _recomposed(pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment) -> list[Plane]:
    made = shadow_of(pixels, passes, recipe, at)
    assert made.ground is not None
    return planes_of(recomposed(made.element, made.multiply, made.ground))


def _residual(pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment) -> list[Plane]:
    made = shadow_of(pixels, passes, recipe, at)
    assert made.ground is not None and made.on_ground is not None
    off = (recomposed(made.element, made.multiply, made.ground) - made.on_ground).mean(axis=-1)
    return [np.asarray(off, np.float32)]


def matte_result(name: str) -> Result:
    """Give the result that is a named matte."""
    bare = name.removeprefix(MATTE)
    return Result(
        name,
        "alpha",
        ("V",),
        lambda passes, recipe: is_matte_ready(bare, passes, recipe),
        lambda passes, recipe: matte_inputs(bare, passes, recipe),
        lambda pixels, passes, recipe, at: [matte_of(bare, pixels, passes, recipe, at)],
        is_pointwise=False,
        is_extra=True,
    )


def stack_result(find: laying.Find) -> Result:
    """Give the finished stack; its layers are found by name."""
    return Result(
        "stack",
        "alpha",
        RGBA,
        lambda passes, recipe: laying.is_stack_ready(passes, recipe, find),
        lambda passes, recipe: laying.stack_inputs(passes, recipe, find),
        lambda pixels, passes, recipe, at: planes_of(laying.stack_of(pixels, passes, recipe, at, find)),
        is_light=True,
        is_extra=True,
    )


def layer_result(name: str, find: laying.Find) -> Result:
    """Give one layer of the stack as it is laid, by itself."""

    def layer_in(recipe: Recipe) -> StackLayer | None:
        return next((one for one in laying.shown_layers(recipe) if laying.layer_name(one) == name), None)

    def is_ready(passes: Sequence[Pass], recipe: Recipe) -> bool:
        layer = layer_in(recipe)
        if layer is None or not recipe.alpha.needed or not passes:
            return False
        return not laying.layer_fault(layer, passes, recipe, find)

    def inputs(passes: Sequence[Pass], recipe: Recipe) -> list[ChannelRef]:
        layer = layer_in(recipe)
        return laying.layer_inputs(layer, passes, recipe, find) if layer else []

    def compute(pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment) -> list[Plane]:
        layer = layer_in(recipe)
        assert layer is not None
        return planes_of(laying.laid_layer(layer, pixels, passes, recipe, at, find).shown())

    return Result(name, "alpha", RGBA, is_ready, inputs, compute, is_light=True, is_extra=True)


def hashed_result(name: str) -> Result:
    """Give one layer of ranked channels that holds the named mattes as hashed names."""
    first = 2 * int(name.removeprefix(NAMES))

    def ready(recipe: Recipe, passes: Sequence[Pass]) -> list[str]:
        return [one.name for one in recipe.alpha.mattes if is_matte_ready(one.name, passes, recipe)]

    def is_ready(passes: Sequence[Pass], recipe: Recipe) -> bool:
        return recipe.alpha.as_names and recipe.alpha.needed and len(ready(recipe, passes)) > first

    def inputs(passes: Sequence[Pass], recipe: Recipe) -> list[ChannelRef]:
        refs = [ref for one in ready(recipe, passes) for ref in matte_inputs(one, passes, recipe)]
        return list(dict.fromkeys(refs))

    def compute(pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment) -> list[Plane]:
        mattes = {one: matte_of(one, pixels, passes, recipe, at) for one in ready(recipe, passes)}
        channels, _ = ranked_channels(NAMES, mattes, ranks=2 * NAME_LAYERS)
        return [channels[f"{name}.{letter}"] for letter in "RGBA"]

    return Result(name, "alpha", RGBA, is_ready, inputs, compute, is_pointwise=False, is_extra=True)


def named_results(recipe: Recipe) -> list[str]:
    """Give the results whose names the recipe makes up: mattes, and layers that go out."""
    alpha = recipe.alpha
    names = [MATTE + one.name for one in alpha.mattes]
    names += [f"{NAMES}{layer:02d}" for layer in range(NAME_LAYERS)] if alpha.as_names else []
    if alpha.sends in (Sends.LAYERS, Sends.BOTH):
        names += [laying.layer_name(layer) for layer in laying.shown_layers(recipe)]
    return list(dict.fromkeys(names))


def is_sent(name: str, recipe: Recipe) -> bool:
    """Whether a result of the stack is to go out as settled; others always are."""
    if name == "stack":
        return recipe.alpha.sends in (Sends.PICTURE, Sends.BOTH)
    return True


ALPHA_RESULTS = (
    Result(
        "element",
        "alpha",
        RGBA,
        _cut_ready,
        _cut_inputs,
        _cut,
        is_light=True,
        is_pointwise=False,
        is_extra=True,
    ),
    Result(
        "beauty_straight",
        "alpha",
        RGBA,
        lambda passes, recipe: _has_element(passes, recipe) and recipe.alpha.straight_too,
        _beauty_inputs,
        _straight,
        is_light=True,
        is_extra=True,
    ),
    Result(
        "shadow_layer",
        "alpha",
        RGBA,
        is_shadow_ready,
        shadow_inputs,
        _shadow_layer,
        is_pointwise=False,
        is_light=True,
        is_extra=True,
    ),
    Result(
        "shadow_multiply",
        "alpha",
        RGB,
        is_shadow_ready,
        shadow_inputs,
        _shadow_multiply,
        is_pointwise=False,
        is_extra=True,
    ),
    Result(
        "shadow_recomposed",
        "alpha",
        RGB,
        has_ground,
        shadow_inputs,
        _recomposed,
        is_pointwise=False,
        is_packed=False,
        is_light=True,
    ),
    Result(
        "shadow_residual",
        "alpha",
        ("V",),
        has_ground,
        shadow_inputs,
        _residual,
        is_pointwise=False,
        is_packed=False,
        is_signed=True,
    ),
    Result(
        "ground_fitted",
        "alpha",
        RGB,
        has_ground,
        shadow_inputs,
        _clean_ground,
        is_pointwise=False,
        is_packed=False,
        is_light=True,
    ),
    Result(
        "over_ground",
        "alpha",
        RGBA,
        _has_element,
        _look_inputs,
        _over,
        is_pointwise=False,
        is_packed=False,
        is_light=True,
    ),
    Result(
        "fringes",
        "alpha",
        ("V",),
        _has_element,
        _look_inputs,
        _fringes,
        is_pointwise=False,
        is_packed=False,
        is_signed=True,
    ),
)
