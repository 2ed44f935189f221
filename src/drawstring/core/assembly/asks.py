"""What Assembly asks of the renderer."""

from __future__ import annotations

from drawstring.core.assembly.settings import Partition
from drawstring.core.passes.roles import Role
from drawstring.core.recipe.asking import Ask, need, wish
from drawstring.core.recipe.recipe import Recipe

_COMPONENTS = (
    Role.DIFFUSE_DIRECT, Role.DIFFUSE_INDIRECT, Role.DIFFUSE_ALBEDO, Role.SPECULAR_DIRECT,
    Role.SPECULAR_INDIRECT, Role.SPECULAR_ALBEDO, Role.EMISSION, Role.ENVIRONMENT,
)  # fmt: skip


def asks(recipe: Recipe) -> list[Ask]:
    """Give the parts that the beauty is rebuilt from."""
    settings = recipe.assembly
    told = []
    if settings.partition is Partition.COMPONENTS:
        told += [
            need(role, "a part of the beauty: light, and the colour it is multiplied with")
            for role in _COMPONENTS
        ]
        told.append(wish(Role.VOLUME, "a part of the beauty where there is fog or fire"))
    elif settings.partition is Partition.LIGHTS:
        told.append(need(Role.LIGHT_GROUP, "a part of the beauty for each light"))
    else:
        told += [need(role, "named in the own sum") for role in Role if role.value in settings.own]
    told += [need(mix.source, "mixed into the picture") for mix in settings.mixed if mix.on]
    return told
