"""Two eyes: packings against closed forms, parallax and made eyes against the stand-in's truth, faults that
were put in, anaglyphs worked out by hand."""

from dataclasses import replace

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra import numpy as arrays

from drawstring.core.camera import Place, camera_of
from drawstring.core.errors import SettingError
from drawstring.core.eyes.anaglyph import MATRICES, Method, ghosting, mixed
from drawstring.core.eyes.compare import by_occlusion, compare, late_by, signature
from drawstring.core.eyes.packing import First, Packing, eye_size, pack, packed_size, unpack
from drawstring.core.eyes.parallax import estimate, led_by_depth, projected, rig_of
from drawstring.core.eyes.proposal import comb, propose
from drawstring.core.eyes.rig import limits_for, parallax_px, start_interaxial, sums
from drawstring.core.eyes.second_eye import moved
from drawstring.core.io.facts import Window
from drawstring.standins.renderer import Lamp, Material, Scene, Sky, View, render
from drawstring.standins.renderer.scene import SUN
from drawstring.standins.renderer.writing import header_of
from drawstring.standins.tidewrack import scenes

W, H = 400, 224
LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)
FULL = [Packing.SIDE_BY_SIDE, Packing.ABOVE_BELOW]
planes = arrays.arrays(
    st.sampled_from([np.float16, np.float32, np.uint32]), (6, 8), elements={"allow_nan": False} and None
)


def psnr(apart: np.ndarray) -> float:
    return float(-10 * np.log10(np.mean(np.square(apart, dtype=np.float64))))


@given(left=planes, seed=st.integers(0, 99), first=st.sampled_from(First), packing=st.sampled_from(Packing))
def test_every_packing_gives_back_what_it_keeps(left, seed, first, packing):
    right = np.random.default_rng(seed).permutation(left.ravel()).reshape(left.shape)
    for is_mixed in (False, True) if packing in FULL else (False,):
        packed = pack(left, right, packing, first, is_mixed=is_mixed)
        assert packed.shape[::-1] == packed_size(8, 6, packing) and eye_size(
            *packed.shape[::-1], packing
        ) == (8, 6)
        back = unpack(packed, packing, first, is_mixed=is_mixed)
        for eye, meant in zip(back, (left, right), strict=True):
            assert eye.dtype == meant.dtype
            if packing in FULL:
                kept = slice(None), slice(None)
            elif packing is Packing.SIDE_BY_SIDE_HALF:
                kept = slice(None), slice(None, None, 2)
            elif packing is Packing.ABOVE_BELOW_HALF:
                kept = slice(None, None, 2), slice(None)
            else:
                begin = int((eye is back[0]) != (first is First.LEFT))
                kept = slice(None), slice(begin, None, 2)
                if packing is Packing.ROWS:
                    kept = kept[::-1]
            assert eye[kept].tobytes() == meant[kept].tobytes()
        # Packed again, what was kept is the same to the last bit.
        assert (
            pack(*back, packing, first, is_mixed=False).tobytes()
            == pack(left, right, packing, first, is_mixed=False).tobytes()
        )


def test_half_sizes_use_the_stated_filter_and_odd_sizes_are_refused():
    eye = np.float32([[0, 2, 4, 8]])
    packed = pack(eye, eye + 1, Packing.SIDE_BY_SIDE_HALF, First.LEFT, is_mixed=True)
    assert packed.tolist() == [[1, 6, 2, 7]]
    left, _ = unpack(packed, Packing.SIDE_BY_SIDE_HALF, First.LEFT, is_mixed=True)
    assert left.tolist() == [[1, 2.25, 4.75, 6]]
    with pytest.raises(SettingError, match="5 px wide"):
        unpack(np.zeros((4, 5), np.float32), Packing.SIDE_BY_SIDE, First.LEFT, is_mixed=True)
    with pytest.raises(SettingError, match="one size|4x4"):
        pack(np.zeros((4, 4)), np.zeros((4, 6)), Packing.ROWS, First.LEFT, is_mixed=True)


@pytest.fixture(scope="module")
def bell():
    """Both eyes of the bell with their cameras: planes and beauty, left and right; and a later left frame."""
    camera = replace(scenes.bell_yard_camera(0.5), interaxial_m=0.09)
    packed = scenes.bell_yard().packed()
    return [eye_of(packed, camera, eye) for eye in (-1.0, 1.0)]


def eye_of(packed, camera, eye, samples=3):
    # Grain tells how near two renders of one thing can be at all.
    view = View(W, H, eye=eye, samples=samples, is_thrifty=False, is_denoised=False)
    frame = render(packed, camera, view, seed=5 + int(eye))
    return frame, camera_of(dict(header_of(camera, view, 24)))


PLACE = Place(Window(0, 0, W - 1, H - 1), Window(0, 0, W - 1, H - 1))


def test_parallax_from_depth_is_the_renderers_own(bell):
    (left, here), (_, there) = bell
    rig = rig_of(here, there)
    assert rig.right == pytest.approx(0.09) and rig.convergence == pytest.approx(4.2) and rig.is_parallel
    z = left.planes["depth.Z"]
    right_of, down_of, z_there = projected(z, here, there, PLACE)
    # The stand-in's points, sent through both cameras' matrices by hand.
    points = np.stack([left.planes[f"position.{axis}"] for axis in "XYZ"], -1).astype(float)
    solid = np.isfinite(z)
    places = []
    for camera in (here, there):
        seen = np.c_[points[solid], np.ones(solid.sum())] @ np.reshape(camera.world_to_camera, (4, 4))
        places.append((seen[:, 0] / -seen[:, 2] - camera.shift) * W * camera.focal_mm / camera.filmback_mm)
    assert np.abs(right_of[solid] - (places[1] - places[0])).max() < 0.05
    assert np.abs(down_of).max() < 1e-6 and np.allclose(z_there[solid], z[solid], rtol=1e-6)
    focal = W * here.focal_mm / here.filmback_mm
    closed = parallax_px(z, interaxial=0.09, convergence=4.2, focal_px=focal)
    assert np.abs(right_of - closed).max() < 1e-3
    # Toed in, the eyes' directions and the height that differs in the corners are told.
    toed = replace(scenes.bell_yard_camera(0.5), is_toed_in=True)
    cameras = [camera_of(dict(header_of(toed, View(W, H, eye=eye), 24))) for eye in (-1, 1)]
    found = rig_of(*cameras)
    assert found.toe_degrees == pytest.approx(np.degrees(2 * np.arctan(0.0325 / 4.2)), abs=1e-6)
    assert np.abs(projected(np.full((H, W), 3, np.float32), *cameras, PLACE)[1]).max() > 0.3


def test_a_made_eye_is_what_the_renderer_sees_there():
    # Matt things in the sun: what shines looks different from beside, which no reprojection can know.
    scene = Scene(Sky(zenith=(0.3, 0.4, 0.6), horizon=(0.6, 0.6, 0.6)))
    scene.lamps.append(Lamp("sun", SUN, (1, 1, 1), 2.5, direction=(-0.4, -0.8, -0.45)))
    banded = Material((0.6, 0.1, 0.1), 0, 8, (0.8, 0.8, 0.75), 0.31)
    ground = scene.object("ground")
    scene.disc(ground, scene.paint(Material((0.4, 0.38, 0.35), 0, 8)), (0, 0, -20), 60)
    for i, (x, z, size) in enumerate(((-1.2, -5, 0.7), (1.0, -7, 1.1), (0.1, -11, 1.6), (4, -14, 2))):
        scene.ellipsoid(scene.object(f"ball{i}"), scene.paint(banded), (x, size, z), (size, size, size))
    camera = replace(scenes.bell_yard_camera(0.5), interaxial_m=0.16, convergence_m=6.0)
    packed = scene.packed()
    (left, here), (right, there) = (eye_of(packed, camera, eye, samples=4) for eye in (-1.0, 1.0))
    z = left.planes["depth.Z"]
    shift = projected(z, here, there, PLACE)[0]
    made = moved(z, ~np.isfinite(z), left.beauty, shift, threads=2)
    seen = made.holes == 0
    assert 0.01 < 1 - seen.mean() < 0.15
    # The surfaces' own colour is free of grain; light is as near as one render's grain is to another's.
    colour, meant = (
        np.stack([one.planes[f"diffuse_colour.{c}"].astype(np.float32) for c in "RGB"], -1)
        for one in (left, right)
    )
    apart = np.stack([made.light(colour[..., c], threads=2) for c in range(3)], -1) - meant
    assert psnr(apart[seen]) > 35 and psnr(apart[seen]) > psnr((colour - meant)[seen]) + 10
    view = View(W, H, eye=1.0, samples=4, is_thrifty=False, is_denoised=False)
    again = np.clip(render(packed, camera, view, seed=99).beauty, 0, 1)
    light = np.clip(np.stack([made.light(left.beauty[..., c]) for c in range(4)], -1), 0, 1)
    true = np.clip(right.beauty, 0, 1)
    assert psnr((light - true)[seen]) > psnr((again - true)[seen]) - 1
    # Distances and names are true ones, at the right place.
    z_made = made.exact(z)
    assert set(np.unique(z_made)) <= set(np.unique(z))
    close = np.isclose(z_made, right.planes["depth.Z"], rtol=0.02)
    assert close[seen].mean() > 0.985
    # Holes are filled from behind: nothing in them is nearer than what lies on their farther side.
    rows, cols = np.nonzero(made.holes == 1)
    inside = (cols > 20) & (cols < W - 20)
    assert np.median(z_made[rows[inside], cols[inside]]) > np.median(z[np.isfinite(z)])
    # Nothing moves where nothing is asked for, but for rims, which are drawn anew from their two sides.
    still = moved(z, ~np.isfinite(z), left.beauty, np.zeros_like(z))
    same = still.light(left.beauty[..., 1]) == left.beauty[..., 1]
    assert same.mean() > 0.9 and not still.holes.any()


def warped(picture, offset=0.0, turn=0.0, scale=1.0):
    a, b = scale * np.cos(np.radians(turn)), scale * np.sin(np.radians(turn))
    cx, cy = (W - 1) / 2, (H - 1) / 2
    way = np.array([[a, -b, cx - a * cx + b * cy], [b, a, cy - b * cx - a * cy + offset]])
    return cv2.warpAffine(picture, way, (W, H), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)


def test_faults_that_were_put_in_are_found_and_measured(bell):
    (left, _), (right, _) = bell
    one, other = left.beauty[..., :3], right.beauty[..., :3]
    z = left.planes["depth.Z"]
    near = np.where(np.isfinite(z), 1 / z, 0).astype(np.float32)
    clean = compare(one, other, near)
    assert abs(clean.offset) < 0.1 and abs(clean.turn_degrees) < 0.03 and abs(clean.scale - 1) < 0.0015
    assert np.abs(np.subtract(clean.gain, 1)).max() < 0.03 and clean.order > 0.5 and clean.told_by == "depth"
    for offset, turn, scale in ((2.3, 0, 1), (-0.6, 0, 1), (0, 0.4, 1), (1.2, -0.25, 1.01)):
        bad = compare(one, warped(other, offset, turn, scale), near)
        assert bad.offset == pytest.approx(offset, abs=0.1)
        assert bad.turn_degrees == pytest.approx(turn, abs=0.05) and bad.scale == pytest.approx(
            scale, abs=0.002
        )
    dim = compare(one, other * np.float32([0.9, 0.8, 0.95]), near)
    assert dim.gain == pytest.approx((0.9, 0.8, 0.95), abs=0.02)
    swapped = compare(
        other, one, np.where(np.isfinite(right.planes["depth.Z"]), 1 / right.planes["depth.Z"], 0)
    )
    assert swapped.order < -0.5
    assert compare(one, one).is_doubled and compare(np.zeros_like(one), np.ones_like(one)).points == 0
    # Without depth, what only one eye sees tells.
    assert by_occlusion(one, other) > 0.2 and by_occlusion(other, one) < -0.2


def test_an_eye_that_is_late_is_found_to_the_frame():
    packed = scenes.bell_yard().packed()
    grids = []
    for i in range(14):
        steady = scenes.bell_yard_camera(0.5)
        x, y, z = steady.position
        sways = (x + 0.2 * np.sin(1.3 * i), y + 0.15 * np.sin(0.8 * i * i), z + 0.05 * i)
        camera = replace(steady, position=sways)
        grids.append([
            signature(render(packed, camera, View(128, 72, eye=eye, samples=1), seed=9 * i + int(eye)).beauty)
            for eye in (-1.0, 1.0)
        ])  # fmt: skip
    left = {i: one for i, (one, _) in enumerate(grids)}
    for late in (0, 2, -1):
        right = {i + late: other for i, (_, other) in enumerate(grids)}
        found, sure = late_by(left, right)
        assert found == late and sure > 0.1
    # Where nothing moves, nothing is claimed.
    assert late_by(dict.fromkeys(range(12), left[0]), dict.fromkeys(range(12), right[3])) == (0, 0.0)


def test_packed_pictures_are_recognised_and_scaled_ones_are_not(bell):
    one, other = (eye[0].beauty[..., :3] @ LUMA for eye in bell)
    for packing in Packing:
        light = pack(one, other, packing, First.LEFT, is_mixed=True)
        assert propose(light).packing is packing, packing
    assert propose(one).packing is None and propose(np.zeros((64, 64), np.float32)).packing is None
    rows = pack(one, other, Packing.ROWS, First.LEFT, is_mixed=True)
    scaled = cv2.resize(rows, (W - 40, H - 22), interpolation=cv2.INTER_AREA)
    assert comb(rows, Packing.ROWS) > 1.05 > comb(scaled, Packing.ROWS)


def test_parallax_is_estimated_where_both_ways_agree():
    noise = cv2.GaussianBlur(np.random.default_rng(2).random((H, W + 40)).astype(np.float32), (0, 0), 1.2)
    wide = np.stack([noise] * 3, -1)
    left, right = wide[:, 20 : 20 + W], wide[:, 20 + 7 : 27 + W]  # all moves 7 px to the left
    found = estimate(left, right)
    assert found.sure.mean() > 0.85
    assert np.nanmedian(found.parallax) == pytest.approx(-7, abs=0.1)


def test_depth_leads_parallax_where_pictures_have_no_texture(bell):
    (left, here), (right, there) = bell
    z = left.planes["depth.Z"]
    true, _, z_there = projected(z, here, there, PLACE)
    seen_at = np.round(np.arange(W) + true).astype(int)
    beside = np.take_along_axis(right.planes["depth.Z"], np.clip(seen_at, 0, W - 1), axis=1)
    both = (seen_at >= 0) & (seen_at < W) & (np.isclose(beside, z_there, rtol=0.03) | (beside == z_there))
    # Neither the unit of the distances nor the lens is told.
    near = (7.3 / z).astype(np.float32)
    known = estimate(left.beauty, right.beauty)
    led = led_by_depth(left.beauty, right.beauty, known, near)
    assert both.mean() > 0.8 and (np.abs(led - true) <= 1)[both].mean() > 0.97
    # Mostly black, all black, or all at one distance: told nothing, and nothing stops.
    dark = np.zeros_like(left.beauty)
    dark[100:104] = left.beauty[100:104]
    for picture in (dark, np.zeros_like(dark)):
        everywhere = replace(known, sure=np.ones_like(known.sure), parallax=np.nan_to_num(known.parallax))
        led_by_depth(picture, picture, everywhere, near)
    assert led_by_depth(left.beauty, right.beauty, known, np.zeros_like(near)) is None
    shuffled = np.random.default_rng(3).permutation(near.ravel()).reshape(near.shape)
    assert led_by_depth(left.beauty, right.beauty, known, shuffled) is None


def test_the_rigs_sums():
    assert start_interaxial(3.0) == pytest.approx(0.1)
    one = sums(
        nearest=2, subject=4, farthest=np.inf, interaxial=0.06, convergence=4, focal_px=1800, width=1920
    )
    assert one.at_subject == 0 and one.at_far == pytest.approx(27) and one.at_near == pytest.approx(-27)
    assert one.share(19.2) == pytest.approx(1) and one.ratio == pytest.approx(2 / 0.06)
    # A hall: the eyes' own distance is the limit. A phone: a degree is.
    hall = limits_for(12, 18)
    assert hall.far == pytest.approx(100 * 0.065 / 12) and "65" in hall.reason
    desk = limits_for(0.6, 0.7)
    angle = [
        2 * np.degrees(np.arctan((0.065 - share / 100 * 0.6) / 2 / 0.7)) for share in (desk.near, 0, desk.far)
    ]
    assert np.diff(angle) == pytest.approx([-1, -1])


def test_anaglyphs_against_plain_arithmetic():
    rng = np.random.default_rng(1)
    left, right = rng.random((2, 3, 5, 3)).astype(np.float32)
    grey = 0.299 * left[..., 0] + 0.587 * left[..., 1] + 0.114 * left[..., 2]
    by_hand = {
        Method.RED_CYAN: [left[..., 0], right[..., 1], right[..., 2]],
        Method.RED_CYAN_HALF: [grey, right[..., 1], right[..., 2]],
        Method.GREEN_MAGENTA: [right[..., 0], left[..., 1], right[..., 2]],
    }
    for method, parts in by_hand.items():
        assert np.allclose(mixed(left, right, MATRICES[method]), np.stack(parts, -1), atol=1e-6)
    # White stays white, and neither eye's black is lit: what the published fits promise within a few percent.
    for method in (Method.RED_CYAN_FITTED, Method.GREEN_MAGENTA_FITTED, Method.AMBER_BLUE_FITTED):
        one, other = MATRICES[method]
        assert np.abs((one + other).sum(axis=1) - 1).max() < 0.18
        pixel = mixed(left, right, (one, other))[1, 2]
        assert pixel == pytest.approx(np.clip([
            sum(one[r, c] * left[1, 2, c] + other[r, c] * right[1, 2, c] for c in range(3)) for r in range(3)
        ], 0, 1), abs=1e-6)  # fmt: skip
    shares = ghosting(Method.RED_CYAN, MATRICES[Method.RED_CYAN])
    assert all(0 < share < 0.6 for share in shares)
