"""What Pack asks of the renderer."""

from __future__ import annotations

from drawstring.core.passes.former import todays_name
from drawstring.core.recipe.asking import Ask, need
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.results import find_result


def asks(recipe: Recipe) -> list[Ask]:
    """Give the passes that the chosen profile requires; what knots make is none of them."""
    profile = recipe.pack.profile
    if profile is None:
        return []
    names = [todays_name(name) for name in profile.required]
    return [
        need(name, f"required by the profile “{profile.name}”") for name in names if find_result(name) is None
    ]
