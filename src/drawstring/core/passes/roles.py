"""What a pass can be taken for, and how such a pass is looked at."""

from __future__ import annotations

from enum import StrEnum


class Role(StrEnum):
    """The part a pass plays; its value is the name used on screen, in files and in reports."""

    BEAUTY = "beauty"
    """The finished picture, with alpha where there is one."""
    ALPHA = "alpha"
    """Coverage by itself."""
    DEPTH = "depth"
    """Distance from the camera."""
    POSITION = "position"
    """The point in the scene."""
    NORMAL = "normal"
    """Which way the surface faces, unit length."""
    DIFFUSE_DIRECT = "diffuse_direct"
    """Light from lamps on matt surfaces, before their colour."""
    DIFFUSE_INDIRECT = "diffuse_indirect"
    """Light from surroundings on matt surfaces, before their colour."""
    DIFFUSE_COLOUR = "diffuse_colour"
    """The colour of matt surfaces."""
    SPECULAR_DIRECT = "specular_direct"
    """Highlights of lamps, before their colour."""
    SPECULAR_INDIRECT = "specular_indirect"
    """Reflections of surroundings, before their colour."""
    SPECULAR_COLOUR = "specular_colour"
    """The colour of reflections."""
    EMISSION = "emission"
    """Light that surfaces give off."""
    ENVIRONMENT = "environment"
    """What is no surface: sky, fog."""
    OCCLUSION = "occlusion"
    """How open a point lies, 1 is open."""
    SHADOW = "shadow"
    """How much lamp light arrives."""
    MIST = "mist"
    """How much mist lies before a point."""
    OBJECT_MATTE = "object_matte"
    """Hashed object names with coverage (open Cryptomatte specification)."""
    MOTION = "motion"
    """How far a point moves in the picture."""
    TEXTURE = "texture"
    """Texture coordinates."""
    OTHER = "other"
    """Not recognised: kept as it is."""


COLOUR_ROLES = frozenset(
    {
        Role.BEAUTY, Role.DIFFUSE_DIRECT, Role.DIFFUSE_INDIRECT, Role.DIFFUSE_COLOUR, Role.SPECULAR_DIRECT,
        Role.SPECULAR_INDIRECT, Role.SPECULAR_COLOUR, Role.EMISSION, Role.ENVIRONMENT,
    }
)  # fmt: skip
"""Roles that hold scene-linear light or colour and go through the view transform."""

EXACT_ROLES = frozenset({Role.POSITION, Role.OBJECT_MATTE, Role.MOTION, Role.TEXTURE})
"""Roles that half float or lossy compression would make useless."""
