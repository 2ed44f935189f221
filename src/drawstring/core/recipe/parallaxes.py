"""Parallax of a shot's pair: from depth and cameras where they are known, else from the pictures."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from drawstring.core.arrays import Plane
from drawstring.core.camera import Moment
from drawstring.core.depth.axis import converted
from drawstring.core.depth.settings import Along
from drawstring.core.errors import DrawstringError
from drawstring.core.eyes.packing import unpack
from drawstring.core.eyes.parallax import estimate, led_by_depth, projected
from drawstring.core.eyes.rig import parallax_px
from drawstring.core.eyes.settings import Came
from drawstring.core.io.facts import ChannelRef
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import Role
from drawstring.core.recipe.pair_views import views_of_pair
from drawstring.core.recipe.pairs import Find, display_in, focal_px, pair_inputs, pair_of
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.sources import (
    Pixels,
    depth_inputs,
    depth_pass,
    of_view,
    read_distances,
)


def parallax_inputs(passes: Sequence[Pass], recipe: Recipe, find: Find) -> list[ChannelRef]:
    """Give the channels that the parallax of a pair is told from."""
    refs = pair_inputs(Role.BEAUTY, passes, recipe, find)
    if recipe.eyes.came in (Came.VIEWS, Came.PACKED):
        for view in dict.fromkeys(views_of_pair(passes, recipe)):
            mine = of_view(passes, view)
            refs += depth_inputs(mine) if depth_pass(mine) else ()
    return list(dict.fromkeys(refs))


def parallax_of(
    pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment, find: Find
) -> tuple[Plane, str]:
    """Give parallax in pixels of the full picture, seen from the left eye's place, and what it is told by.

    Returns
    -------
    parallax : (H, W) float32
        NaN where not known; what horizontal translation adds is in it.
    told_by : str
        "depth and cameras", "depth and settled eyes", "depth and the pictures" or "the pictures".
    """
    settings = recipe.eyes.at(at.frame)
    views = views_of_pair(passes, recipe)
    if settings.came is Came.ONE:
        first = of_view(passes, "")
        here = read_distances(pixels, first, recipe.depth, at, repair=False)
        place = at.placed(here.z.shape)
        z = np.where(here.nothing, np.float32(np.inf), here.z)
        if recipe.depth.along is Along.RAY and here.camera.has_lens:
            z = converted(z, here.camera, place, held=Along.RAY, wanted=Along.AXIS)
        found = parallax_px(
            z,
            interaxial=settings.interaxial or 0,
            convergence=settings.convergence,
            focal_px=focal_px(here.camera, place),
        )
        return np.asarray(found, np.float32) + np.float32(settings.shift), "depth and settled eyes"
    if settings.came is Came.VIEWS and not settings.is_round:
        exact = exact_parallax(pixels, passes, recipe, at, views)
        if exact is not None:
            sign = -1 if settings.swap else 1
            return sign * exact + np.float32(settings.shift), "depth and cameras"
    # Moved by the same number everywhere, eyes need not be looked at moved: depth lies where they came.
    still = settings.model_copy(update={"shift": 0.0, "float_left": 0.0, "float_right": 0.0, "keys": {}})
    unmoved = recipe.model_copy(update={"eyes": still})
    pair = pair_of(Role.BEAUTY, pixels, passes, unmoved, at, find)
    left, right = (
        np.stack([np.asarray(p, np.float32) for p in eye[:3]], axis=-1) for eye in (pair.left, pair.right)
    )
    step = at.placed(left.shape).step
    known, told_by = estimate(left, right), "the pictures"
    parallax = known.parallax
    near = None if settings.is_round else _nearness(pixels, passes, unmoved, at)
    if near is not None and near.shape == parallax.shape:
        led = led_by_depth(left, right, known, near)
        if led is not None:
            parallax, told_by = led, "depth and the pictures"
    return parallax * np.float32(step) + np.float32(settings.shift), told_by


def _nearness(pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment) -> Plane | None:
    """Give 1 / distance for the left eye, 0 for nothing; None where its depth is not known."""
    eyes = recipe.eyes
    mine = of_view(passes, views_of_pair(passes, recipe)[1 if eyes.swap and eyes.came is Came.VIEWS else 0])
    if depth_pass(mine) is None or not all(ref in pixels for ref in depth_inputs(mine)):
        return None
    try:
        here = read_distances(pixels, mine, recipe.depth, at, repair=False)
    except DrawstringError:
        return None  # what depth lacks is told at Depth; the pictures are there
    z, place = here.z, at.placed(here.z.shape)
    if recipe.depth.along is Along.RAY and here.camera.has_lens and not here.camera.is_latlong:
        z = converted(z, here.camera, place, held=Along.RAY, wanted=Along.AXIS)
    near = np.where(here.nothing | ~(z > 0), 0, 1 / np.maximum(z, 1e-9)).astype(np.float32)
    if eyes.came is not Came.PACKED:
        return near
    display = display_in(place)
    whole = near[display.y_min : display.y_max + 1, display.x_min : display.x_max + 1]
    both = unpack(whole, eyes.packing, eyes.first, is_mixed=False)
    return np.asarray(both[1 if eyes.swap else 0], np.float32)


def exact_parallax(
    pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment, views: tuple[str, str]
) -> Plane | None:
    """Give parallax from the left eye's depth and both cameras; None where they are not known."""
    left, right = of_view(passes, views[0]), of_view(passes, views[1])
    if depth_pass(left) is None or not right or not all(ref in pixels for ref in depth_inputs(left)):
        return None
    here = read_distances(pixels, left, recipe.depth, at, repair=False)
    ref = right[0].channels[0]
    other = at.cameras.get((ref.source, ref.part)) or at.camera(ref.source, ref.part)
    camera = here.camera
    if camera.axes is None or other.axes is None or not camera.focal_mm or not other.focal_mm:
        return None
    if camera.is_latlong or camera.filmback_mm is None or other.filmback_mm is None:
        return None
    place = at.placed(here.z.shape)
    z = here.z
    if recipe.depth.along is Along.RAY:
        z = converted(z, camera, place, held=Along.RAY, wanted=Along.AXIS)
    right_of, _, _ = projected(np.where(here.nothing, np.float32(np.inf), z), camera, other, place)
    return right_of
