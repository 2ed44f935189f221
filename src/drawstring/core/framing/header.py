"""What a packed frame's header says of its frame: filters and lens."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from drawstring.core.recipe.recipe import Recipe


def header(recipe: Recipe, made: Collection[str], frame: int) -> dict[str, Any]:
    """Say by which filters and through which lens pixels went."""
    settings = recipe.framing
    if not settings.needed or not settings.moves or not settings.settled_on:
        return {}
    said: dict[str, Any] = {
        "drawstring.framing.light": settings.light.value,
        "drawstring.framing.distances": settings.distances.value,
        "drawstring.framing.fit": settings.fit.value,
    }
    if settings.lens.is_on:
        lens = settings.lens
        said["drawstring.framing.lens"] = (
            f"{lens.bends.value}: {lens.model.value}, k {lens.k[0]:g} {lens.k[1]:g} {lens.k[2]:g}, "
            f"p {lens.p[0]:g} {lens.p[1]:g}, centre {lens.centre[0]:g} {lens.centre[1]:g}, "
            f"aspect {lens.aspect:g}"
        )
    return said
