"""What Scene finds: a camera that is not the picture's, files in another unit, lamps without a beam."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from statistics import median
from typing import Any

import numpy as np

from drawstring.core.findings import Finding, Mend, Severity
from drawstring.core.passes.roles import Role
from drawstring.core.scene.added_checks import check_added, check_normals, set_scene
from drawstring.core.scene.data import SceneCamera, SceneData, Shines
from drawstring.core.scene.settings import SceneSettings, Turn
from drawstring.core.scene.world import World

OFF_PX = 1.0
"""Further than this from their pixels points are seen by another camera."""

FAR_PX = 60.0
"""Further than this it is another scene, or another shot of it."""


def check_scene(
    settings: SceneSettings,
    world: World | None,
    counted: Mapping[int, Mapping[str, Any]],
    frames: range,
    *,
    rate: float,
    roles: Collection[Role],
    views: Sequence[str],
    has_camera: bool,
    mattes: Mapping[str, str],
    passes: Collection[str],
    is_packed: bool,
    where: str,
) -> list[Finding]:
    """Look at what is settled against the scene's file and what was counted of the frames.

    Parameters
    ----------
    settings : SceneSettings
    world : World or None
        The scene's file.
    counted : mapping of frame to what `agreement.count` gave
    frames : range
        Of the shot.
    rate : float
        Its frames in a second.
    roles : collection of Role
        Of the passes that came.
    views : sequence of str
        Other views.
    has_camera : bool
        Whether headers tell a camera.
    mattes : mapping of str to str
        Mattes by name, each with the mesh that it is; empty for others.
    passes : collection of str
        Names of the passes that came.
    is_packed : bool
        Whether both eyes came in one picture.
    where : str
    """
    found: list[Finding] = []
    if world is not None:
        found += _file(settings, world.data, frames, rate, where)
        found += _camera(settings, world, where, views, has_camera=has_camera)
    elif not has_camera:
        found.append(
            Finding(
                "scene-no-camera",
                Severity.STOPS,
                "No camera is known: headers tell none, and no scene came.",
                where,
                "Nothing can be placed in the scene, and nothing of it seen in 3D.",
                "Bring the scene's file in (USD or glTF), or have the camera written into the headers.",
            )
        )
    if is_packed and any(one.on for one in (*settings.lights, *settings.beams, *settings.cards)):
        found.append(
            Finding(
                "scene-packed",
                Severity.WARNS,
                "Both eyes came in one picture, with one camera between them.",
                where,
                "What is put in lies at the same place in either eye: on the screen, whatever its distance.",
                "Have the eyes rendered as two views, or put it in before they are packed.",
            )
        )
    found += _agreement(settings, world, counted, where)
    found += _clips(settings, world, counted, frames, where)
    found += check_normals(settings, counted, roles, where)
    found += check_added(settings, world, roles, mattes, passes, where)
    return found


def _file(settings: SceneSettings, data: SceneData, frames: range, rate: float, where: str) -> list[Finding]:
    found = [
        Finding(
            "scene-notes",
            Severity.NOTES,
            note,
            where,
            "It was left out when the file was read.",
            "Nothing, or export it otherwise.",
        )
        for note in data.notes
    ]
    if data.unit_m is None:
        found.append(
            Finding(
                "scene-unit",
                Severity.NOTES,
                f"{data.origin} does not say its unit.",
                where,
                "It is taken to count as the shot does.",
                "Look whether the camera agrees with the points; else type the scale.",
            )
        )
    if data.counts == "frames" and data.rate and abs(data.rate - rate) > 0.01:
        found.append(
            Finding(
                "scene-rate",
                Severity.WARNS,
                f"{data.origin} runs at {data.rate:g} frames a second, the shot at {rate:g}.",
                where,
                "Its movement is stretched to the shot's rate; where frames were only counted "
                "otherwise, it drifts.",
                "Export it at the shot's rate, or take its frames as the shot's.",
                mends=(set_scene("its frames are the shot's", rate=f"{data.rate:g}"),),
            )
        )
    world = World(data, settings)
    span = data.span
    if span is not None:
        first, last = world.frame(span[0]), world.frame(span[1])
        if first > frames[0] + 0.01 or last < frames[-1] - 0.01:
            mends: tuple[Mend, ...] = ()
            if data.counts == "seconds" and abs((last - first) - (len(frames) - 1)) < 0.5:
                mends = (
                    set_scene("it begins with the shot", starts=f"{frames[0] - span[0] * settings.rate:g}"),
                )
            found.append(
                Finding(
                    "scene-short",
                    Severity.WARNS,
                    f"Its movement reaches from frame {first:g} to {last:g}, the shot from "
                    f"{frames[0]} to {frames[-1]}.",
                    where,
                    "Before and after it camera and lights stand still.",
                    "Export the whole range, or type where it begins.",
                    mends=mends,
                )
            )
    mirrored = [
        one.name
        for one in (*data.cameras, *data.lights, *data.marks, *data.meshes)
        if (np.linalg.det(one.matrices[:, :3, :3]) < -1e-12).any()
    ]
    flat = [
        one.name
        for one in (*data.cameras, *data.lights)
        if (np.abs(np.linalg.det(one.matrices[:, :3, :3])) < 1e-12).any()
    ]
    if mirrored:
        found.append(
            Finding(
                "scene-mirrored",
                Severity.WARNS,
                f"Mirrored by their matrix: {', '.join(mirrored[:4])}.",
                where,
                "A mirrored camera sees right and left exchanged.",
                "Export without scales below 0.",
            )
        )
    if flat:
        found.append(
            Finding(
                "scene-flat",
                Severity.STOPS,
                f"Pressed flat by their matrix: {', '.join(flat[:4])}.",
                where,
                "Nothing can be seen through such a camera.",
                "Export without scales of 0.",
            )
        )
    other = [
        one.name
        for one in data.lights
        if one.shines is not Shines.SUN and not one.unit and one.strength.max() > 0
    ]
    if other:
        found.append(
            Finding(
                "scene-light-unit",
                Severity.NOTES,
                f"In what unit the lights shine is not said: {', '.join(other[:4])}.",
                where,
                "Beside the picture their strength is a guess.",
                "Type the strength at each added light.",
            )
        )
    return found


def _camera(
    settings: SceneSettings, world: World, where: str, views: Sequence[str], *, has_camera: bool
) -> list[Finding]:
    data = world.data
    whole = [one for one in data.cameras if not one.is_flat]
    found: list[Finding] = []
    if not settings.camera:
        if not has_camera and whole:
            found.append(
                Finding(
                    "scene-no-camera",
                    Severity.STOPS,
                    "Headers tell no camera, and none of the file's is chosen.",
                    where,
                    "Nothing can be placed in the scene.",
                    "Choose the shot's camera.",
                    mends=tuple(set_scene(one.name, camera=one.name) for one in whole[:4]),
                )
            )
        return found
    own = data.camera(settings.camera)
    if own is None:
        return [
            Finding(
                "scene-camera-gone",
                Severity.STOPS,
                f"The file has no camera {settings.camera}.",
                where,
                "Nothing can be placed.",
                "Choose one of its cameras, or the headers' own.",
                mends=(
                    *(set_scene(one.name, camera=one.name) for one in whole[:3]),
                    set_scene("the headers' own", camera=""),
                ),
            )
        ]
    if own.is_flat:
        found.append(
            Finding(
                "scene-parallel",
                Severity.STOPS,
                f"All rays of {own.name} are parallel.",
                where,
                "No distance could be turned into a place by it.",
                "Choose a camera with an angle of view.",
            )
        )
    if own.film_mm is None and not own.is_flat:
        found.append(
            Finding(
                "scene-film",
                Severity.NOTES,
                f"{own.name} tells its angle of view, not its film.",
                where,
                "Where a lens in mm is named, a film 36 mm wide is meant.",
                "Nothing, or export it as USD with its film back.",
            )
        )
    if len(whole) > 1 and not views:
        found.append(
            Finding(
                "scene-several",
                Severity.NOTES,
                f"The file has {len(whole)} cameras; {own.name} counts.",
                where,
                "The wrong one would put everything elsewhere.",
                "Look at how far points are seen from their pixels.",
                mends=tuple(set_scene(one.name, camera=one.name) for one in whole if one.name != own.name)[
                    :3
                ],
            )
        )
    return found


def _agreement(
    settings: SceneSettings, world: World | None, counted: Mapping[int, Mapping[str, Any]], where: str
) -> list[Finding]:
    told = {frame: one for frame, one in counted.items() if "off" in one}
    why = next((one["why"] for one in counted.values() if "why" in one), "")
    if not told:
        if why and (settings.camera or settings.lights or settings.beams or settings.cards):
            return [
                Finding(
                    "scene-unproven",
                    Severity.WARNS,
                    why,
                    where,
                    "Whether the camera is the picture's can't be said.",
                    "Mend that first.",
                )
            ]
        if settings.camera and counted:
            return [
                Finding(
                    "scene-unproven",
                    Severity.NOTES,
                    "Neither positions nor a camera in the headers came.",
                    where,
                    "Whether the file's camera is the picture's can't be proven.",
                    "Have positions rendered, of one frame at least.",
                )
            ]
        return []
    found: list[Finding] = []
    worst = max(told, key=lambda frame: told[frame]["off"])
    off = told[worst]["off"]
    name = settings.camera or "The headers' camera"
    if off > OFF_PX:
        better = [one.get("better") for one in told.values()]
        mends: tuple[Mend, ...] = ()
        says = "no other unit, axes or frame of the file fits better"
        known = [each for each in better if each]
        if known and len(known) * 2 > len(told):
            best = known[0]
            same = [
                each for each in known if all(each[part] == best[part] for part in ("turn", "scale", "late"))
            ]
            if len(same) == len(known) and max(each["off"] for each in same) < max(OFF_PX, off / 10):
                left = max(each["off"] for each in same)
                says = f"they fit {reading_words(settings, **_read(best))}, to {left:.2g} px"
                mends = (
                    set_scene(
                        "take that", turn=best["turn"], scale=f"{best['scale']:.9g}", late=f"{best['late']:g}"
                    ),
                )
        elif off > FAR_PX:
            says = "the scene is of another shot, or another camera is meant"
        elif settings.camera:
            says = "the lens may be another, or the camera one frame late"
        found.append(
            Finding(
                "scene-off",
                Severity.WARNS,
                f"Seen through {name}, points lie {_px(off)} from their pixels: {says}.",
                where,
                "Whatever is placed slides on the picture.",
                "Take what fits, choose another camera, or ask for the scene of this version.",
                frame=worst,
                mends=mends,
            )
        )
    apart = [one["apart"] for one in told.values() if "apart" in one]
    if apart and abs(median(apart) - 1) > 0.01 and off <= OFF_PX:
        found.append(
            Finding(
                "scene-apart",
                Severity.WARNS,
                f"Positions lie {median(apart):.4g} times as far from the camera as depth says.",
                where,
                "One of them is in another unit, or depth is measured along the other line.",
                "Set how depth is to be read (Depth), or the scene's scale.",
            )
        )
    return found


def _px(off: float) -> str:
    return f"{off:.3g} px" if off < 1e5 else "outside the picture, far"


def _read(best: Mapping[str, Any]) -> dict[str, Any]:
    return {"scale": best["scale"], "turn": Turn(best["turn"]), "late": best["late"]}


def reading_words(settings: SceneSettings, *, scale: float, turn: Turn, late: float) -> str:
    """Say how another reading of the file differs from the settled one."""
    said = []
    if scale != settings.scale:
        said.append(f"{scale / settings.scale:g} times its size")
    if turn is not settings.turn:
        said.append(turn.says)
    if late != settings.late:
        by = late - settings.late
        said.append(f"{abs(by):g} frame {'later' if by > 0 else 'earlier'}")
    return "with " + ", ".join(said)


def _clips(
    settings: SceneSettings,
    world: World | None,
    counted: Mapping[int, Mapping[str, Any]],
    frames: range,
    where: str,
) -> list[Finding]:
    own: SceneCamera | None = world.data.camera(settings.camera) if world is not None else None
    seen = [one for one in counted.values() if "nearest" in one]
    if own is None or world is None or not seen:
        return []
    near, far = min(one["nearest"] for one in seen), max(one["furthest"] for one in seen)
    camera = world.seen(own, frames[0], 1.0) if not own.is_flat else None
    if camera is None:
        return []
    if camera.near_clip and camera.near_clip > far or camera.far_clip and camera.far_clip < near:
        return [
            Finding(
                "scene-clip",
                Severity.WARNS,
                f"{own.name} shows what lies from {camera.near_clip or 0:g} to "
                f"{camera.far_clip or 0:g}, and things lie "
                f"from {near:.4g} to {far:.4g}.",
                where,
                "Downstream nothing of the shot would be seen through it.",
                "Ask for its clip planes to be mended; the scene that goes on with the package has "
                "them round the picture.",
            )
        ]
    return []
