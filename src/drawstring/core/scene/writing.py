"""Cameras, lights and marks written as open files: USD and glTF 2.0, so that the next program has them, too.

Both are written by the format's own libraries. USD holds frames as time codes, glTF seconds; lengths are in
metres in glTF, as it demands, and in the scene's own unit in USD, which says it.
"""

from __future__ import annotations

import math
import os
from typing import Any

import numpy as np
from numpy.typing import NDArray

from drawstring.core.scene.data import Moving, SceneCamera, SceneData, SceneLight, Shines

PI = math.pi


def write_usd(data: SceneData, path: str, *, rate: float, first: int, last: int) -> None:
    """Write a scene as USD; the ending says in which form (.usda text, .usdc packed).

    Parameters
    ----------
    data : SceneData
        Its times are frames.
    path : str
    rate : float
        Frames in a second.
    first, last : int
        Of the shot.
    """
    from pxr import Gf, Usd, UsdGeom, UsdLux

    stage = Usd.Stage.CreateInMemory()
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.z if data.up == "z" else UsdGeom.Tokens.y)
    UsdGeom.SetStageMetersPerUnit(stage, data.unit_m or 1.0)
    stage.SetTimeCodesPerSecond(rate)
    stage.SetFramesPerSecond(rate)
    stage.SetStartTimeCode(first)
    stage.SetEndTimeCode(last)
    stage.SetDefaultPrim(UsdGeom.Xform.Define(stage, "/scene").GetPrim())
    taken: set[str] = set()

    def place(one: Moving) -> str:
        return f"/scene/{_free(_word(one.name), taken)}"

    def stand(prim: Any, one: Moving) -> None:
        op = UsdGeom.Xformable(prim).AddTransformOp()
        for time, matrix in zip(one.times, one.matrices, strict=True):
            value = Gf.Matrix4d(*(float(v) for v in matrix.ravel()))
            op.Set(value, time) if len(one.times) > 1 else op.Set(value)

    for camera in data.cameras:
        prim = UsdGeom.Camera.Define(stage, place(camera))
        stand(prim, camera)
        film = camera.film_mm or 36.0
        for i in range(len(camera.lens)):
            wide, high, shift, lift = (float(v) for v in camera.lens[i])
            wide = wide or high
            focal = film / (2 * wide)
            code = Usd.TimeCode(camera.times[i]) if len(camera.lens) > 1 else Usd.TimeCode.Default()
            prim.GetFocalLengthAttr().Set(focal, code)
            prim.GetVerticalApertureAttr().Set(2 * high * focal, code)
            prim.GetHorizontalApertureOffsetAttr().Set(shift * focal, code)
            prim.GetVerticalApertureOffsetAttr().Set(lift * focal, code)
        prim.GetHorizontalApertureAttr().Set(film)
        prim.GetClippingRangeAttr().Set(Gf.Vec2f(camera.near or 0.01, camera.far or 1e6))
    for light in data.lights:
        where = place(light)
        if light.shines is Shines.SUN:
            prim = UsdLux.DistantLight.Define(stage, where)
            factor = PI
        elif light.shines is Shines.RECTANGLE:
            prim = UsdLux.RectLight.Define(stage, where)
            prim.CreateWidthAttr(light.size[0])
            prim.CreateHeightAttr(light.size[1])
            prim.CreateNormalizeAttr(True)
            factor = PI
        else:
            prim = UsdLux.SphereLight.Define(stage, where)
            prim.CreateRadiusAttr(0.01)
            prim.CreateTreatAsPointAttr(True)
            prim.CreateNormalizeAttr(True)
            factor = 4 * PI
        stand(prim, light)
        prim.CreateColorAttr(Gf.Vec3f(*light.colour))
        attribute = prim.CreateIntensityAttr()
        for i, strength in enumerate(light.strength):
            code = Usd.TimeCode(light.times[i]) if len(light.strength) > 1 else Usd.TimeCode.Default()
            attribute.Set(float(strength) * factor, code)
        if light.shines is Shines.SPOT:
            shaping = UsdLux.ShapingAPI.Apply(prim.GetPrim())
            shaping.CreateShapingConeAngleAttr(light.cone[1])
            shaping.CreateShapingConeSoftnessAttr(1 - light.cone[0] / light.cone[1] if light.cone[1] else 0.0)
    for mark in data.marks:
        stand(UsdGeom.Xform.Define(stage, place(mark)), mark)
    for mesh in data.meshes:
        prim = UsdGeom.Mesh.Define(stage, place(mesh))
        stand(prim, mesh)
        prim.CreatePointsAttr([Gf.Vec3f(*(float(v) for v in point)) for point in mesh.points])
        prim.CreateFaceVertexCountsAttr([3] * len(mesh.triangles))
        prim.CreateFaceVertexIndicesAttr([int(v) for v in mesh.triangles.ravel()])
        prim.CreateSubdivisionSchemeAttr("none")
        prim.CreateExtentAttr(UsdGeom.PointBased.ComputeExtent(prim.GetPointsAttr().Get()))
    stage.GetRootLayer().Export(path)


def write_gltf(data: SceneData, path: str, *, rate: float, first: int) -> None:
    """Write a scene as one binary glTF file (.glb).

    Parameters
    ----------
    data : SceneData
        Its times are frames; `first` lies at second 0.
    path : str
    rate : float
    first : int
    """
    import pygltflib as g

    made = _Glb()
    file = made.file
    unit = data.unit_m or 1.0
    into = np.eye(4)
    if data.up == "z":
        into[:3, :3] = [[1, 0, 0], [0, 0, -1], [0, 1, 0]]
    into[:3, :3] *= unit
    lights: list[dict[str, Any]] = []
    for one in (*data.cameras, *data.lights, *data.marks, *data.meshes):
        matrices = one.matrices @ into
        # Sizes belong to meshes; a camera or a light has none.
        parts = [_parts(matrix) for matrix in matrices]
        node = g.Node(name=one.name)
        places = np.array([matrix[3, :3] for matrix in matrices])
        turns = _near_turns(np.array([turn for turn, _ in parts]))
        node.translation, node.rotation = places[0].tolist(), turns[0].tolist()
        if isinstance(one, SceneCamera):
            wide, high = (float(v) for v in one.lens[0][:2])
            node.camera = len(file.cameras)
            eye = g.Perspective(yfov=2 * math.atan(high), znear=max((one.near or 0.01) * unit, 1e-6))
            eye.aspectRatio = (wide or high) / high
            eye.zfar = one.far * unit if one.far else None
            file.cameras.append(g.Camera(type="perspective", perspective=eye, name=one.name))
        elif isinstance(one, SceneLight):
            node.extensions = {"KHR_lights_punctual": {"light": len(lights)}}
            lights.append(_punctual(one, unit))
        elif hasattr(one, "triangles"):
            node.scale = (parts[0][1]).tolist()
            node.mesh = made.mesh(one)
        number = len(file.nodes)
        file.nodes.append(node)
        if len(one.times) > 1:
            seconds = ((one.times - first) / rate).astype(np.float32)
            made.move(number, seconds, places.astype(np.float32), turns.astype(np.float32))
    if lights:
        file.extensionsUsed = ["KHR_lights_punctual"]
        file.extensions = {"KHR_lights_punctual": {"lights": lights}}
    file.scenes = [g.Scene(nodes=list(range(len(file.nodes))))]
    file.scene = 0
    file.asset = g.Asset(version="2.0", generator="Drawstring")
    made.save(path)


class _Glb:
    """A glTF file being put together, with its one buffer."""

    def __init__(self) -> None:
        import pygltflib

        self.g = pygltflib
        self.file = pygltflib.GLTF2()
        self.content = bytearray()

    def numbers(
        self, array: NDArray[Any], kind: str, *, target: int | None = None, bounds: bool = False
    ) -> int:
        """Add an accessor; give its number."""
        g, file = self.g, self.file
        self.content += b"\0" * (-len(self.content) % 4)
        data = np.ascontiguousarray(array).tobytes()
        view = g.BufferView(buffer=0, byteOffset=len(self.content), byteLength=len(data), target=target)
        self.content += data
        file.bufferViews.append(view)
        held = g.Accessor(
            bufferView=len(file.bufferViews) - 1,
            componentType=g.FLOAT if array.dtype == np.float32 else g.UNSIGNED_INT,
            count=len(array),
            type=kind,
        )
        if bounds:
            flat = array.reshape(len(array), -1)
            held.min, held.max = flat.min(0).tolist(), flat.max(0).tolist()
        file.accessors.append(held)
        return len(file.accessors) - 1

    def move(
        self, node: int, seconds: NDArray[np.float32], places: NDArray[np.float32], turns: NDArray[np.float32]
    ) -> None:
        """Animate a node."""
        g, file = self.g, self.file
        if not file.animations:
            file.animations.append(g.Animation(name="shot", samplers=[], channels=[]))
        animation = file.animations[0]
        times = self.numbers(seconds, "SCALAR", bounds=True)
        for values, kind, what in ((places, "VEC3", "translation"), (turns, "VEC4", "rotation")):
            animation.samplers.append(
                g.AnimationSampler(input=times, output=self.numbers(values, kind), interpolation="LINEAR")
            )
            target = g.AnimationChannelTarget(node=node, path=what)
            animation.channels.append(g.AnimationChannel(sampler=len(animation.samplers) - 1, target=target))

    def mesh(self, one: Any) -> int:
        """Add a mesh; give its number."""
        g = self.g
        attributes = g.Attributes(
            POSITION=self.numbers(one.points, "VEC3", target=g.ARRAY_BUFFER, bounds=True)
        )
        order = one.triangles.ravel().astype(np.uint32)
        part = g.Primitive(
            attributes=attributes, indices=self.numbers(order, "SCALAR", target=g.ELEMENT_ARRAY_BUFFER)
        )
        self.file.meshes.append(g.Mesh(primitives=[part], name=one.name))
        return len(self.file.meshes) - 1

    def save(self, path: str) -> None:
        """Write the file."""
        if self.content:
            self.file.buffers.append(self.g.Buffer(byteLength=len(self.content)))
            self.file.set_binary_blob(bytes(self.content))
        self.file.save_binary(path)


def _punctual(light: SceneLight, unit: float) -> dict[str, Any]:
    kinds = {Shines.SUN: "directional", Shines.SPOT: "spot"}
    is_far = light.shines is Shines.SUN
    said: dict[str, Any] = {
        "type": kinds.get(light.shines, "point"),
        "name": light.name,
        "color": list(light.colour),
        # Back from a white matt surface's light to candela or lux.
        "intensity": float(light.strength[0]) * PI * (1.0 if is_far else unit**2),
    }
    if light.shines is Shines.SPOT:
        outer = min(math.radians(light.cone[1]), PI / 2)
        said["spot"] = {
            "innerConeAngle": min(math.radians(light.cone[0]), outer - 1e-6),
            "outerConeAngle": outer,
        }
    return said


def _parts(matrix: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Give turn (x y z w) and sizes of a matrix."""
    from scipy.spatial.transform import Rotation

    size = np.linalg.norm(matrix[:3, :3], axis=1)
    if np.linalg.det(matrix[:3, :3]) < 0:
        size = size * [-1, 1, 1]
    return Rotation.from_matrix((matrix[:3, :3] / size[:, None]).T).as_quat(), size


def _near_turns(turns: NDArray[np.float64]) -> NDArray[np.float64]:
    """Give quaternions of which each is the nearer one of its two signs to the one before."""
    made = turns.copy()
    for i in range(1, len(made)):
        if made[i] @ made[i - 1] < 0:
            made[i] = -made[i]
    return np.asarray(made / np.linalg.norm(made, axis=1, keepdims=True))


def _word(name: str) -> str:
    word = (
        "".join(each if each.isascii() and (each.isalnum() or each == "_") else "_" for each in name)
        or "thing"
    )
    return word if not word[0].isdigit() else f"_{word}"


def _free(word: str, taken: set[str]) -> str:
    made, number = word, 1
    while made in taken:
        number += 1
        made = f"{word}_{number}"
    taken.add(made)
    return made


def write_scene(data: SceneData, path: str, *, rate: float, first: int, last: int) -> None:
    """Write a scene in the format that its path's ending names: .usda, .usdc or .glb."""
    if os.path.splitext(path)[1].lower() == ".glb":
        write_gltf(data, path, rate=rate, first=first)
    else:
        write_usd(data, path, rate=rate, first=first, last=last)
