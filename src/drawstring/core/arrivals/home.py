"""Arrivals' home in the core: channels as they are read."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from drawstring.core.arrivals.slips import tell_slips as tell
from drawstring.core.arrivals.steps import Arrived
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.result import Result

__all__ = ["RESULTS", "STEPS", "header", "tell"]

STEPS = (Arrived(),)
RESULTS: tuple[Result, ...] = ()


def header(recipe: Recipe, made: Collection[str], frame: int) -> dict[str, Any]:
    """Say whose configuration colours were managed by, where one was chosen."""
    management = recipe.arrivals.management
    if not management.config:
        return {}
    return {"drawstring.colour.config": management.says, "drawstring.colour.working": management.working}
