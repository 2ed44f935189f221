"""Alpha's home in the core: what is derived and laid on the chain, mattes, shadow and layers."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from drawstring.core.alpha.asks import asks
from drawstring.core.alpha.results import (
    ALPHA_RESULTS,
    LAYER,
    MATTE,
    NAMES,
    hashed_result,
    layer_result,
    matte_result,
    named_results,
    stack_result,
)
from drawstring.core.alpha.results import is_sent_by_alpha as is_sent
from drawstring.core.alpha.steps import ALPHA_STEPS as STEPS
from drawstring.core.alpha.telling import tell
from drawstring.core.passes.hashed import name_header
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.result import Result
from drawstring.core.recipe.results import find_result as find_any

__all__ = [
    "FAMILIES",
    "RESULTS",
    "STEPS",
    "asks",
    "find_result",
    "header",
    "is_sent",
    "named_results",
    "tell",
]

FAMILIES = (MATTE, LAYER, NAMES)
"""What names of results begin with that the recipe makes up."""

RESULTS = (*ALPHA_RESULTS, stack_result(find_any))


def header(recipe: Recipe, made: Collection[str], frame: int) -> dict[str, Any]:
    """Say how alpha was read where it was not premultiplied, and list the names that go out hashed."""
    said: dict[str, Any] = {
        f"drawstring.alpha.{name}.readAs": kind.value for name, kind in recipe.alpha.kinds.items()
    }
    if any(name.rpartition(".")[2].startswith(NAMES) for name in made):
        said |= name_header(NAMES, [matte.name for matte in recipe.alpha.mattes])
    return said


def find_result(name: str) -> Result | None:
    """Give a named matte, a layer of the stack, or a set of hashed names."""
    if name.startswith(MATTE) and len(name) > len(MATTE):
        return matte_result(name)
    if name.startswith(NAMES) and name.removeprefix(NAMES).isdigit():
        return hashed_result(name)
    return layer_result(name, find_any) if name.startswith(LAYER) and len(name) > len(LAYER) else None
