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
    changed = sum(one.changes for one in settings.terms.values())
    mixed = sum(one.on for one in settings.mixed)
    said = [settings.partition.says]
    said += [f"{changed} changed"] if changed else []
    said += [f"{mixed} mixed in"] if mixed else []
    said += ["colour"] if settings.grade.changes else []
    return ", ".join(said)
