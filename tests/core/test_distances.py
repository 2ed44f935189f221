"""Depth read for what it is: ray and axis, units, known ends, what half float costs."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from drawstring.core.camera import Camera, Moment, Place, camera_of, directions, moment_of
from drawstring.core.depth import (
    Along,
    Arrived,
    DepthSettings,
    Held,
    LengthUnit,
    Mapping,
    Overshoot,
    WhiteEnd,
    along_of,
    check_known,
    check_making,
    check_range,
    check_reading,
    converted,
    metric,
    normalise,
    tally,
)
from drawstring.core.depth.precision import half_errors
from drawstring.core.depth.reading import distances, lens_of
from drawstring.core.errors import SettingError
from drawstring.core.io.facts import FileFacts, PartFacts, Window
from drawstring.core.passes import Role
from drawstring.standins.renderer import View, render
from drawstring.standins.tidewrack import scenes

W, H = 192, 108
WINDOW = Window(0, 0, W - 1, H - 1)
PLACE = Place(WINDOW, WINDOW)


@pytest.fixture(scope="module")
def yard():
    """A rendered frame with its camera: depth along the axis, and positions."""
    camera = scenes.fog_yard_camera(0.4)
    frame = render(scenes.fog_yard().packed(), camera, View(W, H, samples=1), seed=5)
    said = {
        "worldToCamera": camera.world_to_camera().ravel().tolist(),
        "pinholeFocalLength": camera.focal_mm,
        "sensorOverallDimensions": [camera.filmback_mm, camera.filmback_mm * H / W],
    }
    return frame.planes, camera_of(said), camera


def test_header_cameras_stand_and_look_where_the_renderer_put_them(yard):
    planes, camera, true = yard
    np.testing.assert_allclose(camera.position, true.position, atol=1e-9)
    np.testing.assert_allclose(camera.axes, true.axes() * [[1], [-1], [1]], atol=1e-9)
    # Every ray leads to the point that the renderer met: samples lie anywhere within their pixel.
    z = planes["depth.Z"]
    seen = np.isfinite(z)
    points = np.stack([planes[f"position.{a}"] for a in "XYZ"], axis=-1)[seen]
    away = points - camera.position
    away /= np.linalg.norm(away, axis=-1, keepdims=True)
    apart = np.degrees(np.arccos(np.clip((away * directions(camera, PLACE, z.shape)[seen]).sum(-1), -1, 1)))
    assert apart.max() < 0.75 * np.degrees(36 / 30 / W)


def test_ray_and_axis_are_told_apart_and_turned_into_each_other(yard):
    planes, camera, _ = yard
    z = planes["depth.Z"]
    nothing = ~np.isfinite(z)
    points = tuple(planes[f"position.{a}"] for a in "XYZ")
    ray = np.where(nothing, np.inf, np.linalg.norm(np.stack(points, -1) - camera.position, axis=-1)).astype(
        np.float32
    )
    assert along_of(z, nothing, camera, PLACE, points).along is Along.AXIS
    assert along_of(ray, nothing, camera, PLACE, points).along is Along.RAY
    made = converted(z, camera, PLACE, held=Along.AXIS, wanted=Along.RAY)
    # The sample lies within half a pixel of the middle that is computed with.
    np.testing.assert_allclose(made[~nothing], ray[~nothing], rtol=4e-3)
    there_and_back = converted(made, camera, PLACE, held=Along.RAY, wanted=Along.AXIS)
    np.testing.assert_allclose(there_and_back[~nothing], z[~nothing], rtol=3e-7)
    assert np.isinf(made[nothing]).all()
    # Scattered points agree with neither.
    shuffled = tuple(np.random.default_rng(1).permutation(axis.ravel()).reshape(z.shape) for axis in points)
    assert along_of(z, nothing, camera, PLACE, shuffled).along is None


@pytest.mark.parametrize("held", list(Along))
def test_planes_alone_tell_ray_from_axis(held):
    # A floor and a tilted wall through a wide lens, by their equations: z (a u + b v + c) = d.
    camera = Camera(focal_mm=18, filmback_mm=36)
    from drawstring.core.camera import slopes

    right, down = slopes(camera, PLACE, (H, W))
    floor, wall = 1.6 / np.maximum(down, 0.02), 8 / (1 + 0.3 * right)
    axis = np.where((down > 0.02) & (floor < wall), floor, wall).astype(np.float32)
    z = converted(axis, camera, PLACE, held=Along.AXIS, wanted=held)
    nothing = np.zeros(z.shape, bool)
    found = along_of(z, nothing, camera, PLACE)
    assert found.along is held and found.by == "planes"
    grains = np.random.default_rng(2).gamma(4, 3, z.shape).astype(np.float32)
    assert along_of(grains, nothing, camera, PLACE).along is None, "no plane to be seen"
    assert along_of(z, nothing, Camera(), PLACE).along is None, "no lens, no answer"
    assert along_of(z, nothing, Camera(is_latlong=True), PLACE).along is Along.RAY


def test_a_straight_ahead_wall_is_flat_along_the_axis_and_closed_form_along_the_ray():
    camera = Camera(focal_mm=20, filmback_mm=40)
    place = Place(Window(0, 0, 3, 3), Window(0, 0, 3, 3))
    made = converted(np.full((4, 4), 10, np.float32), camera, place, held=Along.AXIS, wanted=Along.RAY)
    # A right angle across: pixel middles at slopes -3/4, -1/4, 1/4, 3/4 both ways.
    slope = np.array([-0.75, -0.25, 0.25, 0.75])
    np.testing.assert_allclose(made, 10 * np.sqrt(1 + slope[None] ** 2 + slope[:, None] ** 2), rtol=1e-6)


@given(
    z=st.floats(0.5, 500, width=32), near=st.floats(0.1, 10), factor=st.floats(2, 400),
    mapping=st.sampled_from(Mapping), white=st.sampled_from(WhiteEnd),
)  # fmt: skip
def test_a_normalised_pass_with_known_ends_becomes_metric_again(z, near, factor, mapping, white):
    ends = DepthSettings(near=near, far=near * factor, mapping=mapping, white_is=white)
    if not near * 1.001 < z < near * factor * 0.999:
        return
    shares = normalise(np.float32([[z, np.inf]]), ends, nothing=np.array([[False, True]]))
    read = DepthSettings(
        arrived=Arrived(holds=Held.SHARES, near=near, far=near * factor, mapping=mapping, white_is=white)
    )
    back = distances(shares, read, Camera(), Moment())
    # float32 keeps 2^-24 of the range; reciprocal and logarithm spread that over distance.
    bound = (
        2**-23
        * {"linear": near * factor, "reciprocal": z * z / near, "logarithmic": z * np.log(factor)}[mapping]
    )
    assert abs(back[0, 0] - z) <= bound * 2 + z * 1e-6
    assert np.isinf(back[0, 1])


def test_units_are_converted_and_what_is_missing_is_refused_in_words():
    raw = np.float32([[1500, 84000]])
    mm = DepthSettings(arrived=Arrived(unit=LengthUnit.MM))
    np.testing.assert_allclose(
        distances(raw, mm, Camera(), Moment(scene_unit_m=0.3048)), raw / 304.8, rtol=1e-6
    )
    with pytest.raises(SettingError, match="its near end is not known"):
        distances(raw, DepthSettings(arrived=Arrived(holds=Held.SHARES)), Camera(), Moment())
    with pytest.raises(SettingError, match="lens is not known"):
        distances(raw, DepthSettings(arrived=Arrived(along=Along.RAY)), Camera(), Moment())


@pytest.mark.parametrize("mapping", list(Mapping))
def test_what_half_float_costs_is_what_rounding_really_does(mapping):
    settings = DepthSettings(near=2, far=90, mapping=mapping, overshoot=Overshoot.KEEP)
    for told in half_errors(settings):
        # Every value in the 256th of the range around it, stored as half and read back.
        at = normalise(np.float32([[told.distance]]), settings, nothing=np.zeros((1, 1), bool))[0, 0]
        t = np.clip(at + np.linspace(-1, 1, 20001) / 256, 0, 1).astype(np.float32)[None]
        z, stored = metric(t, settings), metric(t.astype(np.float16).astype(np.float32), settings)
        worst = np.abs(stored - z).max()
        assert told.normalised * 0.4 <= worst <= told.normalised * 2.1
        z = (told.distance * (1 + np.linspace(-0.004, 0.004, 20001))).astype(np.float32)
        raw = np.abs(z.astype(np.float16).astype(np.float32) - z).max()
        assert raw <= told.raw * 2.01 and raw >= told.raw * 0.45


def facts(**metadata: object) -> FileFacts:
    part = PartFacts(0, "", "", "scanline", "zip", WINDOW, WINDOW, 1.0, (), dict(metadata))
    return FileFacts("/somewhere.exr", 1, 1, (part,))


def test_a_moment_knows_each_files_own_camera():
    left = facts(pinholeFocalLength=35.0, sensorOverallDimensions=[36.0, 20.0])
    right = facts(pinholeFocalLength=50.0, sensorOverallDimensions=[36.0, 20.0], envmap="ENVMAP_LATLONG")
    at = moment_of({0: left, 1: right}, frame=7, window=WINDOW, scene_unit="cm")
    assert (at.camera(0).focal_mm, at.camera(1).focal_mm, at.scene_unit_m) == (35, 50, 0.01)
    assert at.camera(1).is_latlong and at.camera(5).focal_mm == 35
    for broken in ([1.0] * 16, [float("nan")] * 16, [1.0, 2.0], "none"):
        assert camera_of({"worldToCamera": broken}).position is None


def test_wrong_readings_are_found_with_the_press_that_mends_them():
    z = np.float32([[2000, 2500], [9000, np.inf]])
    measured = tally(z)
    told = dict(said_unit="mm", looks_normalised=False, unit="m", where="depth")
    found = check_reading(measured, DepthSettings(), along={"is": "ray", "by": "position"}, **told)
    assert {f.code: f.mends[0].values for f in found} == {
        "depth-unit-said": (("depth.arrived.unit", "mm"),),
        "depth-other-line": (("depth.arrived.along", "ray"),),
    }
    unsure = check_reading(
        measured, DepthSettings(), along={"is": None, "by": "planes"}, **(told | {"said_unit": "m"})
    )
    assert [f.code for f in unsure] == ["depth-line-unsure"]
    ways = tally(np.float32([[1, 2, np.inf, 1e10]]))
    assert (
        "2 ways: 1 pixels as infinity, 1 pixels as a huge number"
        in check_reading(ways, DepthSettings(), along=None, **(told | {"said_unit": ""}))[0].what
    )
    shares = tally(np.float32([[0.2, 0.9]]))
    (found,) = check_reading(shares, DepthSettings(), along=None, **(told | {"looks_normalised": True}))
    assert found.code == "depth-normalised"
    read = DepthSettings(arrived=Arrived(holds=Held.SHARES))
    assert [f.code for f in check_known(read, Camera(), "depth")] == ["depth-ends-unknown"]
    assert not check_reading(shares, read, along=None, **told)
    turned = DepthSettings(arrived=Arrived(along=Along.RAY))
    assert "depth-lens-unknown" in [f.code for f in check_known(turned, Camera(), "depth")]


@pytest.mark.parametrize(
    ("near", "far", "said", "mended"),
    [
        (2000, 9000, "Near and far look like mm", (("depth.near", "2"), ("depth.far", "9"))),
        (200, 900, "Near and far look like cm", (("depth.near", "2"), ("depth.far", "9"))),
        (0.002, 0.009, "or the pass looks like mm", (("depth.near", "2"), ("depth.far", "9"))),
    ],
)
def test_a_range_in_another_unit_is_recognised_by_what_would_fit(near, far, said, mended):
    found = check_range(
        tally(np.float32([[2, 9]])), DepthSettings(near=near, far=far), unit="m", where="depth"
    )
    assert found[0].code == "range-misses-all" and said in found[0].what
    assert found[0].mends[0].values == mended


def test_mists_and_focus_say_beforehand_what_they_lack():
    from drawstring.core.recipe import Recipe, change

    names = {
        "depth.mist.add": "veil", "depth.mist.1.start": "95", "depth.mist.1.base": "2",
        "depth.mist.1.clear_names": "buoy, lamp", "depth.mist.1.strength@2000": "0.5",
        "depth.focus.on": "yes",
    }  # fmt: skip
    settings = change(Recipe(), names, scene_unit="m").depth
    told = dict(
        tally=tally(np.float32([[2, 90]])), frames=(1001, 1024), scene_unit_m=1.0, unit="m", where="x"
    )
    bare = check_making(settings, roles=set(), camera=Camera(), names=[], without_matte=[], **told)
    assert [f.code for f in bare] == [
        "making-no-beauty", "mist-no-height", "mist-beyond-all", "matte-missing", "keys-outside",
        "focus-lens-unknown",
    ]  # fmt: skip
    assert "1 of 1 keys lie outside the frames 1001 to 1024 (2000)" in bare[4].what
    roles = {Role.BEAUTY, Role.POSITION, Role.OBJECT_MATTE}
    camera = Camera(focal_mm=35, filmback_mm=36)
    some = check_making(settings, roles=roles, camera=camera, names=["buoy"], without_matte=[1003], **told)
    assert [f.code for f in some] == ["mist-beyond-all", "matte-missing", "matte-missing", "keys-outside"]
    assert "lamp, to be left clear by veil, is no object" in some[1].what and some[2].frame == 1003
    near = change(Recipe(), {"depth.focus.on": "yes", "depth.focus.distance": "20 mm"}, scene_unit="m").depth
    (within,) = check_making(near, roles=roles, camera=camera, names=[], without_matte=[], **told)
    assert within.code == "focus-within-lens"
    given = change(Recipe(), {"depth.mist.add": "", "depth.mist.1.source": "mist pass"}, scene_unit="m").depth
    assert (
        check_making(given, roles=roles, camera=camera, names=[], without_matte=[], **told)[0].code
        == "mist-no-pass"
    )


def test_points_alone_tell_ray_from_axis_and_the_lens():
    """No camera in any header: a room of balls and walls seen by a turned camera, points in half."""
    from drawstring.core.camera import slopes

    camera = Camera(focal_mm=28, filmback_mm=36)
    right, down = (np.broadcast_to(axis, (H, W)) for axis in slopes(camera, PLACE, (H, W)))
    axis = np.minimum(6 + 2 * np.sin(5 * right) * np.cos(4 * down), 1.5 / np.maximum(down, 0.05)).astype(
        np.float32
    )
    local = np.stack([right * axis, down * axis, axis], axis=-1)
    turn = np.linalg.qr(np.random.default_rng(3).normal(size=(3, 3)))[0]
    world = local @ turn.T * 100 + [500, -20, 70]  # in another unit, too
    nothing = np.zeros((H, W), bool)
    for points, slack in ((world.astype(np.float32), 1e-3), (world.astype(np.float16), 2e-2)):
        position = tuple(np.float32(points[..., i]) for i in range(3))
        for held in Along:
            z = converted(axis, camera, PLACE, held=Along.AXIS, wanted=held)
            told = along_of(z, nothing, Camera(), PLACE, position)
            assert (told.along, told.by) == (held, "points")
            assert told.focal_share == pytest.approx(28 / 36, rel=slack)
    flat = tuple(np.full((H, W), 3, np.float32) for _ in range(3))
    assert along_of(axis, nothing, Camera(), PLACE, flat).along is None
    turned = DepthSettings(arrived=Arrived(along=Along.RAY))
    (told,) = check_known(turned, Camera(), "depth", focal_share=28 / 36)
    assert told.mends[0].values == (("depth.arrived.focal_mm", "28"), ("depth.arrived.filmback_mm", "36"))
    assert lens_of(turned.arrived.model_copy(update={"focal_mm": 28, "filmback_mm": 36}), Camera()).has_lens


def test_two_depth_passes_side_by_side_tell_which_is_which():
    camera = Camera(focal_mm=24, filmback_mm=36)
    rng = np.random.default_rng(8)
    axis = rng.uniform(2, 60, (H, W)).astype(np.float32)
    ray = converted(axis, camera, PLACE, held=Along.AXIS, wanted=Along.RAY)
    nothing = rng.random((H, W)) < 0.1
    for z, twin, along in ((axis, ray, Along.AXIS), (ray, axis, Along.RAY)):
        told = along_of(z, nothing, Camera(), PLACE, None, twin)
        assert (told.along, told.by) == (along, "twin")
        assert told.focal_share == pytest.approx(24 / 36, rel=1e-4)
    for other in (axis, axis / 60, rng.permutation(axis.ravel()).reshape(H, W)):
        assert along_of(axis, nothing, Camera(), PLACE, None, other).along is None
