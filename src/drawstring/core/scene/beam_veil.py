"""How much of a beam's light comes through the mist before it.

A mist says how much of it lies before a point at some distance (`depth.mist`). For light that the air sends
back on the way to that point it is asked at distances in between: along even steps of the distance, on a
coarse grid of pixels where it changes with the height; between them it is as good as straight. The renderer's
own mist pass tells only what lies before surfaces: it is taken to thicken evenly on the way there.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from drawstring.core.depth.mist import Scene, kept_clear, mist_amount
from drawstring.core.depth.mist_settings import Beyond, MistFrom, MistLayer
from drawstring.core.depth.settings import Along
from drawstring.core.kernels import kernel
from drawstring.core.scene.rays import Rays, points_at, rays_of

STEPS = 64
"""Distances at which mists are asked."""

COARSE = 8
"""Pixels to one of the grid."""


@dataclass(frozen=True)
class Veil:
    """What the mists of a frame hold back at any distance; L of them.

    Attributes
    ----------
    table : (L, STEPS + 1, h, w) float32
        Amounts at even steps of the distance; h and w are 1 where they are the same for all pixels.
    reach : float
        The last distance, counted as settled.
    surface : (L, H, W) or (L, 1, 1) float32
        Amounts before the surfaces, where a pass tells them; below 0 where the table does.
    lets : (L, H, W) or (L, 1, 1) float32
        How much of each pixel a mist does not leave alone.
    is_open : (L,) bool
        Whether it leaves alone where nothing is.
    """

    table: NDArray[np.float32]
    reach: float
    surface: NDArray[np.float32]
    lets: NDArray[np.float32]
    is_open: NDArray[np.bool_]

    @property
    def as_given(self) -> tuple[Any, ...]:
        """As the kernel takes it."""
        return self.table, self.reach, self.surface, self.lets, self.is_open


NO_VEIL = Veil(
    np.zeros((0, 1, 1, 1), np.float32), 1.0, np.zeros((0, 1, 1), np.float32), np.zeros((0, 1, 1), np.float32),
    np.zeros(0, bool),
)  # fmt: skip


def veil_before(scene: Scene, layers: Sequence[MistLayer], rays: Rays, reach: float) -> Veil:
    """Ask a frame's mists how much they hold back on the way.

    Parameters
    ----------
    scene : depth.mist.Scene
        With the camera that the rays are of.
    layers : sequence of MistLayer
        Of one frame, those that are on.
    rays : Rays
    reach : float
        As far as light is sent back.
    """
    if not layers:
        return NO_VEIL
    bare = [
        layer.model_copy(
            update={"clear_names": (), "clear_shape": (), "clear_alpha": False, "clear_matte": ""}
        )
        for layer in layers
    ]
    is_flat = all(layer.base is None for layer in layers)
    by_pass = scene.given is not None and any(layer.source is MistFrom.PASS for layer in layers)
    surface = np.full((len(layers), *(scene.z.shape if by_pass else (1, 1))), -1, np.float32)
    for i, layer in enumerate(bare):
        if layer.source is MistFrom.PASS and scene.given is not None:
            surface[i] = mist_amount(scene, layer)[0]
    away = np.linspace(0, reach, STEPS + 1, dtype=np.float32)
    return Veil(
        _all_alike(scene, bare, away) if is_flat else _by_height(scene, bare, rays, away),
        float(reach),
        surface,
        np.stack([1 - kept_clear(scene, layer) for layer in layers]),
        np.array([layer.beyond is Beyond.CLEAR for layer in layers]),
    )


def _all_alike(scene: Scene, layers: Sequence[MistLayer], away: NDArray[np.float32]) -> NDArray[np.float32]:
    """Ask mists that know no height: (L, STEPS + 1, 1, 1)."""
    column = np.ascontiguousarray(away[:, None])
    told = replace(scene, z=column, nothing=np.zeros(column.shape, bool), heights={}, given=None, mattes=None)
    return np.stack([mist_amount(told, layer)[0] for layer in layers])[..., None]


def _by_height(
    scene: Scene, layers: Sequence[MistLayer], rays: Rays, away: NDArray[np.float32]
) -> NDArray[np.float32]:
    """Ask mists at heights along a coarse grid's rays: (L, STEPS + 1, h, w)."""
    height, width = (-(-size // COARSE) + 1 for size in scene.z.shape)
    place = replace(scene.place, step=scene.place.step * COARSE)
    coarse = rays_of(scene.camera, place, (height, width), is_ray=scene.along is Along.RAY) or replace(
        rays, ways=np.repeat(np.repeat(rays.ways[:1, :1], height, 0), width, 1)
    )
    table = np.empty((len(layers), len(away), height, width), np.float32)
    for k, distance in enumerate(away):
        z = np.full((height, width), distance, np.float32)
        points = points_at(coarse, z)
        heights = {axis: points[..., "xyz".index(axis.value)] for axis in scene.heights}
        told = replace(
            scene, z=z, nothing=np.zeros(z.shape, bool), heights=heights, place=place, given=None, mattes=None
        )
        for i, layer in enumerate(layers):
            table[i, k] = mist_amount(told, layer)[0]
    return table


@kernel(nogil=True)
def comes_through(veil, row, col, z, is_nothing, distance):  # type: ignore[no-untyped-def]
    """Give how much light from a distance, counted as settled, comes through: 0 to 1."""
    table, reach, surface, lets, is_open = veil
    through = 1.0
    for i in range(len(table)):
        if is_nothing and is_open[i]:
            continue
        told = surface[i, row % surface.shape[1], col % surface.shape[2]]
        if told >= 0:
            amount = told if is_nothing else told * min(1.0, distance / max(z, 1e-9))
        else:
            steps = table.shape[1] - 1
            at = min(max(distance / reach, 0.0), 1.0) * steps
            near = min(int(at), steps - 1)
            amount = _between(table[i, near], row, col) * (near + 1 - at)
            amount += _between(table[i, near + 1], row, col) * (at - near)
        through *= 1 - amount * lets[i, row % lets.shape[1], col % lets.shape[2]]
    return through


@kernel(nogil=True)
def _between(plane, row, col):  # type: ignore[no-untyped-def]
    if plane.shape[0] == 1:
        return plane[0, 0]
    down, across = row / COARSE, col / COARSE
    top, left = int(down), int(across)
    a, b = across - left, down - top
    upper = plane[top, left] * (1 - a) + plane[top, left + 1] * a
    return upper * (1 - b) + (plane[top + 1, left] * (1 - a) + plane[top + 1, left + 1] * a) * b


def reach_of(rows: Sequence[Sequence[float]], rays: Rays) -> float:
    """Give how far from the eye the light of beams can come from (`beams.row_of`)."""
    return max(math.dist(row[1:4], rays.eye) + row[12] for row in rows) if rows else 1.0
