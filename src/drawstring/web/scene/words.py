"""What the Scene panel says beside the settings themselves: what the file holds, how well its camera fits."""

from __future__ import annotations

import os
from statistics import median
from typing import Any

from sqlalchemy.orm import Session

from drawstring.core.camera import camera_of
from drawstring.core.depth.mist_settings import UpAxis
from drawstring.core.errors import DrawstringError
from drawstring.core.keys import Then
from drawstring.core.passes import Role
from drawstring.core.passes.roles import COLOUR_ROLES
from drawstring.core.recipe.sources import other_views
from drawstring.core.scene.data import SceneData
from drawstring.core.scene.settings import Covers, Faces, Falloff, Kind, Normals, Turn
from drawstring.core.scene.world import world_of
from drawstring.core.units import METRES
from drawstring.store import deliveries, measuring
from drawstring.store.models import Shot
from drawstring.store.scene.taking import scenes_beside
from drawstring.store.standing import ShotStanding
from drawstring.web.bench.tracks import tracks_of
from drawstring.web.colour_files import kept_footage
from drawstring.web.services import house

CHOICES = {
    "turn": list(Turn),
    "normals": list(Normals),
    "kind": list(Kind),
    "falloff": list(Falloff),
    "faces": list(Faces),
    "covers": list(Covers),
    "up": list(UpAxis),
    "then": list(Then),
}
"""What can be chosen, by setting."""


def scene_words(session: Session, shot: Shot, how: ShotStanding, frames: list[int]) -> dict[str, Any]:
    """Gather what the Scene panel's templates need."""
    delivery, settings = shot.delivery, how.recipe.scene
    if delivery is None:
        return {}
    try:
        world = world_of(settings, METRES[shot.show.scene_unit])
    except DrawstringError:
        world = None
    data = world.data if world is not None else None
    told = [camera_of(part.metadata) for part in deliveries.facts_of(delivery).parts]
    counted = measuring.counted_for(delivery.measured("scene"))
    offs = [one["off"] for one in counted.values() if "off" in one]
    parts: list[tuple[str, str, Any]] = []
    for called in ("lights", "beams", "cards"):
        parts += [
            (f"scene.{called}.{i}", one.name, one) for i, one in enumerate(getattr(settings, called), 1)
        ]
    return {
        "choices": CHOICES,
        "scene": data,
        "scene_cameras": [one.name for one in data.cameras if not one.is_flat] if data else [],
        "standing": _standing(data),
        "file_name": os.path.basename(settings.file).removesuffix(".scene") if settings.file else "",
        "beside": [
            (path, os.path.basename(path)) for path in scenes_beside(shot, house().installation.root_list)
        ],
        "has_camera": any(one.has_lens and one.world_to_camera is not None for one in told),
        "off_px": median(offs) if offs else None,
        "counted_frames": len(offs),
        "footage": kept_footage(),
        "card_passes": [
            one.name
            for one in how.passes
            if "." not in one.name
            and (one.role in COLOUR_ROLES or one.role is Role.PLATE)
            and len(one.channels) >= 3
        ],
        "shot_views": other_views(how.passes),
        "matte_names": [one.name for one in how.recipe.alpha.mattes] if how.recipe.alpha.needed else [],
        "tracks": tracks_of(parts, frames),
    }


def _standing(data: SceneData | None) -> list[tuple[str, list[str]]]:
    """Give all that can be followed, by what it is."""
    if data is None:
        return []
    several = (
        ("Lights", data.lights),
        ("Marks", data.marks),
        ("Meshes", data.meshes),
        ("Cameras", data.cameras),
    )
    return [(called, [one.name for one in each]) for called, each in several if each]
