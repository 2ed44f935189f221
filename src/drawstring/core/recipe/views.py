"""Views that are baked into pictures for looking, as a recipe chooses them."""

from __future__ import annotations

from typing import Any

from drawstring.core.colour.management import Management, read_view
from drawstring.core.knots import NAMES
from drawstring.core.recipe.recipe import Recipe


def view_of(recipe: Recipe) -> tuple[str, Management]:
    """Give the view that is baked into what is looked at, and whose it is."""
    management = recipe.arrivals.management
    return management.view_like(recipe.pack.picture_view), management


def views_chosen(recipe: Recipe) -> dict[str, str]:
    """Give every view that is chosen, by dotted setting."""
    chosen = dict[str, str]()
    for knot in NAMES:
        settings = recipe.knot(knot)
        chosen |= {
            f"{knot}.{name}": str(getattr(settings, name))
            for name, field in type(settings).model_fields.items()
            if _reader_of(field.json_schema_extra) is read_view
        }
    return chosen


def _reader_of(extra: Any) -> Any:
    return extra.get("reader") if isinstance(extra, dict) else None
