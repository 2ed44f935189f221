"""Light added to a picture from what is known of its surfaces: where they lie and which way they face.

A lamp's strength is the light that a white matt surface sends back one unit before it, facing it (its
illuminance there, by pi). Matt surfaces follow Lambert's law; mirrored light the normalised Phong lobe
(E. Lafortune, Y. Willems, "Using the modified Phong reflectance model for physically based rendering", 1994).
Where a light ends at some reach it fades as KHR_lights_punctual says.

It is approximate by nature: nothing is known of what the camera does not see, and a moving thing's blur is
lit as if it stood still.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Picture, Plane
from drawstring.core.bands import in_bands
from drawstring.core.kernels import kernel
from drawstring.core.scene.rays import Points, Rays, pixel
from drawstring.core.scene.settings import AddedLight, Falloff
from drawstring.core.scene.world import Lamp

POINT, SPOT, SUN = 0, 1, 2
_FALLS = {Falloff.SQUARE: 2, Falloff.LINEAR: 1, Falloff.NONE: 0}
_STEPS, _AT_ONCE = 64, 8
"""Along a way of light, to find what holds it off; and how many of them are walked together."""

_WHOLE, _COARSE = ((1, 0),), ((4, 0), (2, 4), (1, 2))
"""Turns in which pixels are lit: every so many rows and columns; and at which of them shadows are known."""

_FREE, _HELD = 1, 2
"""What is known of a lamp's way to a pixel; 0 where nothing is."""

_ACROSS = 3
"""Lamps along either side that stand for a rectangle."""


def rows_of(light: AddedLight, lamp: Lamp, matte: int = -1) -> list[list[float]]:
    """Give a light as the kernel takes it: one row, or several that stand for a rectangle."""
    kind = {"spot": SPOT, "sun": SUN}.get(lamp.shines, POINT)
    inner, outer = (math.cos(math.radians(each)) for each in lamp.cone)
    strength = [channel * lamp.strength for channel in lamp.colour]
    how = [
        inner,
        outer,
        _FALLS[light.falloff],
        light.reach or 0.0,
        light.diffuse,
        light.specular,
        light.gloss,
        light.shadows,
        light.thickness,
        matte,
    ]
    if lamp.shines != "rectangle":
        return [[kind, *lamp.position, *lamp.direction, *strength, *how, 0.0]]
    aside = lamp.aside if lamp.aside is not None else _beside(lamp.direction)
    upright = np.cross(lamp.direction, aside)
    places = (np.arange(_ACROSS) + 0.5) / _ACROSS - 0.5
    return [
        [
            kind,
            *(lamp.position + a * lamp.size[0] * aside + b * lamp.size[1] * upright),
            *lamp.direction,
            *(each / _ACROSS**2 for each in strength),
            *how,
            1.0,
        ]
        for a in places
        for b in places
    ]


def _beside(direction: NDArray[np.float64]) -> NDArray[np.float64]:
    aside = np.cross(direction, [0.0, 1.0, 0.0])
    if np.linalg.norm(aside) < 1e-6:
        aside = np.array([1.0, 0, 0])
    return np.asarray(aside / np.linalg.norm(aside))


def added_light(
    rays: Rays,
    z: Plane,
    nothing: NDArray[np.bool_],
    normals: Points,
    albedo: Points,
    lamps: Sequence[Sequence[float]],
    mattes: Mapping[int, Plane] | None = None,
    *,
    is_trial: bool = False,
    threads: int = 1,
) -> Picture:
    """Work out the light that lamps add: (H, W, 3) float32.

    Parameters
    ----------
    rays : Rays
    z : (H, W) float32
        Distances.
    nothing : (H, W) bool
    normals : (H, W, 3) float32
        In the scene's axes; of length 0 where they are not known.
    albedo : (H, W, 3) float32
        What matt surfaces send on of white light.
    lamps : sequence of rows
        See `rows_of`.
    mattes : mapping of number to (H, W) float32
        What limits them.
    is_trial : bool
        Whether it is shown while a hand moves: then shadows are looked for at every fourth pixel of every
        fourth row, and in between only where those around do not agree.
    """
    made = np.zeros((*z.shape, 3), np.float32)
    if not lamps:
        return made
    table = np.array(lamps, np.float64)
    most = max(mattes, default=-1) + 1 if mattes else 0
    limits = np.ones((max(most, 1), *(z.shape if most else (1, 1))), np.float32)
    for number, matte in (mattes or {}).items():
        limits[number] = matte
    given = (
        rays.sees,
        rays.axes,
        rays.eye,
        rays.ways,
        np.where(nothing, np.float32(np.inf), z).astype(np.float32, copy=False),
        nothing,
        np.ascontiguousarray(normals, np.float32),
        np.ascontiguousarray(albedo, np.float32),
        table,
        limits,
        made,
    )
    is_coarse = is_trial and bool((table[:, 17] > 0).any())
    held = np.zeros((len(table), *z.shape) if is_coarse else (1, 1, 1), np.uint8)

    def light(turn: tuple[int, int]) -> None:
        in_bands(lambda first, last: _rows(first, last, turn, held, *given), len(z), threads)

    for turn in _COARSE if is_coarse else _WHOLE:
        light(turn)
    return made


@kernel(nogil=True, error_model="numpy", fastmath={"contract"})
def shaded(sees, axes, eye, z, px, py, pz, lx, ly, lz, far, thickness):  # type: ignore[no-untyped-def]
    """Whether a thing in the picture lies between a point and a lamp; approximate: it sees what is seen.

    Steps widen with the way: near a thing its edge matters most. Where nothing is, z is infinite.
    """
    height, width = z.shape
    x, y, w = px - eye[0], py - eye[1], pz - eye[2]
    if sees[0] > 0:
        for i in range(1, _STEPS + 1):
            t = far * (i / _STEPS) * (i / _STEPS)
            col, row, away = pixel(sees, axes, x + lx * t, y + ly * t, w + lz * t)
            if col < -0.5 or row < -0.5 or col >= width - 0.5 or row >= height - 0.5:
                return False
            before = away - z[int(row + 0.5), int(col + 0.5)]
            if before > 0.004 * away + 0.02 * t and before < thickness + 0.02 * away:
                return True
        return False
    # Along the way to the lamp all three change evenly.
    a = np.float32(x * axes[0, 0] + y * axes[0, 1] + w * axes[0, 2])
    b = np.float32(x * axes[1, 0] + y * axes[1, 1] + w * axes[1, 2])
    c = np.float32(x * axes[2, 0] + y * axes[2, 1] + w * axes[2, 2])
    da = np.float32(lx * axes[0, 0] + ly * axes[0, 1] + lz * axes[0, 2])
    db = np.float32(lx * axes[1, 0] + ly * axes[1, 1] + lz * axes[1, 2])
    dc = np.float32(lx * axes[2, 0] + ly * axes[2, 1] + lz * axes[2, 2])
    is_ray, flat, line = sees[1] > 0, z.ravel(), np.int32(width)
    across, down = np.float32(1 / sees[3]), np.float32(1 / sees[5])
    # Counted from the corner of the first pixel, so that a whole number is a pixel's.
    left, top = np.float32(0.5 - sees[2] / sees[3]), np.float32(0.5 - sees[4] / sees[5])
    wide, high, reach, thick = np.float32(width), np.float32(height), np.float32(far), np.float32(thickness)
    none, one, least, share = np.float32(0), np.float32(1), np.float32(1e-9), np.float32(1 / _STEPS)
    for begin in range(0, _STEPS, _AT_ONCE):
        hits, inside = np.int32(0), np.int32(0)
        # No way out of it in between: so many steps are done at once.
        for j in range(_AT_ONCE):
            part = np.float32(begin + j + 1) * share
            t = reach * part * part
            at, bt, ct = a + t * da, b + t * db, c + t * dc
            near = one / max(ct, least)
            col, row = at * near * across + left, bt * near * down + top
            is_seen = (ct > least) & (col >= none) & (row >= none) & (col < wide) & (row < high)
            q, r = np.int32(min(max(col, none), wide - one)), np.int32(min(max(row, none), high - one))
            away = np.sqrt(at * at + bt * bt + ct * ct) if is_ray else ct
            before = away - flat[np.uint64(r * line + q)]
            # What lies just before the point itself is its own surface.
            is_beyond = before > np.float32(0.004) * away + np.float32(0.02) * t
            hits += np.int32(is_seen & is_beyond & (before < thick + np.float32(0.02) * away))
            inside += np.int32(is_seen)
        if hits:
            return True
        if inside == 0:
            return False
    return False


@kernel(nogil=True, error_model="numpy")
def _around(held, row, col, step):  # type: ignore[no-untyped-def]
    """Give what the pixels around that were asked before agree on; 0 where they do not."""
    height, width = held.shape
    above, left = row - row % step, col - col % step
    below, right = above + (step if row % step else 0), left + (step if col % step else 0)
    if below >= height or right >= width:
        return 0
    known = held[above, left]
    if held[above, right] == known and held[below, left] == known and held[below, right] == known:
        return known
    return 0


@kernel(nogil=True, error_model="numpy")
def _rows(  # type: ignore[no-untyped-def]
    first, last, turn, held, sees, axes, eye, ways, z, nothing, normals, albedo, lamps, limits, made
):  # fmt: skip
    step, before = turn
    for row in range(first + -first % step, last, step):
        is_known = before > 0 and row % before == 0
        for col in range(0, z.shape[1], step):
            if nothing[row, col] or (is_known and col % before == 0):
                continue
            nx, ny, nz = normals[row, col, 0], normals[row, col, 1], normals[row, col, 2]
            length = np.sqrt(nx * nx + ny * ny + nz * nz)
            if length < 1e-6:
                continue
            nx, ny, nz = nx / length, ny / length, nz / length
            away = z[row, col]
            wx, wy, wz = ways[row, col, 0], ways[row, col, 1], ways[row, col, 2]
            px, py, pz = eye[0] + wx * away, eye[1] + wy * away, eye[2] + wz * away
            size = np.sqrt(wx * wx + wy * wy + wz * wz)
            cosine = (nx * wx + ny * wy + nz * wz) / size
            mx, my, mz = wx / size - 2 * cosine * nx, wy / size - 2 * cosine * ny, wz / size - 2 * cosine * nz
            for k in range(lamps.shape[0]):
                kind = int(lamps[k, 0])
                power, far = 1.0, 1e9
                if kind == 2:
                    lx, ly, lz = -lamps[k, 4], -lamps[k, 5], -lamps[k, 6]
                else:
                    lx, ly, lz = lamps[k, 1] - px, lamps[k, 2] - py, lamps[k, 3] - pz
                    far = max(np.sqrt(lx * lx + ly * ly + lz * lz), 1e-6)
                    lx, ly, lz = lx / far, ly / far, lz / far
                    falls, reach = int(lamps[k, 12]), lamps[k, 13]
                    if falls == 2:
                        power /= far * far
                    elif falls == 1:
                        power /= far
                    if reach > 0:
                        share = far / reach
                        power *= max(0.0, 1.0 - share * share * share * share)
                    forward = -(lx * lamps[k, 4] + ly * lamps[k, 5] + lz * lamps[k, 6])
                    if kind == 1:
                        edge = (forward - lamps[k, 11]) / max(lamps[k, 10] - lamps[k, 11], 1e-9)
                        edge = min(1.0, max(0.0, edge))
                        power *= edge * edge * (3.0 - 2.0 * edge)
                    if lamps[k, 20] > 0:
                        power *= max(0.0, forward)
                facing = nx * lx + ny * ly + nz * lz
                if facing <= 0 or power <= 0:
                    continue
                limit = int(lamps[k, 19])
                if limit >= 0:
                    power *= limits[limit, row, col]
                    if power <= 0:
                        continue
                if lamps[k, 17] > 0:
                    known = _around(held[k], row, col, before) if before else 0
                    if not known:
                        way = min(far, 1e4 * away)
                        is_held = shaded(sees, axes, eye, z, px, py, pz, lx, ly, lz, way, lamps[k, 18])
                        known = _HELD if is_held else _FREE
                    if step > 1:
                        held[k, row, col] = known
                    if known == _HELD:
                        power *= 1.0 - lamps[k, 17]
                matt = lamps[k, 14] * facing * power
                lobe = 0.0
                if lamps[k, 15] > 0:
                    mirror = mx * lx + my * ly + mz * lz
                    if mirror > 0:
                        lobe = lamps[k, 15] * mirror ** lamps[k, 16] * (lamps[k, 16] + 2) / 2 * facing * power
                for i in range(3):
                    made[row, col, i] += lamps[k, 7 + i] * (matt * albedo[row, col, i] + lobe)


def light_at(
    points: NDArray[np.float64], normal: NDArray[np.float64], lamps: Sequence[Lamp]
) -> NDArray[np.float64]:
    """Give the light that a white matt card sends back at points of it, lit from either side: (N, 3)."""
    made = np.zeros((len(points), 3))
    for lamp in lamps:
        if lamp.shines == "sun":
            ways, power = np.broadcast_to(-lamp.direction, points.shape), np.ones(len(points))
        else:
            ways = lamp.position - points
            far = np.maximum(np.linalg.norm(ways, axis=1), 1e-6)
            ways, power = ways / far[:, None], 1 / far**2
            if lamp.shines == "spot":
                inner, outer = (math.cos(math.radians(each)) for each in lamp.cone)
                edge = np.clip((-(ways @ lamp.direction) - outer) / max(inner - outer, 1e-9), 0, 1)
                power = power * edge * edge * (3 - 2 * edge)
        facing = np.abs(ways @ normal)
        made += (facing * power)[:, None] * np.asarray(lamp.colour) * lamp.strength
    return made
