"""Views that are baked into pictures for looking, as a recipe chooses them."""

from __future__ import annotations

from drawstring.core.colour.management import Management
from drawstring.core.recipe.recipe import Recipe


def view_of(recipe: Recipe) -> tuple[str, Management]:
    """Give the view that is baked into what is looked at, and whose it is."""
    management = recipe.arrivals.management
    return management.view_like(recipe.pack.picture_view), management


def views_chosen(recipe: Recipe) -> dict[str, str]:
    """Give every view that is chosen, by dotted setting."""
    chosen = dict[str, str]()
    for knot, settings in recipe:
        chosen |= {
            f"{knot}.{name}": str(getattr(settings, name))
            for name in type(settings).model_fields
            if name.endswith("_view")
        }
    return chosen
