"""The demo show's scenes as files: cameras, lamps and marks of a shot, true ones and faulty ones."""

from __future__ import annotations

import os
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from drawstring.core.io.writing import final_name
from drawstring.core.scene.data import Moving, SceneCamera, SceneData, SceneLight, SceneMesh, Shines
from drawstring.core.scene.writing import write_scene
from drawstring.standins.renderer.scene import POINT, SPOT, Lamp
from drawstring.standins.tidewrack.show import FPS, HEIGHT, WIDTH, DemoShot

_FEET = np.array([[-8.0, 0, -24], [-2.0, 0, -24], [-2.0, 4.2, -24], [-8.0, 4.2, -24]], np.float32)
"""Corners of a sheet that hangs behind the gantry."""


def scene_of(shot: DemoShot) -> SceneData:
    """Give a shot's scene: its camera frame by frame, its lamps, a mark and a sheet behind the gantry.

    Times are the shot's frames; metres, y up.
    """
    frames = np.arange(shot.first, shot.first + shot.frames, dtype=np.float64)
    looks = [shot.camera(i / max(1, shot.frames - 1)) for i in range(shot.frames)]
    stands = np.stack([np.linalg.inv(one.world_to_camera()) for one in looks])
    wide = looks[0].filmback_mm / 2 / looks[0].focal_mm
    lens = np.tile([wide, wide * HEIGHT / (WIDTH * shot.wider), 0.0, 0.0], (shot.frames, 1))
    camera = SceneCamera(
        "shot_camera", "/shot_camera", frames, stands, lens=lens, film_mm=looks[0].filmback_mm,
        near=looks[0].near_clip_m, far=looks[0].far_clip_m,
    )  # fmt: skip
    lights = tuple(_light(lamp) for lamp in shot.scene().lamps)
    still = np.zeros(1)
    sheet = SceneMesh(
        "sheet", "/sheet", still, np.eye(4)[None], points=_FEET,
        triangles=np.array([[0, 1, 2], [0, 2, 3]], np.int32),
    )  # fmt: skip
    mark = Moving("behind_gantry", "/behind_gantry", still, _at((-6.0, 3.0, -23.0)))
    return SceneData(
        f"{shot.code}.usda", "USD", 1.0, "y", "frames", FPS, (camera,), lights, (sheet,), (mark,)
    )


def _light(lamp: Lamp) -> SceneLight:
    """Give a lamp; the renderer's edges are soft over a quarter of what the cone leaves open."""
    stands = np.eye(4)
    forward = np.asarray(lamp.direction) / np.linalg.norm(lamp.direction)
    aside = np.cross(forward, [0.0, 1.0, 0.0])
    aside = aside / np.linalg.norm(aside) if np.linalg.norm(aside) > 1e-6 else np.array([1.0, 0, 0])
    stands[:3, :3] = np.stack([aside, np.cross(aside, forward), -forward])
    stands[3, :3] = lamp.position
    cosine = np.cos(np.radians(lamp.half_angle_deg))
    inner = float(np.degrees(np.arccos(cosine + 0.25 * (1 - cosine))))
    kind = {POINT: Shines.POINT, SPOT: Shines.SPOT}.get(lamp.kind, Shines.SUN)
    return SceneLight(
        lamp.name, f"/{lamp.name}", np.zeros(1), stands[None], shines=kind, colour=lamp.colour,
        strength=np.array([lamp.strength]), cone=(inner, lamp.half_angle_deg),
    )  # fmt: skip


def _at(place: tuple[float, float, float]) -> NDArray[np.float64]:
    made = np.eye(4)
    made[3, :3] = place
    return made[None]


def faulty(data: SceneData) -> SceneData:
    """Give the same scene as some program writes it wrongly: in centimetres, z up, and says neither."""
    turn = np.eye(4)
    # The shot's y is this file's z.
    turn[:3, :3] = np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]]) * 100
    back = np.eye(4)
    back[:3, :3] /= 100

    def led(one: Moving) -> NDArray[np.float64]:
        return np.stack([back @ matrix @ turn for matrix in one.matrices])

    return replace(
        data, unit_m=1.0,
        cameras=tuple(replace(one, matrices=led(one)) for one in data.cameras),
        lights=tuple(replace(one, matrices=led(one)) for one in data.lights),
        marks=tuple(replace(one, matrices=led(one)) for one in data.marks), meshes=(),
    )  # fmt: skip


def hiding(data: SceneData) -> SceneData:
    """Give the same scene with clip planes between which nothing of the shot lies."""
    return replace(data, cameras=tuple(replace(one, near=500.0, far=900.0) for one in data.cameras))


def write_scenes(folder: str, shot: DemoShot) -> list[str]:
    """Write a shot's scene beside its frames: as USD and glTF, and two faulty ones; give their paths."""
    data = scene_of(shot)
    os.makedirs(folder, exist_ok=True)
    files = {
        f"{shot.code}_scene_v001.usda": data, f"{shot.code}_scene_v001.glb": data,
        f"{shot.code}_scene_centimetres.usda": faulty(data), f"{shot.code}_scene_clipped.usda": hiding(data),
    }  # fmt: skip
    made = []
    for name, one in files.items():
        path = os.path.join(folder, name)
        made.append(path)
        if not os.path.exists(path):
            with final_name(path) as unfinished:
                ended = f"{unfinished}{os.path.splitext(name)[1]}"
                write_scene(one, ended, rate=FPS, first=shot.first, last=shot.first + shot.frames - 1)
                os.replace(ended, unfinished)
    return made
