"""Loose outputs beside a frame's own file: each pass as a picture with colour baked, and all as layers.

What is light goes through a view; shares are shown as they are, directions lifted from -1..1. Distances and
names have no look of their own: they go as `depth_normalised` and as mattes where those are made.
"""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from drawstring.core.alpha.conversion import straight
from drawstring.core.arrays import Channels, Picture, as_picture, with_alpha
from drawstring.core.camera import Moment
from drawstring.core.chain import PICTURE, Work
from drawstring.core.colour.view import through_view
from drawstring.core.io.facts import Window
from drawstring.core.io.openraster import Layer
from drawstring.core.pack.form import Also, PictureFile
from drawstring.core.pack.layout import CONSTANT
from drawstring.core.pack.trimming import cut
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import COLOUR_ROLES, SHARE_ROLES, Role
from drawstring.core.recipe.beside import BesideFile
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.outputs import OutputPlan
from drawstring.core.recipe.results import find_result, result_named
from drawstring.core.recipe.sources import Pixels, pass_named
from drawstring.core.recipe.views import view_of


def loose_files(plan: OutputPlan, pixels: Pixels, at: Moment) -> list[BesideFile]:
    """Make a frame's loose outputs.

    Parameters
    ----------
    plan : OutputPlan
        What goes out: nothing else is shown.
    pixels : mapping of ChannelRef to (H, W)
        At least the plan's inputs, as they came.
    """
    pack, passes = plan.chains.recipe.pack, plan.chains.passes
    work = Work(pixels, at)
    stills = [_still(work, plan.chains)] if plan.shows_picture else []
    if not {Also.PICTURES, Also.LAYERS} & set(pack.also):
        return stills
    shown = {name: _shown(name, work, plan.chains) for name in plan.sources if has_look(name, passes)}
    files = stills
    if Also.PICTURES in pack.also:
        for name, values in shown.items():
            plain = name.replace(".", "_")
            kept = values
            if pack.picture_file is not PictureFile.PNG and values.shape[2] == 4:
                # A picture without alpha lies on black, and it is light that is laid, not display values.
                kept = _shown(name, work, plan.chains, on_black=True)
            files.append(BesideFile(f"{plain}/{plain}", picture=kept, ending=pack.picture_file.value))
    if Also.LAYERS in pack.also and shown:
        # The first is what people open the file for; the others wait below, hidden.
        layers = tuple(
            Layer(name, with_alpha(Channels(values)), i == 0)
            for i, (name, values) in enumerate(shown.items())
        )
        files.append(BesideFile("layers", ending="ora", layers=layers))
    return files


STILL, STILL_WIDE = "review", 1280
"""What the finished picture as people look at it is called, and how wide it is at most."""


def _still(work: Work, chains: Chains) -> BesideFile:
    """Give the finished picture as people look at it: what movie and contact sheet are made from."""
    planes = work.of(chains.own(PICTURE))[:3]
    light: Picture = as_picture(planes)
    light = np.nan_to_num(light, nan=0.0, posinf=65504.0, neginf=0.0)
    place = chains.goes_out(work.at).placed(light.shape)
    light = _framed(light, place.window, place.display)
    if light.shape[1] > STILL_WIDE:
        # Made smaller while it is light: what is averaged as displayed comes out too dark.
        high = max(1, round(light.shape[0] * STILL_WIDE / light.shape[1]))
        small = cv2.resize(light, (STILL_WIDE, high), interpolation=cv2.INTER_AREA)
        light = np.asarray(small, np.float32)
    seen = through_view(light, *view_of(chains.recipe), threads=work.at.threads)
    return BesideFile(f"{STILL}/{STILL}", picture=np.asarray(np.clip(seen, 0, 1), np.float32), ending="jpeg")


def has_look(name: str, passes: Sequence[Pass]) -> bool:
    """Whether a pass or result can be shown as it is: light, shares and directions."""
    if name == CONSTANT:
        return False
    made = find_result(name)
    if made is not None:
        return not made.is_signed and not made.is_distance and len(made.suffixes) in (1, 3, 4)
    one = next((each for each in passes if each.name == name), None)
    return one is not None and (one.role in COLOUR_ROLES | SHARE_ROLES or one.role is Role.NORMAL)


def _shown(name: str, work: Work, chains: Chains, *, on_black: bool = False) -> Picture:
    """Give display values of the frame alone: (H, W, 1, 3 or 4), alpha straight; or laid on black."""
    at, recipe = work.at, chains.recipe
    planes = work.of(chains.own(name))[:4]
    one = pass_named(name, chains.passes)
    if one is None:
        is_light, is_direction = result_named(name).is_light, False
    else:
        is_light, is_direction = one.role in COLOUR_ROLES, one.role is Role.NORMAL
    values = as_picture(planes)
    values = np.nan_to_num(values, nan=0.0, posinf=65504.0, neginf=0.0)
    if values.shape[2] == 2:
        values = np.concatenate([values, np.zeros_like(values[..., :1])], axis=2)
    place = chains.goes_out(at).placed(values.shape)
    values = _framed(values, place.window, place.display)
    if on_black and is_light:
        values = values[..., :3]  # premultiplied light is just that
    elif on_black:
        values = values[..., :3] * values[..., 3:]
    elif is_light and values.shape[2] == 4:
        values = straight(values)
    if is_light and values.shape[2] >= 3:
        values[..., :3] = through_view(values[..., :3], *view_of(recipe), threads=at.threads)
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
