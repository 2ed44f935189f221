"""What Depth asks of the renderer."""

from __future__ import annotations

from drawstring.core.depth.mist_settings import MistFrom
from drawstring.core.passes.roles import Role
from drawstring.core.recipe.asking import Ask, need, wish
from drawstring.core.recipe.recipe import Recipe


def asks(recipe: Recipe) -> list[Ask]:
    """Give the passes that range, mists and focus need."""
    settings = recipe.depth
    told = []
    if settings.near is not None or settings.far is not None:
        told.append(need(Role.DEPTH, "its range goes out normalised"))
    for mist in (layer for layer in settings.mist if layer.on):
        if mist.source is MistFrom.PASS:
            told.append(need(Role.MIST, f"“{mist.name}” is made from it"))
        else:
            told.append(need(Role.DEPTH, f"“{mist.name}” is made from it"))
        if mist.base is not None:
            told.append(need(Role.POSITION, f"“{mist.name}” thins with height"))
        if mist.clear_names:
            told.append(
                need(Role.OBJECT_MATTE, f"{', '.join(mist.clear_names)} stays clear of “{mist.name}”")
            )
    if settings.focus.on:
        told.append(need(Role.DEPTH, "focus blurs by distance"))
    if told:
        told.append(wish(Role.POSITION, "tells distance along the ray from distance along the axis"))
    return told
