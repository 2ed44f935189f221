"""What the cord says of the Plan: its title, and the order that asks for the shot."""

from __future__ import annotations

from typing import TYPE_CHECKING

from drawstring.core.plan.sums import Round

if TYPE_CHECKING:
    from drawstring.core.recipe.cord import CordFacts
    from drawstring.core.recipe.recipe import Recipe

TITLE = "Plan"

IS_BEFORE_ARRIVALS = True
"""It is settled on nothing that has arrived."""


def says(recipe: Recipe, facts: CordFacts) -> str:
    """Say what was settled."""
    settings = recipe.plan
    if facts.order:
        return f"order {facts.order}"
    said = [f"{settings.size[0]} × {settings.size[1]}"] if settings.size else []
    if settings.overscan:
        said.append(f"+{settings.overscan}")
    if settings.rig.on:
        said.append("two eyes")
    if settings.round.kind is not Round.NOT:
        said.append("all-round")
    if settings.tiles.cells:
        said.append(f"{settings.tiles.cells[0]} × {settings.tiles.cells[1]} tiles")
    return ", ".join(said) or "no order yet"
