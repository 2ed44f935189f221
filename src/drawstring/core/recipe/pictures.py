"""A pass or result as a picture for looking: which channels it takes, and how its values are to be shown.

What is shown are the true values, at full size or as a proxy; nothing is baked in. Hashed names, which mean
nothing as numbers, come as stable colours.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Channels, Plane, Stored, side_by_side
from drawstring.core.camera import Moment
from drawstring.core.chain import PICTURE, Value, Work, channels_of
from drawstring.core.colour.look import id_colours, matte_colours
from drawstring.core.depth.background import nothing_there
from drawstring.core.errors import MissingError
from drawstring.core.halves import block_means, halved, halves_of, singles, stored_as
from drawstring.core.io.facts import ChannelRef
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import COLOUR_ROLES, HASHED_ROLES, Role
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.results import find_result, fixed_results
from drawstring.core.recipe.sources import Pixels, pass_named


@dataclass(frozen=True)
class Shown:
    """A picture for looking.

    Attributes
    ----------
    values : (H, W, C) float16 or float32
        C is 1, 3 or 4.
    kind : str
        "light" goes through the view transform; "values" are shown as they are; "direction" is lifted
        from -1..1; "distance" is spread between `low` and `high`.
    low, high : float
        Ends for "distance".
    """

    values: NDArray[Any]
    kind: str
    low: float = 0.0
    high: float = 1.0


def picture_inputs(name: str, passes: Sequence[Pass], recipe: Recipe) -> list[ChannelRef]:
    """Give the channels that a picture takes.

    Raises
    ------
    MissingError
        There is no pass or result of this name.
    """
    return channels_of([_described(name, passes, recipe)])


def picture(
    name: str, passes: Sequence[Pass], recipe: Recipe, pixels: Pixels, at: Moment, *, is_trial: bool = False
) -> Shown:
    """Make a picture of a pass or result.

    Parameters
    ----------
    name : str
        A pass or result; `beauty@sRGB display` is a pass as it looks when it is read in that colour space.
    passes : sequence of Pass
    recipe : Recipe
    pixels : mapping of ChannelRef to (H, W)
        At least `picture_inputs`.
    at : Moment
    is_trial : bool
        Whether it is shown while a hand moves (see `Chains`).
    """
    planes = Work(pixels, at).of(_described(name, passes, recipe, is_trial=is_trial))
    return shown(name.partition("@")[0], passes, planes)


def _described(name: str, passes: Sequence[Pass], recipe: Recipe, *, is_trial: bool = False) -> Value:
    name, _, reading = name.partition("@")
    if reading:
        recipe = recipe.with_knot(recipe.arrivals.with_space(name, reading))
    if find_result(name) is None:
        _pass(name, passes)
    return Chains(passes, recipe, is_trial=is_trial).own(name)


def shown(name: str, passes: Sequence[Pass], planes: Sequence[Stored]) -> Shown:
    """Say how a pass's or result's planes are to be looked at."""
    result = None if pass_named(name, passes) is not None and name != PICTURE else find_result(name)
    if result is not None:
        if result.is_light:
            return Shown(_stacked(planes), "light")
        if result.is_signed:
            signed = np.asarray(planes[0], np.float32)
            most = max(float(np.abs(np.nan_to_num(signed)).max(initial=0)), 1e-3)
            return Shown(signed[..., None], "signed", -most, most)
        if result.is_distance:
            return _spread(np.asarray(planes[0], np.float32))
        return Shown(side_by_side(planes), "values")
    one = _pass(name, passes)
    if one.role in HASHED_ROLES and len(planes) > 1:
        return Shown((matte_colours(planes) / np.float32(255)).astype(np.float16), "values")
    if one.role is Role.DEPTH:
        return _spread(np.asarray(planes[0], np.float32))
    if one.role is Role.ID and len(planes) == 1:
        return Shown((id_colours(planes[0]) / np.float32(255)).astype(np.float16), "values")
    if one.role is Role.POSITION:
        values = np.stack([np.asarray(plane, np.float32) for plane in planes[:3]], axis=-1)
        low, high = np.percentile(values, [2, 98])
        return Shown(values, "distance", float(low), float(high))
    kind = "light" if one.role in COLOUR_ROLES else "direction" if one.role is Role.NORMAL else "values"
    return Shown(_stacked(planes[:4]), kind)


def _spread(z: Plane) -> Shown:
    nothing = nothing_there(z)
    ends = np.percentile(z[~nothing], [0.5, 99.5]) if not nothing.all() else (0.0, 1.0)
    return Shown(z[..., None], "distance", float(ends[0]), float(ends[1]))


def proxy(plane: Stored, level: int, *, is_light: bool) -> Stored:
    """Make a plane smaller by halving `level` times.

    Light is averaged; whatever must not be mixed (distances, names, normals) keeps one true value of each
    block.
    """
    step = 1 << level
    if level == 0:
        return plane
    if not is_light:
        return np.ascontiguousarray(plane[::step, ::step])
    if plane.dtype == np.float16:
        return block_means(plane, level)
    height, width = -(-plane.shape[0] // step) * step, -(-plane.shape[1] // step) * step
    whole = singles(plane)
    if whole.shape != (height, width):
        below, beside = height - plane.shape[0], width - plane.shape[1]
        whole = np.pad(whole, ((0, below), (0, beside)), mode="edge")
    # By a whole number, the mean over areas is that of each block.
    small = np.asarray(
        cv2.resize(whole, (width // step, height // step), interpolation=cv2.INTER_AREA), np.float32
    )
    return stored_as(small, plane.dtype)


def light_among(refs: Sequence[ChannelRef], passes: Sequence[Pass]) -> set[ChannelRef]:
    """Give those channels whose pixels may be averaged.

    Light and its coverage, but no distance and no name.
    """
    light = {ref for one in passes if one.role in COLOUR_ROLES for ref in one.channels}
    return light & set(refs)


def _pass(name: str, passes: Sequence[Pass]) -> Pass:
    one = next((one for one in passes if one.name == name), None)
    if one is None:
        known = ", ".join([*(one.name for one in passes), *fixed_results()])
        raise MissingError(f"There is no pass {name}.", where="pass", remedy=f"There are: {known}.")
    return one


def _stacked(planes: Sequence[Stored]) -> NDArray[Any]:
    """Put channels side by side as half: all that an eye can tell; two channels get an empty third."""
    if isinstance(planes, Channels) and len(planes) != 2:
        return halves_of(planes.picture)
    planes = list(planes)
    if len(planes) == 2:
        planes.append(np.zeros_like(planes[0]))
    return halved(planes)
