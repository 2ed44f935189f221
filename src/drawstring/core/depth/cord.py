"""What the cord says of Depth: its title, and what was settled in a word or a number."""

from __future__ import annotations

from typing import TYPE_CHECKING

from drawstring.core.units import say_length

if TYPE_CHECKING:
    from drawstring.core.recipe.cord import CordFacts
    from drawstring.core.recipe.recipe import Recipe

TITLE = "Depth"


def says(recipe: Recipe, facts: CordFacts) -> str:
    """Say what was settled."""
    near, far = recipe.depth.near, recipe.depth.far
    said = (
        "open" if near is None or far is None else f"{say_length(near)}-{say_length(far, facts.scene_unit)}"
    )
    mists = sum(layer.on for layer in recipe.depth.mist)
    made = [f"{mists} mist{'s' if mists > 1 else ''}"] if mists else []
    return ", ".join([said, *made, *(["focus"] if recipe.depth.focus.on else [])])
