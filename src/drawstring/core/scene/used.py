"""The scene as it was used: the camera that counts frame by frame, its lights, and what was put in."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from drawstring.core.camera import Camera
from drawstring.core.scene.data import Moving, SceneCamera, SceneData, SceneLight, Shines
from drawstring.core.scene.settings import SceneSettings
from drawstring.core.scene.steps import lamp_for, place_of
from drawstring.core.scene.world import Lamp, World

_SHINES = {"point": Shines.POINT, "spot": Shines.SPOT, "sun": Shines.SUN, "rectangle": Shines.RECTANGLE}


def used_scene(
    settings: SceneSettings,
    world: World | None,
    told: Mapping[int, Camera],
    frames: Sequence[int],
    *,
    name: str,
    unit_m: float,
    aspect: float,
    depths: tuple[float, float] | None = None,
) -> SceneData:
    """Put the scene together as it was used, in the shot's own unit and axes.

    Parameters
    ----------
    settings : SceneSettings
    world : World or None
        The scene's file.
    told : mapping of frame to Camera
        By the headers; used where the settings name no camera.
    frames : sequence of int
    name : str
        What it is called.
    unit_m : float
        The shot's unit.
    aspect : float
        Of the picture.
    depths : (nearest, furthest), optional
        Between which things lie: clip planes that hide them are mended.
    """
    cameras: tuple[SceneCamera, ...] = ()
    seen: dict[int, Camera] = {}
    for frame in frames:
        own = (
            world.camera(settings.camera, frame, aspect=aspect)
            if world and settings.camera
            else told.get(frame)
        )
        if own is not None and own.has_lens and own.world_to_camera is not None and not own.is_latlong:
            seen[frame] = own
    if seen:
        cameras = (_camera(settings.camera or "camera", seen, aspect, depths),)
    lights: list[SceneLight] = []
    if world is not None:
        lights += [_light(one.name, [(f, world.lamp(one, f)) for f in frames]) for one in world.data.lights]
    lights += [
        _light(one.name, [(f, lamp_for(now, world, f)) for f in frames for now in [one.at(f)]])
        for one in settings.lights
        if one.on
    ]
    marks: list[Moving] = []
    if world is not None:
        marks += [
            Moving(
                one.name,
                one.path,
                *_shorter(frames, [world.stands(one.matrix(world.time(f))) for f in frames]),
            )
            for one in world.data.marks
        ]
    for card in settings.cards:
        if card.on:
            stands = []
            for frame in frames:
                now = card.at(frame)
                place = place_of(now, world, frame)
                stand = np.eye(4) if place is None else np.array(place)
                stand[3, :3] += now.position
                stands.append(stand)
            marks.append(Moving(card.name, card.name, *_shorter(frames, stands)))
    return SceneData(
        name,
        "USD",
        unit_m,
        settings.up.value,
        "frames",
        settings.rate,
        cameras,
        tuple(lights),
        (),
        tuple(marks),
    )


def _shorter(frames: Sequence[int], matrices: Sequence[np.ndarray]) -> tuple[np.ndarray, np.ndarray]:
    """Give times and matrices; a thing that stands still has one."""
    whole = np.stack([np.asarray(each, np.float64) for each in matrices])
    if np.abs(whole - whole[0]).max() < 1e-9:
        return np.array([float(frames[0])]), whole[:1]
    return np.asarray(frames, np.float64), whole


def _camera(
    name: str, seen: Mapping[int, Camera], aspect: float, depths: tuple[float, float] | None
) -> SceneCamera:
    frames = sorted(seen)
    stands = np.stack(
        [np.linalg.inv(np.reshape(np.asarray(seen[f].world_to_camera), (4, 4))) for f in frames]
    )
    lens = np.zeros((len(frames), 4))
    for i, frame in enumerate(frames):
        camera = seen[frame]
        assert camera.focal_mm is not None and camera.filmback_mm is not None
        wide = camera.filmback_mm / 2 / camera.focal_mm
        lens[i] = wide, wide / aspect, camera.shift, -camera.drop
    first = seen[frames[0]]
    near, far = first.near_clip, first.far_clip
    if depths is not None:
        near = min(near or np.inf, 0.5 * depths[0]) if near and near > depths[0] else near or 0.1 * depths[0]
        far = max(far or 0, 2 * depths[1])
    return SceneCamera(
        name,
        f"/{name}",
        np.asarray(frames, np.float64),
        stands,
        lens=lens,
        film_mm=first.filmback_mm,
        near=near,
        far=far,
    )


def _light(name: str, lamps: Sequence[tuple[int, Lamp]]) -> SceneLight:
    frames = [frame for frame, _ in lamps]
    stands = []
    for _, lamp in lamps:
        stand = np.eye(4)
        back = -np.asarray(lamp.direction)
        aside = lamp.aside if lamp.aside is not None else np.cross([0.0, 1.0, 0.0], back)
        if np.linalg.norm(aside) < 1e-6:
            aside = np.array([1.0, 0, 0])
        aside = aside / np.linalg.norm(aside)
        stand[:3, :3] = np.stack([aside, np.cross(back, aside), back])
        stand[3, :3] = lamp.position
        stands.append(stand)
    times, matrices = _shorter(frames, stands)
    strength = np.array([lamp.strength for _, lamp in lamps])
    if len(times) == 1 and np.ptp(strength) > 0:
        times, matrices = np.asarray(frames, np.float64), np.repeat(matrices, len(frames), axis=0)
    strength = strength if len(times) > 1 else strength[:1]
    first = lamps[0][1]
    return SceneLight(
        name,
        f"/{name}",
        times,
        matrices,
        shines=_SHINES.get(first.shines, Shines.OTHER),
        colour=first.colour,
        strength=strength,
        cone=first.cone,
        size=first.size,
    )
