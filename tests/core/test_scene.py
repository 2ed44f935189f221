"""Scenes: files read and written, cameras held against points, light, beams and cards against other means."""

import json
import math
import zipfile
from dataclasses import replace

import cv2
import numpy as np
import pytest
from makers import pulled
from PIL import Image
from pxr import Sdf, Usd, UsdGeom, UsdLux
from test_chain import a_pass

from drawstring.core.camera import Camera, Moment, Place
from drawstring.core.colour.kept_files import keep_file
from drawstring.core.depth.mist import Scene as MistScene
from drawstring.core.depth.mist_settings import MistLayer, UpAxis
from drawstring.core.errors import SettingError
from drawstring.core.io.facts import Window
from drawstring.core.passes import Role
from drawstring.core.recipe import Recipe, change
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.homes import view_header
from drawstring.core.scene import data as scene_data
from drawstring.core.scene.agreement import count, counting
from drawstring.core.scene.beam_veil import reach_of, veil_before
from drawstring.core.scene.beams import CONES, beams, row_of
from drawstring.core.scene.cards import prepared, seen_card, stand_of
from drawstring.core.scene.data import between
from drawstring.core.scene.light import added_light, rows_of
from drawstring.core.scene.rays import normals_from, pixels_of, points_at, rays_of
from drawstring.core.scene.reach import mesh_reach
from drawstring.core.scene.reading import read_scene
from drawstring.core.scene.settings import AddedLight, Beam, Card, SceneSettings
from drawstring.core.scene.world import Lamp, World
from drawstring.standins.renderer import Camera as RenderedCamera
from drawstring.standins.renderer import View, render
from drawstring.standins.renderer.scene import POINT, SPOT, Material, Scene, Sky
from drawstring.standins.renderer.scene import Lamp as RenderedLamp
from drawstring.standins.tidewrack import SHOTS
from drawstring.standins.tidewrack.scene_files import faulty, scene_of, write_scenes

SHOT = replace(SHOTS[0], first=1001, frames=5)
WIDE, HIGH = 240, 135
PLACE = Place(Window(0, 0, WIDE - 1, HIGH - 1), Window(0, 0, WIDE - 1, HIGH - 1))


@pytest.fixture(scope="module")
def files(tmp_path_factory):
    """The shot's scene as the stand-in writes it: USD, glTF, in centimetres, clipped."""
    return write_scenes(str(tmp_path_factory.mktemp("scenes")), SHOT)


def looks(i: int) -> RenderedCamera:
    return SHOT.camera(i / (SHOT.frames - 1))


@pytest.fixture(scope="module")
def frame():
    """A frame of the shot: its middle, sharp samples."""
    return render(SHOT.scene().packed(), looks(2), View(WIDE, HIGH, samples=1, is_denoised=False), seed=3)


def told(i: int) -> Camera:
    camera = looks(i)
    matrix = tuple(float(v) for v in camera.world_to_camera().ravel())
    return Camera(camera.focal_mm, camera.filmback_mm, matrix)


@pytest.mark.parametrize("which", [0, 1])
def test_points_are_seen_where_the_renderer_saw_them_through_either_format(files, which):
    # A renderer's sample lies anywhere in its pixel: pixels of a fiftieth of the picture's tell where it was.
    fine = 50
    window = Window(100 * fine, 60 * fine, 100 * fine + 199, 60 * fine + 149)
    wide = View(WIDE * fine, HIGH * fine, window=window, samples=1, is_denoised=False)
    shown = render(SHOT.scene().packed(), looks(2), wide, seed=3)
    points = np.stack([shown.planes[f"position.{axis}"] for axis in "XYZ"], axis=-1).astype(np.float64)
    z = shown.planes["depth.Z"]
    there = np.isfinite(z) & (z > 0)
    rows, cols = np.nonzero(there)
    assert len(rows) > 20_000
    world = World(read_scene(files[which]), SceneSettings(starts=SHOT.first, rate=24))
    camera = world.camera("shot_camera", 1003, aspect=WIDE / HIGH)
    for is_ray in (False, True):
        rays = rays_of(camera, PLACE, (HIGH, WIDE), is_ray=is_ray)
        seen = pixels_of(rays, points[there])
        meant = (np.stack([cols + window.x_min, rows + window.y_min], axis=1) + 0.5) / fine - 0.5
        assert np.abs(seen[:, :2] - meant).max() < 0.02
        far = np.linalg.norm(points[there] - rays.eye, axis=1)
        assert np.allclose(seen[:, 2], far if is_ray else z[there], rtol=1e-5)


def test_a_round_pictures_points_are_seen_in_their_pixels():
    camera = replace(told(2), is_latlong=True)
    rays = rays_of(camera, PLACE, (HIGH, WIDE), is_ray=True)
    z = np.full((HIGH, WIDE), 7, np.float32)
    seen = pixels_of(rays, points_at(rays, z).reshape(-1, 3).astype(np.float64))
    rows, cols = np.mgrid[:HIGH, :WIDE].reshape(2, -1)
    assert np.abs(seen - np.stack([cols, rows, np.full(cols.shape, 7)], axis=1))[WIDE:-WIDE].max() < 2e-3


def test_files_of_other_hands_are_read_with_lens_shift_movement_and_parents(tmp_path):
    path = str(tmp_path / "foreign.usdc")
    stage = Usd.Stage.CreateNew(path)
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.z)
    UsdGeom.SetStageMetersPerUnit(stage, 0.01)
    stage.SetTimeCodesPerSecond(24)
    rig = UsdGeom.Xform.Define(stage, "/rig")
    rig.AddTranslateOp().Set((100, 0, 0), 1)
    rig.GetOrderedXformOps()[0].Set((300, 0, 0), 5)
    eye = UsdGeom.Camera.Define(stage, "/rig/eye")
    eye.AddRotateXOp().Set(90.0)
    eye.GetFocalLengthAttr().Set(50.0, 1)
    eye.GetFocalLengthAttr().Set(100.0, 5)
    eye.GetHorizontalApertureAttr().Set(36.0)
    eye.GetVerticalApertureAttr().Set(20.25)
    eye.GetHorizontalApertureOffsetAttr().Set(3.6)
    spot = UsdLux.SphereLight.Define(stage, "/rig/spot")
    spot.CreateIntensityAttr(0.0)
    UsdLux.ShapingAPI.Apply(spot.GetPrim()).CreateShapingConeAngleAttr(25.0)
    UsdLux.DomeLight.Define(stage, "/sky")
    stage.Save()
    data = scene_data.read(scene_data.written(read_scene(path)), "x")
    assert (data.unit_m, data.up, data.counts) == (0.01, "z", "frames")
    assert any("all round" in note for note in data.notes)
    world = World(data, SceneSettings(turn="z_to_y"))
    camera = world.camera("eye", 3)
    assert camera.position == pytest.approx([2, 0, 0]), "halfway, in metres"
    # Turned up by a quarter in a world whose z is up: it looks level, along that world's y.
    assert camera.forward == pytest.approx([0, 0, -1], abs=1e-9) and camera.axes[1] == pytest.approx(
        [0, -1, 0], abs=1e-9
    )
    assert camera.focal_mm / camera.filmback_mm == pytest.approx(1 / np.mean([36 / 50, 36 / 100]))
    lamp = world.light("spot", 1)
    assert (lamp.shines, lamp.strength, lamp.cone[1]) == ("spot", 0, 25) and lamp.position == pytest.approx(
        [1, 0, 0]
    )
    early, late = (World(data, SceneSettings(late=n)).camera("eye", 3).position[0] for n in (-1, 1))
    assert (early, late) == (pytest.approx(2.5), pytest.approx(1.5))


def a_gltf(tmp_path, change=None, name="scene.gltf"):
    """Write a glTF by hand, all keys of a curved turn in an embedded buffer."""
    keys = np.float32([0, 1])
    half = math.sqrt(0.5)
    turns = np.float32([[0, 0, 0, 1], [0, half, 0, half]])
    blob = keys.tobytes() + turns.tobytes()
    import base64

    said = {
        "asset": {"version": "2.0"},
        "scene": 0,
        "scenes": [{"nodes": [0]}],
        "nodes": [
            {"name": "arm", "children": [1], "translation": [0, 2, 0]},
            {"name": "cam", "camera": 0, "translation": [0, 0, 4]},
        ],
        "cameras": [{"type": "perspective", "perspective": {"yfov": 0.8, "znear": 0.1}}],
        "buffers": [
            {
                "byteLength": len(blob),
                "uri": "data:application/octet-stream;base64," + base64.b64encode(blob).decode(),
            }
        ],
        "bufferViews": [{"buffer": 0, "byteLength": 8}, {"buffer": 0, "byteOffset": 8, "byteLength": 32}],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": 2, "type": "SCALAR", "min": [0], "max": [1]},
            {"bufferView": 1, "componentType": 5126, "count": 2, "type": "VEC4"},
        ],
        "animations": [
            {
                "channels": [{"sampler": 0, "target": {"node": 0, "path": "rotation"}}],
                "samplers": [{"input": 0, "output": 1, "interpolation": "LINEAR"}],
            }
        ],
    }
    if change:
        change(said)
    path = tmp_path / name
    path.write_text(json.dumps(said))
    return str(path)


def test_a_gltf_turns_its_parents_round_and_fills_the_picture_where_it_tells_no_ratio(tmp_path):
    world = World(read_scene(a_gltf(tmp_path)), SceneSettings(starts=10, rate=24))
    camera = world.camera("", 22, aspect=2.0)
    # Half a second: an eighth of a turn about y, four units behind the arm.
    c = math.sqrt(0.5)
    assert camera.position == pytest.approx([4 * c, 2, 4 * c], abs=1e-6)
    assert camera.forward == pytest.approx([-c, 0, -c], abs=1e-6)
    assert camera.filmback_mm / camera.focal_mm / 2 == pytest.approx(2 * math.tan(0.4))


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda s: s["nodes"][1].update(camera=7), "cameras 7"),
        (lambda s: s["nodes"][1].update(children=[0]), "circle"),
        (lambda s: s["accessors"][1].update(count=90), "cut off"),
        (lambda s: s["buffers"][0].update(uri="../../../../etc/hostname"), "another file"),
        (lambda s: s.update(extensionsRequired=["KHR_draco_mesh_compression"]), "draco"),
        (lambda s: s["cameras"][0]["perspective"].update(yfov=0), "angle of view"),
        (lambda s: s["asset"].update(version="1.0"), "version 2"),
        (lambda s: s["nodes"][1].pop("camera"), None),
        (lambda s: s["animations"][0]["channels"][0]["target"].update(node=99), "nodes 99"),
    ],
)
def test_what_is_wrong_with_a_gltf_is_refused_in_words(tmp_path, change, says):
    path = a_gltf(tmp_path, change)
    if says is None:
        assert [one.name for one in read_scene(path).marks] == ["cam"]
        return
    with pytest.raises(SettingError) as refused:
        read_scene(path, roots=[str(tmp_path)])
    assert says in refused.value.what and refused.value.remedy


def test_other_formats_damage_and_files_elsewhere_are_refused(tmp_path, files):
    (tmp_path / "a.fbx").write_bytes(b"x")
    torn = tmp_path / "torn.glb"
    torn.write_bytes(open(files[1], "rb").read()[:300])
    (tmp_path / "no.usda").write_text("#usda 1.0\n(\n")
    (tmp_path / "empty.usda").write_text("#usda 1.0\n")
    for name, says in (
        ("a.fbx", "FBX"),
        ("torn.glb", "damaged"),
        ("no.usda", "can't be read"),
        ("empty.usda", "neither"),
    ):
        with pytest.raises(SettingError) as refused:
            read_scene(str(tmp_path / name))
        assert says in refused.value.what, name
    layer = Sdf.Layer.CreateNew(str(tmp_path / "refers.usda"))
    layer.subLayerPaths.append("/etc/passwd.usda")
    layer.Save()
    with pytest.raises(SettingError, match="another file"):
        read_scene(layer.realPath, roots=[str(tmp_path)])
    inside = Sdf.Layer.CreateNew(str(tmp_path / "inside.usda"))
    inside.subLayerPaths.append(files[0])
    inside.Save()
    root = files[0].rpartition("/")[0]
    assert read_scene(inside.realPath, roots=[root]).cameras[0].name == "shot_camera"


def test_between_two_stands_things_turn_the_short_way_round():
    turn = np.eye(4)
    turn[:3, :3] = [[0, 1, 0], [-1, 0, 0], [0, 0, 2]]
    turn[3, :3] = 4, 0, 0
    half = between(np.eye(4), turn, 0.5)
    c = math.sqrt(0.5)
    assert half[:3, :3] == pytest.approx(np.array([[c, c, 0], [-c, c, 0], [0, 0, 1.5]]), abs=1e-9)
    assert half[3, :3] == pytest.approx([2, 0, 0])


PASSES = [
    a_pass("beauty", Role.BEAUTY, "RGBA"),
    a_pass("depth", Role.DEPTH, "Z"),
    a_pass("position", Role.POSITION, "XYZ"),
    a_pass("normal", Role.NORMAL, "XYZ"),
]


def planes_of(frame) -> dict:
    planes = {ref: frame.beauty[..., i] for i, ref in enumerate(PASSES[0].channels)}
    for one in PASSES[1:]:
        for ref in one.channels:
            planes[ref] = np.asarray(frame.planes[ref.name], np.float32)
    return planes


def moment(frame: int = 1003, camera: Camera | None = None) -> Moment:
    return Moment(frame, PLACE, {(0, 0): camera or told(2)})


def settled(**how: str) -> Recipe:
    recipe = Recipe()
    for name, value in {"scene__needed": "yes", **how}.items():
        recipe = change(recipe, {name.replace("__", "."): value}, scene_unit="m")
    return recipe


def keep_scene(data: scene_data.SceneData, folder) -> str:
    return keep_file(str(folder), "shot.scene", scene_data.written(data))


def test_a_file_of_another_unit_axis_and_frame_is_told_with_what_fits(frame, tmp_path):
    planes = planes_of(frame)

    def counted(data, **how):
        recipe = settled(scene__file=keep_scene(data, tmp_path), scene__camera="shot_camera", **how)
        assert counting(PASSES, recipe) is not None
        return count(PASSES, recipe, planes, moment(), is_looked_at=True)

    true = counted(scene_of(SHOT))
    assert true["off"] < 0.6 and "better" not in true and true["apart"] == pytest.approx(1, abs=1e-3)
    fits = true["normals"]
    assert fits["world"] > 0.95 and fits["world flipped"] < 0.5 and true["unit"] > 0.99
    wrong = counted(faulty(scene_of(SHOT)))
    assert wrong["off"] > 20
    assert (wrong["better"]["scale"], wrong["better"]["turn"]) == (0.01, "z_to_y") and wrong["better"][
        "off"
    ] < 0.6
    mended = counted(faulty(scene_of(SHOT)), scene__scale="0.01", scene__turn="z_to_y")
    assert mended["off"] < 0.6
    late = counted(scene_of(SHOT), scene__late="1")
    assert late["better"]["late"] == 0 and late["off"] > 1


def lit_scene(kind: int):
    scene = Scene(Sky(zenith=(0, 0, 0), horizon=(0, 0, 0), is_visible=False))
    lamp = RenderedLamp("lamp", kind, (1.0, 0.8, 0.6), 30.0, (1.0, 3.0, -4.0), (-0.2, -1.0, -0.3), 30)
    scene.lamps.append(lamp)
    ground = scene.object("ground")
    scene.disc(ground, scene.paint(Material((0.7, 0.5, 0.3), specular=0.0)), (0, 0, 0), 100)
    ball = scene.object("ball")
    scene.sphere(ball, scene.paint(Material((0.2, 0.6, 0.4), specular=0.0)), (-2.5, 0.8, -7), 0.8)
    camera = RenderedCamera((0, 1.7, 2), (0, 0.6, -7), focal_mm=28)
    return scene, lamp, camera


@pytest.mark.parametrize("kind", [POINT, SPOT])
def test_added_light_is_the_renderers_own_where_nothing_stands_in_its_way(kind):
    scene, lamp, camera = lit_scene(kind)
    wide, high = 4 * WIDE, 4 * HIGH
    shown = render(scene.packed(), camera, View(wide, high, samples=1, is_denoised=False), seed=1)
    large = Place(Window(0, 0, wide - 1, high - 1), Window(0, 0, wide - 1, high - 1))
    seen = Camera(camera.focal_mm, camera.filmback_mm, tuple(camera.world_to_camera().ravel()))
    z = shown.planes["depth.Z"].astype(np.float32)
    nothing = ~np.isfinite(z)
    rays = rays_of(seen, large, z.shape, is_ray=False)
    normals = np.stack([shown.planes[f"normal.{axis}"] for axis in "XYZ"], axis=-1).astype(np.float32)
    albedo = np.stack([shown.planes[f"diffuse_colour.{each}"] for each in "RGB"], axis=-1).astype(np.float32)
    cosine = math.cos(math.radians(30))
    inner = math.degrees(math.acos(cosine + 0.25 * (1 - cosine)))
    own = Lamp(
        "spot" if kind == SPOT else "point",
        np.array(lamp.position),
        np.array(lamp.direction) / np.linalg.norm(lamp.direction),
        lamp.colour,
        lamp.strength,
        (inner, 30),
    )
    light = AddedLight(name="lamp", shadows=1)
    z0 = np.where(nothing, 0, z).astype(np.float32)
    made = added_light(
        rays, z0, nothing, normals, albedo, rows_of(light.model_copy(update={"shadows": 0}), own), threads=2
    )
    wanted = (
        np.stack([shown.planes[f"diffuse_direct.{each}"] for each in "RGB"], axis=-1).astype(np.float32)
        * albedo
    )
    free = ~nothing & (wanted.max(-1) > 0.02)
    free = cv2.erode(free.astype(np.uint8), np.ones((3, 3))) > 0
    error = made[free] - wanted[free]
    assert np.sqrt((error**2).mean()) / np.sqrt((wanted[free] ** 2).mean()) < 0.01
    if kind == POINT:
        # Found in the depth alone, most of a ball's shadow lies where the renderer's does.
        held = added_light(rays, z0, nothing, normals, albedo, rows_of(light, own))
        ground = ~nothing & (np.abs(points_at(rays, z0)[..., 1]) < 0.05)
        dark = ground & (wanted.max(-1) < 1e-4) & (made.max(-1) > 0.05)
        assert dark.sum() > 40 and (held[dark].max(-1) < 1e-4).mean() > 0.6
        assert (held[free & ground].max(-1) > 0).mean() > 0.98
        # While a hand moves the lamp, shadows may be off at their rim, and nowhere else.
        tried = added_light(rays, z0, nothing, normals, albedo, rows_of(light, own), is_trial=True, threads=2)
        other = (tried != held).any(axis=-1)
        rim = cv2.dilate((held.max(-1) > 0).astype(np.uint8), np.ones((9, 9))) != cv2.erode(
            (held.max(-1) > 0).astype(np.uint8), np.ones((9, 9))
        )
        assert other.mean() < 0.01 and not other[~rim].any()
        # A plane's points tell which way it faces.
        level = (-rays.eye[1] / np.minimum(rays.ways[..., 1], -1e-3)).astype(np.float32)
        z0, nothing = level, rays.ways[..., 1] > -0.02
        without = np.zeros_like(normals)
        normals_from(rays.ways, z0, nothing, without, 0, high)
        assert np.abs(without[~nothing][:, 1] - 1).max() < 1e-3


def spot(outer: float) -> Lamp:
    return Lamp(
        "spot", np.array([0.3, 2.0, -5.0]), np.array([0.6, -0.8, 0.0]), (1, 1, 1), 1.0, (outer, outer)
    )


def one_ray(way, z=np.inf):
    """A picture of one pixel that looks along a way from the origin."""
    way = np.asarray(way, float) / np.linalg.norm(way)
    rays = rays_of(told(2), Place(Window(0, 0, 0, 0), Window(0, 0, 0, 0)), (1, 1), is_ray=True)
    return replace(rays, eye=np.zeros(3), ways=way[None, None].astype(np.float32)), way


def summed(way, far, lamp, cone, core, length):
    """Sum a beam's light along a ray in fine steps; a soft edge is the staircase that it is made of."""
    t = np.linspace(0, min(far, 20.0), 2_000_001)
    d = t[:, None] * way - lamp.position
    r = np.linalg.norm(d, axis=1)
    if cone is None:
        step = np.ones(len(t))
    else:
        angle = np.degrees(np.arccos(np.clip(d @ lamp.direction / r, -1, 1)))
        inner, outer = cone
        share = np.clip((outer - angle) / (outer - inner), 0, 1) if inner < outer else angle <= outer
        step = np.floor(share * CONES + 0.5) / CONES
    return np.trapezoid(step**2 * (3 - 2 * step) * (r <= length) / (r * r + core * core), t)


@pytest.mark.parametrize(
    "way", [(0.1, 0.1, -1), (0.5, 0.2, -1), (0.2, -0.1, -1), (0, 0, 1), (0.08, 0.39, -1)]
)
@pytest.mark.parametrize("far", [2.0, 6.0, np.inf])
def test_a_beam_is_the_sum_along_its_ray(way, far):
    rays, _ = one_ray(way)
    way = rays.ways[0, 0].astype(np.float64)
    way /= np.linalg.norm(way)
    core, length = 0.1, 12.0
    z, nothing = np.float32([[0 if np.isinf(far) else far]]), np.array([[bool(np.isinf(far))]])
    none = np.ones((1, 1), np.float32), np.full((1, 1), -1, np.int32)
    for cone in ((35.0, 35.0), (15.0, 35.0), None):
        lamp = replace(spot(35.0), cone=cone or (0, 45))
        beam = Beam(
            name="b", strength=1, colour=(1, 1, 1), core=core, length=length, is_cone=cone is not None
        )
        made = beams(rays, z, nothing, *none, [row_of(beam, lamp, 0)])[0, 0, 0]
        wanted = summed(way, far, lamp, cone, core, length)
        assert made == pytest.approx(wanted, abs=1e-4 * max(1.0, wanted))


def test_uneven_air_keeps_its_mean_and_its_seed_and_a_mixed_pixel_sees_both():
    rays = rays_of(told(2), PLACE, (HIGH, WIDE), is_ray=False)
    z = np.full((HIGH, WIDE), 30, np.float32)
    nothing, one = np.zeros(z.shape, bool), np.ones(z.shape, np.float32)
    none = np.full(z.shape, -1, np.int32)
    lamp = replace(spot(30), position=rays.eye + rays.axes[2] * 8 + rays.axes[1] * -3, direction=rays.axes[1])

    def row(**how):
        return [row_of(Beam(name="b", is_as_light=False, inner=20, outer=30, **how), lamp, 7)]

    plain = beams(rays, z, nothing, one, none, row(), threads=2)
    uneven = beams(rays, z, nothing, one, none, row(noise=0.8, grain=0.4))
    assert np.array_equal(uneven, beams(rays, z, nothing, one, none, row(noise=0.8, grain=0.4), threads=3))
    assert not np.allclose(uneven, beams(rays, z, nothing, one, none, row(noise=0.8, grain=0.4, seed=2)))
    lit = plain.max(-1) > 1e-3
    assert lit.sum() > 500 and uneven[lit].mean() == pytest.approx(plain[lit].mean(), rel=0.1)
    near = np.where(np.arange(WIDE) % 2, np.float32(4), np.float32(30)) * np.ones_like(z)
    share = np.full(z.shape, 0.25, np.float32)
    other = (
        np.tile(np.arange(WIDE) // 2 * 2, (HIGH, 1)).astype(np.int32)
        + np.arange(HIGH)[:, None].astype(np.int32) * WIDE
    )
    both = beams(rays, near, nothing, share, other, row())
    before = beams(rays, np.full_like(z, 4), nothing, one, none, row())
    odd = np.s_[:, 1::2]
    assert np.allclose(both[odd], 0.25 * before[odd] + 0.75 * plain[odd], atol=1e-6)


def test_mist_before_a_beam_veils_it_as_summed_along_the_ray():
    rays = rays_of(told(2), PLACE, (HIGH, WIDE), is_ray=False)
    z = np.full((HIGH, WIDE), 30, np.float32)
    nothing, none = np.zeros(z.shape, bool), np.full(z.shape, -1, np.int32)
    nothing[:, WIDE // 2 :] = True
    lamp = replace(spot(30), position=rays.eye + rays.axes[2] * 8 + rays.axes[1] * -3, direction=rays.axes[1])
    beam = Beam(name="b", is_as_light=False, inner=30, outer=30, length=6, core=0.05)
    rows = [row_of(beam, lamp, 1)]
    plain = MistLayer(falloff="exponential", density=0.09, start=3, high=0.9)
    low = MistLayer(falloff="exponential", density=0.4, start=0, base=0.0, thins=1.5, clear_alpha=True)
    given = MistLayer(source="mist_pass", beyond="clear")
    alpha = np.tile(np.linspace(0, 1, HIGH, dtype=np.float32)[:, None], (1, WIDE))
    scene = MistScene(z, nothing, told(2), PLACE, {}, np.full(z.shape, 0.6, np.float32), alpha)
    clear = beams(rays, z, nothing, np.ones_like(z), none, rows)[..., 0].astype(float)

    def thinned(point):
        """What of the low mist lies on the way to a point, summed in fine steps."""
        way = rays.eye + (point - rays.eye) * np.linspace(0, 1, 4001)[:, None]
        density = 0.4 * np.exp(-np.maximum(way[:, 1], 0) / 1.5)
        # Counted along the axis, as the mist does.
        along = (way - rays.eye) @ rays.axes[2]
        return 1 - np.exp(-np.trapezoid(density, along))

    for layers in ([plain], [low], [given], [plain, low]):
        veil = veil_before(scene, layers, rays, reach_of(rows, rays))
        veiled = beams(rays, z, nothing, np.ones_like(z), none, rows, veil, threads=2)[..., 0]
        for row, col in ((60, 100), (80, 118), (80, 122), (95, 130)):
            way = rays.ways[row, col].astype(float)
            size = np.linalg.norm(way)
            t = np.linspace(0, 40, 8001)
            off = rays.eye + (t / size)[:, None] * way - lamp.position
            r = np.linalg.norm(off, axis=1)
            lit = (
                (off @ lamp.direction > r * np.cos(np.radians(30)))
                & (r < 6)
                & (t < 30 * size + 99 * nothing[row, col])
            )
            light = lit / (r * r + 0.05**2)
            through = np.ones(len(t))
            if plain in layers:
                through *= 1 - 0.9 * -np.expm1(-0.09 * np.maximum(t / size - 3, 0))
            if low in layers:
                places = rays.eye + (t[::80] / size)[:, None] * way
                amount = np.interp(t, t[::80], [thinned(one) for one in places])
                through *= 1 - amount * (1 - alpha[row, col])
            if given in layers:
                through *= 1 if nothing[row, col] else 1 - 0.6 * np.minimum(t / size / 30, 1)
            wanted = np.trapezoid(light * through, t) / max(np.trapezoid(light, t), 1e-9)
            assert clear[row, col] > 0
            assert veiled[row, col] / clear[row, col] == pytest.approx(wanted, abs=0.01), (layers, row, col)


def test_a_card_is_what_a_render_of_its_plane_would_be():
    rng = np.random.default_rng(4)
    footage = cv2.GaussianBlur(rng.random((180, 320, 3)).astype(np.float32), (0, 0), 3.0)
    footage = np.dstack([footage, np.ones((180, 320), np.float32)])
    card = Card(name="c", width=4.0, position=(0.3, 1.8, -7.5), turn=(35, 10, 8), covers="opaque")
    camera = told(2)
    rays = rays_of(camera, PLACE, (HIGH, WIDE), is_ray=False)
    stand = stand_of(card, None, camera, UpAxis.Y, 320 / 180)
    made = seen_card(card, stand, prepared(footage, card), rays).picture
    # The same plane by 12 x 12 plain rays a pixel.
    fine = 12
    big = Place(
        Window(0, 0, WIDE * fine - 1, HIGH * fine - 1), Window(0, 0, WIDE * fine - 1, HIGH * fine - 1)
    )
    many = rays_of(camera, big, (HIGH * fine, WIDE * fine), is_ray=False)
    way = many.ways.astype(np.float64)
    t = ((stand.middle - many.eye) @ stand.facing) / (way @ stand.facing)
    hit = many.eye + way * t[..., None] - stand.middle
    u = hit @ stand.right / stand.width + 0.5
    v = 0.5 - hit @ stand.upright / stand.height
    inside = (t > 0) & (u > 0) & (u < 1) & (v > 0) & (v < 1)
    maps = (u * 320 - 0.5).astype(np.float32), (v * 180 - 0.5).astype(np.float32)
    seen = cv2.remap(footage, *maps, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE) * inside[..., None]
    wanted = seen.reshape(HIGH, fine, WIDE, fine, 4).mean((1, 3))
    assert (wanted[..., 3] > 0.99).sum() > 1500
    noise = np.mean((made - wanted) ** 2)
    assert 10 * math.log10(1 / noise) > 40
    slid = seen_card(
        card.model_copy(update={"right": 30.0, "zoom": 150.0}), stand, prepared(footage, card), rays
    )
    assert np.array_equal(slid.z < np.inf, slid.picture[..., 3] > 0)
    assert (slid.picture[..., 3] > 0.99).sum() <= (made[..., 3] > 0.99).sum(), "its outline does not move"


def card_recipe(tmp_path, **how: str) -> Recipe:
    path = tmp_path / "sheet.png"
    Image.new("RGBA", (40, 30), (255, 40, 20, 255)).save(path)
    kept = keep_file(str(tmp_path / "kept"), "sheet.png", path.read_bytes())
    first = {
        "scene__cards__add": "sheet",
        "scene__cards__1__footage": kept,
        "scene__cards__1__width": "6",
        "scene__cards__1__position": "-1 2 -14",
        "scene__cards__1__faces": "upright",
    }
    return settled(**{**first, **how})


def test_a_card_stands_behind_what_is_nearer_and_depth_alpha_mattes_and_mist_follow(frame, tmp_path):
    planes = planes_of(frame)
    recipe = card_recipe(tmp_path)
    picture = np.stack(pulled("picture", planes, PASSES, recipe, moment()), axis=-1)
    alone = np.stack(pulled("scene_cards", planes, PASSES, recipe, moment()), axis=-1)
    z = planes[PASSES[1].channels[0]]
    covered = alone[..., 3] > 0.99
    assert covered.sum() > 300 and (z[covered] > 12).mean() > 0.98, "never before what is nearer"
    red = np.float32([1.0, 0.0212, 0.00699])
    assert (np.abs(picture[covered][:, :3] - red).max(-1) < 2e-3).mean() > 0.98
    untouched = alone[..., 3] == 0
    assert np.allclose(picture[untouched], frame.beauty[untouched], atol=1e-6)
    distance = pulled("distance", planes, PASSES, recipe, moment())[0]
    assert (
        distance[covered] == pytest.approx(distance[covered].mean(), abs=1.5) and distance[covered].max() < 18
    )
    assert np.array_equal(distance[untouched], np.where(np.isfinite(z), z, np.inf)[untouched])
    assert np.array_equal(pulled("depth", planes, PASSES, recipe, moment())[0], z), "the pass stays what came"
    misty = change(
        recipe, {"depth.mist.add": "m", "depth.mist.1.start": "0", "depth.mist.1.depth": "40"}, scene_unit="m"
    )
    veiled = np.stack(pulled("beauty_mist", planes, PASSES, misty, moment()), axis=-1)
    share = distance[covered] / 40
    wanted = red * (1 - share)[:, None] + np.float32([0.5, 0.52, 0.55]) * share[:, None]
    assert (np.abs(veiled[covered][:, :3] - wanted).max(-1) < 5e-3).mean() > 0.98, "it lies in the mist"
    off = change(recipe, {"scene.cards.1.on": "no"}, scene_unit="m")
    assert np.array_equal(np.stack(pulled("picture", planes, PASSES, off, moment()), axis=-1), frame.beauty)


def test_a_card_takes_light_shines_and_darkens_the_ground(frame, tmp_path):
    planes = planes_of(frame)
    still = {
        "scene__cards__1__position": "-2.6 1.2 -6",
        "scene__cards__1__width": "1.6",
        "scene__cards__1__faces": "free",
    }
    plain = card_recipe(tmp_path, **still)
    lamp = {
        "scene__lights__add": "sun",
        "scene__lights__1__kind": "sun",
        "scene__lights__1__direction": "0 -1 -1",
        "scene__lights__1__strength": "2",
        "scene__lights__1__diffuse": "0",
    }
    dim = card_recipe(tmp_path, **still, **lamp, scene__cards__1__shines="0.25", scene__cards__1__takes="1")
    casts = card_recipe(
        tmp_path, **still, **lamp, scene__cards__1__casts="0.8", scene__cards__1__softness="0"
    )
    one, two, three = (
        np.stack(pulled("picture", planes, PASSES, each, moment()), axis=-1) for each in (plain, dim, casts)
    )
    shown = np.stack(pulled("scene_cards", planes, PASSES, plain, moment()), axis=-1)[..., 3] > 0.99
    shown = cv2.erode(shown.astype(np.uint8), np.ones((5, 5))) > 0
    # Half of the sun falls on it: the cosine of 45 degrees.
    assert two[shown][:, 0] == pytest.approx(one[shown][:, 0] * (0.25 + 2 * math.sqrt(0.5)), rel=1e-3)
    darker = (three[..., 0] < 0.9 * one[..., 0]) & (np.abs(three - two).max(-1) > 0) & ~shown
    position = np.stack([planes[ref] for ref in PASSES[2].channels], axis=-1)
    ground = np.abs(position[..., 1]) < 0.02
    lies = (position[..., 2] < -6.5) & (position[..., 2] > -7.9) & (np.abs(position[..., 0] + 2.6) < 0.9)
    assert darker.sum() > 60 and (ground & lies)[darker].mean() > 0.95
    inside = (
        ground
        & (np.abs(position[..., 0] + 2.6) < 0.7)
        & (position[..., 2] < -6.8)
        & (position[..., 2] > -7.6)
        & ~shown
    )
    assert three[inside][:, 0] == pytest.approx(one[inside][:, 0] * 0.2, rel=0.02)


def test_two_eyes_see_a_card_from_where_they_stand(tmp_path):
    scene = SHOT.scene().packed()
    camera = replace(looks(2), interaxial_m=0.3, convergence_m=10.0)
    recipe = card_recipe(
        tmp_path,
        scene__cards__1__position="-1 3.5 -9",
        scene__cards__1__width="1",
        scene__cards__1__height="1",
    )
    middles = []
    for eye in (-1.0, 1.0):
        shown = render(scene, camera, View(WIDE, HIGH, samples=1, eye=eye, is_denoised=False), seed=3)
        stood, shift = camera.through(eye)
        seen = Camera(30, 36, tuple(stood.world_to_camera().ravel()), shift=shift)
        cards = np.stack(
            pulled("scene_cards", planes_of(shown), PASSES, recipe, moment(camera=seen)), axis=-1
        )
        cols = np.average(np.arange(WIDE), weights=cards[..., 3].sum(0))
        middles.append(cols)
    middle = looks(2)
    far = (np.array([-1, 3.5, -9]) - middle.position) @ middle.axes()[2]
    parallax = 0.3 * (1 / 10 - 1 / far) * 30 / 36 * WIDE
    assert middles[0] - middles[1] == pytest.approx(-parallax, abs=0.05)


def test_the_files_camera_is_moved_to_the_other_eye_as_headers_tell_it(tmp_path, frame):
    both = [*PASSES, *(a_pass(f"right.{one.name}", one.role, "".join(one.suffixes)) for one in PASSES)]
    planes = planes_of(frame)
    planes |= {ref._replace(name=f"right.{ref.name}", source=1): plane for ref, plane in planes.items()}
    both = [
        replace(one, channels=tuple(ref._replace(source=1) for ref in one.channels))
        if "right." in one.name
        else one
        for one in both
    ]
    camera = replace(looks(2), interaxial_m=0.3, convergence_m=10.0)
    cameras = {}
    for source, eye in enumerate((-1.0, 1.0)):
        stood, shift = camera.through(eye)
        cameras[source, 0] = Camera(30, 36, tuple(stood.world_to_camera().ravel()), shift=shift)
    # The file holds the left eye's camera alone.
    data = scene_of(SHOT)
    stands = np.linalg.inv(np.reshape(cameras[0, 0].world_to_camera, (4, 4)))[None]
    left = replace(data.cameras[0], times=np.zeros(1), matrices=stands, lens=data.cameras[0].lens[:1].copy())
    left.lens[0, 2] = cameras[0, 0].shift
    card = {
        "scene__cards__1__position": "-1 3.5 -9",
        "scene__cards__1__width": "1",
        "scene__cards__1__height": "1",
    }
    kept = keep_scene(replace(data, cameras=(left,)), tmp_path)
    at = Moment(1003, PLACE, cameras)
    shown = {}
    for name, how in (("headers", {}), ("file", {"scene__file": kept, "scene__camera": "shot_camera"})):
        recipe = card_recipe(tmp_path, **card, **how)
        for view in ("", "right."):
            made = pulled(f"{view}scene_cards", planes, both, recipe, at)
            shown[name, view] = np.average(np.arange(WIDE), weights=made[3].sum(0))
    assert shown["file", ""] == pytest.approx(shown["headers", ""], abs=0.02)
    assert shown["file", "right."] == pytest.approx(shown["headers", "right."], abs=0.02)
    assert abs(shown["file", ""] - shown["file", "right."]) > 0.2


@pytest.mark.parametrize("size", [(WIDE, HIGH), (WIDE * 2, HIGH * 2)])
def test_a_small_picture_shows_what_the_large_one_does(tmp_path, frame, size):
    recipe = card_recipe(
        tmp_path,
        **{
            "scene__lights__add": "l",
            "scene__lights__1__position": "2 4 -4",
            "scene__lights__1__strength": "9",
            "scene__beams__add": "b",
            "scene__beams__1__position": "0 3 -7",
            "scene__beams__1__strength": "0.4",
            "depth__mist__add": "haze",
            "depth__mist__1__falloff": "exponential",
            "depth__mist__1__density": "0.05",
            "depth__mist__1__base": "1",
        },
    )
    camera = told(2)
    window = Window(0, 0, size[0] - 1, size[1] - 1)
    shape = size[1], size[0]
    z = np.full(shape, 16.0, np.float32)
    large = Place(window, window)
    normals = np.zeros((*shape, 3), np.float32)
    normals[..., 2] = 1
    planes = {ref: np.ones(shape, np.float32) * 0.3 for ref in PASSES[0].channels[:3]}
    planes[PASSES[0].channels[3]] = np.ones(shape, np.float32)
    planes[PASSES[1].channels[0]] = z
    for i, ref in enumerate(PASSES[3].channels):
        planes[ref] = normals[..., i]
    flat = [one for one in PASSES if one.role is not Role.POSITION]
    at = Moment(1, large, {(0, 0): camera})
    whole = np.stack(pulled("picture", planes, flat, recipe, at), axis=-1)
    muted = change(recipe, {"depth.mist.1.on": "no"}, scene_unit="m")
    clear, veiled = (pulled("scene_beams", planes, flat, one, at)[0] for one in (muted, recipe))
    there = clear > 0.01
    assert there.any() and 0.3 < (veiled[there] / clear[there]).mean() < 0.95, "mist lies before the beam"
    half = {ref: np.ascontiguousarray(plane[::2, ::2]) for ref, plane in planes.items()}
    small = np.stack(
        pulled("picture", half, flat, recipe, Moment(1, replace(large, step=2), {(0, 0): camera})), axis=-1
    )
    apart = np.abs(whole[::2, ::2] - small).max(-1)
    assert np.percentile(apart, 95) < 0.02 and apart.mean() < 0.01


def test_footage_is_read_from_pictures_films_and_archives_frame_by_frame(tmp_path):
    import av

    from drawstring.core.scene.footage import check_footage, frame_of, shown_frame

    film = tmp_path / "film.mkv"
    with av.open(str(film), "w") as out:
        stream = out.add_stream("ffv1", rate=24)
        stream.width, stream.height, stream.pix_fmt = 32, 16, "bgr0"
        for i in range(6):
            image = np.full((16, 32, 3), 40 * i, np.uint8)
            out.mux(stream.encode(av.VideoFrame.from_ndarray(image, format="rgb24")))
        out.mux(stream.encode())
    assert check_footage(str(film)) == 6
    linear = lambda v: v / 12.92 if v <= 0.04045 else ((v + 0.055) / 1.055) ** 2.4  # noqa: E731
    for i in (4, 0, 5, 2):
        assert frame_of(str(film), i)[8, 16, 0] == pytest.approx(linear(40 * i / 255), abs=0.01)
    packed = tmp_path / "row.zip"
    with zipfile.ZipFile(packed, "w") as archive:
        for i in range(3):
            path = tmp_path / f"f{i}.png"
            Image.new("RGBA", (4, 4), (255, 0, 0, 100 * i)).save(path)
            archive.write(path, f"row/f.{i:04d}.png")
    # Straight colours stay what the file holds.
    assert frame_of(str(packed), 1)[0, 0, 0] == 1
    assert check_footage(str(packed)) == 3 and frame_of(str(packed), 2)[0, 0, 3] == pytest.approx(200 / 255)
    assert [shown_frame(3, n, loops=False) for n in (-1, 1, 9)] == [0, 1, 2]
    for name, content in (("a.zip", b"no"), ("b.mov", b"no"), ("c.png", b"no")):
        (tmp_path / name).write_bytes(content)
        with pytest.raises(SettingError):
            check_footage(str(tmp_path / name))


def test_a_mesh_tells_which_way_surfaces_face_where_no_pass_does(tmp_path, frame):
    data = scene_of(SHOT)
    # A ground of two triangles, as some file holds it.
    big = np.float32([[-60, 0, -90], [60, 0, -90], [60, 0, -1], [-60, 0, -1]])
    mesh = replace(data.meshes[0], name="ground", points=big, triangles=np.int32([[0, 2, 1], [0, 3, 2]]))
    recipe = settled(
        scene__file=keep_scene(replace(data, meshes=(mesh,)), tmp_path),
        scene__normals="mesh",
        scene__mesh="ground",
        scene__lights__add="sky",
        scene__lights__1__kind="sun",
        scene__lights__1__direction="0 -1 0",
    )
    bare = [one for one in PASSES if one.role not in (Role.NORMAL, Role.POSITION)]
    light = pulled("scene_light", planes_of(frame), bare, recipe, moment())[0]
    position = planes_of(frame)[PASSES[2].channels[1]]
    z = planes_of(frame)[PASSES[1].channels[0]]
    ground = (np.abs(position) < 1e-3) & (z < 50)
    assert ground.sum() > 3000 and np.median(np.abs(light[ground] - 0.5)) < 1e-4
    # What it tells goes out, too: to be lit elsewhere, or to lay a colour through its matte.
    facing = pulled("mesh_normal", planes_of(frame), bare, recipe, moment())
    place = pulled("mesh_position", planes_of(frame), bare, recipe, moment())
    matte = pulled("mesh_matte", planes_of(frame), bare, recipe, moment())[0]
    near = ground & (z < 7)
    assert np.allclose(facing[1][near], 1) and np.abs(place[1][near]).max() < 1e-3
    solid = (position > 0.3) & (z < 12)
    assert matte[near].min() == 1 and matte[solid].max() == 0, "what stands before it hides it"
    # A colour is laid through it: the mesh is a matte like any other, drawn on, joined and cleaned.
    laid = recipe
    for name, typed in {
        "needed": "yes", "mattes.add": "floor", "mattes.1.source": "mesh", "mattes.1.of": "ground",
        "stack.add": "beauty", "stack.2.add": "", "stack.2.source": "colour", "stack.2.colour": "1 0 0",
        "stack.2.matte": "floor",
    }.items():  # fmt: skip
        laid = change(laid, {f"alpha.{name.replace('2.add', 'add')}": typed or "red"}, scene_unit="m")
    assert np.array_equal(pulled("matte_floor", planes_of(frame), bare, laid, moment())[0], matte)
    before, after = (
        np.stack(pulled("picture", planes_of(frame), bare, one, moment()), axis=-1) for one in (recipe, laid)
    )
    assert np.allclose(after[near], [1, 0, 0, 1]) and np.array_equal(after[solid], before[solid])
    # Without depth, positions alone do as well.
    by_points = [one for one in PASSES if one.role is not Role.DEPTH]
    again = pulled("scene_light", planes_of(frame), by_points, recipe, moment())[0]
    assert np.allclose(again[ground], light[ground], atol=1e-3)


def test_meshes_tell_near_and_far_before_anything_is_rendered(tmp_path, frame):
    data = scene_of(SHOT)
    # A wall across the picture's axis, two triangles, goes with the camera: first 5, at last 7 units away.
    camera = data.cameras[0]
    stands = np.stack([np.eye(4)] * len(camera.times))
    stands[:, 3, 2] = -np.linspace(5, 7, len(camera.times))
    big = np.float32([[-30, -30, 0], [30, -30, 0], [30, 30, 0], [-30, 30, 0]])
    wall = replace(
        data.meshes[0], name="wall", points=big, triangles=np.int32([[0, 1, 2], [0, 2, 3]]),
        times=camera.times, matrices=stands @ camera.matrices,
    )  # fmt: skip
    kept = keep_scene(replace(data, meshes=(wall,)), tmp_path)
    recipe = settled(scene__file=kept, scene__camera="shot_camera")
    frames = range(SHOT.first, SHOT.first + SHOT.frames)
    told = mesh_reach(recipe.scene, frames, 16 / 9)
    assert told == pytest.approx((5, 7), rel=1e-4)
    assert mesh_reach(settled(scene__file=kept).scene, frames, 16 / 9) is None, "no camera chosen"


def test_the_files_camera_is_told_in_the_frame_that_goes_out(tmp_path, frame):
    kept = keep_scene(scene_of(SHOT), tmp_path)
    moves = {"framing__needed": "yes", "framing__whole__right": "12", "framing__whole__scale": "125"}

    def said(**how):
        return view_header("", Chains(PASSES, settled(**moves, **how)), moment())

    came = said()
    own = said(scene__file=kept, scene__camera="shot_camera", scene__scale="0.5")
    # The stand-in wrote the same camera into its headers: only half as far away it stands, as settled.
    assert own["pinholeFocalLength"] == pytest.approx(came["pinholeFocalLength"], rel=1e-4)
    assert own["sensorOverallDimensions"][0] == pytest.approx(came["sensorOverallDimensions"][0], rel=1e-4)
    assert np.ravel(own["screenWindowCenter"]) == pytest.approx(
        np.ravel(came["screenWindowCenter"]), abs=1e-4
    )
    matrices = [np.reshape(each["worldToCamera"], (4, 4)) for each in (own, came)]
    assert matrices[0][:3, :3] == pytest.approx(matrices[1][:3, :3], abs=1e-4)
    assert matrices[0][3, :3] == pytest.approx(matrices[1][3, :3] / 2, abs=1e-3)
    assert abs(came["screenWindowCenter"][0]) > 0.01, "the picture was moved"


def test_normals_of_the_camera_and_upside_down_ones_are_read_as_settled(frame):
    planes = planes_of(frame)
    lamp = {
        "scene__lights__add": "key",
        "scene__lights__1__position": "2 4 -4",
        "scene__lights__1__strength": "9",
    }
    wanted = pulled("scene_light", planes, PASSES, settled(**lamp), moment())[0]
    normal = np.stack([planes[ref] for ref in PASSES[3].channels], axis=-1)
    right, down, forward = told(2).axes
    local = normal @ np.stack([right, -down, -forward], axis=1).astype(np.float32)
    turned = {
        **planes,
        **{ref: local[..., i] * (-3 if i == 1 else 3) for i, ref in enumerate(PASSES[3].channels)},
    }
    how = {"scene__normals": "camera", "scene__flips": "yes"}
    made = pulled("scene_light", turned, PASSES, settled(**lamp, **how), moment())[0]
    assert np.allclose(made, wanted, atol=2e-4)
    broken = {**planes, PASSES[3].channels[0]: np.full((HIGH, WIDE), np.inf, np.float32)}
    assert np.isfinite(pulled("scene_light", broken, PASSES, settled(**lamp), moment())[0]).all()


def test_keys_flicker_and_the_files_own_lamps_are_followed(tmp_path, frame):
    data = scene_of(next(shot for shot in SHOTS if shot.code == "TW080"))
    assert {one.name for one in data.lights} == {"work_lamp", "window"}
    world = World(data, SceneSettings())
    lamp = world.light("work_lamp", 1001)
    assert lamp.shines == "spot" and lamp.position == pytest.approx([-0.62, 0.79, 0.10])
    planes = planes_of(frame)
    recipe = settled(
        scene__lights__add="key",
        scene__lights__1__position="2 4 -4",
        **{
            "scene__lights__1__strength@1001": "0",
            "scene__lights__1__strength@1005": "8",
        },
    )
    recipe = change(recipe, {"scene.lights.1.strength@1001.then": "linear"}, scene_unit="m")
    dark, half, full = (
        pulled("scene_light", planes, PASSES, recipe, moment(n, told(2)))[0] for n in (1001, 1003, 1005)
    )
    assert dark.max() == 0 and np.allclose(half * 2, full, rtol=1e-4) and full.max() > 0.01
