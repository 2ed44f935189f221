"""Focus: the lens formula, the blur's shape, what must stay as it was, and a lens that was really open."""

import multiprocessing
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from fractions import Fraction

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from drawstring.core.camera import Camera, Place
from drawstring.core.depth import FocusSettings, blur_radius, lens_for
from drawstring.core.depth.focus import FINE, focused, opening
from drawstring.core.errors import SettingError
from drawstring.core.io.facts import Window
from drawstring.standins.renderer import View, render
from drawstring.standins.tidewrack import scenes

LENS = Camera(focal_mm=50, filmback_mm=36)


def lens(**settings: object):
    return lens_for(FocusSettings(limit=20, **settings), LENS, width_px=1920, unit_m=1.0)


@pytest.mark.parametrize(
    ("z_m", "film_mm"),
    # By hand, opening 25 mm, focus 2 m: 25 * 50 * (z - 2000) / (z * 1950) across the film.
    [(1, -0.641026), (2, 0), (4, 0.320513), (np.inf, 0.641026)],
)
def test_blur_agrees_with_the_lens_formula(z_m, film_mm):
    radius = lens(distance=2, stop=2).radius(np.float32([[z_m]]))
    np.testing.assert_allclose(radius, film_mm / 36 * 1920 / 2, rtol=1e-5, atol=1e-4)


@given(z=st.floats(0.25, 10_000, width=32), times=st.integers(2, 8), distance=st.floats(0.3, 300))
def test_a_smaller_opening_shrinks_every_blur_by_the_same_factor(z, times, distance):
    z_at = np.float32([[z]])
    wide, narrow = (lens(distance=distance, stop=stop).radius(z_at)[0, 0] for stop in (4, 4 * times))
    if abs(wide) < 380:
        assert narrow == pytest.approx(wide / times, rel=1e-4, abs=1e-5)
    exact = Fraction(50 * 50, 4) / (Fraction(distance) * 1000 - 50) * (1 - Fraction(distance) / Fraction(z))
    assert wide == pytest.approx(float(np.clip(float(exact) / 36 * 1920 / 2, -384, 384)), rel=1e-4, abs=1e-4)


def test_the_sharp_range_ends_where_the_blur_passes_half_a_pixel():
    one = lens(distance=10, stop=2.8)
    low, high = one.sharp_range()
    for end in (low, high):
        assert abs(one.radius(np.float32([[end]]))[0, 0]) == pytest.approx(0.5, abs=0.02)
    assert lens(distance=80, stop=8).sharp_range()[1] == np.inf, "beyond the hyperfocal distance"


def test_radii_by_hand_grow_evenly_to_their_largest_on_either_side():
    one = lens(by="largest radius", distance=10, near_radius=6, near_reach=4, far_radius=1, far_reach=20,
               radius_in="% of width")  # fmt: skip
    z = np.float32([[3, 6, 8, 10, 20, 30, np.inf]])
    np.testing.assert_allclose(one.radius(z)[0] / 19.2, [-6, -6, -3, 0, 0.5, 1, 1], atol=1e-5)


def test_a_tilted_lens_is_sharp_on_a_plane():
    window = Window(0, 0, 191, 107)
    place = Place(window, window)
    tilted = lens_for(
        FocusSettings(distance=8, stop=1, tilt=30, swing=-20, limit=20), LENS, width_px=192, unit_m=1
    )
    from drawstring.core.camera import slopes

    right, down = slopes(LENS, place, (108, 192))
    # Points of the plane z = 8 + tan 30 up - tan 20 right... written as z (1 + tan30 down + tan20 right) = 8.
    z = (8 / (1 + np.tan(np.radians(30)) * down + np.tan(np.radians(20)) * right)).astype(np.float32)
    assert np.abs(blur_radius(z, tilted, LENS, place)).max() < 1e-3
    assert z[0].mean() > z[-1].mean(), "its top leans away"
    assert np.abs(blur_radius(np.full_like(z, 8), tilted, LENS, place)).max() > 0.25


@pytest.mark.parametrize(
    ("settings", "camera", "words"),
    [({}, Camera(), "focal length is not known"), ({"focal_mm": 50}, Camera(), "film width is not known"),
     ({"distance": 0.04}, LENS, "lies within the focal length")],
)  # fmt: skip
def test_a_lens_that_is_not_known_or_can_not_focus_is_refused(settings, camera, words):
    with pytest.raises(SettingError, match=words):
        lens_for(FocusSettings(**settings), camera, width_px=100, unit_m=1.0)


@pytest.mark.parametrize("blades", [0, 3, 5, 6, 8])
def test_a_point_of_light_becomes_the_opening_and_loses_no_light(blades):
    point = np.zeros((61, 61, 4), np.float32)
    point[30, 30] = 1
    flat = np.full((61, 61), 12.0, np.float32)
    spot = focused(point, flat, flat, blades=blades, turn=0)[..., 0]
    assert spot.sum() == pytest.approx(1, rel=1e-4)
    rows, cols = np.nonzero(spot > 0.5 * spot.max())
    y, x = rows - 30, cols - 30
    assert np.count_nonzero(spot > 0.5 * spot.max()) == pytest.approx(np.pi * 12**2, rel=0.03), "its area"
    radii = np.hypot(y, x)
    if blades == 0:
        assert abs(radii.max() - 12) < 1
    else:
        corner = 12 * np.sqrt(2 * np.pi / (blades * np.sin(2 * np.pi / blades)))
        assert radii.max() == pytest.approx(corner, abs=2) and abs(y.min() + corner) < 2, "a corner is on top"
        # Before the focus the shape stands on its head.
        head = focused(point, -flat, -flat, blades=blades)[..., 0]
        np.testing.assert_allclose(head, spot[::-1, ::-1], atol=1e-6)
    shape = opening(12 * FINE + 2, blades, 0.0)
    assert shape.weight[12 * FINE] == pytest.approx(1 / (np.pi * (12**2 - 1 / 3)), rel=1e-3)


@given(st.integers(0, 2**16), st.floats(0.6, 6))
def test_blur_makes_no_light_out_of_an_even_picture_and_leaves_sharp_things_alone(seed, largest):
    random = np.random.default_rng(seed)
    key = random.uniform(-largest, largest, (20, 24)).astype(np.float32)
    even = np.full((20, 24, 4), 0.7, np.float32)
    np.testing.assert_allclose(focused(even, key, key, threads=2), 0.7, rtol=1e-5)
    picture = random.uniform(0, 2, (20, 24, 4)).astype(np.float32)
    np.testing.assert_array_equal(focused(picture, key * 0, key * 0), picture)
    before = picture.copy(), key.copy()
    focused(picture, key, key)
    assert (picture == before[0]).all() and (key == before[1]).all(), "inputs are left alone"


def test_sharp_foreground_stays_sharp_and_blurred_foreground_spills():
    picture = np.zeros((40, 60, 4), np.float32)
    picture[...] = [0.1, 0.1, 0.1, 1]
    picture[:, :30] = [1, 0.5, 0.2, 1]
    near_sharp = np.where(np.arange(60) < 30, 0, 6).astype(np.float32) * np.ones((40, 1), np.float32)
    out = focused(picture, near_sharp, near_sharp)
    np.testing.assert_allclose(out[20, :30, 0], 1, atol=1e-4), "not eaten by the background"
    np.testing.assert_allclose(out[20, 30:, 0], 0.1, atol=1e-4), "and does not bleed into it"
    near_blurred = np.where(np.arange(60) < 30, -6, 0).astype(np.float32) * np.ones((40, 1), np.float32)
    out = focused(picture, near_blurred, near_blurred)[20, :, 0]
    assert (np.diff(out[24:37]) < 0).all() and out[36] < 0.12 and out[23] > 0.97, "a ramp across the edge"
    # Half the lens sees past the edge just on it.
    assert out[29:31].mean() == pytest.approx(0.55, abs=0.04)


def test_alpha_is_spread_like_the_light_it_belongs_to():
    element = np.zeros((40, 60, 4), np.float32)
    element[10:30, 20:40] = [0.3, 0.6, 0.9, 1]
    key = np.where(element[..., 3] > 0, -4, 2).astype(np.float32)
    out = focused(element, key, key)
    held = out[..., 3] > 0.05
    np.testing.assert_allclose(out[held][:, :3] / out[held][:, 3:], [[0.3, 0.6, 0.9]] * held.sum(), rtol=1e-3)
    assert out[..., 3].sum() == pytest.approx(400, rel=0.02)


WIDTH, WINDOW = 480, Window(110, 100, 309, 199)
STAND_IN = scenes.fog_yard_camera(0.3)


def rendered(stop_and_focus: tuple[float, float], samples: int):
    """Render the yard through an opening; highlights, which take thousands of samples, are left out."""
    yard = scenes.fog_yard()
    yard.materials = [replace(material, specular=0.0) for material in yard.materials]
    camera = replace(STAND_IN, stop=stop_and_focus[0], focus_m=stop_and_focus[1])
    view = View(WIDTH, 270, window=WINDOW, samples=samples, is_thrifty=False, is_denoised=False)
    frame = render(yard.packed(), camera, view, seed=int(stop_and_focus[1]))
    return frame.beauty, frame.planes["depth.Z"]


def gathered(picture: np.ndarray, radius: np.ndarray) -> np.ndarray:
    """The plain way: every pixel is the mean of a disc around it of its own radius, in one layer."""
    total, weights = np.zeros_like(picture), np.zeros(radius.shape, np.float32)
    reach = int(np.ceil(np.abs(radius).max()))
    for dy in range(-reach, reach + 1):
        for dx in range(-reach, reach + 1):
            weight = np.clip(np.abs(radius) + 0.5 - np.hypot(dx, dy), 0, 1)
            shift = np.float32([[1, 0, dx], [0, 1, dy]])
            moved = cv2.warpAffine(picture, shift, picture.shape[1::-1], borderMode=cv2.BORDER_REPLICATE)
            total += weight[..., None] * moved
            weights += weight
    return total / weights[..., None]


def blurred(picture: np.ndarray, radius: int) -> np.ndarray:
    """Give the same where all radii are one: a disc for every pixel."""
    dy, dx = np.mgrid[-radius - 1 : radius + 2, -radius - 1 : radius + 2]
    disc = np.clip(radius + 0.5 - np.hypot(dx, dy), 0, 1).astype(np.float32)
    return cv2.filter2D(picture, -1, disc / disc.sum(), borderType=cv2.BORDER_REPLICATE)


def closeness_db(picture: np.ndarray, truth: np.ndarray) -> float:
    """Peak signal to noise of display-range light, away from the window's rim."""
    inner = (slice(12, -12), slice(12, -12), slice(0, 3))
    apart = np.clip(picture[inner], 0, 1) - np.clip(truth[inner], 0, 1)
    return float(10 * np.log10(1 / np.mean(apart.astype(np.float64) ** 2)))


def test_focus_comes_close_to_a_lens_that_was_really_open():
    camera = Camera(focal_mm=STAND_IN.focal_mm, filmback_mm=STAND_IN.filmback_mm)

    def lens_at(distance: float, stop: float):
        settings = FocusSettings(distance=distance, stop=stop, limit=20)
        return lens_for(settings, camera, width_px=WIDTH, unit_m=1.0)

    # Not forked from here: a child of a process with threads can lock up.
    with ProcessPoolExecutor(2, mp_context=multiprocessing.get_context("forkserver")) as pool:
        sharp, z = pool.submit(rendered, (0.0, 1.0), 6).result()
        # At each distance the opening whose largest blur has a radius of 10 pixels.
        asked = [(float(np.abs(lens_at(d, 1.0).radius(z)).max()) / 10, d) for d in (5.0, 9.0, 22.0)]
        asked = [(np.abs(lens_at(d, 0.2).radius(z)).max() * 0.2 / 10, d) for _, d in asked]
        truths = [one.result()[0] for one in [pool.submit(rendered, (float(s), d), 12) for s, d in asked]]
    for (stop, distance), truth in zip(asked, truths, strict=True):
        radius = lens_at(distance, float(stop)).radius(z)
        assert 9.5 < np.abs(radius).max() <= 10.5
        ours = closeness_db(focused(sharp, radius, radius, threads=2), truth)
        plain = closeness_db(gathered(sharp, radius), truth)
        even = max(closeness_db(blurred(sharp, r), truth) for r in (1, 2, 3, 4, 5, 6, 8))
        assert ours >= 38 and ours >= even + 5 and ours >= plain + 1.5
