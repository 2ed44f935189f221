"""What a packed frame's header says of distances, mist and focus."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from drawstring.core.depth.settings import DepthSettings
from drawstring.core.recipe.recipe import Recipe


def depth_header(recipe: Recipe, made: Collection[str], frame: int) -> dict[str, Any]:
    """Say how far the distances reach, and what mist and lens were, where something made of them goes out."""
    depth = recipe.depth
    if not made:
        return {}
    said = _mist_and_focus(depth, frame, {name.rpartition(".")[2] for name in made})
    if depth.near is None or depth.far is None:
        return said
    return said | {
        "drawstring.depth.near": float(depth.near),
        "drawstring.depth.far": float(depth.far),
        "drawstring.depth.mapping": depth.mapping.value,
        "drawstring.depth.whiteIs": depth.white_is.value,
        "drawstring.depth.edges": depth.edges.value,
        "drawstring.depth.overshoot": depth.overshoot.value,
        "drawstring.depth.nothing": depth.nothing.value,
        "drawstring.depth.along": depth.along.value,
    }


def _mist_and_focus(depth: DepthSettings, frame: int, made: set[str]) -> dict[str, Any]:
    said: dict[str, Any] = {}
    layers = [layer.at(frame) for layer in depth.mist if layer.on]
    if made & {"beauty_mist", "mist_amount"} or ("beauty_focus" in made and layers):
        said["drawstring.mist"] = "; ".join(
            f"{layer.name}: {layer.falloff.value} from {layer.start:g}, "
            + (
                f"{layer.density:g} per unit"
                if layer.falloff.value == "exponential"
                else f"over {layer.depth:g}"
            )
            for layer in layers
        )
    if made & {"beauty_focus", "blur_radius"}:
        focus = depth.focus.at(frame)
        said["drawstring.focus.distance"] = float(focus.distance)
        said["drawstring.focus.by"] = focus.by.value
        if focus.by.value == "lens":
            said["drawstring.focus.stop"] = float(focus.stop)
    return said
