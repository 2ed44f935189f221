"""What Framing asks of the renderer."""

from __future__ import annotations

from drawstring.core.framing.settings import Bends
from drawstring.core.passes.roles import Role
from drawstring.core.recipe.asking import Ask, need
from drawstring.core.recipe.recipe import Recipe


def asks(recipe: Recipe) -> list[Ask]:
    """Give what a straightened plate needs: the plate."""
    lens = recipe.framing.lens
    return [need(Role.PLATE, "it is straightened")] if lens.is_on and lens.bends is Bends.PLATE else []
