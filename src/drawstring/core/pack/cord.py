"""What the cord says of Pack: its title, and what was settled in a word or a number."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from drawstring.core.recipe.cord import CordFacts
    from drawstring.core.recipe.recipe import Recipe

TITLE = "Pack"


def says(recipe: Recipe, facts: CordFacts) -> str:
    """Say what was settled."""
    return f"{facts.channels} channels, {recipe.pack.compression.value}" if facts.channels else "open"
