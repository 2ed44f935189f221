"""What the cord says of Scene: its title, and what was settled in a word or a number."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from drawstring.core.recipe.cord import CordFacts
    from drawstring.core.recipe.recipe import Recipe

TITLE = "Scene"


def says(recipe: Recipe, facts: CordFacts) -> str:
    """Say what was settled."""
    settings = recipe.scene
    said: list[str] = []
    for several, called in ((settings.lights, "light"), (settings.beams, "beam"), (settings.cards, "card")):
        count = sum(one.on for one in several)
        if count:
            said.append(f"{count} {called}{'s' if count > 1 else ''}")
    if len(said) > 1:
        # A knot has little room: each of them stands in its panel.
        return f"{sum(one.on for one in (*settings.lights, *settings.beams, *settings.cards))} things added"
    return ", ".join(said) or settings.camera or "the headers' camera"
