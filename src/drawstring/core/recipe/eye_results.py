"""What the Eyes knot makes to be looked at: either eye, parallax, what was filled, anaglyph, glasses, forms.

None of them goes into the shot's own file: forms are written beside it (`eye_forms`).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from drawstring.core.arrays import Picture, Plane
from drawstring.core.camera import Moment
from drawstring.core.colour.view import through_cube, through_view
from drawstring.core.eyes.anaglyph import Mixed, matrices_of, mixed, received
from drawstring.core.eyes.packing import Packing, pack, unsqueezed
from drawstring.core.eyes.settings import Came, Form
from drawstring.core.eyes.sphere import Sight, flat_view, turn_of
from drawstring.core.io.facts import ChannelRef
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import Role
from drawstring.core.recipe.pair_views import is_pair_ready
from drawstring.core.recipe.pairs import Find, moved_eyes, pair_inputs, pair_of
from drawstring.core.recipe.parallaxes import parallax_inputs, parallax_of
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.result import RGB, RGBA, Result
from drawstring.core.recipe.sources import Pixels

PACKED_FORMS = tuple(form for form in Form if form.value in list(Packing))


def eye_pictures(
    pixels: Pixels,
    passes: Sequence[Pass],
    recipe: Recipe,
    at: Moment,
    find: Find,
    *,
    whole: bool = True,
    only: int | None = None,
) -> tuple[Picture, Picture]:
    """Give both eyes' pictures: (H, W, 4) float32; without overscan where not whole.

    Where `only` one is wanted (0 left, 1 right), the other one is not worked out to its end.
    """
    key = "eyes", whole, only
    if key not in at.kept:
        pair = pair_of(Role.BEAUTY, pixels, passes, recipe, at, find, only=only)
        at.kept[key] = tuple(_four(eye) for eye in ((pair.left, pair.right) if whole else pair.shown()))
    left, right = at.kept[key]
    return left, right


def stays_half(form: Form, recipe: Recipe) -> bool:
    """Whether a half size goes out as it came in: nothing is enlarged and reduced again on the way."""
    eyes = recipe.eyes
    return eyes.is_squeezed and eyes.is_untouched and form.value == eyes.packing.value


def _four(planes: Sequence[np.ndarray]) -> Picture:
    floats = [np.asarray(plane, np.float32) for plane in planes[:4]]
    if len(floats) == 1:
        floats *= 3
    if len(floats) == 3:
        floats.append(np.ones_like(floats[0]))
    return np.stack(floats, axis=-1)


def anaglyph_of(
    left: Picture, right: Picture, recipe: Recipe, *, to_look: bool = False, threads: int = 1
) -> Picture:
    """Make the anaglyph of two scene-linear pictures: (H, W, 3) float32, display values.

    Only to be looked at, it goes through the view's cube as everything in the well does; else exactly.
    """
    eyes, seen = recipe.eyes, through_cube if to_look else through_view
    pair = matrices_of(eyes.method, eyes.own_matrix)
    one, other = left[..., :3], right[..., :3]
    if eyes.mixed is Mixed.LINEAR:
        return seen(mixed_open(one, other, pair), eyes.anaglyph_view, threads=threads)
    shown = [seen(eye, eyes.anaglyph_view, threads=threads) for eye in (one, other)]
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


def flat_size(width: int) -> tuple[int, int]:
    """Give the size of a flat view out of an all-round picture of some width: half of it, 16:9, even."""
    wide = max(2, width // 4 * 2)
    return wide, max(2, wide * 9 // 32 * 2)


def flat_sight_of(recipe: Recipe, shape: tuple[int, ...], at: Moment) -> Sight:
    """Give where a flat view looks."""
    now = recipe.eyes.at(at.frame)
    turn = turn_of(now.look_yaw, now.look_pitch)
    return flat_view(flat_size(shape[1]), (shape[1], shape[0]), turn, now.look_field, threads=at.threads)


def eye_results(find: Find) -> list[Result]:
    """Make the Eyes knot's results; `find` finds those of other knots."""

    def inputs(passes: Sequence[Pass], recipe: Recipe) -> list[ChannelRef]:
        return pair_inputs(Role.BEAUTY, passes, recipe, find)

    def one(
        name: str, suffixes: tuple[str, ...], compute: Callable[..., list[Plane]], **how: object
    ) -> Result:
        said: dict[str, object] = {
            "is_packed": False, "is_pointwise": False, "is_extra": True, "is_of_pair": True, **how
        }  # fmt: skip
        ready = said.pop("is_ready", is_pair_ready)
        wants = said.pop("inputs", inputs)
        return Result(name, "eyes", suffixes, ready, wants, compute, **said)  # type: ignore[arg-type]

    def eye(which: int) -> Callable[..., list[Plane]]:
        def compute(pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment) -> list[Plane]:
            return _planes(eye_pictures(pixels, passes, recipe, at, find, only=which)[which])

        return compute

    def filled(which: str) -> Callable[..., list[Plane]]:
        def compute(pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment) -> list[Plane]:
            return [moved_eyes(pixels, passes, recipe, at)[which].holes]

        return compute

    def is_filled(which: str) -> Callable[[Sequence[Pass], Recipe], bool]:
        def ready(passes: Sequence[Pass], recipe: Recipe) -> bool:
            own = "it is the right eye" if which == "right" else "it is the left eye"
            return (
                recipe.eyes.came is Came.ONE
                and recipe.eyes.making.value != own
                and is_pair_ready(passes, recipe)
            )

        return ready

    def parallax(pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment) -> list[Plane]:
        return [np.nan_to_num(parallax_of(pixels, passes, recipe, at, find)[0], nan=0.0)]

    def wants_parallax(passes: Sequence[Pass], recipe: Recipe) -> list[ChannelRef]:
        return parallax_inputs(passes, recipe, find)

    def anaglyph(pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment) -> list[Plane]:
        eyes = eye_pictures(pixels, passes, recipe, at, find)
        return _planes(anaglyph_of(*eyes, recipe, to_look=True, threads=at.threads))

    def glasses(which: int) -> Callable[..., list[Plane]]:
        def compute(pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment) -> list[Plane]:
            eyes = eye_pictures(pixels, passes, recipe, at, find)
            shown = anaglyph_of(*eyes, recipe, to_look=True, threads=at.threads)
            return _planes(display_of_linear(received(linear_of_display(shown), recipe.eyes.method)[which]))

        return compute

    def form(which: Form) -> Callable[..., list[Plane]]:
        def compute(pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment) -> list[Plane]:
            packing = Packing(which.value)
            if stays_half(which, recipe):
                pair = pair_of(Role.BEAUTY, pixels, passes, recipe, at, find, own_pixels=True)
                (left, right), packing = map(_four, pair.shown()), unsqueezed(packing)
            else:
                left, right = eye_pictures(pixels, passes, recipe, at, find, whole=False)
            return _planes(pack(left, right, packing, recipe.eyes.first_out, is_mixed=True))

        return compute

    def is_form(which: Form) -> Callable[[Sequence[Pass], Recipe], bool]:
        return lambda passes, recipe: which in recipe.eyes.deliver and is_pair_ready(passes, recipe)

    def flat(which: int) -> Callable[..., list[Plane]]:
        def compute(pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment) -> list[Plane]:
            picture = eye_pictures(pixels, passes, recipe, at, find, only=which)[which]
            sight = flat_sight_of(recipe, picture.shape, at)
            return _planes(sight.light(picture, threads=at.threads))

        return compute

    def is_round(passes: Sequence[Pass], recipe: Recipe) -> bool:
        return recipe.eyes.is_round and is_pair_ready(passes, recipe)

    return [
        one("eye_left", RGBA, eye(0), is_light=True),
        one("eye_right", RGBA, eye(1), is_light=True),
        one("parallax", ("V",), parallax, inputs=wants_parallax, is_signed=True),
        one("filled_left", ("V",), filled("left"), is_ready=is_filled("left")),
        one("filled_right", ("V",), filled("right"), is_ready=is_filled("right")),
        one("anaglyph", RGB, anaglyph),
        one("glasses_left", RGB, glasses(0)),
        one("glasses_right", RGB, glasses(1)),
        one("flat_left", RGBA, flat(0), is_ready=is_round, is_light=True),
        one("flat_right", RGBA, flat(1), is_ready=is_round, is_light=True),
        *(
            one(f"form_{each.slug}", RGBA, form(each), is_ready=is_form(each), is_light=True)
            for each in PACKED_FORMS
        ),
    ]  # fmt: skip


def _planes(picture: Picture) -> list[Plane]:
    return [np.ascontiguousarray(picture[..., c]) for c in range(picture.shape[-1])]


def needs_whole(name: str, recipe: Recipe, size: tuple[int, int], level: int) -> bool:
    """Whether a result has to be made at full size: lines of two eyes must not be mixed by a proxy.

    Parameters
    ----------
    size : (width, height)
        Of the picture that came.
    level : int
        Of the proxy that is asked for.
    """
    if not level or recipe.eyes.came is not Came.PACKED or not recipe.eyes.needed or name not in EYE_NAMES:
        return False
    lines = recipe.eyes.packing in (Packing.ROWS, Packing.COLUMNS)
    return lines or any(side % (2 << level) for side in size)


EYE_NAMES = frozenset(one.name for one in eye_results(lambda name: None))
"""What the Eyes knot's results are called."""
