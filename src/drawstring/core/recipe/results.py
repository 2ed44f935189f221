"""All results by name: what the knots make beyond what arrived.

A result is pulled by name; only the channels it asks for are read.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cache

from drawstring.core.chain import PICTURE, Chain, Stage, Value
from drawstring.core.pack.form import Beauty
from drawstring.core.pack.naming import bare_name
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import Role
from drawstring.core.recipe.homes import family_names, family_result, is_sent_by_its_knot, results
from drawstring.core.recipe.pulls import apart
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.result import RGBA, Result
from drawstring.core.recipe.sources import of_view, other_views, pass_of


def find_result(name: str) -> Result | None:
    """Give a result by its name; `right.depth_normalised` is that of the view called right."""
    view, _, bare = name.rpartition(".")
    result = fixed_results().get(bare) or family_result(bare)
    return None if result is not None and view and result.is_of_pair else result


def result_named(name: str) -> Result:
    """Give a result that is known to be there."""
    result = find_result(name)
    assert result is not None, name
    return result


def is_ready(name: str, passes: Sequence[Pass], recipe: Recipe) -> bool:
    """Whether a result can be made; of another view by `right.depth_normalised`."""
    view, result = name.rpartition(".")[0], find_result(name)
    if result is None:
        return False
    if result.is_of_pair:
        return result.is_ready(passes, recipe)
    seen = recipe.with_knot(recipe.depth.of_view(view)) if view else recipe
    return result.is_ready(of_view(passes, view), seen)


def available_results(passes: Sequence[Pass], recipe: Recipe) -> dict[str, tuple[str, ...]]:
    """Give the results that the recipe can make from these passes, with their channels' last words."""
    names = [*fixed_results(), *family_names(recipe)]
    names += [
        f"{view}.{name}"
        for view in other_views(passes)
        for name in names
        if not result_named(name).is_of_pair
    ]
    return {
        name: result.suffixes
        for name in names
        if (result := result_named(name)).is_offered(recipe) and is_ready(name, passes, recipe)
    }


def is_sent(name: str, recipe: Recipe) -> bool:
    """Whether a result goes out as settled: the finished picture and the stack only where asked for."""
    if bare_name(name) == PICTURE:
        return recipe.pack.beauty is not Beauty.ARRIVED
    return is_sent_by_its_knot(bare_name(name), recipe)


def _has_picture(passes: Sequence[Pass], recipe: Recipe) -> bool:
    return pass_of(Role.BEAUTY, passes) is not None


def _finished(chain: Chain) -> Value:
    return apart(chain.after(Stage.OUT, PICTURE))


FINISHED = Result(
    PICTURE, "", RGBA, Stage.OUT, _has_picture, _finished, is_light=True, is_pointwise=False,
    is_extra=True, is_slow=True,
)  # fmt: skip
"""The shot's picture after its last stage: what people look at."""


@cache
def fixed_results() -> dict[str, Result]:
    """Give the results whose names are fixed; others are called as the recipe calls them."""
    return {PICTURE: FINISHED, **results()}


__all__ = [
    "Result",
    "available_results",
    "find_result",
    "fixed_results",
    "is_ready",
    "is_sent",
    "result_named",
]
