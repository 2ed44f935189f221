"""A rendered frame into one multi-layer file, with the camera in its header."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from drawstring.core.io.facts import Window
from drawstring.core.io.writing import write_exr
from drawstring.standins.renderer.camera import Camera, View
from drawstring.standins.renderer.frame import RenderedFrame
from drawstring.standins.renderer.names import name_header, name_planes


def write_frame(
    path: str,
    frame: RenderedFrame,
    *,
    objects: Sequence[str],
    camera: Camera,
    view: View,
    fps: float,
    compression: str = "rle",
) -> int:
    """Write every pass of a frame; give the bytes written.

    Camera attributes are OpenEXR's own (`worldToCamera`, `pinholeFocalLength`, `sensorOverallDimensions`);
    scene unit, kind of depth and clip planes, which it does not define, are plain attributes.
    """
    channels = {letter: np.ascontiguousarray(frame.beauty[..., i]) for i, letter in enumerate("RGBA")}
    channels |= frame.planes
    channels |= name_planes(objects, frame.ids, frame.coverage)
    film_height = camera.filmback_mm * view.height / view.width
    return write_exr(
        path,
        channels,
        compression=compression,
        data_window=view.data_window,
        display_window=Window(0, 0, view.width - 1, view.height - 1),
        metadata={
            "worldToCamera": camera.world_to_camera().ravel().tolist(),
            "pinholeFocalLength": float(camera.focal_mm),
            "sensorOverallDimensions": [camera.filmback_mm, film_height],
            "sceneUnit": "m",
            "depthKind": "along the ray" if view.projection else "along the axis",
            "nearClip": float(camera.near_clip_m),
            "farClip": float(camera.far_clip_m),
            "rate": float(fps),
            "renderer": "drawstring stand-in renderer 1",
            **name_header(objects),
        },
    )
