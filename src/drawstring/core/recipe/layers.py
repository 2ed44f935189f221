"""The stack of a frame: each layer's picture found by name, moved with its group, held out, laid."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from drawstring.core.alpha.stack import Laid, moved, nearer_share, stacked
from drawstring.core.alpha.stack_settings import Behind, StackLayer
from drawstring.core.arrays import Picture, Plane
from drawstring.core.camera import Moment
from drawstring.core.depth.background import nothing_there
from drawstring.core.io.facts import ChannelRef
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import COLOUR_ROLES, Role
from drawstring.core.recipe.mattes import is_matte_ready, matte_inputs, matte_of
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.result import RGBA, Result
from drawstring.core.recipe.sources import (
    Pixels,
    depth_inputs,
    depth_pass,
    pass_named,
    pass_of,
    picture_of,
    read_distances,
)

PLAIN = "colour"
"""A layer's source that is no picture."""

Find = Callable[[str], Result | None]
"""Finds a result by name."""


def shown_layers(recipe: Recipe) -> list[StackLayer]:
    """Give the layers that lie there."""
    return [layer for layer in recipe.alpha.stack if layer.on]


def layer_fault(layer: StackLayer, passes: Sequence[Pass], recipe: Recipe, find: Find) -> str:
    """Say why a layer can't be laid; empty where it can."""
    made, one = find(layer.source), pass_named(layer.source, passes)
    if made is not None and made.name.startswith(("stack", "layer_")):
        return "a layer can't be the stack itself"
    if layer.source != PLAIN and one is None and (made is None or not made.is_ready(passes, recipe)):
        return f"there is no {layer.source.replace('_', ' ')}"
    if one is not None and one.role not in COLOUR_ROLES and len(one.channels) < 3:
        return f"{layer.source.replace('_', ' ')} is no picture"
    for name in (layer.matte, layer.front if layer.behind is Behind.MATTE else ""):
        if name and not is_matte_ready(name, passes, recipe):
            return f"there is no matte {name}"
    if layer.behind is Behind.MATTE and not layer.front:
        return "no matte of what lies in front is chosen"
    if layer.behind in (Behind.DISTANCE, Behind.ITS_DEPTH) and depth_pass(passes) is None:
        return "there is no depth to hold it out by"
    if layer.behind is Behind.ITS_DEPTH and pass_named(layer.depth_of, passes) is None:
        return "its own depth pass is not there"
    return ""


def is_stack_ready(passes: Sequence[Pass], recipe: Recipe, find: Find) -> bool:
    """Whether a stack can be laid: layers are there, and none of them is at fault."""
    layers = shown_layers(recipe)
    return (
        recipe.alpha.needed
        and bool(layers)
        and bool(passes)
        and not any(layer_fault(layer, passes, recipe, find) for layer in layers)
    )


def layer_inputs(layer: StackLayer, passes: Sequence[Pass], recipe: Recipe, find: Find) -> list[ChannelRef]:
    """Give the channels one layer reads."""
    refs: list[ChannelRef] = []
    one, made = pass_named(layer.source, passes), find(layer.source)
    if one is not None:
        refs += one.channels[:4]
    elif made is not None:
        refs += made.inputs(passes, recipe)
    else:
        refs += passes[0].channels[:1]
    for name in (layer.matte, layer.front if layer.behind is Behind.MATTE else ""):
        refs += matte_inputs(name, passes, recipe) if name else ()
    if layer.behind in (Behind.DISTANCE, Behind.ITS_DEPTH):
        beauty = pass_of(Role.BEAUTY, passes)
        refs += [*depth_inputs(passes), *(beauty.channels[:4] if beauty else ())]
        own = pass_named(layer.depth_of, passes) if layer.behind is Behind.ITS_DEPTH else None
        refs += own.channels[:1] if own else ()
    return list(dict.fromkeys(refs))


def stack_inputs(passes: Sequence[Pass], recipe: Recipe, find: Find) -> list[ChannelRef]:
    """Give the channels the whole stack reads."""
    refs = [ref for layer in shown_layers(recipe) for ref in layer_inputs(layer, passes, recipe, find)]
    return list(dict.fromkeys(refs))


def stack_of(pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment, find: Find) -> Picture:
    """Lay the stack: (H, W, 4) float32, premultiplied."""
    layers = [laid_layer(layer, pixels, passes, recipe, at, find) for layer in shown_layers(recipe)]
    shape = layers[0].picture.shape
    return stacked(layers, (shape[0], shape[1]), threads=at.threads)


def laid_layer(
    layer: StackLayer, pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment, find: Find
) -> Laid:
    """Prepare one layer: its picture in its place, what shows of it, what lies before it."""
    now = layer.at(at.frame)
    picture, has_alpha = _picture(now, pixels, passes, recipe, at, find)
    group = recipe.alpha.group(now.group)
    place = at.placed(picture.shape[:2])
    matte = matte_of(now.matte, pixels, passes, recipe, at) if now.matte else None
    if matte is not None and now.source != PLAIN:
        # A key belongs to its picture and moves with it.
        picture, matte, has_alpha = picture * matte[..., None], None, True
    middle = (
        (place.display.x_min + place.display.width / 2 - place.window.x_min) / place.step,
        (place.display.y_min + place.display.height / 2 - place.window.y_min) / place.step,
    )
    for one in (now, group.at(at.frame) if group else None):
        if one is not None and (one.right, one.down, one.scale) != (0, 0, 100):
            picture = moved(
                picture, right=one.right / place.step, down=one.down / place.step,
                scale=one.scale / 100, about=middle,
            )  # fmt: skip
    return Laid(picture, now.mode, now.amount, matte, _held(now, pixels, passes, recipe, at), has_alpha)


def _picture(
    layer: StackLayer, pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment, find: Find
) -> tuple[Picture, bool]:
    one, made = pass_named(layer.source, passes), find(layer.source)
    if one is not None and one.name == Role.BEAUTY:
        return picture_of(pixels, passes), len(one.channels) > 3 or _has_alpha(passes)
    if one is not None:
        planes: list[Plane] = [np.asarray(pixels[ref], np.float32) for ref in one.channels[:4]]
    elif made is not None:
        planes = made.compute(pixels, passes, recipe, at)
    else:
        shape = np.shape(next(iter(pixels.values())))
        planes = [np.full(shape, value, np.float32) for value in layer.colour]
    has_alpha = len(planes) == 4
    if len(planes) == 1:
        planes = planes * 3
    if not has_alpha:
        planes = [*planes[:3], np.ones_like(planes[0])]
    return np.stack(planes, axis=-1), has_alpha


def _has_alpha(passes: Sequence[Pass]) -> bool:
    return any(one.role is Role.ALPHA for one in passes)


def _held(
    layer: StackLayer, pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment
) -> Plane | None:
    if layer.behind is Behind.NOTHING:
        return None
    if layer.behind is Behind.MATTE:
        return matte_of(layer.front, pixels, passes, recipe, at)
    here = read_distances(pixels, passes, recipe.depth, at, repair=False)
    picture = (
        picture_of(pixels, passes)
        if pass_of(Role.BEAUTY, passes)
        else np.ones((*here.z.shape, 4), np.float32)
    )
    limit: Plane | float = layer.distance
    own = pass_named(layer.depth_of, passes) if layer.behind is Behind.ITS_DEPTH else None
    if own is not None:
        z = np.asarray(pixels[own.channels[0]], np.float32)
        limit = np.where(nothing_there(z), np.float32(np.inf), z)
    return nearer_share(here.z, here.nothing, picture, limit)


def layer_name(layer: StackLayer) -> str:
    """Give the name under which a layer goes out by itself."""
    plain = "".join(letter if letter.isalnum() else "_" for letter in layer.name.lower()).strip("_")
    return f"layer_{plain or 'one'}"


__all__ = ["PLAIN", "RGBA", "is_stack_ready", "laid_layer", "layer_fault", "layer_inputs", "layer_name",
           "shown_layers", "stack_inputs", "stack_of"]  # fmt: skip
