"""Scene on its pages: files brought in or refused, things placed, packed with the scene as used."""

import io
import json
import os
import struct
from dataclasses import replace

import numpy as np
import OpenEXR
import pytest
from makers import FRAMES, carry_out_here, measure_here, same_bits, validate_manifest
from PIL import Image
from pxr import Usd, UsdGeom, UsdValidation

from drawstring.core.scene.reading import read_scene
from drawstring.runs.checking import check_package
from drawstring.runs.planning import plan_run
from drawstring.standins.tidewrack import SHOTS
from drawstring.standins.tidewrack.scene_files import write_scenes
from drawstring.store import recipes, shows
from drawstring.store.standing import standing

HTMX = {"HX-Request": "true"}
FRAME = 1013
SHOT = replace(SHOTS[0], frames=FRAMES)


@pytest.fixture(scope="module")
def scenes(tmp_path_factory):
    """The shot's scene as USD and glTF, in centimetres, clipped."""
    return write_scenes(str(tmp_path_factory.mktemp("scenes")), SHOT)


@pytest.fixture
def bring(client, fog):
    """Bring a file in at Scene."""

    def bring(path, at="file", field="scene.file", name=None):
        content = path if isinstance(path, bytes) else open(path, "rb").read()
        data = {field: (io.BytesIO(content), name or os.path.basename(path))}
        return client.post(f"/shots/{fog.id}/scene/{at}", data=data, headers=HTMX)

    return bring


@pytest.fixture
def settled(sessions):
    """Give what is settled of the scene now."""

    def now():
        with sessions() as session:
            return recipes.current(session, shows.find_shot(session, "TW010")).scene

    return now


def found(sessions) -> dict:
    with sessions() as session:
        how = standing(session, shows.find_shot(session, "TW010"))
        return {one.code: one for one in how.findings["scene"]}


def put(client, shot, **typed):
    answer = client.post(
        f"/shots/{shot.id}/scene",
        headers=HTMX,
        data={f"scene.{name.replace('__', '.')}": value for name, value in typed.items()},
    )
    assert answer.status_code == 200, answer.text
    return answer


def test_files_are_taken_over_held_against_the_points_and_mended_at_a_press(
    client, fog, bring, scenes, settled, sessions
):
    assert "camera" in bring(scenes[2]).text
    assert settled().needed and settled().file.endswith("centimetres.usda.scene") and not settled().camera
    put(client, fog, camera="shot_camera")
    measure_here(sessions, "TW010", "scene")
    finding = found(sessions)["scene-off"]
    assert "0.01 times its size" in finding.what and "z is the shot" in finding.what, finding
    # Over the picture: where points are seen now, and where by the reading that fits.
    told = client.get(f"/shots/{fog.id}/frames/{FRAME}/scene/held").json
    spots, after = np.array(told["spots"]), np.array(told["after"], float)
    assert told["off"] is None or told["off"] > 20
    assert "0.01 times its size" in told["fits"] and told["left"] < 1
    assert np.median(np.hypot(*(after - spots).T)) < 1 and len(told["now"]) == len(spots) > 100
    mend = finding.mends[0]
    client.post(f"/shots/{fog.id}/scene", data=dict(mend.values), headers=HTMX)
    measure_here(sessions, "TW010", "scene")
    assert "scene-off" not in found(sessions) and settled().turn == "z_to_y"
    bring(scenes[3])
    put(client, fog, scale="1", turn="none")
    measure_here(sessions, "TW010", "scene")
    assert {"scene-clip"} <= set(found(sessions)) and "scene-off" not in found(sessions)
    told = client.get(f"/shots/{fog.id}/frames/{FRAME}/scene/held").json
    assert told["after"] is None and told["off"] < 1
    put(client, fog, camera="nobody", lights__add="l")
    assert "scene-camera-gone" in found(sessions)
    panel = client.get(f"/shots/{fog.id}/scene").text
    assert "scene_clipped.usda" in panel and "behind_gantry" in panel
    for content, name, says in (
        (b"no", "a.abc", "Alembic"),
        (b"glTF", "b.glb", "damaged"),
        (b"", "c.usda", ""),
    ):
        answer = bring(content, name=name)
        assert answer.status_code in (400, 422) and says in answer.text, answer.text
    assert settled().file.endswith("clipped.usda.scene"), "what was refused changes nothing"


def test_a_file_that_lies_with_the_frames_is_taken_at_a_press(client, fog, settled, sources):
    folder = sources / "tidewrack" / "TW010" / "v001"
    made = write_scenes(str(folder), SHOT)
    try:
        assert "take TW010_scene_v001.glb" in client.get(f"/shots/{fog.id}/scene").text
        answer = client.post(f"/shots/{fog.id}/scene/beside", data={"path": made[1]}, headers=HTMX)
        assert answer.status_code == 200 and (settled().starts, settled().rate) == (1010, 24)
        for path in ("/etc/hostname", f"{folder}/other.glb"):
            assert (
                client.post(f"/shots/{fog.id}/scene/beside", data={"path": path}, headers=HTMX).status_code
                == 404
            )
    finally:
        for path in made:
            os.unlink(path)


def test_things_are_placed_on_the_picture_and_space_has_its_numbers(
    client, fog, bring, scenes, settled, tmp_path
):
    bring(scenes[0])
    put(client, fog, camera="shot_camera", lights__add="lantern", beams__add="beam", cards__add="sheet")
    page = tmp_path / "sheet.png"
    Image.new("RGB", (40, 20), (200, 40, 20)).save(page)
    assert bring(str(page), at="footage/1", field="scene.footage").status_code == 200
    assert bring(b"no", at="footage/1", field="scene.footage", name="x.mov").status_code == 422
    picks = ("lights.1.position", "cards.1.position", "ground", "lights.1.colour")
    for name in picks:
        answer = client.post(
            f"/shots/{fog.id}/scene/pick",
            headers=HTMX,
            data={"setting": f"scene.{name}", "frame": FRAME, "x": 60, "y": 95},
        )
        assert answer.status_code == 200, answer.text
    now = settled()
    assert abs(now.ground) < 0.05 and 0.05 < now.lights[0].position[1] < 2
    assert now.lights[0].colour != (1, 1, 1)
    assert now.cards[0].position[1] == pytest.approx(now.ground + 1, abs=0.05), "its lower edge stands there"
    sky = {"setting": "scene.lights.1.position", "frame": FRAME, "x": 90, "y": 2}
    assert client.post(f"/shots/{fog.id}/scene/pick", headers=HTMX, data=sky).status_code == 404
    told = client.get(f"/shots/{fog.id}/frames/{FRAME}/space").json
    cameras = {one["name"]: one for one in told["cameras"]}
    assert set(cameras) == {"headers", "shot_camera"} and cameras["shot_camera"]["counts"]
    assert cameras["headers"]["eye"] == pytest.approx(cameras["shot_camera"]["eye"], abs=1e-5)
    assert len(told["path"]) == 6
    assert told["lights"][0]["at"] == pytest.approx(now.lights[0].position, abs=1e-4)
    corners = np.array(told["cards"][0]["corners"])
    assert np.ptp(corners[:, 0]) == pytest.approx(2) and np.ptp(corners[:, 1]) == pytest.approx(1)
    assert told["meshes"][0]["name"] == "sheet" and told["marks"][0]["at"] == [-6, 3, -23]
    content = client.get(f"/shots/{fog.id}/frames/{FRAME}/points", query_string={"most": 6000}).data
    (count,) = struct.unpack("<I", content[:4])
    places = np.frombuffer(content, "<f4", 3 * count, 4).reshape(-1, 3)
    assert 4000 < count <= 6000 and len(content) == 4 + 15 * count
    ground = np.abs(places[:, 1]) < 0.05
    assert ground.mean() > 0.3 and places[:, 2].max() < 1
    picture = Image.open(io.BytesIO(client.get(f"/shots/{fog.id}/frames/{FRAME}/behind.png").data))
    assert picture.size == (192, 108)


def test_what_is_put_in_is_packed_proven_and_the_scene_as_used_goes_along(
    client, fog, bring, scenes, sessions, tmp_path
):
    bring(scenes[3])
    put(client, fog, camera="shot_camera", lights__add="lantern", beams__add="lamp", cards__add="sheet")
    put(
        client,
        fog,
        lights__1__position="1 2 -6",
        lights__1__strength="6",
        beams__1__position="2 3 -7",
        cards__1__pass_name="diffuse_albedo",
        cards__1__covers="opaque",
        cards__1__follows="behind_gantry",
    )
    put(client, fog, **{"lights__1__strength@1010": "0", "lights__1__strength@1015": "9"})
    measure_here(sessions, "TW010", "scene")
    runs = []
    for _ in range(2):
        with sessions.begin() as session:
            shot = shows.find_shot(session, "TW010")
            recipes.set_values(session, shot, {"depth.near": "4", "depth.far": "90"})
            for knot in ("scene", "depth", "alpha", "pack"):
                recipes.settle(session, shot, knot)
            run = plan_run(session, shot, output=str(tmp_path))
            carry_out_here(session, run)
            assert run.package.state == "proven", [frame.fault for frame in run.frames]
            runs.append(run.folder)
    folder = runs[0]
    manifest = validate_manifest(folder)
    names = [one["file"] for one in manifest["along"]]
    assert names == ["TW010_scene_v001.usda", "TW010_scene_v001.glb"] and check_package(folder).is_proven
    assert same_bits(*runs)
    frames = sorted(name for name in os.listdir(folder) if name.endswith(".exr"))
    with OpenEXR.File(os.path.join(folder, frames[0]), header_only=True) as file:
        said = file.header()
        assert said["drawstring.scene.camera"] == "shot_camera"
        assert "light lantern" in said["drawstring.scene.added"]
    path = os.path.join(folder, names[0])
    stage = Usd.Stage.Open(path)
    camera = UsdGeom.Camera(stage.GetPrimAtPath("/scene/shot_camera")).GetCamera(Usd.TimeCode(1012))
    with OpenEXR.File(os.path.join(folder, frames[2]), header_only=True) as file:
        told = np.array(file.header()["worldToCamera"]).reshape(4, 4)
    assert np.array(camera.transform.GetInverse()) == pytest.approx(told, abs=1e-5)
    assert camera.clippingRange.min < 5 and camera.clippingRange.max > 90, (
        "clip planes that hid everything are mended"
    )
    validators = UsdValidation.ValidationRegistry().GetOrLoadAllValidators()
    assert not UsdValidation.ValidationContext(validators).Validate(stage)
    again = read_scene(os.path.join(folder, names[1]))
    assert {one.name for one in again.lights} == {"sun", "lantern"} and [
        one.name for one in again.cameras
    ] == ["shot_camera"]
    assert {one.name for one in again.marks} == {"behind_gantry", "sheet"}
    with open(path, "ab") as file:
        file.write(b"\n")
    assert names[0] in check_package(folder).faults
    assert json.loads(json.dumps(manifest["along"]))[0]["says"].startswith("The scene as used")


def test_lamps_without_a_beam_missing_things_and_wrong_coverage_are_told(
    client, fog, bring, scenes, sessions, tmp_path
):
    bring(scenes[1])
    put(client, fog, beams__add="ray", lights__add="l", cards__add="c")
    put(client, fog, beams__1__follows="sun", lights__1__follows="moon", lights__1__matte="none such")
    codes = found(sessions)
    assert {"scene-no-beam", "scene-follows", "scene-matte", "scene-card-empty"} <= set(codes)
    assert codes["scene-follows"].severity == "stops"
    ramp = np.zeros((40, 60, 4), np.uint8)
    ramp[..., :3], ramp[..., 3] = 255, np.linspace(0, 255, 60)
    page = tmp_path / "soft.png"
    Image.fromarray(ramp).save(page)
    assert bring(str(page), at="footage/1", field="scene.footage").status_code == 200
    put(client, fog, cards__1__covers="premultiplied")
    finding = found(sessions)["scene-card-alpha"]
    client.post(f"/shots/{fog.id}/scene", data=dict(finding.mends[0].values), headers=HTMX)
    assert "scene-card-alpha" not in found(sessions)
    for wrong in (
        {"lights.1.direction": "0 0 0"},
        {"beams.1.inner": "50"},
        {"cards.1.width": "-1"},
        {"scale": "0"},
    ):
        answer = client.post(
            f"/shots/{fog.id}/scene", data={f"scene.{k}": v for k, v in wrong.items()}, headers=HTMX
        )
        assert answer.status_code == 422, wrong
