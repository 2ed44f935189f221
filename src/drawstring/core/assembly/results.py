"""What Assembly makes: the sum, the residual, the rest, each term as it goes into the picture."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from drawstring.core.arrays import Picture, Plane, Stored
from drawstring.core.assembly.expression import Planes
from drawstring.core.assembly.hot import mended
from drawstring.core.assembly.steps import (
    changed_value,
    has_sum,
    is_changed,
    rest_value,
    sum_value,
    term_value,
)
from drawstring.core.assembly.terms import Term, counted_terms
from drawstring.core.camera import Moment
from drawstring.core.chain import PICTURE, Chain, Stage, Value, value
from drawstring.core.passes.recognition import Pass
from drawstring.core.recipe.pulls import apart, subject_of
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.result import RGB, RGBA, Result

TERM = "term_"
"""What the name of a single term's result begins with."""


def term_result(name: str) -> Result:
    """Make the result of one term: its light as it goes into the picture, muted or not."""
    wanted = name.removeprefix(TERM)

    def is_ready(passes: Sequence[Pass], recipe: Recipe) -> bool:
        return has_sum(passes, recipe) and _named(wanted, passes, recipe) is not None

    def tap(chain: Chain) -> Value:
        subject = subject_of(chain)
        term = _named(wanted, subject.passes, subject.recipe)
        assert term is not None
        return _planes(changed_value(chain, term))

    return Result(
        name, "assembly", RGB, Stage.ASSEMBLED, is_ready, tap, is_packed=False, is_light=True, is_signed=False
    )


def _named(name: str, passes: Sequence[Pass], recipe: Recipe) -> Term | None:
    return next((one for one in counted_terms(passes, recipe.assembly) if one.name == name), None)


def named_results(recipe: Recipe) -> list[str]:
    """Give the terms that were touched; the others are found by their names, too."""
    return [f"{TERM}{name}" for name, one in recipe.assembly.terms.items() if one.counts and one.changes]


def is_sent(name: str, recipe: Recipe) -> bool:
    """Whether a result goes out as settled."""
    return name != "rest" or recipe.assembly.sends_rest


def _planes(light: Value) -> Value:
    return value("planes of light", lambda at, whole: _apart(whole), light)


def _apart(whole: Planes) -> list[Plane]:
    return [np.ascontiguousarray(whole[..., i]) for i in range(whole.shape[-1])]


def _rebuilt(chain: Chain) -> Value:
    """Describe the sum as a picture, with the beauty's coverage."""

    def make(at: Moment, total: Planes, picture: Picture) -> list[Stored]:
        return [*_apart(total), np.ascontiguousarray(picture[..., 3])]

    return value("rebuilt", make, sum_value(chain), chain.before(Stage.ASSEMBLED, PICTURE))


def _residual(chain: Chain) -> Value:
    """Describe the residual to look at: of R, G and B the difference that is largest, with its sign."""

    def make(at: Moment, planes: list[Plane]) -> list[Plane]:
        each = np.stack(planes)
        largest = np.abs(each).argmax(axis=0)[None]
        return [np.ascontiguousarray(np.take_along_axis(each, largest, 0)[0])]

    return value("residual", make, rest_value(chain))


def _hot(chain: Chain) -> Value:
    """Describe where hot pixels of any term are mended: a matte."""
    subject = subject_of(chain)
    settings = subject.recipe.assembly
    terms = [
        one for one in counted_terms(subject.passes, settings) if settings.term(one.name).mend_hot
    ]  # fmt: skip

    def make(at: Moment, *lights: Planes) -> list[Plane]:
        step = subject.here(at, Stage.DERIVED).placed(lights[0].shape[:2]).step
        where = np.zeros(lights[0].shape[:2], bool)
        for light in lights:
            if step == 1:
                where |= mended(light, settings.hot_above)[1]
        return [where.astype(np.float32)]

    return value("hot pixels", make, *(term_value(chain, term) for term in terms), of=settings.hot_above)


def _mends_hot(passes: Sequence[Pass], recipe: Recipe) -> bool:
    settings = recipe.assembly
    return has_sum(passes, recipe) and any(
        settings.term(one.name).mend_hot for one in counted_terms(passes, settings)
    )


ASSEMBLY_RESULTS = (
    Result(
        "beauty_assembled", "assembly", RGBA, Stage.ASSEMBLED, is_changed,
        lambda chain: apart(chain.after(Stage.ASSEMBLED, PICTURE)), is_light=True, is_extra=True,
    ),
    Result(
        "rebuilt", "assembly", RGBA, Stage.ASSEMBLED, has_sum, _rebuilt, is_light=True, is_extra=True,
        needs_whole=True,
    ),
    Result(
        "residual", "assembly", ("V",), Stage.ASSEMBLED, has_sum, _residual, is_packed=False, is_signed=True,
        needs_whole=True,
    ),
    Result(
        "rest", "assembly", RGB, Stage.ASSEMBLED, has_sum, rest_value, is_light=True, needs_whole=True,
        is_offered=lambda recipe: recipe.assembly.sends_rest,
    ),
    Result(
        "hot_pixels", "assembly", ("V",), Stage.ASSEMBLED, _mends_hot, _hot, is_mixed=True, is_extra=True,
        is_pointwise=False, needs_whole=True,
    ),
)  # fmt: skip
