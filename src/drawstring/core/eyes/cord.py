"""What the cord says of Eyes: its title, and what was settled in a word or a number."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from drawstring.core.recipe.cord import CordFacts
    from drawstring.core.recipe.recipe import Recipe

TITLE = "Eyes"


def says(recipe: Recipe, facts: CordFacts) -> str:
    """Say what was settled."""
    eyes = recipe.eyes
    said = {"packed": eyes.packing.says, "one_eye": "one made", "no_pair": "one picture"}.get(
        eyes.came.value, "two views"
    )
    words = [said] + (["swapped"] if eyes.swap else []) + (["all-round"] if eyes.is_round else [])
    if eyes.deliver:
        words.append(f"{len(eyes.deliver)} form{'s' if len(eyes.deliver) > 1 else ''}")
    return ", ".join(words)
