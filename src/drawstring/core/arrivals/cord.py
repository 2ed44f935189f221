"""What the cord says of Arrivals: its title, and what was settled in a word or a number."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from drawstring.core.recipe.cord import CordFacts
    from drawstring.core.recipe.recipe import Recipe

TITLE = "Arrivals"


def says(recipe: Recipe, facts: CordFacts) -> str:
    """Say what was settled."""
    passes = f"{facts.passes} pass{'es' if facts.passes != 1 else ''}"
    return f"{passes}, {facts.frames} frames" if facts.passes else "nothing yet"
