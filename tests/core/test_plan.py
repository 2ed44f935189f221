"""The plan's sums against their closed forms, what follows from them, and the list of passes."""

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from drawstring.core.errors import SettingError
from drawstring.core.findings import Severity
from drawstring.core.io.facts import Window
from drawstring.core.orders.making import shot_order
from drawstring.core.plan.checks import check_plan
from drawstring.core.plan.known import Known, Least, PassBytes
from drawstring.core.plan.lens_sums import sharp_range, shutter_of
from drawstring.core.plan.overscan import Overscan, overscan_of, read_overscan
from drawstring.core.plan.planned import Planned
from drawstring.core.plan.rigs import plan_rig
from drawstring.core.plan.settings import read_paper
from drawstring.core.plan.sums import night_of, print_size
from drawstring.core.plan.tiling import tiling_of
from drawstring.core.recipe import Recipe, change
from drawstring.core.recipe.difference import with_knots_of


def planned(known: Known | None = None, **typed: object) -> Planned:
    values = {f"plan.{name.replace('__', '.')}": value for name, value in typed.items()}
    return Planned(change(Recipe(), values, scene_unit="m"), known or Known("Tidewrack", "TW040"))


def codes(plan: Planned) -> set[str]:
    return {finding.code for finding in check_plan(plan, "TW040")}


@pytest.mark.parametrize(
    ("typed", "render", "film"),
    [
        ("10 %", (2112, 1188), 1.1), ("5 %", (2016, 1134), 1.05), ("5 % a side", (2112, 1188), 1.1),
        ("96 54", (2112, 1188), 1.1), ("96 54 96 54 px", (2112, 1188), 1.1), ("x1.1", (2112, 1188), 1.1),
        ("2112x1188", (2112, 1188), 1.1), ("39.6 mm", (2112, 1188), 1.1), ("39,6 mm", (2112, 1188), 1.1),
        ("0 %", (1920, 1080), 1.0),
    ],
)  # fmt: skip
def test_overscan_comes_to_the_same_however_it_is_typed(typed, render, film):
    told = overscan_of(read_overscan(typed, ""), (1920, 1080), focal_mm=36, filmback_mm=36)
    assert told.render == render and told.factor == pytest.approx((film, film))
    assert (told.window.width, told.window.height) == render and told.middle == (0, 0)
    # The film sees as much more as there are more pixels: what is on a pixel stays as large as it was.
    field = told.field(36, 36)
    assert math.tan(math.radians(field) / 2) == pytest.approx(0.5 * film)
    back = overscan_of(f"{field:.12f}°", (1920, 1080), focal_mm=36, filmback_mm=36)
    assert back.render[0] == pytest.approx(render[0], abs=2)


@given(st.floats(0, 90), st.integers(1, 5000), st.integers(1, 5000))
def test_overscan_never_moves_the_picture_and_is_never_less_than_asked(percent, width, height):
    told = overscan_of(f"{percent:.4f} %", (width, height))
    assert told.left == told.right and told.top == told.bottom
    assert told.percent[0] >= percent - 1e-3 and told.left <= percent / 200 * width + 1.001


@pytest.mark.parametrize("typed", ["ten", "-5 %", "1 2 3", "99999999 px", "x", "10 %%", "nan", "1e9 %"])
def test_what_is_no_overscan_is_refused(typed):
    with pytest.raises(SettingError, match="is no overscan"):
        read_overscan(typed, "plan.overscan")


@pytest.mark.parametrize("typed", ["960x540", "x0.5", "20 mm", "1919x1080"])
def test_a_render_smaller_than_the_delivery_stops_the_plan(typed):
    plan = planned(overscan=typed, size="1920x1080", focal_mm="35", filmback_mm="36")
    (finding,) = check_plan(plan, "TW040")
    assert finding.code == "plan-impossible" and finding.severity is Severity.STOPS


@given(st.integers(1, 8), st.integers(1, 8), st.floats(0, 0.5), st.integers(64, 13000), st.integers(64, 7000))
def test_tiles_cover_the_window_and_overlap_by_as_much_as_was_asked(cols, rows, overlap, width, height):
    window = Window(-30, 12, width - 31, height + 11)
    tiling = tiling_of(window, cols, rows, overlap)
    covered = np.zeros((rows, cols))
    for (row, col), tile in tiling.windows:
        covered[row, col] += 1
        assert tile.x_min >= window.x_min and tile.x_max <= window.x_max and tile.width > 0
    places = dict(tiling.windows)
    assert (covered == 1).all()
    assert places[0, 0].x_min == window.x_min and places[rows - 1, cols - 1].x_max == window.x_max
    for col in range(cols - 1):
        shared = places[0, col].x_max - places[0, col + 1].x_min + 1
        assert shared == tiling.overlap[0] and shared >= overlap * places[0, col].width - 1.5


def test_a_rig_follows_from_the_subject_and_its_parallax_from_geometry():
    rig = plan_rig(
        subject=4, nearest=2, farthest=40, ratio=30, interaxial=None, convergence=None, focal_mm=32,
        filmback_mm=36, width=1920, screen_m=1.2, viewer_m=2.5,
    )  # fmt: skip
    assert rig.told.interaxial == pytest.approx(2 / 30) and rig.told.at_subject == 0
    # Two pin-holes b apart, each film shifted so that the screen lies at 4: where each sees a point at z.
    focal_px = 32 / 36 * 1920
    for z, told in ((2, rig.told.at_near), (40, rig.told.at_far)):
        b = rig.told.interaxial
        left, right = focal_px * (b / 2 / z - b / 2 / 4), focal_px * (-b / 2 / z + b / 2 / 4)
        assert told == pytest.approx(right - left)
    assert rig.shares[0] == pytest.approx(100 * rig.told.at_near / 1920)
    wider = plan_rig(
        subject=4, nearest=2, farthest=40, ratio=30, interaxial=rig.largest_interaxial, convergence=None,
        focal_mm=32, filmback_mm=36, width=1920, screen_m=1.2, viewer_m=2.5,
    )  # fmt: skip
    near, _, far = wider.shares
    assert near == pytest.approx(wider.limits.near) or far == pytest.approx(wider.limits.far)
    assert wider.is_comfortable or min(near - wider.limits.near, wider.limits.far - far) > -1e-9


def test_the_sharp_range_is_where_the_circle_of_a_thin_lens_reaches_the_limit():
    focal, stop, focus, film, width = 50.0, 2.8, 3.0, 36.0, 1920
    told = sharp_range(focal, stop, focus, film, width, blur_px=2)
    for z in (told.near_m * 1000, told.far_m * 1000):
        s = focus * 1000
        circle = focal / stop * focal * abs(z - s) / (z * (s - focal))
        assert circle == pytest.approx(2 * film / width, rel=1e-9)
    assert math.isinf(sharp_range(focal, stop, told.hyperfocal_m * 1.001, film, width).far_m)
    with pytest.raises(SettingError, match="within the focal length"):
        sharp_range(50, 2.8, 0.05, film, width)


def test_paper_shutter_and_night():
    assert print_size(*read_paper("A4", ""), 300) == (3508, 2481)
    assert read_paper("A3 upright", "") == (297, 420) and read_paper("100 x 50,5 mm", "") == (100, 50.5)
    for odd in ("B9", "0x5", "10", "-1x4"):
        with pytest.raises(SettingError, match="is no paper"):
            read_paper(odd, "")
    assert shutter_of(180) == (-0.25, 0.25) and shutter_of(360, 0.5) == (0, 1)
    # 100 frames on 8 machines: the busiest renders 13, and 2 to warm up.
    assert night_of(60, 100, 8, 1e6, warm_up=2).hours == pytest.approx(15 / 60)
    assert night_of(60, 0, 8, 1e6, warm_up=2).hours == 0


def test_values_come_from_what_is_known_and_say_so():
    known = Known("Tidewrack", "TW040", came="v002", size=(960, 540), size_from="as v002 came", focal_mm=32,
                  filmback_mm=36, first=1001, last=1012, near=2.5, far=60, version=2)  # fmt: skip
    plan = planned(known)
    assert plan.size == (960, 540) and plan.source("size") == "as v002 came" and plan.count == 12
    assert plan.reach is not None and (plan.reach.near, plan.reach.far) == (2.375, 63)
    typed = planned(known, size="1920x1080", before="8", after="4", near="4 m", told_in="cm")
    assert typed.source("size") == "typed" and typed.frames == (993, 1016)
    assert typed.reach is not None and typed.told(typed.reach.near) == pytest.approx(380)
    assert planned().source("size") == "assumed" and "plan-incomplete" in codes(planned())


def test_supersampling_keeps_whole_windows_and_its_cost_is_told():
    plan = planned(size="960x540", overscan="10 %", samples__larger="2")
    assert plan.display == (1920, 1080)
    assert plan.window == Window(-96, -54, 2015, 1133)


@pytest.mark.parametrize(
    ("typed", "code"),
    [
        ({"clip_far": "2 m", "near": "3 m", "far": "9 m"}, "plan-clip-hides"),
        ({"clip_near": "4 m", "near": "3 m", "far": "9 m"}, "plan-clip-hides"),
        ({"near": "300 m", "far": "900 m"}, "plan-unit"),
        ({"tiles__cells": "2x2", "tiles__overlap": "0"}, "plan-tiles-overlap"),
        ({"shutter__angle": "180"}, "plan-samples-mixed"),
        ({"samples__shutter": "16"}, "plan-samples-mixed"),
        ({"round__kind": "mono", "shutter__stop": "2.8", "shutter__focus": "3"}, "plan-round-blur"),
        ({"round__kind": "beside", "tiles__cells": "2x2"}, "plan-tiles-packed"),
        ({"night__frame_s": "600", "night__hours": "1", "first": "1", "last": "96"}, "plan-night-long"),
        ({"night__frame_s": "6", "night__disk_gb": "0.01", "first": "1", "last": "96"}, "plan-disk-full"),
        ({"size": "961x540"}, "plan-odd-size"),
        ({"rig__on": "yes", "rig__subject": "1 m", "rig__interaxial": "0.5 m"}, "plan-parallax"),
        ({"pairs": "light"}, "plan-incomplete"),
    ],
)
def test_what_can_not_be_meant_is_said_before_the_night(typed, code):
    known = Known("Tidewrack", "TW040", size=(1920, 1080), first=1001, last=1024, near=3, far=9, came="v001")
    assert code in codes(planned(known, **typed))
    assert codes(planned(known)) == set()


def test_the_least_overscan_of_framing_is_asked_for_by_a_press():
    least = Least(Overscan((960, 540), 40, 30, 40, 30), "the lens")
    known = Known("Tidewrack", "TW060", size=(960, 540), first=1, last=2, least=(least,))
    (finding,) = [f for f in check_plan(planned(known, overscan="5 %"), "TW060") if "lacks" in f.code]
    assert "16 px left" in finding.what and "for the lens" in finding.what
    pressed = dict(finding.mends[0].values)["plan.overscan"]
    assert codes(planned(known, overscan=pressed)) == set()


@pytest.mark.parametrize(
    ("typed", "refused"),
    [
        ({"plan.first": "20", "plan.last": "10"}, "plan.last"), ({"plan.near": "5", "plan.far": "2"},
        "plan.far"),
        ({"plan.first": "0", "plan.last": "99999999"}, "plan.last"), ({"plan.views": "cam/1"}, "plan.views"),
        ({"plan.samples.picture": "0"}, "plan.samples.picture"), ({"plan.near": "-3"}, "plan.near"),
        ({"plan.size": "0x1080"}, "plan.size"), ({"plan.passes": "de pth/.."}, "plan.passes"),
    ],
)  # fmt: skip
def test_bad_values_are_refused_where_they_are_typed(typed, refused):
    with pytest.raises(SettingError) as told:
        change(Recipe(), typed, scene_unit="m")
    assert told.value.where == refused


def test_the_pass_list_says_what_is_needed_and_why_and_what_nobody_uses():
    typed = {
        "depth.near": "2 m", "depth.far": "60 m", "depth.mist.add": "ground mist", "depth.mist.1.base": "0.3 "
        "m",
        "alpha.mattes.add": "chain", "alpha.mattes.1.names": "chain", "alpha.shadow.on": "yes",
        "plan.pairs": "ground", "plan.passes": "motion", "plan.without": "normal",
    }  # fmt: skip
    recipe = Recipe()
    for name, value in typed.items():
        recipe = change(recipe, {name: value}, scene_unit="m")
    weighed = {"depth": PassBytes("depth", 32, 0.5), "beauty": PassBytes("beauty", 64, 0.7)}
    known = Known("Tidewrack", "TW030", passes=("beauty", "depth", "occlusion"), bytes_of=weighed)
    told = {line.name: line for line in Planned(recipe, known).asked}
    assert told["depth"].standing == "needed" and "ground mist" in "; ".join(told["depth"].why)
    assert told["position"].standing == "needed" and told["object_matte"].standing == "needed"
    assert "object alone, and object on white" in "; ".join(told["ground_picture"].why)
    assert told["clean_ground"].is_own_render and told["motion"].standing == "extra"
    assert not told["normal"].is_ordered and told["occlusion"].standing == "unused"
    # Measured passes weigh what they weighed, the others as those did on average.
    plan = Planned(recipe, known)
    bits = 32 * 0.5 + 64 * 0.7 + 0.6 * sum(
        line.bits for line in plan.asked
        if line.is_ordered and not line.is_own_render and not line.is_measured
    )  # fmt: skip
    assert plan.frame_bytes == pytest.approx(bits / 8 * plan.window.width * plan.window.height, rel=1e-6)


def test_a_plan_is_taken_over_from_another_shot_but_for_its_frames():
    mine = change(Recipe(), {"plan.first": "1", "plan.last": "9", "plan.size": "96x54"}, scene_unit="m")
    theirs = change(Recipe(), {"plan.first": "5", "plan.last": "20", "plan.overscan": "10 %"}, scene_unit="m")
    taken = with_knots_of(mine, theirs, ["plan"]).plan
    assert (taken.first, taken.last, taken.overscan, taken.size) == (1, 9, "10 %", None)


def test_views_and_eyes_that_came_are_asked_for_again_as_they_stood():
    known = Known("Tidewrack", "TW040", size=(960, 540), first=1, last=2, focal_mm=32, filmback_mm=36,
                  views=("left", "right"), eyes=(0.065, 4.2), came="v001")  # fmt: skip
    order = shot_order(planned(known, told_in="cm"))
    assert [(one.name, one.eye, one.camera) for one in order.renders] == [("left", -1, ""), ("right", 1, "")]
    assert (order.interaxial, order.convergence) == pytest.approx((6.5, 420))
    several = shot_order(planned(replace(known, views=("cam1", "cam2", "cam3"), eyes=None)))
    assert [(one.view, one.camera) for one in several.renders] == [(f"cam{i}", f"cam{i}") for i in (1, 2, 3)]
    round_came = Known("Tidewrack", "TW050", size=(1920, 960), first=1, last=2, is_round=True, came="v001")
    (finding,) = check_plan(planned(round_came), "TW050")
    pressed = {
        name.removeprefix("plan.").replace(".", "__"): value for name, value in finding.mends[0].values
    }
    assert finding.code == "plan-round-came" and planned(round_came, **pressed).size == (1920, 960)
