"""What a pass can be taken for, and how such a pass is looked at."""

from __future__ import annotations

from enum import StrEnum

from drawstring.core.passes.former import todays_name


class Role(StrEnum):
    """The part a pass plays; its value is the name used on screen, in files and in reports."""

    BEAUTY = "beauty"
    """The finished picture, with alpha where there is one."""
    ALPHA = "alpha"
    """Coverage by itself."""
    DEPTH = "depth"
    """Distance from the camera."""
    MIST = "mist"
    """How much mist lies before a point."""
    POSITION = "position"
    """The point in the scene."""
    NORMAL = "normal"
    """Which way the surface faces, unit length."""
    MOTION = "motion"
    """How far a point moves in the picture."""
    TEXTURE = "texture"
    """Texture coordinates."""
    DIFFUSE = "diffuse"
    """All light that matt surfaces send, colour included."""
    DIFFUSE_DIRECT = "diffuse_direct"
    """Light from lamps on matt surfaces, before their colour."""
    DIFFUSE_INDIRECT = "diffuse_indirect"
    """Light from surroundings on matt surfaces, before their colour."""
    DIFFUSE_ALBEDO = "diffuse_albedo"
    """The colour of matt surfaces."""
    SPECULAR = "specular"
    """All light that glossy surfaces send, colour included."""
    SPECULAR_DIRECT = "specular_direct"
    """Highlights of lamps, before their colour."""
    SPECULAR_INDIRECT = "specular_indirect"
    """Reflections of surroundings, before their colour."""
    SPECULAR_ALBEDO = "specular_albedo"
    """The colour of reflections."""
    TRANSMISSION = "transmission"
    """All light that comes through surfaces."""
    TRANSMISSION_DIRECT = "transmission_direct"
    """Lamps seen through surfaces, before their colour."""
    TRANSMISSION_INDIRECT = "transmission_indirect"
    """Surroundings seen through surfaces, before their colour."""
    TRANSMISSION_ALBEDO = "transmission_albedo"
    """The colour of what light comes through."""
    SUBSURFACE = "subsurface"
    """All light that went a way below surfaces."""
    SUBSURFACE_DIRECT = "subsurface_direct"
    """Of lamps, before the colour."""
    SUBSURFACE_INDIRECT = "subsurface_indirect"
    """Of surroundings, before the colour."""
    SUBSURFACE_ALBEDO = "subsurface_albedo"
    """The colour of light from below surfaces."""
    VOLUME = "volume"
    """Light from fog, smoke and fire."""
    VOLUME_DIRECT = "volume_direct"
    """Of lamps."""
    VOLUME_INDIRECT = "volume_indirect"
    """Of surroundings."""
    COAT = "coat"
    """The clear layer on top of a surface."""
    SHEEN = "sheen"
    """The soft edge light of cloth."""
    EMISSION = "emission"
    """Light that surfaces give off."""
    ENVIRONMENT = "environment"
    """What is no surface: sky, fog."""
    REFLECTION = "reflection"
    """Mirrored light, where it is not part of specular."""
    REFRACTION = "refraction"
    """Light bent through surfaces, where it is not part of transmission."""
    BLOOM = "bloom"
    """Glow around bright things."""
    LIGHT_GROUP = "light_group"
    """What one lamp or group of lamps adds to the picture."""
    OCCLUSION = "occlusion"
    """How open a point lies, 1 is open."""
    SHADOW = "shadow"
    """How much lamp light arrives."""
    GROUND_PICTURE = "ground_picture"
    """The object on a plain ground, by the same camera: what a shadow is taken from."""
    CLEAN_GROUND = "clean_ground"
    """That ground alone, without the object."""
    PLATE = "plate"
    """A filmed or separately made picture that is laid with the others."""
    OBJECT_MATTE = "object_matte"
    """Hashed object names with coverage (open Cryptomatte specification)."""
    MATERIAL_MATTE = "material_matte"
    """Hashed material names with coverage."""
    ASSET_MATTE = "asset_matte"
    """Hashed asset names with coverage."""
    ID = "id"
    """A whole number for each object or material."""
    ID_COLOUR = "id_colour"
    """A flat colour for each object or material."""
    MATTE = "matte"
    """Coverage of some named part of the picture."""
    DENOISE_HELPER = "denoise_helper"
    """What only a denoiser needs: variance, feature copies."""
    OTHER = "other"
    """Not recognised: kept as it is."""

    @classmethod
    def _missing_(cls, value: object) -> Role | None:
        """Take what a role was called formerly."""
        today = todays_name(str(value))
        return None if today == value else cls(today)


LIT_ROLES = frozenset(
    {
        Role.BEAUTY, Role.DIFFUSE, Role.DIFFUSE_DIRECT, Role.DIFFUSE_INDIRECT, Role.SPECULAR,
        Role.SPECULAR_DIRECT, Role.SPECULAR_INDIRECT, Role.TRANSMISSION, Role.TRANSMISSION_DIRECT,
        Role.TRANSMISSION_INDIRECT, Role.SUBSURFACE, Role.SUBSURFACE_DIRECT, Role.SUBSURFACE_INDIRECT,
        Role.VOLUME, Role.VOLUME_DIRECT, Role.VOLUME_INDIRECT, Role.COAT, Role.SHEEN, Role.EMISSION,
        Role.ENVIRONMENT, Role.REFLECTION, Role.REFRACTION, Role.BLOOM, Role.LIGHT_GROUP,
        Role.GROUND_PICTURE, Role.CLEAN_GROUND, Role.PLATE,
    }
)  # fmt: skip
"""Roles that hold scene-linear light."""

SURFACE_COLOURS = frozenset(
    {Role.DIFFUSE_ALBEDO, Role.SPECULAR_ALBEDO, Role.TRANSMISSION_ALBEDO, Role.SUBSURFACE_ALBEDO}
)
"""Roles that hold the colour of surfaces."""

COLOUR_ROLES = LIT_ROLES | SURFACE_COLOURS
"""Roles that hold scene-linear light or colour and go through the view transform."""

HASHED_ROLES = frozenset({Role.OBJECT_MATTE, Role.MATERIAL_MATTE, Role.ASSET_MATTE})
"""Roles that hold hashed names."""

ID_ROLES = HASHED_ROLES | {Role.ID, Role.ID_COLOUR}
"""Roles whose values name things and must never be mixed."""

SHARE_ROLES = frozenset({Role.OCCLUSION, Role.SHADOW, Role.ALPHA, Role.MIST, Role.MATTE})
"""Roles whose values are shares, 0 to 1."""

EXACT_ROLES = frozenset({Role.POSITION, Role.MOTION, Role.TEXTURE, Role.ID}) | HASHED_ROLES
"""Roles that half float or lossy compression would make useless."""
