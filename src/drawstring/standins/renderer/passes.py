"""Which passes the stand-in renderer has, by the names of roles, and which channels they are."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

LAYERS = {
    "depth": ("depth",), "position": ("position",), "normal": ("normal",),
    "diffuse_direct": ("diffuse_direct",), "diffuse_indirect": ("diffuse_indirect",),
    "diffuse_albedo": ("diffuse_colour",), "specular_direct": ("specular_direct",),
    "specular_indirect": ("specular_indirect",), "specular_albedo": ("specular_colour",),
    "emission": ("emission",), "environment": ("environment",), "occlusion": ("occlusion",), "shadow":
    ("shadow",),
}  # fmt: skip
"""Layers of a frame by pass; beauty, named objects, assets and lights are told by themselves."""

BEAUTY, OBJECTS, ASSETS, LIGHTS, NOISY = (
    "beauty",
    "object_matte",
    "asset_matte",
    "light_group",
    "beauty_noisy",
)

KNOWN = (BEAUTY, *LAYERS, OBJECTS, ASSETS, LIGHTS, NOISY)


def unknown(passes: Iterable[str]) -> list[str]:
    """Give the passes that this renderer does not have."""
    return [name for name in passes if name not in KNOWN and not name.startswith("light_")]


def keeps(channel: str, passes: Sequence[str]) -> bool:
    """Whether a channel belongs to one of the passes that are asked for."""
    layer = channel.rpartition(".")[0]
    if not layer:
        return BEAUTY in passes
    if layer.startswith("CryptoObject"):
        return OBJECTS in passes
    if layer.startswith("CryptoAsset"):
        return ASSETS in passes
    if layer.startswith("light_"):
        return LIGHTS in passes or layer in passes
    if layer == NOISY:
        return NOISY in passes
    return any(layer in LAYERS.get(name, ()) for name in passes)
