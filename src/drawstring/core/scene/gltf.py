"""Scenes read from glTF 2.0: cameras, lights (KHR_lights_punctual), meshes, nodes, their movement.

(Khronos Group, glTF 2.0 Specification, ISO/IEC 12113:2022, and KHR_lights_punctual.) The format counts in
metres and seconds, y points up.
"""

from __future__ import annotations

import base64
import math
import os
from collections.abc import Sequence
from pathlib import Path
from typing import Any
from urllib.parse import unquote

import numpy as np
from numpy.typing import NDArray
from pygltflib import GLTF2

from drawstring.core.scene.data import Moving, SceneCamera, SceneData, SceneLight, SceneMesh, Shines
from drawstring.core.scene.limits import MOST_POINTS, MOST_SAMPLES, refused, safe_reference

KNOWN = {
    "KHR_lights_punctual",
    "KHR_materials_unlit",
    "KHR_texture_transform",
    "KHR_materials_emissive_strength",
}
"""Extensions that files may require: they are read, or change nothing of what is."""

_NUMBERS = {5120: np.int8, 5121: np.uint8, 5122: np.int16, 5123: np.uint16, 5125: np.uint32, 5126: np.float32}
_WIDE = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT4": 16}
_BETWEEN = 240
"""Samples in a second, put between keys where a thing goes no straight way: on a curve, round its parent."""

Curve = tuple[NDArray[np.float64], NDArray[np.float64], str]
"""Times, values and how it goes on between them."""


def read_gltf(path: str, roots: Sequence[str] = ()) -> SceneData:
    """Read a .gltf or .glb.

    Parameters
    ----------
    path : str
    roots : sequence of str
        Folders in which files that it names may lie.

    Raises
    ------
    SettingError
        It is damaged, or needs what can't be read.
    """
    name = os.path.basename(path)
    content = GLTF2().load(path)
    if content is None or content.asset is None or not str(content.asset.version or "").startswith("2"):
        raise refused(f"{name} is no glTF of version 2.", "Export glTF 2.0.")
    unknown = set(content.extensionsRequired or ()) - KNOWN
    if unknown:
        raise refused(
            f"{name} needs {', '.join(sorted(unknown))}.",
            "Export it plainly: no compressed meshes, no extensions.",
        )
    return _Reader(content, path, roots).scene()


class _Reader:
    """One file being read."""

    def __init__(self, content: GLTF2, path: str, roots: Sequence[str]) -> None:
        self.content, self.path, self.roots = content, path, roots
        self.notes: list[str] = []
        self.buffers: dict[int, bytes] = {}
        self.nodes = content.nodes or []
        self.parents = self._parents()
        self.curves = self._animations()

    def scene(self) -> SceneData:
        cameras, lights, meshes, marks = [], [], [], []
        points = 0
        for i, node in enumerate(self.nodes):
            moving = self._moving(i)
            if node.camera is not None:
                cameras.append(self._camera(moving, self._item("cameras", node.camera)))
            light = (node.extensions or {}).get("KHR_lights_punctual", {}).get("light")
            if light is not None:
                lights.append(self._light(moving, light))
            if node.mesh is not None:
                mesh = self._mesh(moving, self._item("meshes", node.mesh))
                points += len(mesh.points)
                if points > MOST_POINTS:
                    raise refused(
                        f"Its meshes have more than {MOST_POINTS:,} points.",
                        "Export only the meshes that are needed.",
                    )
                meshes.append(mesh)
            if node.camera is None and light is None and node.mesh is None and not node.children:
                marks.append(moving)
        if len(self.content.animations or ()) > 1:
            self.notes.append("There are several animations; the first one that moves a thing counts.")
        return SceneData(
            os.path.basename(self.path),
            "glTF",
            1.0,
            "y",
            "seconds",
            None,
            tuple(cameras),
            tuple(lights),
            tuple(meshes),
            tuple(marks),
            tuple(dict.fromkeys(self.notes)),
        )

    def _item(self, kind: str, number: int) -> Any:
        several = getattr(self.content, kind) or []
        if not 0 <= number < len(several):
            raise refused(
                f"It names {kind} {number}, and there are {len(several)}.", "Export the file again."
            )
        return several[number]

    def _parents(self) -> dict[int, int]:
        parents: dict[int, int] = {}
        for i, node in enumerate(self.nodes):
            for child in node.children or ():
                self._item("nodes", child)
                if child in parents:
                    raise refused("A node of it hangs in two places.", "Export the file again.")
                parents[child] = i
        for i in range(len(self.nodes)):
            seen = {i}
            while i in parents:
                i = parents[i]
                if i in seen:
                    raise refused("Its nodes hang in a circle.", "Export the file again.")
                seen.add(i)
        return parents

    def _line(self, number: int) -> list[int]:
        """Give a node and all it hangs on, itself first."""
        line = [number]
        while line[-1] in self.parents:
            line.append(self.parents[line[-1]])
        return line

    def _name(self, number: int) -> str:
        return self.nodes[number].name or f"node {number}"

    def _animations(self) -> dict[tuple[int, str], Curve]:
        curves: dict[tuple[int, str], Curve] = {}
        for animation in self.content.animations or ():
            for channel in animation.channels or ():
                node, what = channel.target.node, channel.target.path
                if node is None or what not in ("translation", "rotation", "scale"):
                    self.notes.append(f"Animation of {what or 'something unnamed'} is not read.")
                    continue
                self._item("nodes", node)
                sampler = animation.samplers[channel.sampler]
                times = self._numbers(sampler.input).astype(np.float64).ravel()
                values = self._numbers(sampler.output).astype(np.float64)
                kind = sampler.interpolation or "LINEAR"
                if not len(times) or (np.diff(times) <= 0).any() or not np.isfinite(values).all():
                    raise refused(
                        f"The keys of {self._name(node)} are out of order.", "Export the file again."
                    )
                if len(values) != len(times) * (3 if kind == "CUBICSPLINE" else 1):
                    raise refused(f"The keys of {self._name(node)} have no values.", "Export the file again.")
                curves.setdefault((node, what), (times, values, kind))
        return curves

    def _moving(self, number: int) -> Moving:
        line = self._line(number)
        times = {0.0}
        own = [
            self.curves[node, what]
            for node in line
            for what in ("translation", "rotation", "scale")
            if (node, what) in self.curves
        ]
        for keys, _, kind in own:
            times |= set(keys)
            if kind != "STEP" and (kind == "CUBICSPLINE" or len(line) > 1):
                times |= _between(keys)
            if kind == "STEP":
                # Until just before the next key it stays as it is.
                times |= {float(b - 1e-6) for b in keys[1:]}
        if own:
            first = min(float(keys[0]) for keys, _, _ in own)
            times = {time for time in times if time >= first}
        if len(times) > MOST_SAMPLES:
            raise refused(
                f"{self._name(number)} moves in more steps than are read here.", "Export fewer keys."
            )
        ordered = np.array(sorted(times))
        matrices = np.stack([self._world(line, time) for time in ordered])
        path = "/".join(self._name(node) for node in reversed(line))
        return Moving(self._name(number), path, ordered, matrices)

    def _world(self, line: list[int], time: float) -> NDArray[np.float64]:
        world = np.eye(4)
        for number in line:
            world = world @ self._local(number, time)
        return world

    def _local(self, number: int, time: float) -> NDArray[np.float64]:
        node = self.nodes[number]
        if node.matrix is not None:
            # Column by column, for column vectors: row by row for row vectors.
            return np.reshape(np.asarray(node.matrix, np.float64), (4, 4))
        parts = {}
        for what, still in (("translation", (0, 0, 0)), ("rotation", (0, 0, 0, 1)), ("scale", (1, 1, 1))):
            curve = self.curves.get((number, what))
            given = getattr(node, what)
            parts[what] = (
                _at(curve, time, what) if curve else np.asarray(given if given else still, np.float64)
            )
        made = np.eye(4)
        made[:3, :3] = parts["scale"][:, None] * _turn(parts["rotation"]).T
        made[3, :3] = parts["translation"]
        return made

    def _camera(self, moving: Moving, said: Any) -> SceneCamera:
        if said.type == "orthographic" or said.perspective is None:
            return SceneCamera(**vars(moving), lens=np.array([[1.0, 1.0, 0, 0]]), is_flat=True)
        eye = said.perspective
        high = math.tan(float(eye.yfov) / 2) if 0 < float(eye.yfov or 0) < math.pi else 0.0
        if not high:
            raise refused(f"The camera {moving.name} has no angle of view.", "Export it with its lens.")
        # Without a ratio the format fills the picture: its height tells.
        wide = high * float(eye.aspectRatio) if eye.aspectRatio else 0.0
        return SceneCamera(
            **vars(moving),
            lens=np.array([[wide, high, 0.0, 0.0]]),
            near=_some(eye.znear),
            far=_some(eye.zfar),
        )

    def _light(self, moving: Moving, number: int) -> SceneLight:
        several = (self.content.extensions or {}).get("KHR_lights_punctual", {}).get("lights", [])
        if not 0 <= number < len(several):
            raise refused(f"It names light {number}, and there are {len(several)}.", "Export the file again.")
        said = several[number]
        kind = {"point": Shines.POINT, "spot": Shines.SPOT, "directional": Shines.SUN}.get(
            said.get("type"), Shines.OTHER
        )
        spot = said.get("spot") or {}
        cone = (
            math.degrees(spot.get("innerConeAngle", 0)),
            math.degrees(spot.get("outerConeAngle", math.pi / 4)),
        )
        colour = tuple(float(v) for v in said.get("color", (1, 1, 1)))
        # Candela or lux on a white matt surface: its light is that by pi.
        strength = float(said.get("intensity", 1)) / math.pi
        return SceneLight(
            **vars(moving),
            shines=kind,
            colour=(colour[0], colour[1], colour[2]),
            strength=np.array([strength]),
            cone=cone,
            unit="lx" if kind is Shines.SUN else "cd",
        )

    def _mesh(self, moving: Moving, said: Any) -> SceneMesh:
        points: list[NDArray[Any]] = []
        triangles: list[NDArray[Any]] = []
        normals: list[NDArray[Any]] = []
        count = 0
        for part in said.primitives or ():
            if (part.mode if part.mode is not None else 4) != 4:
                self.notes.append(f"{moving.name}: what is no triangles is not read.")
                continue
            if part.attributes.POSITION is None:
                continue
            own = self._numbers(part.attributes.POSITION).astype(np.float32)
            order = (
                self._numbers(part.indices).ravel().astype(np.int64)
                if part.indices is not None
                else np.arange(len(own))
            )
            if len(order) and order.max() >= len(own):
                raise refused(f"The mesh {moving.name} names points that it lacks.", "Export the file again.")
            triangles.append((order[: len(order) // 3 * 3].reshape(-1, 3) + count).astype(np.int32))
            facing = part.attributes.NORMAL
            normals.append(
                self._numbers(facing).astype(np.float32) if facing is not None else np.zeros_like(own)
            )
            points.append(own)
            count += len(own)
        if not points:
            return SceneMesh(**vars(moving))
        return SceneMesh(
            **vars(moving),
            points=np.concatenate(points),
            triangles=np.concatenate(triangles),
            normals=np.concatenate(normals),
        )

    def _numbers(self, number: int) -> NDArray[Any]:
        """Read an accessor: (count, width)."""
        said = self._item("accessors", number)
        kind, wide = _NUMBERS.get(said.componentType), _WIDE.get(said.type)
        if kind is None or wide is None or said.sparse is not None or said.bufferView is None:
            raise refused(
                "It holds numbers in a form that is not read here.", "Export it without sparse arrays."
            )
        if said.count * wide > MOST_POINTS * 16:
            raise refused("It holds more numbers than are read here.", "Export only what is needed.")
        view = self._item("bufferViews", said.bufferView)
        held = self._bytes(view.buffer)
        size = np.dtype(kind).itemsize * wide
        begin, stride = (view.byteOffset or 0) + (said.byteOffset or 0), view.byteStride or size
        end = begin + (said.count - 1) * stride + size if said.count else begin
        if end > len(held) or begin < 0 or stride < size:
            raise refused("It ends before its numbers do: it is cut off.", "Copy or export the file again.")
        rows = np.ndarray((said.count, wide), kind, held, begin, (stride, np.dtype(kind).itemsize)).copy()
        if said.normalized and kind is not np.float32:
            return np.asarray(np.maximum(rows / float(np.iinfo(rows.dtype).max), -1.0))
        return rows

    def _bytes(self, number: int) -> bytes:
        if number not in self.buffers:
            said = self._item("buffers", number)
            if said.uri is None:
                held = self.content.binary_blob() or b""
            elif said.uri.startswith("data:"):
                held = base64.b64decode(said.uri.partition(",")[2])
            else:
                beside = os.path.join(os.path.dirname(self.path), unquote(said.uri))
                held = Path(safe_reference(beside, self.roots)).read_bytes()
            self.buffers[number] = held
        return self.buffers[number]


def _between(keys: NDArray[np.float64]) -> set[float]:
    """Give times between keys, so close that straight ways between them are what happens."""
    made: set[float] = set()
    for a, b in zip(keys[:-1], keys[1:], strict=True):
        count = min(int(round((b - a) * _BETWEEN)), MOST_SAMPLES // max(len(keys), 1))
        made |= {float(a + (b - a) * i / count) for i in range(1, count)}
    return made


def _at(curve: Curve, time: float, what: str) -> NDArray[np.float64]:
    times, values, kind = curve
    i = int(np.clip(np.searchsorted(times, time, side="right") - 1, 0, len(times) - 1))
    is_cubic = kind == "CUBICSPLINE"
    plain = values[1::3] if is_cubic else values
    if kind == "STEP" or i == len(times) - 1 or time <= times[0]:
        return np.asarray(plain[i])
    span = times[i + 1] - times[i]
    u = float((time - times[i]) / span)
    if is_cubic:
        begin, leaves = values[3 * i + 1], values[3 * i + 2] * span
        end, arrives = values[3 * i + 4], values[3 * i + 3] * span
        made = (
            (2 * u**3 - 3 * u**2 + 1) * begin
            + (u**3 - 2 * u**2 + u) * leaves
            + (3 * u**2 - 2 * u**3) * end
            + (u**3 - u**2) * arrives
        )
        return np.asarray(made)
    if what != "rotation":
        return np.asarray((1 - u) * plain[i] + u * plain[i + 1])
    first, second = plain[i], plain[i + 1]
    cosine = float(first @ second)
    if cosine < 0:
        second, cosine = -second, -cosine
    if cosine > 0.9999:
        return np.asarray((1 - u) * first + u * second)
    angle = math.acos(min(cosine, 1.0))
    return np.asarray((math.sin((1 - u) * angle) * first + math.sin(u * angle) * second) / math.sin(angle))


def _turn(quaternion: NDArray[np.float64]) -> NDArray[np.float64]:
    """Give the matrix of a quaternion x y z w, for column vectors."""
    length = np.linalg.norm(quaternion)
    x, y, z, w = quaternion / length if length > 1e-12 else (0, 0, 0, 1)
    return np.array(
        [
            [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
            [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
            [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
        ]
    )


def _some(value: Any) -> float | None:
    return float(value) if isinstance(value, int | float) and value > 0 else None
