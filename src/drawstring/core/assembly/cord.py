"""What the cord says of Assembly: its title, and what was settled in a word."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from drawstring.core.recipe.cord import CordFacts
    from drawstring.core.recipe.recipe import Recipe

TITLE = "Assembly"


def says(recipe: Recipe, facts: CordFacts) -> str:
    """Say what was settled."""
    settings = recipe.assembly
    changes = sum(one.changes for one in settings.terms.values()) + sum(one.on for one in settings.mixed)
    changes += settings.grade.changes
    counted = f", {changes} change{'s' if changes > 1 else ''}" if changes else ""
    return settings.partition.says + counted
