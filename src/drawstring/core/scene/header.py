"""What a packed frame's header says of its scene: whose camera counts, and what was put in."""

from __future__ import annotations

import os
from collections.abc import Collection
from typing import Any

from drawstring.core.camera import Camera, Moment, Place, window_middle
from drawstring.core.passes.roles import Role
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.sources import pass_of
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


def settled_camera(view: str, chains: Chains, at: Moment) -> Camera | None:
    """Give the file's camera through which a view is seen, where it counts."""
    if not chains.recipe.scene.needed or not chains.counts(SceneSettings.knot):
        return None
    own = chains.own_chains(view)
    subject = own[0].subject
    if len(own) != 1 or not settings_of(subject).camera or at.place is None:
        return None
    beauty = pass_of(Role.BEAUTY, subject.passes)
    told = at.camera(beauty.channels[0].source, beauty.channels[0].part) if beauty else at.camera()
    camera, _, _ = camera_for(subject, told, at, _aspect(at.place))
    return None if camera.is_latlong or camera.filmback_mm is None else camera


def view_header(view: str, chains: Chains, at: Moment) -> dict[str, Any]:
    """Say the scene's camera in the default view's parts; other views and other frames say theirs at Eyes."""
    camera = None if view or chains.is_placed(view) else settled_camera(view, chains, at)
    if camera is None or camera.filmback_mm is None or at.place is None:
        return {}
    matrix = camera.world_to_camera
    return {
        "pinholeFocalLength": camera.focal_mm,
        "sensorOverallDimensions": [camera.filmback_mm, camera.filmback_mm / _aspect(at.place)],
        "worldToCamera": list(matrix) if matrix is not None else None,
        "screenWindowCenter": window_middle(camera.shift, camera.drop),
    }


def _aspect(place: Place) -> float:
    return place.display.width * place.pixel_aspect / place.display.height
