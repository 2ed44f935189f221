"""Scenes read from USD (.usd, .usda, .usdc, .usdz): cameras, lights, meshes, marks, their movement.

(OpenUSD, schemas UsdGeom and UsdLux.) Film and lens are tenths of the scene's unit, which nearly everybody
writes as millimetres; only their ratio counts here.
"""

from __future__ import annotations

import math
import os
from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pxr import Sdf, Tf, Usd, UsdGeom, UsdLux

from drawstring.core.scene.data import Moving, SceneCamera, SceneData, SceneLight, SceneMesh, Shines
from drawstring.core.scene.limits import MOST_POINTS, MOST_SAMPLES, refused, safe_reference


def read_usd(path: str, roots: Sequence[str] = ()) -> SceneData:
    """Read a file of USD.

    Parameters
    ----------
    path : str
    roots : sequence of str
        Folders in which layers that it names may lie.

    Raises
    ------
    SettingError
        It is damaged, or names layers elsewhere.
    """
    name = os.path.basename(path)
    try:
        _check_layers(path, roots, set())
        stage = Usd.Stage.Open(path)
    except Tf.ErrorException as error:
        raise refused(f"{name} can't be read as USD.", "Copy or export the file again.") from error
    if stage is None:
        raise refused(f"{name} can't be read as USD.", "Copy or export the file again.")
    unit = UsdGeom.GetStageMetersPerUnit(stage) if UsdGeom.StageHasAuthoredMetersPerUnit(stage) else None
    cameras, lights, meshes, marks = [], [], [], []
    notes: list[str] = []
    points = samples = 0
    for prim in stage.Traverse(Usd.TraverseInstanceProxies()):
        if not prim.IsA(UsdGeom.Xformable):
            continue
        moving = _moving(prim)
        samples += len(moving.times)
        if samples > MOST_SAMPLES:
            raise refused(
                f"It has more than {MOST_SAMPLES:,} samples of movement.", "Export only what is needed."
            )
        if prim.IsA(UsdGeom.Camera):
            cameras.append(_camera(prim, moving))
        elif prim.HasAPI(UsdLux.LightAPI):
            light = _light(prim, moving, notes)
            if light is not None:
                lights.append(light)
        elif prim.IsA(UsdGeom.Mesh):
            mesh = _mesh(prim, moving, notes)
            points += len(mesh.points)
            if points > MOST_POINTS:
                raise refused(
                    f"Its meshes have more than {MOST_POINTS:,} points.",
                    "Export only the meshes that are needed.",
                )
            meshes.append(mesh)
        elif prim.IsA(UsdGeom.Xform) and not prim.GetChildren():
            marks.append(moving)
    return SceneData(
        name, "USD", unit, "z" if UsdGeom.GetStageUpAxis(stage) == UsdGeom.Tokens.z else "y", "frames",
        float(stage.GetTimeCodesPerSecond()), tuple(cameras), tuple(lights), tuple(meshes), tuple(marks),
        tuple(dict.fromkeys(notes)),
    )  # fmt: skip


def _check_layers(path: str, roots: Sequence[str], seen: set[str]) -> None:
    """See that every layer that would be opened lies where files may be read."""
    layer = Sdf.Layer.OpenAsAnonymous(path)
    if layer is None:
        raise refused(f"{os.path.basename(path)} can't be read as USD.", "Copy or export the file again.")
    for named in layer.GetCompositionAssetDependencies():
        if path.endswith(".usdz") and not os.path.isabs(named) and ".." not in named.split("/"):
            continue  # in the archive itself
        if "://" in named:
            raise refused(f"It names {named[:80]}.", "Export one flattened file.")
        real = safe_reference(os.path.join(os.path.dirname(path), named), roots)
        if real not in seen:
            seen.add(real)
            _check_layers(real, roots, seen)


def _moving(prim: Any) -> Moving:
    times: set[float] = set()
    above = prim
    while above and not above.IsPseudoRoot():
        xformable = UsdGeom.Xformable(above)
        if xformable:
            times |= set(xformable.GetTimeSamples())
            if xformable.GetResetXformStack():
                break
        above = above.GetParent()
    return _sampled(prim, times)


def _sampled(prim: Any, times: set[float]) -> Moving:
    ordered = sorted(times) or [0.0]
    matrices = np.empty((len(ordered), 4, 4))
    for i, time in enumerate(ordered):
        cache = UsdGeom.XformCache(Usd.TimeCode(time) if times else Usd.TimeCode.Default())
        matrices[i] = np.array(cache.GetLocalToWorldTransform(prim))
    return Moving(prim.GetName(), str(prim.GetPath()), np.array(ordered, np.float64), matrices)


def _with_times(prim: Any, moving: Moving, attributes: Sequence[Any]) -> tuple[Moving, list[Any]]:
    """Give what moves with the samples of some attributes among its times, and their times for USD."""
    own = {time for attribute in attributes if attribute for time in attribute.GetTimeSamples()}
    if own:
        still = len(moving.times) == 1 and not UsdGeom.Xformable(prim).GetTimeSamples()
        moving = _sampled(prim, own if still else own | set(moving.times))
    codes = (
        [Usd.TimeCode(time) for time in moving.times]
        if len(moving.times) > 1 or own
        else [Usd.TimeCode.Default()]
    )
    return moving, codes


def _camera(prim: Any, moving: Moving) -> SceneCamera:
    camera = UsdGeom.Camera(prim)
    moving, codes = _with_times(
        prim,
        moving,
        [camera.GetFocalLengthAttr(), camera.GetHorizontalApertureAttr(), camera.GetVerticalApertureAttr()],
    )
    lens = np.zeros((len(codes), 4))
    seen = camera.GetCamera(codes[0])
    for i, code in enumerate(codes):
        seen = camera.GetCamera(code)
        focal = float(seen.focalLength)
        if focal <= 0 or seen.horizontalAperture <= 0 or seen.verticalAperture <= 0:
            raise refused(
                f"The camera {moving.name} has no lens or no film.", "Export it with its film back."
            )
        sides = seen.horizontalAperture / 2, seen.verticalAperture / 2
        lens[i] = np.array([*sides, seen.horizontalApertureOffset, seen.verticalApertureOffset]) / focal
    has_film = camera.GetHorizontalApertureAttr().HasAuthoredValue()
    return SceneCamera(
        **vars(moving), lens=lens, film_mm=float(seen.horizontalAperture) if has_film else None,
        near=float(seen.clippingRange.min) or None, far=float(seen.clippingRange.max) or None,
        is_flat=str(seen.projection).endswith("Orthographic"),
    )  # fmt: skip


def _light(prim: Any, moving: Moving, notes: list[str]) -> SceneLight | None:
    api, shaping = UsdLux.LightAPI(prim), UsdLux.ShapingAPI(prim)
    if prim.IsA(UsdLux.DomeLight):
        notes.append(f"{moving.name}: light from all round is not read.")
        return None
    moving, codes = _with_times(prim, moving, [api.GetIntensityAttr(), api.GetExposureAttr()])
    angle = float(shaping.GetShapingConeAngleAttr().Get() or 90.0) if shaping else 90.0
    is_spot = prim.HasAPI(UsdLux.ShapingAPI) and angle < 89.9
    size, factor, kind = (1.0, 1.0), 1.0, Shines.OTHER
    is_even = bool(api.GetNormalizeAttr().Get())
    if prim.IsA(UsdLux.DistantLight):
        kind = Shines.SUN
        factor = 1 / math.pi
    elif prim.IsA(UsdLux.RectLight):
        rect = UsdLux.RectLight(prim)
        size = float(rect.GetWidthAttr().Get()), float(rect.GetHeightAttr().Get())
        kind, factor = Shines.RECTANGLE, (1.0 if is_even else size[0] * size[1]) / math.pi
    else:
        radius = prim.GetAttribute("inputs:radius").Get() if prim.HasAttribute("inputs:radius") else 0.5
        is_point = bool(prim.HasAttribute("treatAsPoint") and prim.GetAttribute("treatAsPoint").Get())
        # A ball's light before it is its radiance by the disc it shows: a quarter of its surface.
        area = 0.25 if is_even or is_point else math.pi * float(radius) ** 2
        kind, factor = Shines.POINT, area / math.pi
    if is_spot:
        kind = Shines.SPOT
    soft = float(shaping.GetShapingConeSoftnessAttr().Get() or 0) if is_spot else 0.0
    cone = (angle * (1 - soft), angle) if is_spot else (0.0, 45.0)
    strength = [
        float(api.GetIntensityAttr().Get(code) or 0)
        * 2.0 ** float(api.GetExposureAttr().Get(code) or 0)
        * factor
        for code in codes
    ]
    colour = tuple(float(v) for v in api.GetColorAttr().Get() or (1, 1, 1))
    return SceneLight(
        **vars(moving), shines=kind, colour=(colour[0], colour[1], colour[2]),
        strength=np.array(strength), cone=cone, size=size, unit="",
    )  # fmt: skip


def _mesh(prim: Any, moving: Moving, notes: list[str]) -> SceneMesh:
    mesh = UsdGeom.Mesh(prim)
    first = Usd.TimeCode.EarliestTime()
    if mesh.GetPointsAttr().GetNumTimeSamples() > 1:
        notes.append(f"{moving.name} changes its shape; it is read as it is at first.")
    points = np.array(mesh.GetPointsAttr().Get(first) or [], np.float32).reshape(-1, 3)
    counts = np.array(mesh.GetFaceVertexCountsAttr().Get(first) or [], np.int64)
    order = np.array(mesh.GetFaceVertexIndicesAttr().Get(first) or [], np.int64)
    if counts.sum() != len(order) or (len(order) and (order.min() < 0 or order.max() >= len(points))):
        raise refused(f"The mesh {moving.name} names points that it lacks.", "Export the file again.")
    return SceneMesh(**vars(moving), points=points, triangles=fans(counts, order))


def fans(counts: NDArray[np.int64], order: NDArray[np.int64]) -> NDArray[np.int32]:
    """Cut faces of any number of corners into triangles, each about its first corner: (N, 3) int32."""
    begins = np.cumsum(counts) - counts
    made = [
        np.stack([np.full(n - 2, order[b]), order[b + 1 : b + n - 1], order[b + 2 : b + n]], axis=1)
        for b, n in zip(begins, counts, strict=True) if n >= 3
    ]  # fmt: skip
    return np.concatenate(made).astype(np.int32) if made else np.zeros((0, 3), np.int32)
