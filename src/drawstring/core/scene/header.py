"""What a packed frame's header says of its scene: whose camera counts, and what was put in."""

from __future__ import annotations

import os
from collections.abc import Collection
from typing import Any

from drawstring.core.camera import Moment, window_middle
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.scene.settings import SceneSettings
from drawstring.core.scene.sight import camera_for, settings_of


def header(recipe: Recipe, made: Collection[str], frame: int) -> dict[str, Any]:
    """Say which scene and which camera count, and what was added."""
    settings = recipe.scene
    if not settings.needed or not settings.settled_on:
        return {}
    said: dict[str, Any] = {}
    if settings.file:
        said["drawstring.scene.file"] = os.path.basename(settings.file)
        said["drawstring.scene.camera"] = settings.camera or "header"
    added = [
        f"{called} {one.name}"
        for several, called in (
            (settings.lights, "light"),
            (settings.beams, "beam"),
            (settings.cards, "card"),
        )
        for one in several
        if one.on
    ]
    if added:
        said["drawstring.scene.added"] = ", ".join(added)
    return said


def view_header(view: str, chains: Chains, at: Moment) -> dict[str, Any]:
    """Say the scene's camera in a view's parts, where it counts and the frame stays as it came."""
    if not chains.recipe.scene.needed or not chains.counts(SceneSettings.knot) or chains.is_placed(view):
        return {}
    own = chains.own_chains(view)
    subject = own[0].subject
    if len(own) != 1 or not settings_of(subject).camera or at.place is None:
        return {}
    shown = at.place.display
    aspect = shown.width * at.place.pixel_aspect / shown.height
    camera, _, _ = camera_for(subject, at.camera(), at, aspect)
    if camera.is_latlong or camera.filmback_mm is None:
        return {}
    matrix = camera.world_to_camera
    return {
        "pinholeFocalLength": camera.focal_mm,
        "sensorOverallDimensions": [camera.filmback_mm, camera.filmback_mm / aspect],
        "worldToCamera": list(matrix) if matrix is not None else None,
        "screenWindowCenter": window_middle(camera.shift, camera.drop),
    }
