"""What the Alpha knot makes: element, fringes, mattes, shadow, stack."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from typing import Any

import numpy as np

from drawstring.core.alpha import layers as laying
from drawstring.core.alpha.conversion import straight
from drawstring.core.alpha.fringe import fringes, over_ground
from drawstring.core.alpha.mattes import is_matte_ready
from drawstring.core.alpha.shadow import black_layer, recomposed
from drawstring.core.alpha.shadows import Shadow, has_ground, is_shadow_ready
from drawstring.core.alpha.stack import Laid
from drawstring.core.alpha.stack_settings import Sends, StackLayer
from drawstring.core.alpha.steps import ELEMENT, SHADOW, can_be_cut
from drawstring.core.arrays import Picture, Plane, as_picture
from drawstring.core.camera import Moment
from drawstring.core.chain import MATTE as MATTE_IN_CHAIN
from drawstring.core.chain import PICTURE, Chain, Stage, Value, value
from drawstring.core.passes.hashed import ranked_channels
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import Role
from drawstring.core.recipe.pulls import LIGHT, apart, planes_of, subject_of
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.result import RGB, RGBA, Result
from drawstring.core.recipe.sources import alpha_channel, pass_of

MATTE, LAYER = "matte_", "layer_"
"""What names of mattes and of layers that go out begin with."""


NAMES, NAME_LAYERS = "CryptoNamed", 3
"""What the mattes' own set of hashed names is called, and how many layers of two ranks it has at most."""


def _has_element(passes: Sequence[Pass], recipe: Recipe) -> bool:
    return (
        recipe.alpha.needed and pass_of(Role.BEAUTY, passes) is not None and alpha_channel(passes) is not None
    )


def _can_be_cut(passes: Sequence[Pass], recipe: Recipe) -> bool:
    return can_be_cut(list(passes), recipe)


def _element(chain: Chain) -> Value:
    return apart(chain.after(Stage.DERIVED, ELEMENT))


def _straight(chain: Chain) -> Value:
    # Filtered premultiplied like everything else, divided at the end.
    placed = chain.carried(apart(chain.after(Stage.PARTED, PICTURE)), Stage.PARTED, LIGHT)
    return value("straight", lambda at, planes: planes_of(straight(as_picture(planes))), placed)


def _over(chain: Chain) -> Value:
    alpha = subject_of(chain).recipe.alpha

    def make(at: Moment, element: Picture) -> Sequence[Plane]:
        step = at.placed(element.shape[:2]).step
        return planes_of(over_ground(element, alpha.over, alpha.over_colour, square=max(2, 16 // step)))

    return value("over ground", make, chain.after(Stage.DERIVED, ELEMENT), of=(alpha.over, alpha.over_colour))


def _fringes(chain: Chain) -> Value:
    return value("fringes", lambda at, element: [fringes(element).off], chain.after(Stage.DERIVED, ELEMENT))


def _of_shadow(name: str, make: Callable[[Shadow], Sequence[Plane]]) -> Callable[[Chain], Value]:
    return lambda chain: value(name, lambda at, shadow: make(shadow), chain.after(Stage.DERIVED, SHADOW))


def _recomposed(made: Shadow) -> Picture:
    assert made.ground is not None
    return recomposed(made.element, made.multiply, made.ground)


def _residual(made: Shadow) -> Sequence[Plane]:
    assert made.on_ground is not None
    return [np.asarray((_recomposed(made) - made.on_ground).mean(axis=-1), np.float32)]


def _ground(made: Shadow) -> Sequence[Plane]:
    assert made.ground is not None
    return planes_of(made.ground)


def matte_result(name: str) -> Result:
    """Give the result that is a named matte."""
    bare = name.removeprefix(MATTE)
    return Result(
        name, "alpha", ("V",), Stage.DERIVED,
        lambda passes, recipe: is_matte_ready(bare, passes, recipe),
        lambda chain: value(
            "matte alone", lambda at, plane: [plane], chain.after(Stage.DERIVED, MATTE_IN_CHAIN + bare)
        ),
        is_mixed=True, is_pointwise=False, is_extra=True,
    )  # fmt: skip


def stack_result(find: laying.Find) -> Result:
    """Give the stack as it is laid; its layers are found by name."""
    return Result(
        "stack", "alpha", RGBA, Stage.LAID,
        lambda passes, recipe: laying.is_stack_ready(passes, recipe, find),
        lambda chain: apart(chain.after(Stage.LAID, PICTURE)),
        is_light=True, is_extra=True, is_slow=True,
    )  # fmt: skip


def layer_result(name: str, find: laying.Find) -> Result:
    """Give one layer of the stack as it is laid, by itself."""

    def layer_in(recipe: Recipe) -> StackLayer | None:
        return next((one for one in laying.shown_pictures(recipe) if laying.layer_name(one) == name), None)

    def is_ready(passes: Sequence[Pass], recipe: Recipe) -> bool:
        layer = layer_in(recipe)
        if layer is None or not recipe.alpha.needed or not passes:
            return False
        return not laying.layer_fault(layer, passes, recipe, find)

    def tap(chain: Chain) -> Value:
        layer = layer_in(subject_of(chain).recipe)
        assert layer is not None
        return value("shown", _shown, laying.layer_value(chain, layer))

    return Result(name, "alpha", RGBA, Stage.LAID, is_ready, tap, is_light=True, is_extra=True)


def _shown(at: Moment, laid: Laid) -> Sequence[Plane]:
    return planes_of(laid.shown())


def hashed_result(name: str) -> Result:
    """Give one layer of ranked channels that holds the named mattes as hashed names."""
    first = 2 * int(name.removeprefix(NAMES))

    def ready(recipe: Recipe, passes: Sequence[Pass]) -> list[str]:
        return [one.name for one in recipe.alpha.mattes if is_matte_ready(one.name, passes, recipe)]

    def is_ready(passes: Sequence[Pass], recipe: Recipe) -> bool:
        return recipe.alpha.as_names and recipe.alpha.needed and len(ready(recipe, passes)) > first

    def tap(chain: Chain) -> Value:
        subject = subject_of(chain)
        names = ready(subject.recipe, subject.passes)

        def make(at: Moment, *mattes: Plane) -> Sequence[Plane]:
            channels, _ = ranked_channels(NAMES, dict(zip(names, mattes, strict=True)), ranks=2 * NAME_LAYERS)
            return [channels[f"{name}.{letter}"] for letter in "RGBA"]

        # Ranks can't be filtered; the mattes they are made from can.
        mattes = [value(f"matte {each}", _only, _placed_matte(chain, each)) for each in names]
        return value("ranks", make, *mattes, of=(name, names))

    return Result(name, "alpha", RGBA, Stage.OUT, is_ready, tap, is_pointwise=False, is_extra=True)


def _placed_matte(chain: Chain, name: str) -> Value:
    result = matte_result(MATTE + name)
    return chain.carried(result.tap(chain), result.stage, result.how)


def _only(at: Moment, planes: list[Plane]) -> Plane:
    return planes[0]


def named_results(recipe: Recipe) -> list[str]:
    """Give the results whose names the recipe makes up: mattes, and layers that go out."""
    alpha = recipe.alpha
    names = [MATTE + one.name for one in alpha.mattes]
    names += [f"{NAMES}{layer:02d}" for layer in range(NAME_LAYERS)] if alpha.as_names else []
    if alpha.sends in (Sends.LAYERS, Sends.BOTH):
        names += [laying.layer_name(layer) for layer in laying.shown_pictures(recipe)]
    return list(dict.fromkeys(names))


def is_sent_by_alpha(name: str, recipe: Recipe) -> bool:
    """Whether a result of the stack is to go out as settled; others always are."""
    if name == "stack":
        return recipe.alpha.sends in (Sends.PICTURE, Sends.BOTH)
    return True


_derived: Callable[..., Result] = partial(Result, knot="alpha", stage=Stage.DERIVED)


def _shadow_result(name: str, suffixes: tuple[str, ...], make: Callable[[Shadow], Sequence[Plane]],
                   **how: Any) -> Result:  # fmt: skip
    is_ready = how.pop("is_ready", is_shadow_ready)
    return _derived(
        name, suffixes=suffixes, is_ready=is_ready, tap=_of_shadow(name, make), is_mixed=True,
        is_pointwise=False, **how,
    )  # fmt: skip


ALPHA_RESULTS = (
    _derived(
        "element", suffixes=RGBA, is_ready=_can_be_cut, tap=_element, is_light=True, is_pointwise=False,
        is_extra=True, likeness=ELEMENT,
    ),
    Result(
        "beauty_straight", "alpha", RGBA, Stage.OUT,
        lambda passes, recipe: _has_element(passes, recipe) and recipe.alpha.straight_too,
        _straight, is_light=True, is_extra=True,
    ),
    _shadow_result(
        "shadow_layer", RGBA, lambda made: planes_of(black_layer(made.s, made.tint)), is_light=True,
        is_extra=True, is_dark=True, is_slow=True,
    ),
    _shadow_result(
        "shadow_multiply", RGB, lambda made: planes_of(made.multiply), is_extra=True, is_slow=True
    ),
    _shadow_result(
        "shadow_recomposed", RGB, lambda made: planes_of(_recomposed(made)), is_ready=has_ground,
        is_packed=False, is_light=True, is_slow=True,
    ),
    _shadow_result(
        "shadow_residual", ("V",), _residual, is_ready=has_ground, is_packed=False, is_signed=True
    ),
    _shadow_result("ground_fitted", RGB, _ground, is_ready=has_ground, is_packed=False, is_light=True),
    _derived(
        "over_ground", suffixes=RGBA, is_ready=_has_element, tap=_over, is_pointwise=False, is_packed=False,
        is_light=True,
    ),
    _derived(
        "fringes", suffixes=("V",), is_ready=_has_element, tap=_fringes, is_pointwise=False, is_packed=False,
        is_signed=True,
    ),
)  # fmt: skip
