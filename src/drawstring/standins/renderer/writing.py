"""A rendered frame into one multi-layer file, with the camera in its header."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import OpenEXR

from drawstring.core.io.facts import Window
from drawstring.core.io.writing import write_exr
from drawstring.standins.renderer.camera import LATLONG, Camera, View
from drawstring.standins.renderer.frame import RenderedFrame
from drawstring.standins.renderer.names import asset_planes, name_header, name_planes

LATLONG_MAP = OpenEXR.ENVMAP_LATLONG


def write_frame(
    path: str,
    frame: RenderedFrame,
    *,
    objects: Sequence[str],
    camera: Camera,
    view: View,
    fps: float,
    compression: str = "rle",
    has_assets: bool = False,
    has_noisy: bool = False,
) -> int:
    """Write every pass of a frame; give the bytes written.

    Camera attributes are OpenEXR's own (`worldToCamera`, `pinholeFocalLength`, `sensorOverallDimensions`);
    scene unit, kind of depth and clip planes, which it does not define, are plain attributes. `has_assets`
    adds a second set of names, of what each object is one of; `has_noisy` the picture before its grain was
    taken out.
    """
    channels, header = planes_of(frame, objects, has_assets=has_assets, has_noisy=has_noisy)
    return write_exr(
        path,
        channels,
        compression=compression,
        data_window=view.data_window,
        display_window=Window(0, 0, view.width - 1, view.height - 1),
        metadata={**header_of(camera, view, fps), **header},
    )


def planes_of(
    frame: RenderedFrame, objects: Sequence[str], *, has_assets: bool = False, has_noisy: bool = False,
    has_alpha: bool = True,
) -> tuple[dict[str, Any], dict[str, Any]]:  # fmt: skip
    """Give every channel of a frame by name, and what its header says of named objects."""
    letters = "RGBA" if has_alpha else "RGB"
    channels: dict[str, Any] = {
        letter: np.ascontiguousarray(frame.beauty[..., i]) for i, letter in enumerate(letters)
    }
    channels |= frame.planes
    if has_noisy:
        channels |= {
            f"beauty_noisy.{letter}": frame.noisy[..., i].astype(np.float16) for i, letter in enumerate("RGB")
        }
    channels |= name_planes(objects, frame.ids, frame.coverage)
    header: dict[str, Any] = dict(name_header(objects))
    if has_assets:
        planes, said = asset_planes(objects, frame.ids, frame.coverage)
        channels, header = channels | planes, header | said
    return channels, header


def write_picture(path: str, frame: RenderedFrame, *, camera: Camera, view: View, fps: float) -> int:
    """Write only the picture of a frame, without alpha, as half floats; give the bytes written."""
    channels = {letter: frame.beauty[..., i].astype(np.float16) for i, letter in enumerate("RGB")}
    return write_exr(
        path,
        channels,
        compression="zip",
        data_window=view.data_window,
        display_window=Window(0, 0, view.width - 1, view.height - 1),
        metadata=header_of(camera, view, fps),
    )


def header_of(camera: Camera, view: View, fps: float) -> dict[str, Any]:
    """Give what a frame's header says of its camera, by OpenEXR's names where it has them."""
    film_height = camera.filmback_mm * view.height / view.width
    eyes, shift = camera.through(view.eye)
    said: dict[str, Any] = {"envmap": LATLONG_MAP} if view.projection == LATLONG else {}
    if shift:
        said["screenWindowCenter"] = [shift, 0.0]
    return said | {
        "worldToCamera": eyes.world_to_camera().ravel().tolist(),
        "pinholeFocalLength": float(camera.focal_mm),
        "sensorOverallDimensions": [camera.filmback_mm, film_height],
        "sceneUnit": "m",
        "depthKind": "along the ray" if view.projection else "along the axis",
        "nearClip": float(camera.near_clip_m),
        "farClip": float(camera.far_clip_m),
        "rate": float(fps),
        "renderer": "drawstring stand-in renderer 1",
    }
