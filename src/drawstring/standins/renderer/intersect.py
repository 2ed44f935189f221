"""Where a ray meets a shape: the analytic solutions, compiled.

A ray is an origin and a unit direction; the answer is the distance along it, or `FAR` for none.
Sources: A. Glassner (ed.), "An Introduction to Ray Tracing", 1989, ch. 2 (sphere, box, disc, cone);
C. Ericson, "Real-Time Collision Detection", 2005, 5.3.7 (capsule by its axis).
"""

from __future__ import annotations

import math

from drawstring.core.kernels import kernel

FAR = 1e30
_NEAR = 1e-4


@kernel(fastmath=True, inline="always")
def _root(a, b, c):
    """Give the nearest positive root of a t^2 + 2 b t + c, and the further one."""
    disc = b * b - a * c
    if disc < 0.0:
        return FAR, FAR
    root = math.sqrt(disc)
    return (-b - root) / a, (-b + root) / a


@kernel(fastmath=True)
def hit_shape(s, ox, oy, oz, dx, dy, dz):
    """Give the distance to one packed shape."""
    kind = int(s[0])
    x, y, z = ox - s[3], oy - s[4], oz - s[5]
    if kind == 0:
        near, far = _root(1.0, x * dx + y * dy + z * dz, x * x + y * y + z * z - s[6] * s[6])
        return near if near > _NEAR else far if far > _NEAR else FAR
    if kind == 1:
        return _box(s, x, y, z, dx, dy, dz)
    if kind == 2:
        return _frustum(s, x, y, z, dx, dy, dz)
    if kind == 3:
        return _capsule(s, x, y, z, dx, dy, dz)
    if kind == 4:
        ix, iy, iz = 1.0 / s[6], 1.0 / s[7], 1.0 / s[8]
        x, y, z, ex, ey, ez = x * ix, y * iy, z * iz, dx * ix, dy * iy, dz * iz
        near, far = _root(ex * ex + ey * ey + ez * ez, x * ex + y * ey + z * ez, x * x + y * y + z * z - 1.0)
        return near if near > _NEAR else far if far > _NEAR else FAR
    if abs(dy) < 1e-9:
        return FAR
    t = -y / dy
    if t > _NEAR and (x + t * dx) ** 2 + (z + t * dz) ** 2 < s[6] * s[6]:
        return t
    return FAR


@kernel(fastmath=True)
def _box(s, x, y, z, dx, dy, dz):
    c, n = s[9], s[10]
    x, z, dx, dz = c * x - n * z, n * x + c * z, c * dx - n * dz, n * dx + c * dz
    near, far = -FAR, FAR
    for i in range(3):
        o = x if i == 0 else y if i == 1 else z
        d = dx if i == 0 else dy if i == 1 else dz
        h = s[6 + i]
        if abs(d) < 1e-12:
            if abs(o) > h:
                return FAR
        else:
            a, b = (-h - o) / d, (h - o) / d
            near, far = max(near, min(a, b)), min(far, max(a, b))
    if near > far or far < _NEAR:
        return FAR
    return near if near > _NEAR else far


@kernel(fastmath=True)
def _frustum(s, x, y, z, dx, dy, dz):
    height, low = s[6], s[7]
    slope = (s[8] - low) / height
    r = low + slope * y
    a = dx * dx + dz * dz - slope * slope * dy * dy
    b = x * dx + z * dz - slope * dy * r
    c = x * x + z * z - r * r
    best = FAR
    if abs(a) > 1e-12:
        near, far = _root(a, b, c)
        for t in (near, far):
            at = y + t * dy
            if _NEAR < t < best and 0.0 <= at <= height and low + slope * at >= 0.0:
                best = t
    if abs(dy) > 1e-9:
        for i in range(2):
            t = ((0.0 if i == 0 else height) - y) / dy
            cap = low if i == 0 else s[8]
            if _NEAR < t < best and (x + t * dx) ** 2 + (z + t * dz) ** 2 < cap * cap:
                best = t
    return best


@kernel(fastmath=True)
def _capsule(s, x, y, z, dx, dy, dz):
    bx, by, bz, r = s[6] - s[3], s[7] - s[4], s[8] - s[5], s[9]
    bb = bx * bx + by * by + bz * bz
    bd = bx * dx + by * dy + bz * dz
    bo = bx * x + by * y + bz * z
    od = x * dx + y * dy + z * dz
    oo = x * x + y * y + z * z
    near, _ = _root(bb - bd * bd, bb * od - bo * bd, bb * oo - bo * bo - r * r * bb)
    along = bo + near * bd
    if _NEAR < near < FAR and 0.0 < along < bb:
        return near
    best = FAR
    first, _ = _root(1.0, od, oo - r * r)
    if first > _NEAR:
        best = first
    ex, ey, ez = x - bx, y - by, z - bz
    second, _ = _root(1.0, ex * dx + ey * dy + ez * dz, ex * ex + ey * ey + ez * ez - r * r)
    if _NEAR < second < best:
        best = second
    return best


@kernel(fastmath=True, inline="always")
def _enters(node, k, ox, oy, oz, ix, iy, iz, limit):
    """Whether a ray comes into a node's box before `limit` (slabs)."""
    ax, bx = (node[k, 0] - ox) * ix, (node[k, 3] - ox) * ix
    ay, by = (node[k, 1] - oy) * iy, (node[k, 4] - oy) * iy
    az, bz = (node[k, 2] - oz) * iz, (node[k, 5] - oz) * iz
    near = max(max(min(ax, bx), min(ay, by)), min(az, bz))
    far = min(min(max(ax, bx), max(ay, by)), max(az, bz))
    return far >= max(near, 0.0) and near < limit


@kernel(fastmath=True, inline="always")
def _inverse(d):
    return 1.0 / d if abs(d) > 1e-12 else 1e12


@kernel(fastmath=True)
def hit_scene(shapes, nodes, ox, oy, oz, dx, dy, dz, limit):
    """Give the nearest shape within `limit`: its number (-1 for none) and the distance.

    Nodes stand in depth-first order; column 6 is where to go on when a box is missed, 7 and 8 the
    shapes of a leaf.
    """
    ix, iy, iz = _inverse(dx), _inverse(dy), _inverse(dz)
    best, found, k = limit, -1, 0
    while k < nodes.shape[0]:
        if _enters(nodes, k, ox, oy, oz, ix, iy, iz, best):
            for i in range(int(nodes[k, 7]), int(nodes[k, 8])):
                t = hit_shape(shapes[i], ox, oy, oz, dx, dy, dz)
                if t < best:
                    best, found = t, i
            k += 1
        else:
            k = int(nodes[k, 6])
    return found, best


@kernel(fastmath=True)
def is_shaded(shapes, nodes, ox, oy, oz, dx, dy, dz, limit):
    """Whether anything lies within `limit`; the first shape met is enough."""
    ix, iy, iz = _inverse(dx), _inverse(dy), _inverse(dz)
    k = 0
    while k < nodes.shape[0]:
        if _enters(nodes, k, ox, oy, oz, ix, iy, iz, limit):
            for i in range(int(nodes[k, 7]), int(nodes[k, 8])):
                if hit_shape(shapes[i], ox, oy, oz, dx, dy, dz) < limit:
                    return True
            k += 1
        else:
            k = int(nodes[k, 6])
    return False


@kernel(fastmath=True)
def normal_at(s, x, y, z):
    """Give the outward normal of a shape at a point on it."""
    kind = int(s[0])
    px, py, pz = x - s[3], y - s[4], z - s[5]
    if kind == 0:
        nx, ny, nz = px, py, pz
    elif kind == 1:
        c, n = s[9], s[10]
        qx, qz = c * px - n * pz, n * px + c * pz
        ax, ay, az = abs(qx) / s[6], abs(py) / s[7], abs(qz) / s[8]
        lx = math.copysign(1.0, qx) if ax >= ay and ax >= az else 0.0
        ny = math.copysign(1.0, py) if lx == 0.0 and ay >= az else 0.0
        lz = math.copysign(1.0, qz) if lx == 0.0 and ny == 0.0 else 0.0
        nx, nz = c * lx + n * lz, -n * lx + c * lz
    elif kind == 2:
        slope = (s[8] - s[7]) / s[6]
        if py < 1e-5:
            nx, ny, nz = 0.0, -1.0, 0.0
        elif py > s[6] - 1e-5:
            nx, ny, nz = 0.0, 1.0, 0.0
        else:
            flat = math.sqrt(px * px + pz * pz) + 1e-12
            nx, ny, nz = px / flat, -slope, pz / flat
    elif kind == 3:
        bx, by, bz = s[6] - s[3], s[7] - s[4], s[8] - s[5]
        h = (px * bx + py * by + pz * bz) / (bx * bx + by * by + bz * bz)
        h = min(1.0, max(0.0, h))
        nx, ny, nz = px - h * bx, py - h * by, pz - h * bz
    elif kind == 4:
        nx, ny, nz = px / (s[6] * s[6]), py / (s[7] * s[7]), pz / (s[8] * s[8])
    else:
        nx, ny, nz = 0.0, 1.0, 0.0
    length = math.sqrt(nx * nx + ny * ny + nz * nz) + 1e-20
    return nx / length, ny / length, nz / length
