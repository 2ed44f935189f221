"""The two eyes of a shot: any pass or result for the left and the right one, as the Eyes knot settles them.

In this order: taken apart (or made, where one eye came), changed places, the right one mended, turned
(all-round), moved against each other, black at the sides (floating window). Light is filtered; distances and
names keep true values throughout.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Stored
from drawstring.core.camera import Camera, Moment, Place
from drawstring.core.depth.axis import converted
from drawstring.core.depth.settings import Along
from drawstring.core.errors import MissingError
from drawstring.core.eyes.packing import unpack, unsqueezed
from drawstring.core.eyes.rig import parallax_px
from drawstring.core.eyes.second_eye import Moved, moved
from drawstring.core.eyes.settings import LINES, Came, Edge, EyesSettings, Making
from drawstring.core.eyes.sphere import Sight, turn_of, turned
from drawstring.core.io.facts import ChannelRef, Window
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import COLOUR_ROLES, SHARE_ROLES, Role
from drawstring.core.recipe.pair_views import views_of_pair
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.result import Result
from drawstring.core.recipe.sources import (
    Pixels,
    depth_inputs,
    of_view,
    pass_named,
    pass_of,
    picture_of,
    read_distances,
)

Find = Callable[[str], Result | None]
Planes = list[Stored]


@dataclass(frozen=True)
class Pair:
    """Both eyes of one picture.

    Attributes
    ----------
    left, right : list of (H, W)
        One plane to a channel; both eyes of one size.
    display : Window
        The part that is the picture, in array pixels; what lies outside is overscan.
    """

    left: Planes
    right: Planes
    display: Window

    def shown(self) -> tuple[Planes, Planes]:
        """Give both eyes without overscan."""
        part = (
            slice(self.display.y_min, self.display.y_max + 1),
            slice(self.display.x_min, self.display.x_max + 1),
        )
        return [plane[part] for plane in self.left], [plane[part] for plane in self.right]


def is_mixed(name: str, passes: Sequence[Pass], find: Find) -> bool:
    """Whether a picture's values may be averaged: light and shares, but no distances, directions or names."""
    one = pass_named(name, passes)
    if one is not None:
        return one.role in COLOUR_ROLES | SHARE_ROLES
    made = find(name)
    return made is not None and (made.is_light or name.startswith(("matte_", "shadow_", "mist_amount")))


def pair_inputs(name: str, passes: Sequence[Pass], recipe: Recipe, find: Find) -> list[ChannelRef]:
    """Give the channels that both eyes of a picture take."""
    refs: list[ChannelRef] = []
    for view in dict.fromkeys(views_of_pair(passes, recipe)):
        refs += _inputs(f"{view}.{name}" if view else name, passes, recipe, find)
    if recipe.eyes.came is Came.ONE:
        refs += _making_inputs(passes)
    return list(dict.fromkeys(refs))


def _inputs(name: str, passes: Sequence[Pass], recipe: Recipe, find: Find) -> list[ChannelRef]:
    one, made = pass_named(name, passes), find(name)
    if one is not None:
        return list(one.channels)
    if made is not None and made.is_ready(passes, recipe):
        return made.inputs(passes, recipe)
    raise MissingError(
        f"There is no {name} for both eyes.",
        where=f"eyes, {name}",
        why="A pair needs it from either eye.",
        remedy="Have it rendered for the other eye too, or leave it out of the package.",
    )


def _making_inputs(passes: Sequence[Pass]) -> list[ChannelRef]:
    first = of_view(passes, "")
    beauty = pass_of(Role.BEAUTY, first)
    return [*depth_inputs(first), *(beauty.channels[:4] if beauty else ())]


def pair_of(
    name: str,
    pixels: Pixels,
    passes: Sequence[Pass],
    recipe: Recipe,
    at: Moment,
    find: Find,
    *,
    only: int | None = None,
    own_pixels: bool = False,
) -> Pair:
    """Give both eyes of a pass or result.

    Parameters
    ----------
    name : str
        Under its bare name: that of the left eye's view, or of the one picture.
    only : int, optional
        0 or 1 where just the left or the right eye is wanted: the other one is not turned.
    own_pixels : bool
        Whether eyes that came squeezed to half stay so; only while they are untouched.
    """
    views = views_of_pair(passes, recipe)
    planes = [
        _planes(f"{view}.{name}" if view else name, pixels, passes, recipe, at, find)
        for view in dict.fromkeys(views)
    ]
    mixed = is_mixed(name, of_view(passes, ""), find)
    return _finished(name, planes, pixels, passes, recipe, at, mixed, only, own_pixels=own_pixels)


def _planes(
    name: str, pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment, find: Find
) -> Planes:
    one = pass_named(name, passes)
    if one is not None:
        return [np.asarray(pixels[ref]) for ref in one.channels]
    made = find(name)
    assert made is not None, name
    return list(made.compute(pixels, passes, recipe, at))


def _finished(
    name: str,
    planes: list[Planes],
    pixels: Pixels,
    passes: Sequence[Pass],
    recipe: Recipe,
    at: Moment,
    mixed: bool,
    only: int | None,
    *,
    own_pixels: bool,
) -> Pair:
    settings = recipe.eyes.at(at.frame)
    place = at.placed(planes[0][0].shape)
    display = display_in(place)
    if settings.came is Came.PACKED:
        whole = [
            plane[display.y_min : display.y_max + 1, display.x_min : display.x_max + 1] for plane in planes[0]
        ]
        packing = unsqueezed(settings.packing) if own_pixels else settings.packing
        both = [unpack(plane, packing, settings.first, is_mixed=mixed) for plane in whole]
        left, right = [one for one, _ in both], [other for _, other in both]
        display = Window(0, 0, left[0].shape[1] - 1, left[0].shape[0] - 1)
    elif settings.came is Came.ONE:
        left, right = _made(name, planes[0], pixels, passes, recipe, at, mixed=mixed)
    elif settings.came is Came.NO_PAIR:
        left = right = planes[0]
    else:
        left, right = planes
    if settings.swap:
        left, right = right, left
    right = [
        _mended(plane, settings, place.step, channel, len(right), mixed=mixed)
        for channel, plane in enumerate(right)
    ]
    if settings.is_round and (settings.yaw, settings.pitch, settings.roll) != (0, 0, 0):
        sight = sight_of(settings, left[0].shape, at)
        left, right = (
            _turned(eye, sight, at, mixed=mixed) if only in (None, side) else eye
            for side, eye in enumerate((left, right))
        )
    left, right = _moved_apart(left, right, settings, place.step, display, mixed=mixed)
    return Pair(
        _floated(left, settings.float_left / place.step, display, at_left=True),
        _floated(right, settings.float_right / place.step, display, at_left=False),
        display,
    )


def display_in(place: Place) -> Window:
    """Give where the picture lies in an array, in its pixels."""
    window, shown, step = place.window, place.display, place.step
    left, top = max(0, (shown.x_min - window.x_min) // step), max(0, (shown.y_min - window.y_min) // step)
    right = (min(shown.x_max, window.x_max) - window.x_min) // step
    bottom = (min(shown.y_max, window.y_max) - window.y_min) // step
    return Window(left, top, right, bottom)


def focal_px(camera: Camera, place: Place) -> float:
    """Give the focal length in pixels of the full picture."""
    if not camera.focal_mm or not camera.filmback_mm:
        raise MissingError(
            "The camera's lens is not known.",
            where="eyes",
            why="Parallax follows from the focal length.",
            remedy="Type focal length and film width at Depth, or have them written into the header.",
        )
    return place.display.width * camera.focal_mm / camera.filmback_mm


def moved_eyes(pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment) -> dict[str, Moved]:
    """Find what made eyes show: under "left" and "right"."""
    settings = recipe.eyes.at(at.frame)
    first = of_view(passes, "")
    key = "made eyes", settings.making, settings.interaxial, settings.convergence, settings.fineness, at.frame
    if key in at.kept:
        found: dict[str, Moved] = at.kept[key]
        return found
    here = read_distances(pixels, first, recipe.depth, at, repair=False)
    place = at.placed(here.z.shape)
    z = here.z
    if recipe.depth.along is Along.RAY and here.camera.has_lens:
        z = converted(z, here.camera, place, held=Along.RAY, wanted=Along.AXIS)
    z = np.where(here.nothing, np.float32(np.inf), z)
    assert settings.interaxial is not None
    whole = np.asarray(
        parallax_px(
            z,
            interaxial=settings.interaxial,
            convergence=settings.convergence,
            focal_px=focal_px(here.camera, place),
        ),
        np.float32,
    ) / np.float32(place.step)
    shares = {
        Making.RIGHT: {"right": 1.0},
        Making.LEFT: {"left": -1.0},
        Making.BOTH: {"left": -0.5, "right": 0.5},
    }[settings.making]
    picture = picture_of(pixels, first)
    made = {
        eye: moved(
            z,
            here.nothing,
            picture,
            whole * np.float32(share),
            lines=LINES[settings.fineness],
            threads=at.threads,
        )
        for eye, share in shares.items()
    }
    at.kept[key] = made
    return made


def _made(
    name: str,
    planes: Planes,
    pixels: Pixels,
    passes: Sequence[Pass],
    recipe: Recipe,
    at: Moment,
    *,
    mixed: bool,
) -> tuple[Planes, Planes]:
    made = moved_eyes(pixels, passes, recipe, at)
    first = of_view(passes, "")
    one = pass_named(name, first)
    along_ray = one is not None and one.role is Role.DEPTH and recipe.depth.arrived.along is Along.RAY
    eyes = []
    for eye in ("left", "right"):
        if eye not in made:
            eyes.append(planes)
        elif mixed:
            eyes.append(
                [made[eye].light(np.asarray(plane, np.float32), threads=at.threads) for plane in planes]
            )
        elif along_ray and one is not None:
            eyes.append(_depth_of(made[eye], planes, one, eye, recipe, at))
        else:
            # Along the axis a distance is the same from an eye beside; points and names are anyway.
            eyes.append([made[eye].exact(plane) for plane in planes])
    return eyes[0], eyes[1]


def _depth_of(made: Moved, planes: Planes, one: Pass, eye: str, recipe: Recipe, at: Moment) -> Planes:
    """Express distances along rays from the made eye."""
    settings, ref = recipe.eyes.at(at.frame), one.channels[0]
    camera, place = at.camera(ref.source, ref.part), at.placed(planes[0].shape)
    if not camera.has_lens or camera.is_latlong:
        return [made.exact(plane) for plane in planes]
    aside = (
        (settings.interaxial or 0)
        * (0.5 if settings.making is Making.BOTH else 1)
        * (1 if eye == "right" else -1)
    )
    shift = -aside / settings.convergence if settings.convergence else 0.0
    beside = Camera(camera.focal_mm, camera.filmback_mm, shift=camera.shift + shift)
    axis = converted(np.asarray(planes[0], np.float32), camera, place, held=Along.RAY, wanted=Along.AXIS)
    return [converted(made.exact(axis), beside, place, held=Along.AXIS, wanted=Along.RAY)]


def _mended(
    plane: Stored, settings: EyesSettings, step: int, channel: int, count: int, *, mixed: bool
) -> Stored:
    """Undo what is wrong with the right eye."""
    if mixed and settings.mend_gain != (1, 1, 1) and count in (3, 4) and channel < 3:
        plane = np.asarray(plane, np.float32) / np.float32(max(settings.mend_gain[channel], 1e-3))
    if (settings.mend_down, settings.mend_turn, settings.mend_scale) == (0, 0, 100):
        return plane
    turn, size = math.radians(settings.mend_turn), settings.mend_scale / 100
    height, width = plane.shape[:2]
    cx, cy = (width - 1) / 2, (height - 1) / 2
    a, b = size * math.cos(turn), size * math.sin(turn)
    way = np.array([[a, -b, cx - a * cx + b * cy], [b, a, cy - b * cx - a * cy + settings.mend_down / step]])
    return resampled(plane, way, mixed=mixed)


def resampled(plane: Stored, way: NDArray[np.float64], *, mixed: bool) -> Stored:
    """Sample a plane where a 2 x 3 matrix says, 0 outside: cubic for light, else the nearest pixel."""
    height, width = plane.shape[:2]
    if mixed:
        return cv2.warpAffine(
            np.asarray(plane, np.float32),
            way,
            (width, height),
            flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP,
            borderMode=cv2.BORDER_CONSTANT,
            borderValue=0,
        )
    x, y = np.arange(width)[None, :], np.arange(height)[:, None]
    cols = np.round(way[0, 0] * x + way[0, 1] * y + way[0, 2]).astype(int)
    rows = np.round(way[1, 0] * x + way[1, 1] * y + way[1, 2]).astype(int)
    inside = (cols >= 0) & (cols < width) & (rows >= 0) & (rows < height)
    taken = plane[np.clip(rows, 0, height - 1), np.clip(cols, 0, width - 1)]
    return np.where(inside, taken, np.zeros((), plane.dtype))


def sight_of(settings: EyesSettings, shape: tuple[int, ...], at: Moment) -> Sight:
    """Give where a turned all-round picture looks."""
    key = "sight", settings.yaw, settings.pitch, settings.roll, shape
    if key not in at.kept:
        turn = turn_of(settings.yaw, settings.pitch, settings.roll)
        at.kept[key] = turned(shape[1], shape[0], turn, threads=at.threads)
    sight: Sight = at.kept[key]
    return sight


def _turned(eye: Planes, sight: Sight, at: Moment, *, mixed: bool) -> Planes:
    if mixed:
        made = sight.light(np.stack(eye, axis=-1), threads=at.threads)
        return [np.ascontiguousarray(made[..., c]) for c in range(made.shape[2])]
    return [sight.exact(plane) for plane in eye]


def _moved_apart(
    left: Planes, right: Planes, settings: EyesSettings, step: int, display: Window, *, mixed: bool
) -> tuple[Planes, Planes]:
    shift = settings.shift / step
    if not shift:
        return left, right
    height, width = left[0].shape[:2]
    if settings.is_round:
        # Round the back nothing is lost: whole columns wrap.
        half = round(shift / 2)
        return [np.roll(p, -half, axis=1) for p in left], [np.roll(p, half, axis=1) for p in right]
    spare = min(display.x_min, width - 1 - display.x_max)
    lacks = max(0.0, abs(shift) / 2 - spare)
    size = 1.0
    if settings.edge is Edge.ENLARGE and lacks:
        size = 1 - 2 * lacks / max(1, display.width)
    cx, cy = (width - 1) / 2, (height - 1) / 2

    def way(aside: float) -> NDArray[np.float64]:
        return np.array([[size, 0, cx - size * cx - aside], [0, size, cy - size * cy]])

    # The left eye's picture goes left and the right one's right: parallax grows, things move back.
    return (
        [resampled(plane, way(-shift / 2), mixed=mixed) for plane in left],
        [resampled(plane, way(shift / 2), mixed=mixed) for plane in right],
    )


def _floated(eye: Planes, wide: float, display: Window, *, at_left: bool) -> Planes:
    count = round(wide)
    if not count:
        return eye
    made = [np.array(plane) for plane in eye]
    for plane in made:
        if at_left:
            plane[:, display.x_min : display.x_min + count] = 0
        else:
            plane[:, max(0, display.x_max + 1 - count) : display.x_max + 1] = 0
    return made
