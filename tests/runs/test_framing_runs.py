"""A shot in another frame, from source to proven file: windows, camera, values, both eyes."""

import json
import os

import numpy as np
import OpenEXR
import pytest
from makers import carry_out_here, validate_manifest
from PIL import Image
from test_eye_forms import planes_of

from drawstring.core.arrivals import scan
from drawstring.core.recipe import plan_outputs
from drawstring.runs.checking import check_package
from drawstring.runs.planning import plan_of, plan_run
from drawstring.store import deliveries, recipes, shows
from drawstring.store.standing import standing


@pytest.fixture
def packed(sessions, sources, tmp_path):
    """Accept a shot of the demo show, settle what is typed, run it; give folder, manifest and frames."""

    def pack(code: str, found, **typed: str):
        with sessions.begin() as session:
            show = session.query(shows.Show).first() or shows.make_show(session, "Tidewrack")
            shot = shows.make_shot(session, show, code)
            deliveries.accept(session, shot, found)
            values = {name.replace("__", "."): value for name, value in typed.items()}
            knots = dict.fromkeys(name.partition(".")[0] for name in values)
            for name, value in values.items():
                recipes.set_values(session, shot, {name: value})
            for knot in knots:
                recipes.settle(session, shot, knot)
            stops = [finding.what for finding in standing(session, shot).stops]
            assert not stops, stops
            run = plan_run(session, shot, output=str(tmp_path / "out"))
            carry_out_here(session, run)
            assert run.package.state == "proven", [frame.fault for frame in run.frames]
            assert check_package(run.folder).is_proven
            outputs = plan_outputs(plan_of(run).passes, plan_of(run).recipe, settled_only=True)
            assert outputs.channels
            with open(os.path.join(run.folder, "manifest.json"), encoding="utf-8") as file:
                manifest = json.load(file)
            validate_manifest(run.folder)
            return run.folder, manifest, [frame.file_name for frame in run.frames]

    return pack


def header_of(path: str) -> dict:
    with OpenEXR.File(path, header_only=True) as file:
        return dict(file.header())


def off_by(path: str) -> float:
    """Project a file's points through the camera and windows its header tells; pixels off, by median."""
    planes, said = planes_of(path), header_of(path)
    points = np.stack([planes[f"position.{axis}"].astype(np.float64) for axis in "XYZ"], axis=-1)
    solid = np.isfinite(points).all(axis=-1) & points.any(axis=-1) & (np.abs(points).max(axis=-1) < 1e4)
    (left, top), (right, bottom) = said["displayWindow"]
    origin = said["dataWindow"][0]
    matrix = np.asarray(said["worldToCamera"], np.float64).reshape(4, 4)
    seen = np.c_[points[solid], np.ones(solid.sum())] @ matrix
    film, middle = said["sensorOverallDimensions"], said.get("screenWindowCenter", (0.0, 0.0))
    wide = right - left + 1
    per = wide * said["pinholeFocalLength"] / film[0]
    x = left + wide / 2 + (seen[:, 0] / -seen[:, 2] - middle[0]) * per
    y = top + (bottom - top + 1) / 2 - (seen[:, 1] / -seen[:, 2] - middle[1]) * per
    rows, cols = np.nonzero(solid)
    apart = np.hypot(x - (cols + origin[0] + 0.5), y - (rows + origin[1] + 0.5))
    return float(np.median(apart))


def test_a_smaller_frame_is_pillows_and_its_camera_sees_its_points(packed, candidate, report):
    folder, manifest, names = packed(
        "TW010", candidate, framing__needed="yes", framing__size="96x54", framing__light="cubic",
        framing__held="no", arrivals__last="1012",
    )  # fmt: skip
    path = os.path.join(folder, names[0])
    assert manifest["display_window"] == [0, 0, 95, 53]
    source = planes_of(next(f.path for f in report.frames if f"{f.number:04d}" in names[0]))
    made = planes_of(path)
    for letter in "RGBA":
        whole = Image.fromarray(np.asarray(source[letter], np.float32))
        meant = np.asarray(whole.resize((96, 54), Image.Resampling.BICUBIC))
        np.testing.assert_allclose(made[letter], meant, rtol=2e-3, atol=1e-4)
    assert set(np.unique(made["depth.Z"])) <= set(np.unique(source["depth.Z"]))
    # The nearest pixel lies aside by up to half of one that came, in either direction.
    assert off_by(path) < 0.7
    assert "lanczos" not in str(header_of(path)) and header_of(path)["drawstring.framing.light"] == "cubic"


def test_moved_turned_and_enlarged_the_header_still_tells_the_truth(packed, candidate):
    folder, _, names = packed(
        "TW010", candidate, **{
            "framing.needed": "yes", "framing.size": "200x120", "framing.fit": "fill",
            "framing.whole.right": "12", "framing.whole.down": "-7", "framing.whole.scale": "130",
            "framing.whole.turn": "8", "framing.whole.down@1012": "3", "arrivals.last": "1012",
        },
    )  # fmt: skip
    for name in names:
        path = os.path.join(folder, name)
        assert off_by(path) < 0.8, name
        said = header_of(path)
        assert said["displayWindow"][1].tolist() == [199, 119]
        # What lies outside the frame is kept.
        assert said["dataWindow"][0][0] < 0 and said["dataWindow"][1][0] > 199
    cut, _, names = packed(
        "TW011", candidate, **{
            "framing.needed": "yes", "framing.size": "200x120", "framing.fit": "fill",
            "pack.reach": "the frame", "framing.whole.scale": "130", "arrivals.last": "1010",
            "framing.ratio": "2.39", "framing.burned": "yes", "pack.beauty": "beside",
            "depth.needed": "no", "alpha.needed": "no",
        },
    )  # fmt: skip
    said = header_of(os.path.join(cut, names[0]))
    assert np.array_equal(said["dataWindow"], said["displayWindow"])
    picture = planes_of(os.path.join(cut, names[0]))
    seen = picture["picture.R"]
    bars = round(120 - 200 / 2.39 / 2 * 2) // 2
    assert seen.shape == (120, 200) and not seen[: bars - 1].any() and not seen[-bars + 1 :].any()
    assert seen[bars + 1 : -bars - 1].any(axis=1).all() and (picture["picture.A"][:bars] == 1).all()
    assert picture["R"][: bars - 1].any(), "passes keep what lies under the bars"


def test_both_eyes_and_their_forms_go_out_in_the_frame(packed, sources):
    found = scan(str(sources / "tidewrack" / "TW040"), roots=[str(sources)]).candidates[0]
    folder, manifest, names = packed(
        "TW040", found, **{
            "eyes.needed": "yes", "eyes.came": "two views", "eyes.shift": "6",
            "eyes.deliver": "side by side, half; anaglyph; eyes apart", "framing.needed": "yes",
            "framing.size": "96x54", "framing.whole.scale": "110", "arrivals.last": "1001",
            "depth.needed": "no", "alpha.needed": "no",
        },
    )  # fmt: skip
    assert manifest["display_window"] == [0, 0, 95, 53]
    beside = [os.path.join(folder, one["file"]) for one in manifest["frames"][0]["proof"]["beside"]]
    sizes = {}
    for path in beside:
        if path.endswith(".exr"):
            (left, top), (right, bottom) = header_of(path)["displayWindow"]
            sizes[os.path.basename(path)] = right - left + 1, bottom - top + 1
        else:
            sizes[os.path.basename(path)] = Image.open(path).size
    assert len(sizes) == 4 and set(sizes.values()) == {(96, 54)}, sizes
    eyes = sorted(path for path in beside if "eye" in os.path.basename(path) or "/eye" in path)
    assert len(eyes) == 2
    for path in eyes:
        assert off_by(path) < 0.9, path


def test_all_views_go_out_in_one_picture(packed, sources):
    root = sources / "tidewrack" / "TW070"
    found = scan(str(root), roots=[str(sources)]).candidates[0]
    assert sorted(found.views) == ["cam1", "cam2", "cam3", "cam4"]
    folder, manifest, _ = packed(
        "TW070", found, **{
            "framing.needed": "yes", "framing.grid.cells": "2x2", "framing.grid.labels": "no",
            "framing.grid.gutter": "4", "arrivals.last": "1001", "depth.needed": "no", "alpha.needed": "no",
        },
    )  # fmt: skip
    (beside,) = (one["file"] for one in manifest["frames"][0]["proof"]["beside"])
    assert "views_grid" in beside
    made = planes_of(os.path.join(folder, beside))
    assert made["R"].shape == (108, 192) and (made["A"] == 1).all()
    for place in range(4):
        whole = planes_of(root / "v001" / f"TW070_cam{place + 1}_v001.1001.exr")
        top, left = 4 + place // 2 * 52, 4 + place % 2 * 94
        for letter in "RGB":
            picture = Image.fromarray(np.asarray(whole[letter], np.float32))
            # As high as the cell, as wide as its shape makes it, in the middle.
            wide = round(192 * 48 / 108)
            meant = np.asarray(picture.resize((wide, 48), Image.Resampling.BOX))
            aside = left + (90 - wide) // 2
            ours = made[letter][top : top + 48, aside : aside + wide].astype(np.float32)
            assert abs(ours.mean() / meant.mean() - 1) < 0.02
            assert np.corrcoef(ours.ravel(), meant.ravel())[0, 1] > 0.97, (place, letter)
