"""What the Depth knot makes: normalised depth, mist over the picture, focus.

A result is pulled by name; only the channels it asks for are read.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from drawstring.core.arrays import Plane
from drawstring.core.camera import Moment
from drawstring.core.depth.axis import converted
from drawstring.core.depth.edges import edge_map
from drawstring.core.depth.focus import focused
from drawstring.core.depth.lens import Blur, blur_radius, lens_for
from drawstring.core.depth.mist import Scene, over
from drawstring.core.depth.mist_settings import MistFrom, MistLayer, UpAxis
from drawstring.core.depth.normalise import normalise
from drawstring.core.depth.reading import can_be_read, is_as_it_came
from drawstring.core.depth.settings import Along
from drawstring.core.io.facts import ChannelRef
from drawstring.core.passes.hashed import coverage_of
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import Role
from drawstring.core.recipe.alpha_results import planes_of
from drawstring.core.recipe.mattes import is_matte_ready, matte_inputs, matte_of
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.result import RGBA, Result
from drawstring.core.recipe.sources import (
    Distances,
    Pixels,
    depth_inputs,
    depth_pass,
    pass_of,
    picture_of,
    read_distances,
)


def _depth_inputs(passes: Sequence[Pass], recipe: Recipe) -> list[ChannelRef]:
    return depth_inputs(passes)


def _normalised_ready(passes: Sequence[Pass], recipe: Recipe) -> bool:
    settings = recipe.depth
    return _depth_ready(passes, recipe) and settings.near is not None and settings.far is not None


def _normalised(pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment) -> list[Plane]:
    here = read_distances(pixels, passes, recipe.depth, at)
    return [normalise(here.z, recipe.depth, nothing=here.nothing)]


def _depth_ready(passes: Sequence[Pass], recipe: Recipe) -> bool:
    return recipe.depth.needed and depth_pass(passes) is not None and can_be_read(recipe.depth)


def _read_otherwise(passes: Sequence[Pass], recipe: Recipe) -> bool:
    return _depth_ready(passes, recipe) and not is_as_it_came(recipe.depth)


def _distance(pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment) -> list[Plane]:
    here = read_distances(pixels, passes, recipe.depth, at)
    return [np.where(here.nothing, np.float32(np.inf), here.z)]


def _edges(pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment) -> list[Plane]:
    here = read_distances(pixels, passes, recipe.depth, at, repair=False)
    return [np.asarray(edge_map(here.z, here.nothing, here.alpha).kind * 0.5, np.float32)]


def _layers(recipe: Recipe) -> list[MistLayer]:
    return [layer for layer in recipe.depth.mist if layer.on]


def _mist_ready(passes: Sequence[Pass], recipe: Recipe) -> bool:
    if not _depth_ready(passes, recipe) or pass_of(Role.BEAUTY, passes) is None:
        return False
    from_pass = any(layer.source is MistFrom.PASS for layer in _layers(recipe))
    return bool(_layers(recipe)) and (not from_pass or pass_of(Role.MIST, passes) is not None)


def _picture_inputs(passes: Sequence[Pass]) -> list[ChannelRef]:
    beauty = pass_of(Role.BEAUTY, passes)
    return [*depth_inputs(passes), *(beauty.channels[:4] if beauty else ())]


def _mist_inputs(passes: Sequence[Pass], recipe: Recipe) -> list[ChannelRef]:
    refs, layers = _picture_inputs(passes), _layers(recipe)
    wanted = {
        Role.POSITION: any(layer.base is not None for layer in layers),
        Role.MIST: any(layer.source is MistFrom.PASS for layer in layers),
        Role.OBJECT_MATTE: any(layer.clear_names for layer in layers),
    }
    for role, is_wanted in wanted.items():
        one = pass_of(role, passes)
        if is_wanted and one is not None:
            refs += one.channels
    for layer in layers:
        if layer.clear_matte and is_matte_ready(layer.clear_matte, passes, recipe):
            refs += matte_inputs(layer.clear_matte, passes, recipe)
    return list(dict.fromkeys(refs))


def mist_scene(
    pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment, here: Distances, frame_alpha: Plane
) -> Scene:
    """Gather what mists are computed from."""
    position, given, objects = (
        pass_of(role, passes) for role in (Role.POSITION, Role.MIST, Role.OBJECT_MATTE)
    )
    heights = {}
    if position is not None and len(position.channels) >= 3:
        for axis, ref in zip((UpAxis.Y, UpAxis.Z), position.channels[1:3], strict=True):
            if ref in pixels:
                heights[axis] = np.asarray(pixels[ref], np.float32)
    mattes = {}
    if objects is not None and all(ref in pixels for ref in objects.channels):
        ranks = [pixels[ref] for ref in objects.channels]
        mattes = {name: coverage_of(name, ranks) for layer in _layers(recipe) for name in layer.clear_names}
    for layer in _layers(recipe):
        if layer.clear_matte and is_matte_ready(layer.clear_matte, passes, recipe):
            mattes[f"matte {layer.clear_matte}"] = matte_of(layer.clear_matte, pixels, passes, recipe, at)
    mist = (
        np.asarray(pixels[given.channels[0]], np.float32) if given and given.channels[0] in pixels else None
    )
    place = at.placed(here.z.shape)
    return Scene(
        here.z, here.nothing, here.camera, place, heights, mist, frame_alpha, mattes, recipe.depth.along
    )


def _veiled(pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment) -> tuple[np.ndarray, Plane]:
    # Picture, amount and focus of a frame share it; which view's it is, its depth channel tells.
    key = "veiled", depth_inputs(passes)[0]
    if key not in at.kept:
        here = read_distances(pixels, passes, recipe.depth, at)
        picture = picture_of(pixels, passes)
        scene = mist_scene(pixels, passes, recipe, at, here, picture[..., 3])
        layers = tuple(layer.at(at.frame) for layer in _layers(recipe))
        at.kept[key] = over(picture, scene, layers, threads=at.threads)
    veiled, amount = at.kept[key]
    return veiled, amount


def _beauty_mist(pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment) -> list[Plane]:
    veiled, _ = _veiled(pixels, passes, recipe, at)
    return planes_of(veiled)


def _mist_amount(pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment) -> list[Plane]:
    return [_veiled(pixels, passes, recipe, at)[1]]


def _focus_ready(passes: Sequence[Pass], recipe: Recipe) -> bool:
    return recipe.depth.focus.on and _depth_ready(passes, recipe) and pass_of(Role.BEAUTY, passes) is not None


def _focus_inputs(passes: Sequence[Pass], recipe: Recipe) -> list[ChannelRef]:
    return _mist_inputs(passes, recipe) if _mist_ready(passes, recipe) else _picture_inputs(passes)


def lens_at(recipe: Recipe, here: Distances, at: Moment, shape: tuple[int, ...]) -> Blur:
    """Make the lens of a frame as settled."""
    place = at.placed(shape)
    settings = recipe.depth.focus.at(at.frame)
    return lens_for(settings, here.camera, width_px=place.display.width, unit_m=at.scene_unit_m)


def _radii(recipe: Recipe, here: Distances, at: Moment) -> tuple[Plane, Plane]:
    """Give every pixel's blur radius in pixels of the full picture, and the order from near to far."""
    lens = lens_at(recipe, here, at, here.z.shape)
    place = at.placed(here.z.shape)
    z = np.where(here.nothing, np.float32(np.inf), here.z)
    if recipe.depth.along is Along.RAY and here.camera.has_lens:
        # The lens formula speaks of distances along the axis, whichever are settled for the range.
        z = converted(z, here.camera, place, held=Along.RAY, wanted=Along.AXIS)
    return blur_radius(z, lens, here.camera, place), lens.radius(z)


def _blur_radius(pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment) -> list[Plane]:
    return [_radii(recipe, read_distances(pixels, passes, recipe.depth, at), at)[0]]


def _beauty_focus(pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment) -> list[Plane]:
    here = read_distances(pixels, passes, recipe.depth, at)
    if _mist_ready(passes, recipe):
        picture, _ = _veiled(pixels, passes, recipe, at)
    else:
        picture = picture_of(pixels, passes)
    radius, order = _radii(recipe, here, at)
    step, settings = at.placed(radius.shape).step, recipe.depth.focus
    sharp = focused(
        picture, radius / np.float32(step), order / np.float32(step),
        blades=settings.blades, turn=settings.turn, threads=at.threads,
    )  # fmt: skip
    return planes_of(sharp)


DEPTH_RESULTS = (
    Result(
        "beauty_focus",
        "depth",
        RGBA,
        _focus_ready,
        _focus_inputs,
        _beauty_focus,
        is_light=True,
        is_extra=True,
    ),
    Result(
        "beauty_mist",
        "depth",
        RGBA,
        _mist_ready,
        _mist_inputs,
        _beauty_mist,
        is_light=True,
        is_extra=True,
    ),
    Result("depth_normalised", "depth", ("V",), _normalised_ready, _depth_inputs, _normalised),
    Result("mist_amount", "depth", ("V",), _mist_ready, _mist_inputs, _mist_amount, is_extra=True),
    Result(
        "blur_radius",
        "depth",
        ("V",),
        _focus_ready,
        _depth_inputs,
        _blur_radius,
        is_signed=True,
        is_extra=True,
    ),
    # As a pass of its own only where it is not just what arrived; scripts look at it in any case.
    Result("distance", "depth", ("Z",), _read_otherwise, _depth_inputs, _distance, is_extra=True),
    Result("depth_edges", "depth", ("V",), _depth_ready, _depth_inputs, _edges, is_packed=False),
)
