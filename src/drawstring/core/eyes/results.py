"""What the Eyes knot makes to be looked at: either eye, parallax, what was filled, anaglyph, glasses, forms.

None of them goes into the shot's own file: forms are written beside it (`eye_forms`).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from typing import Any

import numpy as np

from drawstring.core.arrays import Channels, Picture, Plane, Stored, with_alpha
from drawstring.core.camera import Moment
from drawstring.core.chain import PICTURE, Chain, How, Stage, Value, value
from drawstring.core.colour.view import through_cube, through_view
from drawstring.core.eyes.anaglyph import Mixed, matrices_of, mixed, received
from drawstring.core.eyes.packing import Packing, pack, unsqueezed
from drawstring.core.eyes.pair_views import is_pair_ready
from drawstring.core.eyes.parallaxes import parallax_value
from drawstring.core.eyes.placing import display_in
from drawstring.core.eyes.settings import Came, Form, Making
from drawstring.core.eyes.sphere import Sight, flat_view, turn_of
from drawstring.core.eyes.steps import eye_moved
from drawstring.core.passes.recognition import Pass
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.pulls import apart, planes_of, subject_of
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.result import RGB, RGBA, Result
from drawstring.core.recipe.sources import depth_pass

Tap = Callable[[Chain], Value]

VIEWS = ("left", "right")

PACKED_FORMS = tuple(form for form in Form if form.value in list(Packing))


def eye_picture(chains: Chains, side: int, *, whole: bool = True, own_pixels: bool = False) -> Value:
    """Describe an eye's finished picture: (H, W, 4) float32; without overscan where not whole."""
    return four(chains.eye(PICTURE, side, own_pixels=own_pixels), chains.eye_chain(side), whole=whole)


def four(planes: Value, chain: Chain, *, whole: bool = True) -> Value:
    """Put an eye's planes together to a picture of four channels, cut to the frame where not whole."""
    subject = subject_of(chain)

    def make(at: Moment, each: Sequence[Stored]) -> Picture:
        cut = each if whole else within_frame(each, subject.here(at, Stage.OUT))
        return np.ascontiguousarray(with_alpha(cut))

    return value("eye", make, planes, of=(whole, subject.key(Stage.OUT)))


def within_frame(planes: Sequence[Stored], at: Moment) -> Sequence[Stored]:
    """Give planes without overscan."""
    shown = display_in(at.placed(planes[0].shape), planes[0].shape)
    rows, cols = slice(shown.y_min, shown.y_max + 1), slice(shown.x_min, shown.x_max + 1)
    if isinstance(planes, Channels):
        return Channels(planes.picture[rows, cols])
    return [plane[rows, cols] for plane in planes]


def stays_half(form: Form, recipe: Recipe) -> bool:
    """Whether a half size goes out as it came in: nothing is enlarged and reduced again on the way."""
    eyes = recipe.eyes
    return eyes.is_squeezed and eyes.is_untouched and form.value == eyes.packing.value


def anaglyph_of(
    left: Picture, right: Picture, recipe: Recipe, *, to_look: bool = False, threads: int = 1
) -> Picture:
    """Make the anaglyph of two scene-linear pictures: (H, W, 3) float32, display values.

    Only to be looked at, it goes through the view's cube as everything in the well does; else exactly.
    """
    eyes, seen = recipe.eyes, through_cube if to_look else through_view
    management = recipe.arrivals.management
    view = management.view_like(eyes.anaglyph_view)
    pair = matrices_of(eyes.method, eyes.own_matrix)
    one, other = left[..., :3], right[..., :3]
    if eyes.mixed is Mixed.LINEAR:
        return seen(mixed_open(one, other, pair), view, management, threads=threads)
    shown = [seen(eye, view, management, threads=threads) for eye in (one, other)]
    return mixed(shown[0], shown[1], pair)


def mixed_open(left: Picture, right: Picture, pair: tuple[np.ndarray, np.ndarray]) -> Picture:
    """Mix scene-linear light, which may lie above 1; nothing below 0 is light."""
    return np.asarray(np.maximum(left @ pair[0].T + right @ pair[1].T, 0), np.float32)


def linear_of_display(shown: Picture) -> Picture:
    """Undo the sRGB curve of IEC 61966-2-1:1999."""
    return np.where(shown <= 0.04045, shown / 12.92, ((shown + 0.055) / 1.055) ** 2.4).astype(np.float32)


def display_of_linear(light: Picture) -> Picture:
    """Apply the sRGB curve of IEC 61966-2-1:1999."""
    held = np.clip(light, 0, 1)
    return np.where(held <= 0.0031308, held * 12.92, 1.055 * held ** (1 / 2.4) - 0.055).astype(np.float32)


def flat_size(width: int, field_degrees: float) -> tuple[int, int]:
    """Give the size of a flat view out of an all-round picture of some width: 16:9, even.

    As many pixels to a degree in its middle as the picture has: no more could be sharp.

    Examples
    --------
    >>> flat_size(4096, 80)
    (1094, 614)
    """
    wide = 2 * math.tan(math.radians(field_degrees) / 2) * width / (2 * math.pi)
    half = max(1, round(wide / 2))
    return 2 * half, max(2, half * 9 // 16 * 2)


def flat_sight_of(recipe: Recipe, shape: tuple[int, ...], at: Moment) -> Sight:
    """Give where a flat view looks."""
    now = recipe.eyes.at(at.frame)
    turn = turn_of(now.look_yaw, now.look_pitch)
    # One size for all frames, also where the angle is keyed.
    size = flat_size(shape[1], recipe.eyes.look_field)
    return flat_view(size, (shape[1], shape[0]), turn, now.look_field, threads=at.threads)


def _of_pair(name: str, suffixes: tuple[str, ...], tap: Tap, **how: Any) -> Result:
    said = {"is_packed": False, "is_pointwise": False, "is_extra": True, "is_of_pair": True, **how}
    return Result(name, "eyes", suffixes, Stage.OUT, said.pop("is_ready", is_pair_ready), tap, **said)


def _eye(side: int) -> Tap:
    return lambda chain: apart(eye_picture(subject_of(chain).chains, side))


def filled_value(chains: Chains, which: str) -> Value:
    """Describe which share of a made eye's pixels was filled, where they go out: a list of one (H, W).

    Parameters
    ----------
    which : str
        "left" or "right", as eyes came: which one was made follows the swap.
    """
    chain = chains.eye_chain(VIEWS.index(which) ^ int(chains.recipe.eyes.swap))
    holes = value("filled", lambda at, moved: [moved.holes], eye_moved(chain))
    return chain.carried(holes, Stage.DOUBLED, How(is_mixed=True))


def _filled(which: str) -> Tap:
    return lambda chain: filled_value(subject_of(chain).chains, which)


def _is_filled(which: str) -> Callable[[Sequence[Pass], Recipe], bool]:
    def ready(passes: Sequence[Pass], recipe: Recipe) -> bool:
        own = Making.LEFT if which == "right" else Making.RIGHT
        return (
            recipe.eyes.came is Came.ONE and recipe.eyes.making is not own and is_pair_ready(passes, recipe)
            and depth_pass(passes) is not None
        )  # fmt: skip

    return ready


def _parallax(chain: Chain) -> Value:
    known = parallax_value(subject_of(chain).chains)
    return value("parallax", lambda at, told: [np.nan_to_num(told[0], nan=0.0)], known)


def anaglyph_value(chains: Chains, *, whole: bool = True, to_look: bool = False) -> Value:
    """Describe the anaglyph: (H, W, 3) float32, display values."""
    eyes = chains.recipe.eyes

    def make(at: Moment, left: Picture, right: Picture) -> Picture:
        return anaglyph_of(left, right, chains.recipe, to_look=to_look, threads=at.threads)

    of = (
        eyes.method, eyes.own_matrix, eyes.mixed, eyes.anaglyph_view, to_look,
        chains.recipe.arrivals.management,
    )  # fmt: skip
    return value("anaglyph", make, *(eye_picture(chains, side, whole=whole) for side in (0, 1)), of=of)


def _anaglyph(chain: Chain) -> Value:
    return apart(anaglyph_value(subject_of(chain).chains, to_look=True))


def _glasses(which: int) -> Tap:
    def tap(chain: Chain) -> Value:
        chains = subject_of(chain).chains
        method = chains.recipe.eyes.method

        def make(at: Moment, shown: Picture) -> Sequence[Plane]:
            return planes_of(display_of_linear(received(linear_of_display(shown), method)[which]))

        return value("glasses", make, anaglyph_value(chains, to_look=True), of=(method, which))

    return tap


def _form(which: Form) -> Tap:
    def tap(chain: Chain) -> Value:
        chains = subject_of(chain).chains
        eyes, packing = chains.recipe.eyes, Packing(which.value)
        stays = stays_half(which, chains.recipe)
        if stays:
            packing = unsqueezed(packing)

        def make(at: Moment, left: Picture, right: Picture) -> Sequence[Plane]:
            return planes_of(pack(left, right, packing, eyes.first_out, is_mixed=True))

        both = [
            four(chains.eye(PICTURE, side, own_pixels=stays), chains.eye_chain(side), whole=False)
            for side in (0, 1)
        ]
        return value("form", make, *both, of=(packing, eyes.first_out))

    return tap


def _is_form(which: Form) -> Callable[[Sequence[Pass], Recipe], bool]:
    return lambda passes, recipe: which in recipe.eyes.deliver and is_pair_ready(passes, recipe)


def flat_value(chains: Chains, side: int) -> Value:
    """Describe what a flat camera sees of an eye's all-round picture: a list of (H, W)."""
    recipe = chains.recipe

    def make(at: Moment, picture: Picture) -> Sequence[Plane]:
        sight = flat_sight_of(recipe, picture.shape, at)
        return planes_of(sight.light(picture, threads=at.threads))

    eyes = recipe.eyes
    of = eyes.look_yaw, eyes.look_pitch, eyes.look_field, eyes.keys
    return value("flat", make, eye_picture(chains, side), of=of)


def _flat(side: int) -> Tap:
    return lambda chain: flat_value(subject_of(chain).chains, side)


def _is_round(passes: Sequence[Pass], recipe: Recipe) -> bool:
    return recipe.eyes.is_round and is_pair_ready(passes, recipe)


FORM_RESULTS = {f"form_{each.value}": each for each in PACKED_FORMS}
"""What the packed forms are called as results."""

EYE_RESULTS = (
    _of_pair("eye_left", RGBA, _eye(0), is_light=True, is_slow=True),
    _of_pair("eye_right", RGBA, _eye(1), is_light=True, is_slow=True),
    _of_pair("parallax", ("V",), _parallax, is_signed=True, is_slow=True),
    _of_pair("filled_left", ("V",), _filled("left"), is_ready=_is_filled("left")),
    _of_pair("filled_right", ("V",), _filled("right"), is_ready=_is_filled("right")),
    _of_pair("anaglyph", RGB, _anaglyph, is_slow=True),
    _of_pair("glasses_left", RGB, _glasses(0), is_slow=True),
    _of_pair("glasses_right", RGB, _glasses(1), is_slow=True),
    _of_pair("flat_left", RGBA, _flat(0), is_ready=_is_round, is_light=True),
    _of_pair("flat_right", RGBA, _flat(1), is_ready=_is_round, is_light=True),
    *(
        _of_pair(name, RGBA, _form(each), is_ready=_is_form(each), is_light=True)
        for name, each in FORM_RESULTS.items()
    ),
)
