"""What Eyes asks of the renderer."""

from __future__ import annotations

from drawstring.core.eyes.settings import Came
from drawstring.core.passes.roles import Role
from drawstring.core.recipe.asking import Ask, need, wish
from drawstring.core.recipe.recipe import Recipe


def asks(recipe: Recipe) -> list[Ask]:
    """Give the passes that a made eye needs, and what tells parallax."""
    if recipe.eyes.came is Came.ONE:
        return [need(Role.DEPTH, "the other eye is made from it"), wish(Role.POSITION, "proves the camera")]
    return [wish(Role.DEPTH, "tells parallax exactly, instead of by comparing pictures")]
