"""How near and how far the meshes of a scene's file lie from its camera: known before a render."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from drawstring.core.camera import Place
from drawstring.core.io.facts import Window
from drawstring.core.scene.mesh import seen_mesh
from drawstring.core.scene.rays import rays_of
from drawstring.core.scene.settings import SceneSettings
from drawstring.core.scene.world import world_of

ACROSS = 192
"""How many pixels wide the meshes are looked at."""

MOST_FRAMES = 7


def mesh_reach(
    settings: SceneSettings, frames: Sequence[int], aspect: float, unit_m: float = 1.0
) -> tuple[float, float] | None:
    """Say how near and how far meshes lie along the axis of the camera that is chosen, in the shot's units.

    Parameters
    ----------
    settings : SceneSettings
    frames : sequence of int
        Of the shot; some of them are looked at, first and last among them.
    aspect : float
        Of the picture.
    unit_m : float
        A unit of the shot's scene, in metres.

    Returns
    -------
    (near, far), or None where no camera is chosen or it sees no mesh.

    Raises
    ------
    SettingError
        The kept file is gone, or was changed.
    """
    world = world_of(settings, unit_m)
    if world is None or not world.data.meshes or not settings.camera or not len(frames):
        return None
    shape = max(1, round(ACROSS / aspect)), ACROSS
    whole = Window(0, 0, shape[1] - 1, shape[0] - 1)
    place = Place(whole, whole, pixel_aspect=aspect * shape[0] / shape[1])
    near, far = np.inf, 0.0
    for at in np.unique(np.linspace(0, len(frames) - 1, MOST_FRAMES).round().astype(int)):
        camera = world.camera(settings.camera, frames[at], aspect=aspect)
        rays = rays_of(camera, place, shape, is_ray=False) if camera is not None else None
        if rays is None:
            return None
        for own in world.data.meshes:
            points, normals = world.mesh(own, frames[at])
            z, _ = seen_mesh(rays, points, own.triangles, normals, shape)
            seen = z[np.isfinite(z) & (z > 0)]
            if seen.size:
                near, far = min(near, float(seen.min())), max(far, float(seen.max()))
    return (near, far) if far > 0 else None
