"""Orders: rendered by the stand-in, measured, held against what was asked for; each classic mistake named."""

import csv
import io
import json
from dataclasses import replace

import numpy as np
import OpenEXR
import pytest
from jsonschema import Draft202012Validator

from drawstring.core.arrivals import scan
from drawstring.core.camera import camera_of
from drawstring.core.errors import SettingError
from drawstring.core.io.facts import Window
from drawstring.core.io.headers import read_facts
from drawstring.core.orders.came import CameView, attitude, held_against
from drawstring.core.orders.document import Order, file_of, read_order, schema, written
from drawstring.core.orders.listing import as_csv, changes
from drawstring.core.orders.making import Wanted, repair_of, shot_order
from drawstring.core.plan.known import Known
from drawstring.core.plan.planned import Planned
from drawstring.core.recipe import Recipe, change
from drawstring.core.tiles.ordered import as_ordered
from drawstring.standins.renderer.ordered import obey
from drawstring.standins.tidewrack.staging import stages

STAGES = stages()
USUAL = {"size": "96x54", "first": "1001", "last": "1002", "focal_mm": "32", "filmback_mm": "36",
         "samples__picture": "1"}  # fmt: skip


def order_of(shot: str = "TW040", **typed: str) -> Order:
    values = {f"plan.{name.replace('__', '.')}": value for name, value in {**USUAL, **typed}.items()}
    recipe = change(Recipe(), values, scene_unit="m")
    return Order(show="Tidewrack", shots=(shot_order(Planned(recipe, Known("Tidewrack", shot))),))


def rendered(order: Order, folder) -> dict[str, tuple[dict, dict]]:
    """Give every file's header and pixels by the library alone, by its render's name and frame."""
    for _ in obey(order, STAGES, str(folder)):
        pass
    told = {}
    for shot in order.shots:
        for render in shot.renders:
            for number in render.numbers:
                for tile in render.tiles or (None,):
                    path = folder / file_of(order, shot, render, number, tile)
                    file = OpenEXR.File(str(path), separate_channels=True)
                    place = f" {tile.row}{tile.col}" if tile else ""
                    planes = {name: channel.pixels for name, channel in file.channels().items()}
                    told[f"{render.name} {number}{place}"] = file.header(), planes
    return told


def came_of(order: Order, folder, view: str = "", render: str = "main") -> CameView:
    """Tell what came of a render, as the house does of a delivery."""
    shot = order.shots[0]
    one = shot.render_named(render)
    facts = read_facts(str(folder / file_of(order, shot, one, one.numbers[0]))).parts[0]
    return CameView(
        view, frozenset(one.numbers), {}, facts.display_window, facts.data_window, frozenset(one.passes),
        facts.metadata,
    )  # fmt: skip


def told(order: Order, *came: CameView) -> dict[str, object]:
    return {finding.code: finding for finding in held_against(order, order.shots[0], list(came), "TW040")}


def test_overscan_as_ordered_holds_the_plain_render_to_the_last_bit(tmp_path):
    plain = rendered(order_of(), tmp_path / "plain")["main 1001"][1]
    order = order_of(overscan="10 %")
    header, wide = rendered(order, tmp_path / "wide")["main 1001"]
    assert wide["depth.Z"].shape == (60, 106) and tuple(header["dataWindow"][0]) == (-5, -3)
    # Rays of one sample a pixel are the same ones: depth, normals and names are equal bit by bit.
    for name in ("depth.Z", "normal.X", "CryptoObject00.R"):
        assert (wide[name][3:57, 5:101].view(np.uint8) == plain[name].view(np.uint8)).all()
    assert told(order, came_of(order, tmp_path / "wide")) == {}
    render = order.shots[0].renders[0]
    assert render.render_filmback_mm == pytest.approx(36 * 106 / 96)


def test_size_without_camera_and_camera_without_size_are_told_apart(tmp_path):
    order = order_of(overscan="10 %")
    shot = order.shots[0]
    render = shot.renders[0]

    def mistaken(**changed: object) -> Order:
        wrong = render.model_copy(update=changed)
        return order.model_copy(update={"shots": (shot.model_copy(update={"renders": (wrong,)}),)})

    size_only = mistaken(size=(106, 60), window=(0, 0, 105, 59))
    rendered(size_only, tmp_path / "size")
    findings = told(order, came_of(size_only, tmp_path / "size"))
    assert (
        set(findings) == {"order-size-not-camera"}
        and "10.4 % too large" in findings["order-size-not-camera"].what
    )
    camera_only = mistaken(window=(0, 0, 95, 53), filmback_mm=render.render_filmback_mm)
    rendered(camera_only, tmp_path / "camera")
    findings = told(order, came_of(camera_only, tmp_path / "camera"))
    assert set(findings) == {"order-camera-not-size"}
    # A file that forgot its windows, its camera being right, is the render itself.
    forgot = mistaken(size=(106, 60), window=(0, 0, 105, 59), filmback_mm=render.render_filmback_mm)
    right = rendered(forgot, tmp_path / "forgot")["main 1001"][1]["depth.Z"]
    whole = rendered(order, tmp_path / "right")["main 1001"][1]["depth.Z"]
    assert np.isclose(right, whole, rtol=0.05).mean() > 0.9
    findings = told(order, came_of(forgot, tmp_path / "forgot"))
    assert dict(findings["order-windows-lost"].mends[0].values)["framing.arrived"] == "5 3 5 3"


def test_a_trimmed_rim_a_finished_component_and_more_than_was_asked_are_no_fault(tmp_path):
    order = order_of(overscan="10 %", passes="diffuse_direct diffuse_albedo")
    render = order.shots[0].renders[0]
    shown, asked = Window(0, 0, 95, 53), render.data_window
    passes = frozenset(render.passes) - {"diffuse_direct", "diffuse_albedo"} | {"diffuse"}
    came = CameView("", frozenset(render.numbers), {}, shown, asked, passes, {})
    assert told(order, came) == {}, "the finished component is as good as its parts"
    wider = asked._replace(x_min=asked.x_min - 4)
    assert told(order, replace(came, window=wider)) == {}
    trimmed = replace(came, window=asked._replace(y_min=20, x_min=-2))
    assert set(told(order, trimmed)) == {"order-window-trimmed"}
    assert set(told(order, replace(came, window=shown))) == {"order-no-overscan"}
    # A display window that begins elsewhere is the same frame under other numbers.
    moved = replace(came, display=Window(100, 50, 195, 103), window=Window(95, 47, 200, 106))
    assert told(order, moved) == {}


def test_tiles_join_to_the_render_in_one_piece(tmp_path):
    whole = rendered(order_of(overscan="10 %"), tmp_path / "whole")["main 1001"][1]["depth.Z"]
    order = order_of(overscan="10 %", tiles__cells="3x2", last="1001")
    joined = np.full(whole.shape, np.nan, np.float32)
    for header, planes in rendered(order, tmp_path / "tiles").values():
        (left, top), _ = (tuple(int(v) for v in corner) for corner in header["dataWindow"])
        part = planes["depth.Z"]
        joined[top + 3 : top + 3 + part.shape[0], left + 5 : left + 5 + part.shape[1]] = part
    assert (joined.view(np.uint32) == whole.view(np.uint32)).all()
    assert "automatic exposure" in order.shots[0].off


def test_two_eyes_come_with_the_planned_parallax(tmp_path):
    typed = {"rig__on": "yes", "rig__subject": "4 m", "rig__interaxial": "10 cm", "size": "480x270"}
    order = order_of(last="1001", **typed)
    files = rendered(order, tmp_path)
    cameras = {eye: camera_of(came_of(order, tmp_path, render=eye).metadata) for eye in ("left", "right")}
    apart = np.subtract(cameras["right"].position, cameras["left"].position)
    assert np.linalg.norm(apart) == pytest.approx(0.1, abs=1e-5)
    # A point of the left picture, found in the world by its depth, lies where the plan says in the right one.
    depth = files["left 1001"][1]["depth.Z"]
    right = files["right 1001"][1]["depth.Z"]
    focal_px = 32 / 36 * 480
    checked = []
    for row in range(20, 260, 12):
        for col in range(60, 420, 12):
            z = depth[row, col]
            if not np.isfinite(z) or abs(depth[row, col - 2 : col + 3] - z).max() > 0.01:
                continue
            at = col + 0.1 * focal_px * (1 / 4 - 1 / z)
            if 2 <= at < 477:
                checked.append(abs(right[row, round(at)] - z) < 0.02 * z)
    assert len(checked) > 100 and np.mean(checked) > 0.9
    left, other = came_of(order, tmp_path, "left", "left"), came_of(order, tmp_path, "right", "right")
    assert told(order, left, other) == {}
    swapped = told(order, replace(left, metadata=other.metadata), replace(other, metadata=left.metadata))
    assert "order-eyes-swapped" in swapped
    closer = order.shots[0].model_copy(update={"interaxial": 0.065, "convergence": 3.0})
    findings = {f.code for f in held_against(order, closer, [left, other], "TW040")}
    assert findings == {"order-interaxial", "order-convergence"}


def test_all_round_pictures_are_level_at_the_eye_height_and_packed_as_ordered(tmp_path):
    order = order_of("TW050", round__kind="above", round__width="128", round__eye_height_m="1.2", last="1001")
    header, planes = rendered(order, tmp_path)["main 1001"]
    assert planes["depth.Z"].shape == (128, 128)
    view = came_of(order, tmp_path)
    assert attitude(camera_of(view.metadata)) == pytest.approx((0, 0), abs=1e-4)
    assert camera_of(view.metadata).position[1] == pytest.approx(1.2, abs=1e-5)
    assert told(order, view) == {}
    # Straight down, the ground lies one eye height away, whichever eye.
    assert planes["depth.Z"][63, 64] == pytest.approx(1.2, rel=0.02)
    assert planes["depth.Z"][127, 64] == pytest.approx(1.2, rel=0.02)
    tilted = dict(view.metadata)
    turn = np.eye(4)
    turn[1:3, 1:3] = [[np.cos(0.1), -np.sin(0.1)], [np.sin(0.1), np.cos(0.1)]]
    tilted["worldToCamera"] = (np.reshape(view.metadata["worldToCamera"], (4, 4)) @ turn).ravel().tolist()
    finding = told(order, replace(view, metadata=tilted))["order-not-level"]
    assert "5.73" in finding.what


def test_pairs_differ_only_in_what_is_stated(tmp_path):
    order = order_of("TW030", pairs="ground", hides="ground", last="1001", samples__picture="4")
    files = rendered(order, tmp_path)
    alone, ground, clean = (files[f"{name} 1001"][1] for name in ("main", "ground", "clean_ground"))
    assert alone["A"].min() == 0 and alone["A"].max() == 1 and "A" not in ground
    hidden = alone["A"] == 0
    # Away from the object and its shadow, the picture on white is the ground alone.
    close = np.abs(ground["G"] - clean["G"])[hidden] < 0.05
    assert close.mean() > 0.5 and (np.abs(ground["G"] - clean["G"])[~hidden] > 0.05).mean() > 0.5
    one = CameView("", frozenset({1001}), {}, Window(0, 0, 95, 53), Window(0, 0, 95, 53),
                   frozenset({*order.shots[0].renders[0].passes, "ground_picture", "clean_ground"}),
                   came_of(order, tmp_path).metadata)  # fmt: skip
    assert told(order, one) == {}
    matrix = np.array(one.metadata["worldToCamera"]).reshape(4, 4)
    matrix[3, 0] += 0.01
    moved = {**one.metadata, "worldToCamera": matrix.tolist()}
    other = replace(one, name="other", passes=frozenset({"ground_picture"}), metadata=moved)
    first = replace(one, passes=frozenset({*order.shots[0].renders[0].passes, "clean_ground"}))
    assert "order-pair-moved" in told(order, first, other)


def test_a_light_that_is_off_takes_away_what_it_gave(tmp_path):
    order = order_of("TW080", pairs="light", light_off="work_lamp", passes="light_group", last="1001")
    files = rendered(order, tmp_path)
    both, off = files["main 1001"][1], files["beauty_light_off 1001"][1]
    given = both["light_work_lamp.G"].astype(np.float32)
    assert given.mean() > 0.01
    assert np.abs(both["G"] - given - off["G"]).mean() < 0.02 * both["G"].mean()
    # Without the second render, the order is not filled.
    main = came_of(order, tmp_path)
    assert set(told(order, replace(main, passes=main.passes))) == {"order-render-missing"}
    assert told(order, replace(main, passes=main.passes | {"beauty_light_off"})) == {}


def test_an_open_shutter_blurs_light_alone(tmp_path):
    sharp = rendered(order_of(), tmp_path / "sharp")["main 1002"][1]
    order = order_of(shutter__angle="360", samples__shutter="4", samples__warm_up="1")
    blurred = rendered(order, tmp_path / "blurred")["main 1002"][1]
    assert np.isin(blurred["CryptoObject00.R"], np.unique(sharp["CryptoObject00.R"])).all()
    assert (np.abs(blurred["G"] - sharp["G"]) > 0).any()


def test_what_the_renderer_does_not_have_is_refused_before_anything_is_rendered(tmp_path):
    for typed, words in (
        ({"passes": "caustics"}, "no pass caustics"), ({"views": "cam9"}, "no camera cam9"),
        ({"pairs": "shadow", "hides": "lawn"}, "no object lawn"),
        ({"pairs": "light", "light_off": "moon"}, "no light moon"),
    ):  # fmt: skip
        with pytest.raises(SettingError, match=words):
            list(obey(order_of(**typed), STAGES, str(tmp_path)))
    with pytest.raises(SettingError, match="no shot TW777"):
        list(obey(order_of("TW777"), STAGES, str(tmp_path)))
    assert not list(tmp_path.rglob("*.exr"))


def test_what_came_otherwise_is_told_with_just_what_is_asked_for_again(tmp_path):
    order = order_of(last="1010")
    render = order.shots[0].renders[0]
    shown = Window(0, 0, 95, 53)
    came = CameView(
        "", frozenset({*range(1001, 1009), 1020}) - {1004}, {1004: "the file ends early"}, shown, shown,
        frozenset(render.passes) - {"normal"}, {"rate": 25.0, "samples": 1, "pinholeFocalLength": 50.0},
    )  # fmt: skip
    findings = told(order, came)
    assert set(findings) == {
        "order-frames-missing", "order-frames-extra", "order-passes-missing", "order-rate", "order-lens",
    }  # fmt: skip
    missing = findings["order-frames-missing"]
    assert "1004, 1009-1010" in missing.what and "ends early" in missing.why
    asked = dict(missing.mends[0].values)
    assert asked["frames"] == "1004,1009-1010"
    repair = repair_of(
        order,
        [Wanted("TW040", "main", (1004, 1009, 1010, 5000)), Wanted("TW040", "main", (1001,), ("normal",))],
    )
    assert repair.kind == "repair" and repair.shots[0].renders[0].numbers == [1001, 1004, 1009, 1010]
    only = repair_of(order, [Wanted("TW040", "main", (1001, 1002), ("normal",))]).shots[0].renders[0]
    assert only.passes == ("normal",) and only.numbers == [1001, 1002]
    with pytest.raises(SettingError, match="Nothing is asked for again"):
        repair_of(order, [Wanted("TW999", "main", (1001,))])
    assert "order-render-missing" in told(order)


def test_an_order_is_a_document_with_a_schema_a_table_and_its_changes():
    order = order_of(overscan="10 %", rig__on="yes", rig__subject="4 m", tiles__cells="2x2")
    text = written(order)
    assert read_order(text) == order
    Draft202012Validator(schema()).validate(json.loads(text))
    table = list(csv.DictReader(io.StringIO(as_csv(order))))
    assert [row["render"] for row in table] == ["left", "right"] and table[0]["x_min"] == "-5"
    other = order_of(overscan="5 %", rig__on="yes", rig__subject="4 m", last="1003", passes="motion")
    said = changes(order, other)
    assert any("window" in change for change in said) and any("left with motion" in change for change in said)
    assert any("frames 1001-1002 → 1001-1003" in change for change in said) and changes(order, order) == []
    for bad, words in (
        ("{", "no JSON"), ("[]", "no order"), ('{"show": "T", "shots": []}', "no order"),
        (text.replace('"fps": 24.0', '"fps": -1'), "no order"), (text.replace('"size"', '"sizes"', 1), "no "
        "order"),
        (text.replace('"main"', '"../up"').replace('"left"', '"../up"'), "no order"),
        (text.replace('"TW040"', '"../TW040"'), "no order"),
        (text.replace('"form": 1', '"form": 1, "files": "../../{render}.{frame}.exr"'), "stay below"),
        (text.replace('"form": 1', '"form": 1, "files": "{shot.__class__}{render}.{frame}"'), "may hold"),
        (text.replace('"form": 1', '"form": 1, "files": "/tmp/{render}.{frame}.exr"'), "stay below"),
    ):  # fmt: skip
        with pytest.raises(SettingError, match=words):
            read_order(bad)


def test_tiles_that_lost_their_windows_are_laid_as_the_order_says(tmp_path):
    order = order_of(size="192x108", overscan="10 %", tiles__cells="3x2", last="1001")
    render = order.shots[0].renders[0]
    rendered(order, tmp_path)
    for path in tmp_path.rglob("*.exr"):
        file = OpenEXR.File(str(path), separate_channels=True)
        planes = {name: channel.pixels for name, channel in file.channels().items()}
        high, wide = planes["R"].shape
        header = {"dataWindow": (np.array([0, 0], np.int32), np.array([wide - 1, high - 1], np.int32))}
        OpenEXR.File(
            {**header, "displayWindow": header["dataWindow"], "type": OpenEXR.scanlineimage}, planes
        ).write(str(path))
    (named,) = scan(str(tmp_path), roots=[str(tmp_path)]).tiles
    off = replace(named, tiles=tuple(replace(t, window=Window(0, 0, t.window.width - 1, t.window.height - 1))
                                     for t in named.tiles))  # fmt: skip
    laid = as_ordered(off, render)
    assert tuple(laid.data) == render.window and (laid.display.width, laid.display.height) == (192, 108)
    assert {(t.row, t.col): tuple(t.window) for t in laid.tiles} == {
        (t.row, t.col): t.window for t in render.tiles
    }
    assert as_ordered(laid, render) is None, "they lie there already"
    other = order_of(tiles__cells="2x2").shots[0].renders[0]
    assert (
        as_ordered(named, other) is None
        and as_ordered(named, render.model_copy(update={"tiles": ()})) is None
    )
