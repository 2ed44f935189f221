"""What a packed frame's header says of its frame: camera, filters, lens."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from drawstring.core.camera import Moment, window_middle
from drawstring.core.framing.steps import is_placing, map_here
from drawstring.core.recipe.chains import Chains
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


def view_header(view: str, chains: Chains, at: Moment) -> dict[str, Any]:
    """Give the camera of what goes out, where its frame is another one than that which came."""
    subject = chains.own_chains(view)[0].subject
    if not is_placing(subject) or at.place is None:
        return {}
    framed = map_here(subject, at.place, at.frame)
    camera = framed.camera(at.camera())
    if camera.is_latlong or camera.filmback_mm is None:
        return {}
    shown = framed.display
    high = camera.filmback_mm * shown.height / (shown.width * framed.pixel_aspect)
    matrix = camera.world_to_camera
    return {
        "pinholeFocalLength": camera.focal_mm,
        "sensorOverallDimensions": [camera.filmback_mm, high],
        "screenWindowCenter": window_middle(camera.shift, camera.drop),
        "worldToCamera": list(matrix) if matrix is not None else None,
    }
