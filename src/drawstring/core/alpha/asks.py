"""What Alpha asks of the renderer."""

from __future__ import annotations

from drawstring.core.alpha.matte_settings import MatteFrom
from drawstring.core.alpha.settings import CutBy
from drawstring.core.alpha.shadow_settings import GroundFrom, ShadowFrom
from drawstring.core.alpha.stack_settings import Behind
from drawstring.core.passes.roles import Role
from drawstring.core.recipe.asking import Ask, need
from drawstring.core.recipe.recipe import Recipe

_ROLE_VALUES = frozenset(role.value for role in Role)


def asks(recipe: Recipe) -> list[Ask]:
    """Give the passes that mattes, shadow and stack need."""
    settings = recipe.alpha
    told = []
    for matte in settings.mattes:
        role = {
            MatteFrom.NAMES: Role.OBJECT_MATTE, MatteFrom.NUMBERS: Role.ID, MatteFrom.COLOURS: Role.ID_COLOUR,
        }.get(matte.source)  # fmt: skip
        if matte.of and matte.source is not MatteFrom.MESH:
            told.append(need(matte.of, f"the matte “{matte.name}” is taken from it"))
        elif role is not None:
            told.append(need(role, f"the matte “{matte.name}” is taken from it"))
    if settings.shadow.on:
        if settings.shadow.source is ShadowFrom.RENDERS:
            told.append(need(Role.GROUND_PICTURE, "the shadow: object alone, and object on white"))
            if settings.shadow.ground is GroundFrom.RENDER:
                told.append(need(Role.CLEAN_GROUND, "the shadow is divided by the ground alone"))
        elif settings.shadow.source is ShadowFrom.PASSES:
            told += [
                need(name, "the shadow is made from it") for name in settings.shadow.passes or (Role.SHADOW,)
            ]
        else:
            lit = settings.shadow.with_shadow, settings.shadow.without_shadow
            told += [need(name, "the shadow: one light, with and without it") for name in lit if name]
    for layer in (layer for layer in settings.stack if layer.on and not layer.does):
        if layer.source in _ROLE_VALUES and layer.source != Role.BEAUTY:
            told.append(need(layer.source, f"layer “{layer.name}” of the stack"))
        if layer.behind in (Behind.DISTANCE, Behind.ITS_DEPTH):
            told.append(need(Role.DEPTH, f"layer “{layer.name}” lies behind what is nearer"))
    if settings.cut is CutBy.DEPTH:
        told.append(need(Role.DEPTH, "the environment is cut out by distance"))
    return told
