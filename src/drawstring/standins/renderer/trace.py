"""Every pass of a block of rows, sample by sample, compiled.

One camera ray a sample, one shadow ray to each lamp, one ray into the open for occlusion and light
from surroundings, one mirror ray. Fog of even density dims what surfaces send and adds its own light to
`environment`, so that the parts still add up to the beauty.
"""

from __future__ import annotations

import math

import numpy as np

from drawstring.core.kernels import kernel
from drawstring.standins.renderer.intersect import FAR, hit_scene, is_shaded, normal_at

# Columns of `light`, three numbers each.
DD, DI, DC, SD, SI, SC, EM, EN = range(0, 24, 3)
OCCLUSION, SHADOW, COVERAGE = 24, 25, 26
# Light before the surface's colour, each a mean by itself.
LD, LI, LS, LM = range(27, 39, 3)
LIGHT = 39
_OPEN_M = 2.5


@kernel(inline="always")
def _random(state):
    """Give the next number of a small counter-based generator: 0 to 1, and the new state."""
    state = (state * np.uint64(6364136223846793005) + np.uint64(1442695040888963407)) & np.uint64(
        0xFFFFFFFFFFFFFFFF
    )
    word = ((state >> np.uint64(18)) ^ state) >> np.uint64(27)
    return float(word & np.uint64(0xFFFFFF)) / 16777216.0, state


@kernel(fastmath=True)
def _sky(air, dy):
    """Give the sky's light from a direction by its height."""
    t = min(1.0, max(0.0, dy)) ** 0.5
    return (
        air[3] + (air[0] - air[3]) * t,
        air[4] + (air[1] - air[4]) * t,
        air[5] + (air[2] - air[5]) * t,
    )


@kernel(fastmath=True)
def _grain(paint, x, y, z):
    """Give how much brighter or darker a rough surface is at a point."""
    if paint[9] == 0.0:
        return 1.0
    # Sums of sines at unrelated scales: no table, the same for every ray.
    w = math.sin(x * 1.7 + math.sin(z * 1.1)) * math.sin(z * 1.9 + math.sin(x * 0.7) + y)
    w += 0.5 * math.sin(x * 7.3 + 2.0 * math.sin(z * 5.1)) * math.sin(z * 8.1 + y * 6.0)
    return 1.0 + paint[9] * w * 0.5


@kernel(fastmath=True, inline="always")
def _paint(paint, s, y):
    """Give the surface colour at a height: bands of two paints."""
    if paint[8] > 0.0 and int(math.floor((y - s[4]) / paint[8])) % 2 != 0:
        return paint[5], paint[6], paint[7]
    return paint[0], paint[1], paint[2]


@kernel(fastmath=True)
def _seen_from(shapes, nodes, paints, lamps, air, x, y, z, dx, dy, dz):
    """Give what a secondary ray brings back: sky, or a surface lit without further rays; and its reach."""
    found, t = hit_scene(shapes, nodes, x, y, z, dx, dy, dz, FAR)
    if found < 0:
        r, g, b = _sky(air, dy)
        return r, g, b, FAR
    s = shapes[found]
    px, py, pz = x + t * dx, y + t * dy, z + t * dz
    nx, ny, nz = normal_at(s, px, py, pz)
    paint = paints[int(s[2])]
    cr, cg, cb = _paint(paint, s, py)
    ar, ag, ab = _sky(air, 0.4)
    r, g, b = 0.45 * ar, 0.45 * ag, 0.45 * ab
    for i in range(lamps.shape[0]):
        lx, ly, lz, far, lr, lg, lb = _lamp(lamps[i], px, py, pz)
        cosine = max(0.0, nx * lx + ny * ly + nz * lz) * 0.6
        r, g, b = r + lr * cosine, g + lg * cosine, b + lb * cosine
    return cr * r + paint[10], cg * g + paint[11], cb * b + paint[12], t


@kernel(fastmath=True)
def _lamp(lamp, x, y, z):
    """Give direction to a lamp, its distance, and the light it would send to a point in the open."""
    kind = int(lamp[0])
    if kind == 0:
        return -lamp[4], -lamp[5], -lamp[6], FAR, lamp[7], lamp[8], lamp[9]
    lx, ly, lz = lamp[1] - x, lamp[2] - y, lamp[3] - z
    square = lx * lx + ly * ly + lz * lz + 1e-6
    far = math.sqrt(square)
    lx, ly, lz = lx / far, ly / far, lz / far
    power = 1.0 / square
    if kind == 2:
        cosine = -(lx * lamp[4] + ly * lamp[5] + lz * lamp[6])
        edge = (cosine - lamp[10]) / (0.25 * (1.0 - lamp[10]) + 1e-6)
        edge = min(1.0, max(0.0, edge))
        power *= edge * edge * (3.0 - 2.0 * edge)
    return lx, ly, lz, far, lamp[7] * power, lamp[8] * power, lamp[9] * power


@kernel(fastmath=True)
def _camera_ray(view, px, py, u, v):
    """Give origin and direction of the ray through a film point; `u`, `v` choose a point of the lens."""
    half, width, height = view[12], view[13], view[14]
    if int(view[15]) == 1:
        turn, lift = (px / width - 0.5) * 2.0 * math.pi, (0.5 - py / height) * math.pi
        sx, sy, sz = math.sin(turn) * math.cos(lift), math.sin(lift), math.cos(turn) * math.cos(lift)
        # An eye beside the middle goes round with the ray, so that there is depth on every side.
        aside, ahead = view[20] * math.cos(turn), -view[20] * math.sin(turn)
    else:
        aside = ahead = 0.0
        bx, by = 2.0 * px / width - 1.0, (1.0 - 2.0 * py / height) * height / width
        sx, sy = bx, by
        if view[21] != 0.0 or view[22] != 0.0 or view[23] != 0.0:
            # What the lens bends to here, found by going back and forth.
            for _ in range(40):
                square = sx * sx + sy * sy
                much = 1.0 + square * (view[21] + square * (view[22] + square * view[23]))
                sx, sy = bx / much, by / much
        sx, sy = sx * half + view[16], sy * half
        sz = 1.0
    ox = view[0] + aside * view[3] + ahead * view[9]
    oy = view[1] + aside * view[4] + ahead * view[10]
    oz = view[2] + aside * view[5] + ahead * view[11]
    if view[17] > 0.0:
        radius, angle = view[17] * math.sqrt(u), 2.0 * math.pi * v
        lx, ly = radius * math.cos(angle), radius * math.sin(angle)
        # The sharp point stays where it is: the ray from the lens point goes through it.
        sx, sy, sz = sx * view[18] - lx, sy * view[18] - ly, view[18]
        ox, oy, oz = (
            ox + lx * view[3] + ly * view[6],
            oy + lx * view[4] + ly * view[7],
            oz + lx * view[5] + ly * view[8],
        )
    dx = sx * view[3] + sy * view[6] + sz * view[9]
    dy = sx * view[4] + sy * view[7] + sz * view[10]
    dz = sx * view[5] + sy * view[8] + sz * view[11]
    length = math.sqrt(dx * dx + dy * dy + dz * dz)
    return ox, oy, oz, dx / length, dy / length, dz / length


@kernel(fastmath=True)
def _cosine_direction(nx, ny, nz, u, v):
    """Give a direction above a surface, more often along its normal (cosine law)."""
    angle, height = 2.0 * math.pi * u, 1.0 - 2.0 * v
    flat = math.sqrt(max(0.0, 1.0 - height * height))
    x, y, z = nx + flat * math.cos(angle), ny + height, nz + flat * math.sin(angle)
    length = math.sqrt(x * x + y * y + z * z) + 1e-9
    return x / length, y / length, z / length


@kernel(fastmath=True, nogil=True)
def trace_rows(
    shapes, nodes, seen, seen_nodes, paints, lamps, air, view, window, rows, side, seed, light, point, ids
):
    """Trace a block of rows.

    Parameters
    ----------
    shapes, nodes, paints, lamps, air : float64 arrays of a packed scene
    seen, seen_nodes : float64 arrays
        What of its shapes the camera sees; all others shade, light and are mirrored all the same.
    view : (24,) float64, see `View.rays`
    window : (2,) int, first column and row of the data window
    rows : (2,) int, first row and one past the last, within the data window
    side : int, samples along one side of a pixel
    seed : int, of this frame
    light : (H, W, LIGHT) float32, written: mean light and weighted colours
    point : (H, W, 8) float32, written: axis depth, position, normal and object of the nearest sample
    ids : (H, W, side * side) int16, written: object of each sample, -1 for none
    """
    width = light.shape[1]
    total = np.zeros(LIGHT)
    count = side * side
    shift_a = shift_b = shift_u = shift_v = 0.0
    fog = air[7]
    thrifty = view[19] > 0.0 and view[17] == 0.0 and count > 2
    for row in range(rows[0], rows[1]):
        for col in range(width):
            total[:] = 0.0
            nearest, asked = FAR, -1
            ir = ig = ib = mr = mg = mb = reach = grain = 0.0
            key = np.uint64((row + window[1]) * 65536 + col + window[0] + 65536 * 4096)
            state = (key * np.uint64(0x9E3779B97F4A7C15)) ^ (np.uint64(seed) * np.uint64(0xBF58476D1CE4E5B9))
            taken, met = 0, -2
            for m in range(count):
                # Opposite corners first: where both meet one surface, the samples between add little.
                n = (count - 1 if m == 1 else m - 1) if thrifty and m > 0 else m
                if thrifty and m == 2 and met != -3:
                    for k in range(count):
                        ids[row, col, k] = ids[row, col, 0]
                    break
                taken += 1
                a, state = _random(state)
                b, state = _random(state)
                u, state = _random(state)
                v, state = _random(state)
                if view[17] > 0.0:
                    # Film and lens are shared out together, evenly: steps by powers of the root of
                    # x^5 = x + 1 from a place of each pixel's own (the golden ratio, in four dimensions).
                    if m == 0:
                        shift_a, shift_b, shift_u, shift_v = a, b, u, v
                    fa, fb = (shift_a + m * 0.8566748838545029) % 1.0, (shift_b + m * 0.733891856627126) % 1.0
                    u, v = (shift_u + m * 0.6287067210378087) % 1.0, (shift_v + m * 0.5385972572236101) % 1.0
                    a, b = fa * side - n % side, fb * side - n // side
                px = col + window[0] + (n % side + a) / side
                py = row + window[1] + (n // side + b) / side
                ox, oy, oz, dx, dy, dz = _camera_ray(view, px, py, u, v)
                found, t = hit_scene(seen, seen_nodes, ox, oy, oz, dx, dy, dz, FAR)
                met = found if m == 0 or found == met else -3
                if found < 0:
                    ids[row, col, n] = -1
                    if air[6] > 0.0:
                        r, g, b = _sky(air, dy)
                        if fog > 0.0:
                            # Fog has no end: the sky shows through only where it is looked at steeply.
                            through = math.exp(-fog * 60.0 / (abs(dy) + 0.05))
                            r = r * through + air[8] * (1.0 - through)
                            g = g * through + air[9] * (1.0 - through)
                            b = b * through + air[10] * (1.0 - through)
                        total[EN] += r
                        total[EN + 1] += g
                        total[EN + 2] += b
                        total[COVERAGE] += 1.0
                    continue
                s = seen[found]
                ids[row, col, n] = int(s[1])
                x, y, z = ox + t * dx, oy + t * dy, oz + t * dz
                nx, ny, nz = normal_at(s, x, y, z)
                facing = nx * dx + ny * dy + nz * dz
                if facing > 0.0:
                    nx, ny, nz, facing = -nx, -ny, -nz, -facing
                if t < nearest:
                    nearest = t
                    fx, fy, fz = x - view[0], y - view[1], z - view[2]
                    if int(view[15]) == 1:
                        point[row, col, 0] = t
                    else:
                        point[row, col, 0] = fx * view[9] + fy * view[10] + fz * view[11]
                    point[row, col, 1] = x
                    point[row, col, 2] = y
                    point[row, col, 3] = z
                    point[row, col, 4] = nx
                    point[row, col, 5] = ny
                    point[row, col, 6] = nz
                    point[row, col, 7] = s[1]
                paint = paints[int(s[2])]
                cr, cg, cb = _paint(paint, s, y)
                if found != asked or view[17] > 0.0:
                    grain = _grain(paint, x, y, z)
                cr, cg, cb = min(0.95, cr * grain), min(0.95, cg * grain), min(0.95, cb * grain)
                gloss = paint[3] + (1.0 - paint[3]) * (1.0 + facing) ** 5 * min(1.0, paint[4] / 60.0)
                through = math.exp(-fog * t) if fog > 0.0 else 1.0
                # Off the surface a little, so that it does not shade itself.
                sx, sy, sz = x + nx * 1e-3, y + ny * 1e-3, z + nz * 1e-3
                rx, ry, rz = dx - 2.0 * facing * nx, dy - 2.0 * facing * ny, dz - 2.0 * facing * nz
                dr = dg = db = hr = hg = hb = 0.0
                lit = most = 0.0
                for i in range(lamps.shape[0]):
                    lx, ly, lz, far, lr, lg, lb = _lamp(lamps[i], x, y, z)
                    cosine = nx * lx + ny * ly + nz * lz
                    strength = lr + lg + lb
                    most += strength
                    if cosine <= 0.0 or strength <= 0.0:
                        continue
                    if is_shaded(shapes, nodes, sx, sy, sz, lx, ly, lz, far - 0.05):
                        continue
                    lit += strength
                    dr, dg, db = dr + lr * cosine, dg + lg * cosine, db + lb * cosine
                    mirror = rx * lx + ry * ly + rz * lz
                    if mirror > 0.0:
                        peak = mirror ** paint[4] * (paint[4] + 2.0) / 4.0
                        hr, hg, hb = hr + lr * peak, hg + lg * peak, hb + lb * peak
                # Light from surroundings changes slowly: it is asked for anew with every other sample, a
                # mirror image once in a pixel, unless the surface is another one.
                if found != asked or view[17] > 0.0:
                    mr, mg, mb, _ = _seen_from(shapes, nodes, paints, lamps, air, sx, sy, sz, rx, ry, rz)
                if found != asked or view[17] > 0.0 or m % 2 == 0:
                    u, state = _random(state)
                    v, state = _random(state)
                    qx, qy, qz = _cosine_direction(nx, ny, nz, u, v)
                    ir, ig, ib, reach = _seen_from(shapes, nodes, paints, lamps, air, sx, sy, sz, qx, qy, qz)
                asked = found
                total[DD] += dr * cr * through
                total[DD + 1] += dg * cg * through
                total[DD + 2] += db * cb * through
                total[DI] += ir * cr * through
                total[DI + 1] += ig * cg * through
                total[DI + 2] += ib * cb * through
                total[LD] += dr * through
                total[LD + 1] += dg * through
                total[LD + 2] += db * through
                total[LI] += ir * through
                total[LI + 1] += ig * through
                total[LI + 2] += ib * through
                total[LS] += hr * through
                total[LS + 1] += hg * through
                total[LS + 2] += hb * through
                total[LM] += mr * through
                total[LM + 1] += mg * through
                total[LM + 2] += mb * through
                total[DC] += cr
                total[DC + 1] += cg
                total[DC + 2] += cb
                total[SD] += hr * gloss * through
                total[SD + 1] += hg * gloss * through
                total[SD + 2] += hb * gloss * through
                total[SI] += mr * gloss * through
                total[SI + 1] += mg * gloss * through
                total[SI + 2] += mb * gloss * through
                total[SC] += gloss
                total[SC + 1] += gloss
                total[SC + 2] += gloss
                total[EM] += paint[10] * through
                total[EM + 1] += paint[11] * through
                total[EM + 2] += paint[12] * through
                total[EN] += air[8] * (1.0 - through)
                total[EN + 1] += air[9] * (1.0 - through)
                total[EN + 2] += air[10] * (1.0 - through)
                total[OCCLUSION] += 1.0 if reach > _OPEN_M else reach / _OPEN_M
                total[SHADOW] += lit / most if most > 0.0 else 1.0
                total[COVERAGE] += 1.0
            for i in range(LIGHT):
                light[row, col, i] = total[i] / taken
            if nearest == FAR:
                point[row, col, 0] = np.inf
                point[row, col, 7] = -1
