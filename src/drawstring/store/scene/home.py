"""Scene's home in the store: the scene that is settled against what came."""

from __future__ import annotations

from drawstring.core.alpha.matte_settings import MatteFrom
from drawstring.core.camera import camera_of
from drawstring.core.errors import DrawstringError
from drawstring.core.eyes.settings import Came
from drawstring.core.findings import Finding, Severity
from drawstring.core.recipe.sources import other_views
from drawstring.core.scene.checks import check_scene
from drawstring.core.scene.world import world_of
from drawstring.core.units import METRES
from drawstring.store import deliveries, measuring
from drawstring.store.homes import ShotFacts


def findings(facts: ShotFacts) -> list[Finding]:
    """Gather the findings of the Scene knot."""
    delivery, recipe = facts.delivery, facts.recipe
    where = f"{facts.shot.code}, scene"
    try:
        world = world_of(recipe.scene, METRES[facts.shot.show.scene_unit])
    except DrawstringError as error:
        return [Finding("scene-gone", Severity.STOPS, error.what, where, error.why, error.remedy)]
    cameras = [camera_of(part.metadata) for part in deliveries.facts_of(delivery).parts]
    has_camera = any(one.has_lens and one.world_to_camera is not None for one in cameras)
    named = recipe.alpha.mattes if recipe.alpha.needed else ()
    mattes = {one.name: one.of or recipe.scene.mesh if one.source is MatteFrom.MESH else "" for one in named}
    return check_scene(
        recipe.scene,
        world,
        measuring.counted_for(delivery.measured("scene")),
        range(delivery.first, delivery.last + 1),
        rate=facts.shot.show.fps or recipe.scene.rate,
        roles={one.role for one in facts.passes},
        views=other_views(facts.passes),
        has_camera=has_camera,
        mattes=mattes,
        passes={one.name for one in facts.passes},
        is_packed=recipe.eyes.needed and recipe.eyes.came is Came.PACKED,
        where=where,
    )
