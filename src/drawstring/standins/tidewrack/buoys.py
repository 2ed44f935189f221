"""Sea buoys out of analytic shapes: float, body, lattice, lantern, top mark, lifting eyes, chain."""

from __future__ import annotations

import math

from drawstring.standins.renderer.scene import Material, Scene, Vec

STEEL = Material((0.34, 0.35, 0.36), specular=0.28, shine=90)
RUST = Material((0.24, 0.11, 0.06), specular=0.05, shine=14, grain=0.5)
RUBBER = Material((0.035, 0.035, 0.04), specular=0.04, shine=16)
WHITE = (0.78, 0.77, 0.73)


def _at(base: Vec, size: float, x: float, y: float, z: float) -> Vec:
    return (base[0] + x * size, base[1] + y * size, base[2] + z * size)


def tower_buoy(
    scene: Scene,
    name: str,
    base: Vec,
    paint: Material,
    *,
    size: float = 1.0,
    mark: str = "ball",
    lamp: Vec | None = None,
) -> int:
    """Set up a tower buoy: a wide float with a rubber fender, a tapered body, a lattice with a lantern.

    Parameters
    ----------
    base : (x, y, z)
        Where it stands, metres.
    size : float
        1 is about 3.6 m high.
    mark : str
        Top mark: "ball", "cone", "can" or "cross".
    lamp : (r, g, b), optional
        The lantern glows.
    """
    thing = scene.object(name)
    body, steel, rubber = scene.paint(paint), scene.paint(STEEL), scene.paint(RUBBER)
    glass = scene.paint(Material((0.85, 0.83, 0.7), 0.1, 160, emission=lamp or (0.0, 0.0, 0.0)))
    s = size
    scene.frustum(thing, steel, base, 0.12 * s, 0.50 * s, 0.52 * s)
    scene.frustum(thing, body, _at(base, s, 0, 0.12, 0), 0.33 * s, 0.55 * s, 0.95 * s)
    scene.frustum(thing, rubber, _at(base, s, 0, 0.45, 0), 0.10 * s, 0.99 * s, 1.04 * s)
    scene.frustum(thing, rubber, _at(base, s, 0, 0.55, 0), 0.10 * s, 1.04 * s, 0.99 * s)
    scene.frustum(thing, body, _at(base, s, 0, 0.65, 0), 0.22 * s, 0.95 * s, 0.62 * s)
    scene.frustum(thing, body, _at(base, s, 0, 0.87, 0), 0.95 * s, 0.56 * s, 0.30 * s)
    scene.frustum(thing, steel, _at(base, s, 0, 1.82, 0), 0.05 * s, 0.40 * s, 0.40 * s)
    for i in range(4):
        turn = math.pi / 4 + i * math.pi / 2
        next_turn = turn + math.pi / 2
        low = _at(base, s, 0.32 * math.cos(turn), 1.85, 0.32 * math.sin(turn))
        high = _at(base, s, 0.17 * math.cos(turn), 2.75, 0.17 * math.sin(turn))
        across = _at(base, s, 0.17 * math.cos(next_turn), 2.75, 0.17 * math.sin(next_turn))
        scene.capsule(thing, steel, low, high, 0.025 * s)
        scene.capsule(thing, steel, low, across, 0.014 * s)
        eye = _at(base, s, 0.80 * math.cos(turn), 0.78, 0.80 * math.sin(turn))
        scene.capsule(thing, steel, eye, _at(eye, s, 0, 0.16, 0), 0.035 * s)
    scene.frustum(thing, steel, _at(base, s, 0, 2.75, 0), 0.06 * s, 0.26 * s, 0.26 * s)
    scene.frustum(thing, glass, _at(base, s, 0, 2.81, 0), 0.24 * s, 0.12 * s, 0.12 * s)
    scene.frustum(thing, steel, _at(base, s, 0, 3.05, 0), 0.08 * s, 0.17 * s, 0.05 * s)
    scene.capsule(thing, steel, _at(base, s, 0, 3.1, 0), _at(base, s, 0, 3.3, 0), 0.02 * s)
    if mark == "cone":
        scene.frustum(thing, body, _at(base, s, 0, 3.25, 0), 0.38 * s, 0.20 * s, 0.0)
    elif mark == "can":
        scene.frustum(thing, body, _at(base, s, 0, 3.25, 0), 0.34 * s, 0.15 * s, 0.15 * s)
    elif mark == "cross":
        for tilt in (-1, 1):
            scene.capsule(
                thing,
                body,
                _at(base, s, -0.17 * tilt, 3.28, 0),
                _at(base, s, 0.17 * tilt, 3.62, 0),
                0.035 * s,
            )
    else:
        scene.sphere(thing, body, _at(base, s, 0, 3.42, 0), 0.19 * s)
    return thing


def mooring_buoy(scene: Scene, name: str, base: Vec, paint: Material, *, size: float = 1.0) -> int:
    """Set down a ball-shaped mooring buoy with a steel eye on top and a collar round its middle."""
    thing = scene.object(name)
    body, steel, rubber = scene.paint(paint), scene.paint(STEEL), scene.paint(RUBBER)
    s = size
    scene.sphere(thing, body, _at(base, s, 0, 0.6, 0), 0.6 * s)
    scene.frustum(thing, rubber, _at(base, s, 0, 0.54, 0), 0.12 * s, 0.62 * s, 0.62 * s)
    scene.frustum(thing, steel, _at(base, s, 0, 1.17, 0), 0.06 * s, 0.2 * s, 0.16 * s)
    ring(scene, thing, steel, _at(base, s, 0, 1.33, 0), 0.12 * s, 0.03 * s)
    return thing


def ring(scene: Scene, thing: int, paint: int, centre: Vec, radius: float, thick: float) -> None:
    """Bend an upright ring out of short rods."""
    points = [
        (
            centre[0] + radius * math.cos(i * math.pi / 4),
            centre[1] + radius * math.sin(i * math.pi / 4),
            centre[2],
        )
        for i in range(9)
    ]
    for start, end in zip(points, points[1:], strict=False):
        scene.capsule(thing, paint, start, end, thick)


def chain(scene: Scene, name: str, points: list[Vec], thick: float) -> int:
    """Lay a chain through points: links alternately flat and on edge, drawn as pairs of rods."""
    thing = scene.object(name)
    rust = scene.paint(RUST)
    for i, (start, end) in enumerate(zip(points, points[1:], strict=False)):
        along = [e - s for s, e in zip(start, end, strict=True)]
        length = math.hypot(along[0], along[2]) or 1.0
        side = (-along[2] / length * thick * 1.3, 0.0, along[0] / length * thick * 1.3)
        lift = (0.0, thick * 1.3, 0.0)
        way = side if i % 2 else lift
        for sign in (-1, 1):
            a = tuple(p + sign * w - 0.15 * d for p, w, d in zip(start, way, along, strict=True))
            b = tuple(p + sign * w + 0.15 * d for p, w, d in zip(end, way, along, strict=True))
            scene.capsule(thing, rust, a, b, thick)  # type: ignore[arg-type]
    return thing


def sagging(start: Vec, end: Vec, sag: float, links: int) -> list[Vec]:
    """Give points of a sagging line between two places."""
    points = []
    for i in range(links + 1):
        t = i / links
        x, y, z = (a + (b - a) * t for a, b in zip(start, end, strict=True))
        points.append((x, y - sag * 4 * t * (1 - t), z))
    return points
