"""A scene: materials, shapes gathered into named objects, lamps, sky and fog.

Metres, y up, right-handed. Shapes are analytic and stand in a tree of boxes, so that a ray passes
most of them by with one test. `packed` turns it all into plain arrays for the kernels.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

SPHERE, BOX, FRUSTUM, CAPSULE, ELLIPSOID, DISC = range(6)
SUN, POINT, SPOT = range(3)

_STEP = 0.8  # what passing a node costs, in shape tests

Vec = tuple[float, float, float]


@dataclass(frozen=True)
class Material:
    """How a surface answers light; `second` is a second paint in bands of `band_m` along y."""

    colour: Vec
    specular: float = 0.04
    shine: float = 40.0
    second: Vec | None = None
    band_m: float = 0.0
    grain: float = 0.0
    emission: Vec = (0.0, 0.0, 0.0)


@dataclass(frozen=True)
class Lamp:
    """A light; a sun has only a direction, a spot has a cone of `half_angle_deg` with a soft edge."""

    name: str
    kind: int
    colour: Vec
    strength: float
    position: Vec = (0.0, 0.0, 0.0)
    direction: Vec = (0.0, -1.0, 0.0)
    half_angle_deg: float = 30.0


@dataclass(frozen=True)
class Sky:
    """What is no surface: a gradient; seen by the camera or only by surfaces; fog of even density."""

    zenith: Vec
    horizon: Vec
    is_visible: bool = True
    fog_per_m: float = 0.0
    fog_colour: Vec = (0.6, 0.63, 0.66)


@dataclass
class Scene:
    """Objects by name, each a list of shapes."""

    sky: Sky
    lamps: list[Lamp] = field(default_factory=list)
    materials: list[Material] = field(default_factory=list)
    objects: list[str] = field(default_factory=list)
    shapes: list[list[float]] = field(default_factory=list)

    def paint(self, material: Material) -> int:
        """Add a material; give its number."""
        self.materials.append(material)
        return len(self.materials) - 1

    def object(self, name: str) -> int:
        """Add an object; give its number."""
        self.objects.append(name)
        return len(self.objects) - 1

    def sphere(self, thing: int, paint: int, centre: Vec, radius: float) -> None:
        """Add a ball."""
        self._add(SPHERE, thing, paint, *centre, radius)

    def ellipsoid(self, thing: int, paint: int, centre: Vec, radii: Vec) -> None:
        """Add a stretched ball."""
        self._add(ELLIPSOID, thing, paint, *centre, *radii)

    def box(self, thing: int, paint: int, centre: Vec, half: Vec, yaw_deg: float = 0.0) -> None:
        """Add a box, turned about the vertical."""
        turn = math.radians(yaw_deg)
        self._add(BOX, thing, paint, *centre, *half, math.cos(turn), math.sin(turn))

    def frustum(self, thing: int, paint: int, base: Vec, height: float, low: float, high: float) -> None:
        """Add an upright cone or cylinder with caps: radii at the base and at the top."""
        self._add(FRUSTUM, thing, paint, *base, height, low, high)

    def capsule(self, thing: int, paint: int, start: Vec, end: Vec, radius: float) -> None:
        """Add a rod with round ends."""
        self._add(CAPSULE, thing, paint, *start, *end, radius)

    def disc(self, thing: int, paint: int, centre: Vec, radius: float) -> None:
        """Add a flat round ground."""
        self._add(DISC, thing, paint, *centre, radius)

    def _add(self, kind: int, thing: int, paint: int, *numbers: float) -> None:
        self.shapes.append([kind, thing, paint, *numbers] + [0.0] * (9 - len(numbers)))

    def packed(self, hidden: Sequence[str] = ()) -> PackedScene:
        """Turn the scene into arrays, shapes in the order of their tree.

        Parameters
        ----------
        hidden : sequence of str
            Objects that the camera does not see; they shade, light and are mirrored all the same.
        """
        shapes = np.array(self.shapes, np.float64)
        order, nodes = _tree(np.array([_box_around(shape) for shape in shapes]))
        paints = np.array(
            [
                [
                    *m.colour, m.specular, m.shine, *(m.second or m.colour), m.band_m if m.second else 0.0,
                    m.grain, *m.emission,
                ]
                for m in self.materials
            ],
            np.float64,
        )  # fmt: skip
        lamps = lamp_rows(self.lamps)
        sky = self.sky
        air = np.array(
            [*sky.zenith, *sky.horizon, float(sky.is_visible), sky.fog_per_m, *sky.fog_colour], np.float64
        )
        seen, seen_nodes = shapes[order], nodes
        if hidden:
            gone = [self.objects.index(name) for name in hidden]
            seen = shapes[~np.isin(shapes[:, 1], gone)]
            order_seen, seen_nodes = _tree(np.array([_box_around(shape) for shape in seen]))
            seen = seen[order_seen]
        return PackedScene(shapes[order], nodes, seen, seen_nodes, paints, lamps, air)


@dataclass(frozen=True)
class PackedScene:
    """The scene as the kernels take it: float64 arrays, one row to a shape, tree node, material or lamp."""

    shapes: NDArray[np.float64]
    nodes: NDArray[np.float64]
    seen: NDArray[np.float64]
    seen_nodes: NDArray[np.float64]
    paints: NDArray[np.float64]
    lamps: NDArray[np.float64]
    air: NDArray[np.float64]


def lamp_rows(lamps: Sequence[Lamp]) -> NDArray[np.float64]:
    """Give lamps as the kernels take them: (N, 12) float64."""
    return np.array([_lamp_numbers(lamp) for lamp in lamps], np.float64).reshape(-1, 12)


def _lamp_numbers(lamp: Lamp) -> list[float]:
    away = np.array(lamp.direction) / np.linalg.norm(lamp.direction)
    light = [channel * lamp.strength for channel in lamp.colour]
    cosine = math.cos(math.radians(lamp.half_angle_deg))
    return [lamp.kind, *lamp.position, *away, *light, cosine, 0.0]


def _box_around(shape: NDArray[np.float64]) -> NDArray[np.float64]:
    """Give the box around one shape: three lowest, three highest coordinates."""
    kind, p = int(shape[0]), shape[3:]
    if kind == FRUSTUM:
        widest = max(p[4], p[5])
        return np.array([p[0] - widest, p[1], p[2] - widest, p[0] + widest, p[1] + p[3], p[2] + widest])
    if kind == CAPSULE:
        return np.concatenate([np.minimum(p[:3], p[3:6]) - p[6], np.maximum(p[:3], p[3:6]) + p[6]])
    if kind == BOX:
        c, s = abs(p[6]), abs(p[7])
        reach = np.array([c * p[3] + s * p[5], p[4], s * p[3] + c * p[5]])
    elif kind == ELLIPSOID:
        reach = p[3:6]
    else:
        reach = np.array([p[3], p[3] if kind == SPHERE else 1e-3, p[3]])
    return np.concatenate([p[:3] - reach, p[:3] + reach])


def _tree(boxes: NDArray[np.float64]) -> tuple[list[int], NDArray[np.float64]]:
    """Sort shapes into a tree of boxes: shape order, and nodes in depth-first order.

    A node's row: lowest and highest corner, the node to go on with when it is missed, and the shapes
    (from, to) of a leaf. Halves are chosen by surface area, the chance that a ray meets a box
    (J. MacDonald, K. Booth, "Heuristics for ray tracing using space subdivision", 1990).
    """
    order: list[int] = []
    nodes: list[list[float]] = []

    def grow(members: list[int]) -> None:
        inside = boxes[members]
        row = [*inside[:, :3].min(axis=0), *inside[:, 3:].max(axis=0), 0.0, 0.0, 0.0]
        nodes.append(row)
        halves = _cheapest_halves(inside)
        if halves is None:
            row[7:9] = [len(order), len(order) + len(members)]
            order.extend(members)
        else:
            for half in halves:
                grow([members[i] for i in half])
        row[6] = len(nodes)

    grow(list(range(len(boxes))))
    return order, np.array(nodes)


def _cheapest_halves(boxes: NDArray[np.float64]) -> list[NDArray[np.intp]] | None:
    """Split boxes in two so that rays have least to do; None where a leaf is cheaper."""
    count = len(boxes)
    best, halves = float(count) * _area(boxes)[-1], None
    for axis in range(3):
        order = np.argsort(boxes[:, axis] + boxes[:, axis + 3], kind="stable")
        left = _area(boxes[order])[:-1] * np.arange(1, count)
        right = _area(boxes[order[::-1]])[:-1] * np.arange(1, count)
        cost = left + right[::-1] + _STEP * _area(boxes)[-1]
        if count > 1 and cost.min() < best:
            at = int(np.argmin(cost)) + 1
            best, halves = float(cost.min()), [order[:at], order[at:]]
    return halves


def _area(boxes: NDArray[np.float64]) -> NDArray[np.float64]:
    """Give the surface of the box around the first one, two, three ... boxes."""
    low = np.minimum.accumulate(boxes[:, :3], axis=0)
    x, y, z = (np.maximum.accumulate(boxes[:, 3:], axis=0) - low).T
    return np.asarray(x * y + y * z + z * x)
