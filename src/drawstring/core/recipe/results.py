"""All results by name: what the knots make beyond what arrived.

A result is pulled by name; only the channels it asks for are read.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from drawstring.core.passes.recognition import Pass
from drawstring.core.recipe.alpha_results import (
    ALPHA_RESULTS,
    LAYER,
    MATTE,
    NAMES,
    hashed_result,
    is_sent,
    layer_result,
    matte_result,
    named_results,
    stack_result,
)
from drawstring.core.recipe.depth_results import DEPTH_RESULTS
from drawstring.core.recipe.eye_results import eye_results
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.result import Result
from drawstring.core.recipe.sources import of_view, other_views


def find_result(name: str) -> Result | None:
    """Give a result by its name; `right.depth_normalised` is that of the view called right."""
    view, _, bare = name.rpartition(".")
    one = RESULTS.get(bare)
    if one is None and bare.startswith(MATTE) and len(bare) > len(MATTE):
        one = matte_result(bare)
    elif one is None and bare.startswith(NAMES) and bare.removeprefix(NAMES).isdigit():
        one = hashed_result(bare)
    elif one is None and bare.startswith(LAYER) and len(bare) > len(LAYER):
        one = layer_result(bare, find_result)
    if one is None or not view:
        return one
    if one.is_of_pair:
        return None

    def recipe_of(recipe: Recipe) -> Recipe:
        return recipe.with_knot(recipe.depth.of_view(view))

    return replace(
        one,
        name=name,
        is_ready=lambda passes, recipe: one.is_ready(of_view(passes, view), recipe_of(recipe)),
        inputs=lambda passes, recipe: one.inputs(of_view(passes, view), recipe_of(recipe)),
        compute=lambda pixels, passes, recipe, at: one.compute(
            pixels, of_view(passes, view), recipe_of(recipe), at
        ),
    )


def result_named(name: str) -> Result:
    """Give a result that is known to be there."""
    one = find_result(name)
    assert one is not None, name
    return one


def available_results(passes: Sequence[Pass], recipe: Recipe) -> dict[str, tuple[str, ...]]:
    """Give the results that the recipe can make from these passes, with their channels' last words."""
    first = of_view(passes, "")
    results = [*RESULTS.values(), *(result_named(name) for name in named_results(recipe))]
    found = {
        one.name: one.suffixes for one in results if one.is_ready(passes if one.is_of_pair else first, recipe)
    }
    for view in other_views(passes):
        for one in results:
            if one.is_of_pair:
                continue
            named = result_named(f"{view}.{one.name}")
            if named.is_ready(passes, recipe):
                found[named.name] = one.suffixes
    return found


RESULTS: dict[str, Result] = {
    one.name: one
    for one in (*DEPTH_RESULTS, *ALPHA_RESULTS, stack_result(find_result), *eye_results(find_result))
}
"""Results whose names are fixed; mattes and layers are called as the recipe calls them."""

__all__ = ["RESULTS", "Result", "available_results", "find_result", "is_sent", "result_named"]
