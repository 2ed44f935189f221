"""What the cord says of Framing: its title, and what was settled in a word or a number."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from drawstring.core.recipe.cord import CordFacts
    from drawstring.core.recipe.recipe import Recipe

TITLE = "Framing"


def says(recipe: Recipe, facts: CordFacts) -> str:
    """Say what was settled."""
    settings = recipe.framing
    said = [f"{settings.size[0]} × {settings.size[1]}"] if settings.size else []
    if settings.whole.is_on or settings.scene.is_on:
        said.append("moved")
    if settings.shake.is_on:
        said.append("shaken")
    if settings.lens.is_on:
        said.append("lens")
    if settings.grid.cells is not None:
        said.append(f"grid {settings.grid.cells[0]} × {settings.grid.cells[1]}")
    if settings.ratio is not None and settings.burned:
        said.append(f"{settings.ratio:g}:1")
    return ", ".join(said) or "as it came"
