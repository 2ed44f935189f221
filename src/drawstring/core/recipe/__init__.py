"""The recipe: knots, settings, outputs and the state of the cord."""

from drawstring.core.recipe.cord import CordFacts, KnotView, cord
from drawstring.core.recipe.knots import KNOTS, Knot, KnotState
from drawstring.core.recipe.outputs import OutputPlan, compute, plan_outputs
from drawstring.core.recipe.recipe import Recipe, change, digest_of, upgraded
from drawstring.core.recipe.results import (
    RESULTS,
    Result,
    available_results,
    find_result,
    is_sent,
    result_named,
)
from drawstring.core.recipe.spaces import space_of

__all__ = [
    "KNOTS",
    "RESULTS",
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
    "cord",
    "digest_of",
    "find_result",
    "is_sent",
    "plan_outputs",
    "result_named",
    "space_of",
    "upgraded",
]
