"""The recipe: knots, settings, outputs and the state of the cord.

Names are brought when they are asked for: knots' homes rest on parts of this package, and it on them.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from drawstring.core.recipe.cord import CordFacts, KnotView, cord_of
    from drawstring.core.recipe.knots import KNOTS, Knot, KnotState
    from drawstring.core.recipe.outputs import OutputPlan, compute, plan_outputs
    from drawstring.core.recipe.recipe import Recipe, change, digest_of, upgraded
    from drawstring.core.recipe.result import Result
    from drawstring.core.recipe.results import (
        available_results,
        find_result,
        fixed_results,
        is_sent,
        result_named,
    )
    from drawstring.core.recipe.spaces import space_of

_WHERE = {
    "CordFacts": "cord", "KnotView": "cord", "cord_of": "cord", "KNOTS": "knots", "Knot": "knots",
    "KnotState": "knots", "OutputPlan": "outputs", "compute": "outputs", "plan_outputs": "outputs",
    "Recipe": "recipe", "change": "recipe", "digest_of": "recipe", "upgraded": "recipe", "Result": "result",
    "available_results": "results", "find_result": "results", "fixed_results": "results",
    "is_sent": "results", "result_named": "results", "space_of": "spaces",
}  # fmt: skip

__all__ = [
    "KNOTS",
    "CordFacts",
    "Knot",
    "KnotState",
    "KnotView",
    "OutputPlan",
    "Recipe",
    "Result",
    "available_results",
    "change",
    "compute",
    "cord_of",
    "digest_of",
    "find_result",
    "fixed_results",
    "is_sent",
    "plan_outputs",
    "result_named",
    "space_of",
    "upgraded",
]


def __getattr__(name: str) -> Any:
    if name not in _WHERE:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    return getattr(import_module(f"{__name__}.{_WHERE[name]}"), name)
