"""Loose outputs beside a frame's own file: each pass as a picture with colour baked, and all as layers.

What is light goes through a view; shares are shown as they are, directions lifted from -1..1. Distances and
names have no look of their own: they go as `depth_normalised` and as mattes where those are made.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from drawstring.core.alpha.conversion import straight
from drawstring.core.arrays import Picture
from drawstring.core.camera import Moment
from drawstring.core.colour.view import through_view
from drawstring.core.io.facts import Window
from drawstring.core.io.openraster import Layer
from drawstring.core.pack.form import Also, PictureFile
from drawstring.core.pack.layout import CONSTANT
from drawstring.core.pack.trimming import cut
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import COLOUR_ROLES, SHARE_ROLES, Role
from drawstring.core.recipe.beside import BesideFile
from drawstring.core.recipe.outputs import OutputPlan
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.results import find_result
from drawstring.core.recipe.sources import Pixels
from drawstring.core.recipe.spaces import in_working_space


def loose_files(
    plan: OutputPlan, pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment
) -> list[BesideFile]:
    """Make a frame's loose outputs.

    Parameters
    ----------
    plan : OutputPlan
        What goes out: nothing else is shown.
    pixels : mapping of ChannelRef to (H, W)
        At least the plan's inputs, as they came.
    """
    pack = recipe.pack
    if not {Also.PICTURES, Also.LAYERS} & set(pack.also):
        return []
    pixels = in_working_space(pixels, passes, recipe)
    shown = {
        name: _shown(name, pixels, passes, recipe, at)
        for name in dict.fromkeys(channel.source for channel in plan.channels)
        if has_look(name, passes)
    }
    files: list[BesideFile] = []
    if Also.PICTURES in pack.also:
        for name, values in shown.items():
            plain = name.replace(".", "_")
            kept = values if pack.picture_file is PictureFile.PNG else _without_alpha(values)
            files.append(BesideFile(f"{plain}/{plain}", picture=kept, ending=pack.picture_file.value))
    if Also.LAYERS in pack.also and shown:
        # The first is what people open the file for; the others wait below, hidden.
        layers = tuple(Layer(name, _four(values), i == 0) for i, (name, values) in enumerate(shown.items()))
        files.append(BesideFile("layers", ending="ora", layers=layers))
    return files


def has_look(name: str, passes: Sequence[Pass]) -> bool:
    """Whether a pass or result can be shown as it is: light, shares and directions."""
    if name == CONSTANT:
        return False
    made = find_result(name)
    if made is not None:
        return not made.is_signed and not name.endswith("distance") and len(made.suffixes) in (1, 3, 4)
    one = next((each for each in passes if each.name == name), None)
    return one is not None and (one.role in COLOUR_ROLES | SHARE_ROLES or one.role is Role.NORMAL)


def _shown(name: str, pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment) -> Picture:
    """Give display values of the frame alone: (H, W, 1, 3 or 4), alpha straight."""
    made = find_result(name)
    if made is not None:
        planes = made.compute(pixels, passes, recipe, at)
        is_light, is_direction = made.is_light, False
    else:
        one = next(each for each in passes if each.name == name)
        planes = [np.asarray(pixels[ref], np.float32) for ref in one.channels[:4]]
        is_light, is_direction = one.role in COLOUR_ROLES, one.role is Role.NORMAL
    values = np.stack([np.asarray(plane, np.float32) for plane in planes], axis=-1)
    values = np.nan_to_num(values, nan=0.0, posinf=65504.0, neginf=0.0)
    if values.shape[2] == 2:
        values = np.concatenate([values, np.zeros_like(values[..., :1])], axis=2)
    place = at.placed(values.shape)
    values = _framed(values, place.window, place.display)
    if is_light and values.shape[2] == 4:
        values = straight(values)
    if is_light and values.shape[2] >= 3:
        values[..., :3] = through_view(values[..., :3], recipe.pack.picture_view, threads=at.threads)
    elif is_direction:
        values = 0.5 + 0.5 * values
    return np.asarray(np.clip(values, 0, 1), np.float32)


def _framed(values: Picture, window: Window, display: Window) -> Picture:
    """Cut overscan away; where less came than the frame, the rest is black."""
    made = np.zeros((display.height, display.width, values.shape[2]), np.float32)
    inside = Window(
        max(window.x_min, display.x_min), max(window.y_min, display.y_min),
        min(window.x_max, display.x_max), min(window.y_max, display.y_max),
    )  # fmt: skip
    if inside.width > 0 and inside.height > 0:
        top, left = inside.y_min - display.y_min, inside.x_min - display.x_min
        made[top : top + inside.height, left : left + inside.width] = cut(values, window, inside)
    return made


def _without_alpha(values: Picture) -> Picture:
    """Lay a picture on black: what has no alpha must not show what nothing covers."""
    return values if values.shape[2] < 4 else values[..., :3] * values[..., 3:]


def _four(values: Picture) -> Picture:
    if values.shape[2] == 4:
        return values
    colour = np.repeat(values, 3, axis=2) if values.shape[2] == 1 else values
    return np.concatenate([colour, np.ones_like(colour[..., :1])], axis=2)
