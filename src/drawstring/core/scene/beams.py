"""Light that air sends back: spots' cones and glows round lamps, summed along each pixel's ray.

In air of even density a lamp's light reaches a point at distance r by 1 / r^2, so what a ray collects from
t0 to t1 is (atan((t1 - b) / h) - atan((t0 - b) / h)) / h, with b where it passes the lamp and h how far from
it (B. Sun, R. Ramamoorthi, S. Narasimhan, S. Nayar, "A practical analytic single scattering model for real
time rendering", SIGGRAPH 2005, without extinction). A cone's soft edge is a staircase of cones. A lamp has a
size, so that a ray through it collects no endless light: h^2 grows by its square.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Picture, Plane
from drawstring.core.bands import in_bands
from drawstring.core.kernels import kernel
from drawstring.core.scene.beam_veil import NO_VEIL, Veil, comes_through
from drawstring.core.scene.rays import Rays
from drawstring.core.scene.settings import Beam
from drawstring.core.scene.world import Lamp

CONES = 12
"""Steps of a soft edge."""

_SAMPLES = 10
"""Of uneven air and of mist, along what a ray collects."""

_STEPS = (np.arange(CONES) + np.array([[0.0], [1.0]])) / CONES
_RISES = np.diff(_STEPS * _STEPS * (3 - 2 * _STEPS), axis=0)[0]
"""By how much smoothstep rises from one step of a soft edge to the next."""


def row_of(beam: Beam, lamp: Lamp, frame: float) -> list[float]:
    """Give a beam as the kernel takes it."""
    is_cone = beam.is_cone and lamp.shines != "point"
    inner, outer = lamp.cone if beam.is_as_light and lamp.shines == "spot" else (beam.inner, beam.outer)
    light = [channel * beam.strength for channel in beam.colour]
    return [
        1.0 if is_cone else 0.0, *lamp.position, *lamp.direction, *light, math.radians(inner),
        math.radians(outer), beam.length, beam.core, beam.noise, beam.grain,
        *(each * frame for each in beam.drift), float(beam.seed),
    ]  # fmt: skip


def beams(
    rays: Rays, z: Plane, nothing: NDArray[np.bool_], share: Plane, other: NDArray[np.int32],
    rows: Sequence[Sequence[float]], veil: Veil = NO_VEIL, *, threads: int = 1,
) -> Picture:  # fmt: skip
    """Work out what beams add: (H, W, 3) float32.

    Parameters
    ----------
    rays : Rays
    z : (H, W) float32
        Distances.
    nothing : (H, W) bool
    share, other : (H, W)
        Of pixels that mix two things (`depth.parting.part`): each of them hides what lies behind it.
    rows : sequence of rows
        See `row_of`.
    veil : Veil
        What mists hold back of it on its way.
    """
    made = np.zeros((*z.shape, 3), np.float32)
    if rows:
        table = np.array(rows, np.float64)
        # Each cone of a staircase is as wide as the middle of its step.
        shares = (np.arange(CONES) + 0.5) / CONES
        cosines = np.cos(table[:, 11:12] + (table[:, 10:11] - table[:, 11:12]) * shares)
        given = (
            rays.eye, rays.ways, np.ascontiguousarray(z, np.float32), nothing, share, other, table, cosines,
            veil.as_given, made,
        )  # fmt: skip
        in_bands(lambda first, last: _rows(first, last, *given), len(z), threads)
    return made


@kernel(nogil=True, error_model="numpy")
def in_cone(cosine, low, high, aw, ad, dw, ww):  # type: ignore[no-untyped-def]
    """Give where a ray enters and leaves a cone, within two of its lengths; leaves before it enters: never.

    Within the cone (a.(w + t d))^2 >= c^2 |w + t d|^2, and a.(w + t d) > 0: w leads from the lamp to the
    ray's beginning, a is the cone's axis, d the ray.
    """
    c2 = cosine * cosine
    qa, qb, qc = ad * ad - c2, aw * ad - c2 * dw, aw * aw - c2 * ww
    if abs(qa) < 1e-12:
        if abs(qb) < 1e-12:
            return 1.0, 0.0
        cut = -qc / (2 * qb)
        begin, end = (max(low, cut), high) if qb > 0 else (low, min(high, cut))
    else:
        under = qb * qb - qa * qc
        if under <= 0:
            return 1.0, 0.0
        root = np.sqrt(under)
        first, second = (-qb - root) / qa, (-qb + root) / qa
        if qa < 0:
            # The ray crosses one of the two halves of the cone, from side to side.
            begin, end = max(low, second), min(high, first)
        elif ad > 0:
            begin, end = max(low, second), high
        else:
            begin, end = low, min(high, first)
    if end <= begin or aw + (begin + end) / 2 * ad <= 0:
        return 1.0, 0.0
    return begin, end


@kernel(nogil=True)
def _hash(x, y, z, seed):  # type: ignore[no-untyped-def]
    h = np.uint32(x) * np.uint32(374761393) + np.uint32(y) * np.uint32(668265263)
    h = h + np.uint32(z) * np.uint32(2147483647) + np.uint32(seed) * np.uint32(1274126177)
    h = (h ^ (h >> np.uint32(13))) * np.uint32(1274126177)
    return float((h ^ (h >> np.uint32(16))) & np.uint32(0xFFFFFF)) / 16777216.0


@kernel(nogil=True, error_model="numpy")
def air(x, y, z, seed):  # type: ignore[no-untyped-def]
    """Give uneven air at a place: 0 to 1, smooth (value noise on a grid of 1)."""
    ix, iy, iz = np.floor(x), np.floor(y), np.floor(z)
    u, v, w = x - ix, y - iy, z - iz
    u, v, w = u * u * (3 - 2 * u), v * v * (3 - 2 * v), w * w * (3 - 2 * w)
    total = 0.0
    for i in range(2):
        for j in range(2):
            for k in range(2):
                weight = (u if i else 1 - u) * (v if j else 1 - v) * (w if k else 1 - w)
                total += weight * _hash(int(ix) + i, int(iy) + j, int(iz) + k, seed)
    return total


_ATAN = (
    -0.0161657367,
    0.0429096138,
    -0.0752896400,
    0.1065626393,
    -0.1420889944,
    0.1999355085,
    -0.3333314528,
    1.0,
)


@kernel(nogil=True, inline="always", error_model="numpy")
def _turned(low, high):  # type: ignore[no-untyped-def]
    """Give atan(high) - atan(low), high being the larger: one arc tangent instead of two.

    Its series is right to 2e-8 (M. Abramowitz, I. Stegun, "Handbook of Mathematical Functions", 4.4.49).
    """
    across, along = high - low, 1 + low * high
    is_steep = across > abs(along)
    share = along / across if is_steep else across / along
    s = share * share
    series = 0.0028662257
    for term in _ATAN:
        series = series * s + term
    angle = share * series
    if is_steep:
        return np.pi / 2 - angle
    return angle + np.pi if along < 0 else angle


@kernel(nogil=True, error_model="numpy")
def _along(table, cosines, k, far, wx, wy, wz, dx, dy, dz):  # type: ignore[no-untyped-def]
    """Give how much one beam adds along a ray of unit length up to a distance, in even and clear air.

    Beside it where that begins and ends, where the ray passes the lamp, and how far from it.
    """
    core, most = table[k, 13], table[k, 12]
    dw, ww = dx * wx + dy * wy + dz * wz, wx * wx + wy * wy + wz * wz
    # Within its length: a ball about the lamp.
    under = dw * dw - ww + most * most
    if under <= 0:
        return 0.0, 0.0, 0.0, 0.0, 1.0
    root = np.sqrt(under)
    begins, ends = max(0.0, -dw - root), min(far, -dw + root)
    if ends <= begins:
        return 0.0, 0.0, 0.0, 0.0, 1.0
    h = np.sqrt(max(ww - dw * dw, 0.0) + core * core)
    narrow = 1 / h
    if table[k, 0] <= 0:
        return _turned((begins + dw) * narrow, (ends + dw) * narrow) * narrow, begins, ends, dw, h
    aw = table[k, 4] * wx + table[k, 5] * wy + table[k, 6] * wz
    ad = table[k, 4] * dx + table[k, 5] * dy + table[k, 6] * dz
    low, high, total = begins, ends, 0.0
    for step in range(CONES):
        # Each cone of the staircase takes the share of the soft edge that its step has.
        a, b = in_cone(cosines[k, step], low, high, aw, ad, dw, ww)
        if b <= a:
            break  # what lies within is smaller still
        if step == 0:
            begins, ends = a, b
        total += _RISES[step] * _turned((a + dw) * narrow, (b + dw) * narrow)
    return total * narrow, begins, ends, dw, h


@kernel(nogil=True, error_model="numpy")
def _left_of(beam, begins, ends, dw, h, dx, dy, dz, eye, size, veil, pixel):  # type: ignore[no-untyped-def]
    """Give by how much uneven air and mist change what a ray collects between two of its lengths.

    Sampled where the light is: at even steps of the angle that the sum runs over.
    """
    row, col, z, is_nothing = pixel
    low = (begins + dw) / h
    step = _turned(low, (ends + dw) / h) / _SAMPLES
    # tan(a + b) = (tan a + tan b) / (1 - tan a tan b): two tangents for all of them.
    on, half = np.tan(step), np.tan(step / 2)
    at = (low + half) / (1 - low * half)
    left = 0.0
    for i in range(_SAMPLES):
        if i:
            at = (at + on) / (1 - at * on)
        t = -dw + h * at
        much = 1.0
        if beam[14] > 0:
            thick = air(
                (eye[0] + t * dx + beam[16]) / beam[15],
                (eye[1] + t * dy + beam[17]) / beam[15],
                (eye[2] + t * dz + beam[18]) / beam[15],
                int(beam[19]),
            )
            much += beam[14] * (2 * thick - 1)
        if len(veil[0]):
            much *= comes_through(veil, row, col, z, is_nothing, t / size)
        left += much
    return left / _SAMPLES


@kernel(nogil=True, error_model="numpy")
def _rows(first, last, eye, ways, z, nothing, share, other, table, cosines, veil, made):  # type: ignore[no-untyped-def]
    width = z.shape[1]
    has_veil = len(veil[0]) > 0
    for row in range(first, last):
        for col in range(width):
            # Near a lamp what is left of a difference counts: in double precision.
            x, y, w = (
                np.float64(ways[row, col, 0]),
                np.float64(ways[row, col, 1]),
                np.float64(ways[row, col, 2]),
            )
            size = np.sqrt(x * x + y * y + w * w)
            narrow = 1 / size
            dx, dy, dz = x * narrow, y * narrow, w * narrow
            # A pixel of two things: each hides what lies behind it, by its share.
            part = np.float64(share[row, col])
            for side in range(2 if part < 1 else 1):
                r, c, weight = row, col, part
                is_open = nothing[row, col]
                if side == 1:
                    at, weight = other[row, col], 1 - part
                    r, c = (at // width, at % width) if at >= 0 else (row, col)
                    is_open = at < 0 or nothing[r, c]
                far = 1e9 if is_open else z[r, c] * size
                for k in range(table.shape[0]):
                    wx, wy, wz = eye[0] - table[k, 1], eye[1] - table[k, 2], eye[2] - table[k, 3]
                    total, begins, ends, dw, h = _along(table, cosines, k, far, wx, wy, wz, dx, dy, dz)
                    if total <= 0:
                        continue
                    if table[k, 14] > 0 or has_veil:
                        pixel = row, col, z[r, c], is_open
                        total *= _left_of(table[k], begins, ends, dw, h, dx, dy, dz, eye, size, veil, pixel)
                    for i in range(3):
                        made[row, col, i] += table[k, 7 + i] * total * weight
