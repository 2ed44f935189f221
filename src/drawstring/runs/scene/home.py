"""Scene's home in runs: the scene as it was used, written beside the frames as USD and glTF."""

from __future__ import annotations

import os
from typing import TYPE_CHECKING, Any

from drawstring.core.camera import Camera, camera_of
from drawstring.core.io.headers import read_facts
from drawstring.core.io.writing import final_name
from drawstring.core.recipe import Recipe
from drawstring.core.scene.used import used_scene
from drawstring.core.scene.world import world_of
from drawstring.core.scene.writing import write_scene
from drawstring.core.units import METRES
from drawstring.runs.proof import checksum

if TYPE_CHECKING:
    from drawstring.store.models import Run


def writes(recipe: Recipe) -> str:
    """Say that the scene goes along."""
    return "the scene as used (USD, glTF)" if recipe.scene.needed and recipe.scene.settled_on else ""


def accompanying(run: Run, recipe: Recipe) -> list[dict[str, Any]]:
    """Write the scene as it was used, where the knot is settled; give what the manifest says of the files."""
    # Workers load this, too, and know no database.
    from drawstring.store import deliveries, measuring

    settings = recipe.scene
    if not settings.needed or not settings.settled_on:
        return []
    delivery, show = run.delivery, run.shot.show
    unit_m = METRES[show.scene_unit]
    world = world_of(settings, unit_m)
    frames = sorted(frame.number for frame in run.frames)
    place = deliveries.place_of(delivery)
    aspect = place.display.width * place.pixel_aspect / place.display.height
    # Headers of the frames that were packed tell the camera as it goes out.
    told: dict[int, Camera] = {}
    for frame in run.frames if not settings.camera else ():
        if frame.state == "proven":
            part = read_facts(os.path.join(run.folder, frame.file_name)).parts[0]
            told[frame.number] = camera_of(part.metadata)
    counted = [one for one in measuring.counted_for(delivery.measured("scene")).values() if "nearest" in one]
    depths = (
        (min(one["nearest"] for one in counted), max(one["furthest"] for one in counted)) if counted else None
    )
    base = f"{run.shot.code}_scene_v{run.version:03d}"
    data = used_scene(settings, world, told, frames, name=base, unit_m=unit_m, aspect=aspect, depths=depths)
    if not (data.cameras or data.lights or data.marks):
        return []
    made = []
    for ending in ("usda", "glb"):
        name = f"{base}.{ending}"
        path = os.path.join(run.folder, name)
        if not os.path.exists(path):
            with final_name(path) as unfinished:
                ended = f"{unfinished}.{ending}"
                write_scene(data, ended, rate=show.fps, first=frames[0], last=frames[-1])
                os.replace(ended, unfinished)
        made.append(
            {
                "file": name, "bytes": os.path.getsize(path), "checksum": checksum(path),
                "says": f"The scene as used: {len(data.cameras)} camera, {len(data.lights)} lights, "
                f"{len(data.marks)} marks; 1 unit = {unit_m:g} m.",
            }
        )  # fmt: skip
    return made
