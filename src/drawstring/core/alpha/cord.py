"""What the cord says of Alpha: its title, and what was settled in a word or a number."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from drawstring.core.recipe.cord import CordFacts
    from drawstring.core.recipe.recipe import Recipe

TITLE = "Alpha"


def says(recipe: Recipe, facts: CordFacts) -> str:
    """Say what was settled."""
    alpha = recipe.alpha
    kind = next(iter(alpha.kinds.values()), None)
    said = [kind.says] if kind else []
    if alpha.mattes:
        said.append(f"{len(alpha.mattes)} matte{'s' if len(alpha.mattes) > 1 else ''}")
    if alpha.shadow.on:
        said.append("shadow")
    if alpha.stack:
        said.append(f"{len(alpha.stack)} layers")
    return ", ".join(said) or "premultiplied"
