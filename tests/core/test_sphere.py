"""All-round pictures: turns against closed forms and back, flat views against a render, faults put in."""

from dataclasses import replace

import numpy as np
import pytest

from drawstring.core.eyes.sphere import check_sphere, flat_view, turn_of, turned
from drawstring.standins.renderer import LATLONG, View, render
from drawstring.standins.tidewrack import scenes

W, H = 512, 256
LON = ((np.arange(W) + 0.5) / W - 0.5) * 2 * np.pi
LAT = (0.5 - (np.arange(H) + 0.5) / H) * np.pi
# Right, down, forward of every pixel.
WAY = np.stack(
    np.broadcast_arrays(
        np.sin(LON) * np.cos(LAT)[:, None], -np.sin(LAT)[:, None], np.cos(LON) * np.cos(LAT)[:, None]
    ),
    -1,
)


def smooth(way: np.ndarray) -> np.ndarray:
    """A picture that is smooth on the sphere, as a function of direction."""
    x, y, z = np.moveaxis(way, -1, 0)
    return (0.5 + 0.2 * np.sin(5 * x + 1) * np.cos(4 * y) + 0.2 * z * x * y + 0.1 * np.cos(6 * z)).astype(
        np.float32
    )


@pytest.mark.parametrize("turn", [(30.3, 0, 0), (0, 17.7, 0), (0, 0, 8.2), (140, -33, 12)])
def test_a_turned_picture_is_the_function_of_the_turned_direction_and_turns_back(turn):
    picture, matrix = smooth(WAY), turn_of(*turn)
    made = turned(W, H, matrix, threads=2).light(picture, threads=2)
    assert np.abs(made - smooth(WAY @ matrix.T)).max() < 2e-3
    back = turned(W, H, matrix.T).light(made)
    assert -10 * np.log10(np.mean((back - picture) ** 2, dtype=np.float64)) > 45
    names = np.arange(W * H, dtype=np.uint32).reshape(H, W)
    taken = turned(W, H, matrix).exact(names)
    assert taken.dtype == np.uint32
    angle = np.arccos(np.clip((WAY.reshape(-1, 3)[taken] * (WAY @ matrix.T)).sum(-1), -1, 1))
    assert np.degrees(angle).max() < 0.72 * np.hypot(360 / W, 180 / H)


def test_yaw_by_whole_pixels_moves_columns_to_the_last_bit():
    picture = np.random.default_rng(1).random((H, W)).astype(np.float32)
    made = turned(W, H, turn_of(90)).light(picture)
    assert np.allclose(made, np.roll(picture, -W // 4, axis=1), atol=1e-6)


@pytest.fixture(scope="module")
def yard():
    camera = scenes.round_the_yard_camera(0.3)
    packed = scenes.bell_yard().packed()
    return camera, packed, render(packed, camera, View(1024, 512, projection=LATLONG, samples=2), seed=1)


def test_a_flat_view_is_what_a_flat_camera_sees_there(yard):
    camera, packed, all_round = yard
    yaw, pitch, field = 25.0, -8.0, 70.0
    a, b = np.radians(yaw), np.radians(pitch)
    x, y, z = camera.position
    ahead = (x + np.sin(a) * np.cos(b), y + np.sin(b), z - np.cos(a) * np.cos(b))
    flat = replace(camera, target=ahead, focal_mm=18 / np.tan(np.radians(field / 2)))
    # The colour of surfaces has no grain.
    seen = render(packed, flat, View(320, 180, samples=4, is_thrifty=False), seed=2)
    sight = flat_view((320, 180), (1024, 512), turn_of(yaw, pitch), field)
    name = "diffuse_colour.G"
    made = sight.light(all_round.planes[name].astype(np.float32))
    apart = made - seen.planes[name].astype(np.float32)
    assert np.median(np.abs(apart)) < 0.01 and np.mean(np.abs(apart)) < 0.02
    depth = sight.exact(all_round.planes["depth.Z"])
    rays = np.hypot(1, np.hypot(*np.meshgrid(*(
        (2 * (np.arange(n) + 0.5) / n - 1) * np.tan(np.radians(field / 2)) * n / 320 for n in (320, 180)
    ))))  # fmt: skip
    solid = np.isfinite(depth) & np.isfinite(seen.planes["depth.Z"])
    ratio = depth[solid] / (seen.planes["depth.Z"] * rays)[solid]
    assert np.median(np.abs(np.log(ratio))) < 0.01


def test_level_seam_and_poles(yard):
    _, _, all_round = yard
    good = check_sphere(all_round.beauty)
    assert good.seam < 1.5 and max(good.top, good.bottom) < 0.5
    assert good.pitch is None  # cones, ropes and hills: nothing upright enough to tell
    # Upright posts all round, seen by a camera that leans: turning by the opposite makes it level.
    for pitch, roll in ((0, 0), (-5, 0), (3, -2), (0, 4)):
        way = WAY @ turn_of(0, pitch, roll).T
        posts = 0.5 + 0.5 * np.tanh(3 * np.sin(16 * np.arctan2(way[..., 0], way[..., 2])))
        picture = np.repeat(0.2 + 0.6 * posts[..., None].astype(np.float32), 3, -1)
        found = check_sphere(picture)
        assert (found.pitch, found.roll) == pytest.approx((pitch, roll), abs=0.3)
        sight = turned(W, H, turn_of(0, 0, -roll) if not pitch else turn_of(0, -found.pitch, -found.roll))
        level = check_sphere(np.stack([sight.light(picture[..., c]) for c in range(3)], -1))
        assert (level.pitch, level.roll) == pytest.approx((0, 0), abs=0.4)
    # A crop tears the seam; a flat picture has no poles; grey tells nothing.
    assert check_sphere(all_round.beauty[:, :700]).seam > 2.5
    assert check_sphere(np.full((64, 128, 3), 0.2, np.float32)).pitch is None
    ramp = np.broadcast_to(np.linspace(0, 1, 128, dtype=np.float32)[None, :, None], (64, 128, 3))
    assert check_sphere(ramp).top > 0.5


def test_light_turned_there_and_back_keeps_its_detail_and_a_hole_stays_one(yard):
    camera, packed, _ = yard
    view = View(W, H, projection=LATLONG, samples=4, is_thrifty=False)
    light = np.minimum(render(packed, camera, view, seed=1).beauty[..., :3].astype(np.float32), 2)
    there, back = (turned(W, H, turn_of(0, pitch, 0)) for pitch in (5, -5))
    again = back.light(there.light(light))
    assert -10 * np.log10(np.mean((again - light) ** 2, dtype=np.float64)) > 43
    # One odd pixel is one odd spot: a spline that reaches over the whole row must not carry it along.
    holed = light.copy()
    holed[100, 200] = np.nan
    lost = ~np.isfinite(there.light(holed)).all(axis=-1)
    assert 0 < lost.sum() < 60
    apart = np.abs(there.light(holed) - there.light(light))[~lost]
    assert np.percentile(apart, 99.9) < 1e-3 and apart.max() < 0.1


@pytest.mark.parametrize("tilt", [(0, 0), (-5, 0), (3, -2), (8, 6)])
def test_the_level_is_told_from_where_the_sky_ends(tilt):
    way = WAY @ turn_of(0, *tilt).T
    lon, lat = np.arctan2(way[..., 0], way[..., 2]), np.arcsin(-way[..., 1])
    rng = np.random.default_rng(1)
    pattern = rng.random((64, 64))
    # Open sea with hills on one side and a mast.
    hills = np.radians(4) * np.maximum(0, np.sin(2 * lon + 1)) ** 2 * (np.abs(lon) < 1.6)
    skyline = hills + (np.abs(lon - 1.9) < 0.05) * np.radians(20)
    sea = 0.2 + 0.15 * pattern[(lat * 40).astype(int) % 64, (lon * 20).astype(int) % 64]
    light = np.where(lat > skyline, 0.6 + 0.2 * lat, sea)
    picture = (np.repeat(light[..., None], 3, -1) + rng.normal(0, 0.005, (H, W, 3))).astype(np.float32)
    check = check_sphere(picture)
    assert check.by == "the horizon"
    assert abs(check.pitch - tilt[0]) < 0.3 and abs(check.roll - tilt[1]) < 0.3
