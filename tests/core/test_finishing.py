"""Grain, zoom blur and lens reflections, held against closed forms and measured again by other means."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.ndimage import zoom

from drawstring.core.camera import Place
from drawstring.core.errors import SettingError
from drawstring.core.finishing.grain import GrainSettings, correlation_root, grained, unit_grain
from drawstring.core.finishing.grain_measuring import measure_grain
from drawstring.core.finishing.optics import ReflectionSettings, ZoomSettings, reflected, zoom_blurred
from drawstring.core.io.facts import Window

COARSE = (1, 1, 0.8, 0.4, 0.1, 0.05, 0.02, 0.01)
EVEN = (1.0,) * 8


def place(height: int, width: int, step: int = 1) -> Place:
    window = Window(0, 0, width * step - 1, height * step - 1)
    return Place(window, window, step)


def ramp(height: int = 704, width: int = 1280) -> np.ndarray:
    """A plain wall that grows brighter to the right."""
    light = np.linspace(0.02, 0.8, width, dtype=np.float32)
    colour = light[None, :, None] * np.ones((height, 1, 3), np.float32)
    return np.concatenate([colour, np.ones((height, width, 1), np.float32)], axis=-1)


def period(grain: np.ndarray) -> float:
    """The period at the middle of a grain's energy, by a Fourier transform of the whole plane."""
    power = np.abs(np.fft.fft2(grain - grain.mean())) ** 2
    down, across = np.fft.fftfreq(grain.shape[0])[:, None], np.fft.fftfreq(grain.shape[1])[None, :]
    frequency = np.hypot(down, across)
    inside = frequency <= 0.5
    return float(power[inside].sum() / (power * frequency)[inside].sum())


def test_grain_has_the_strength_spectrum_and_correlation_that_were_settled():
    how = GrainSettings(
        by_light=(0.0, 0.002, 0.18, 0.01, 1.0, 0.03), channels=(1.5, 1, 0.5), together=(0.6, 0.2, 0.4),
        red=COARSE, green=COARSE, blue=EVEN,
    )  # fmt: skip
    came = ramp(1024, 1024)
    noise = (grained(came, how, place(1024, 1024), frame=3, eye=0) - came)[..., :3]
    for column in (100, 500, 900):
        here = noise[:, column - 40 : column + 40].astype(np.float64)
        wanted = np.interp(came[0, column, 0], [0, 0.18, 1], [0.002, 0.01, 0.03]) * np.array([1.5, 1, 0.5])
        # 80,000 pixels of a grain that is some pixels wide: a few per cent is what they can tell.
        np.testing.assert_allclose(here.std(axis=(0, 1)), wanted, rtol=0.04)
    grain = unit_grain(how, (0, 0), (1024, 1024), frame=3, eye=0)
    assert np.corrcoef(grain[..., 0].ravel(), grain[..., 1].ravel())[0, 1] == pytest.approx(0.6, abs=0.03)
    # White noise: every frequency alike, so the mean frequency within the circle is 1/3.
    assert period(grain[..., 2]) == pytest.approx(3.0, rel=0.01)
    assert 6 < period(grain[..., 0]) < 8
    assert np.array_equal(correlation_root((0, 0, 0)), np.eye(3))
    # What three channels can't be together is brought to what they can.
    assert np.isfinite(correlation_root((1, -1, 1))).all()


def test_grain_belongs_to_pixel_frame_eye_and_seed():
    came, how = ramp(96, 128), GrainSettings()
    whole = grained(came, how, place(96, 128), frame=7, eye=0)
    window = Window(33, 20, 92, 70)
    part = grained(came[20:71, 33:93], how, Place(window, Window(0, 0, 127, 95)), frame=7, eye=0)
    np.testing.assert_allclose(part, whole[20:71, 33:93], atol=1e-6)
    for other in (
        grained(came, how, place(96, 128), frame=8, eye=0),
        grained(came, how, place(96, 128), frame=7, eye=1),
        grained(came, GrainSettings(seed=2), place(96, 128), frame=7, eye=0),
    ):
        differs = (other - whole)[..., :3]
        together = np.corrcoef((other - came)[..., 1].ravel(), (whole - came)[..., 1].ravel())[0, 1]
        assert differs.std() > 0 and abs(together) < 0.05
    assert grained(came, GrainSettings(strength=0), place(96, 128), frame=7, eye=0) is came
    # On nothing lies no grain, and a pixel without a number does not spread.
    came[:, :64] = 0
    came[50, 100, 0] = np.nan
    laid = grained(came, how, place(96, 128), frame=7, eye=0)
    assert not laid[:, :64].any() and np.isnan(laid).sum() == 1
    np.testing.assert_array_equal(laid[..., 3], came[..., 3])


def test_a_proxy_has_the_mean_of_its_pixels_grain():
    how = GrainSettings(by_light=(0.0, 0.01))
    came = np.ones((64, 96, 4), np.float32)
    full = grained(came, how, place(64, 96), frame=1, eye=0)
    small = grained(came[::2, ::2], how, place(32, 48, 2), frame=1, eye=0)
    mean = full.reshape(32, 2, 48, 2, 4).mean(axis=(1, 3))
    np.testing.assert_allclose(small, mean, atol=1e-5)


@pytest.mark.parametrize(("bands", "count"), [(COARSE, 1), ((0.3, 0.6, 1, 1, 1, 0.9, 0.8, 0.7), 2)])
def test_grain_put_on_as_measured_has_the_size_and_strength_of_the_plates(bands, count):
    plate_grain = GrainSettings(
        by_light=(0.0, 0.003, 0.2, 0.012, 0.9, 0.03), channels=(1.2, 0.9, 0.9), together=(0.5, 0.3, 0.4),
        red=bands, green=bands, blue=bands, seed=99,
    )  # fmt: skip
    wall, here = ramp(), place(704, 1280)
    plates = [grained(wall, plate_grain, here, frame=n, eye=0)[..., :3] for n in range(count)]
    measured = measure_grain(plates)
    assert measured.between_frames == (count == 2)
    made = [grained(wall, measured.settings(), here, frame=n + 50, eye=0)[..., :3] for n in range(2)]
    again = measure_grain(made)
    assert again.size_px == pytest.approx(measured.size_px, rel=0.05)
    for column in (160, 640, 1120):
        part = (slice(None), slice(column - 60, column + 60))
        noise, true = [
            np.mean([(each[part] - wall[part][..., :3]).std() for each in several])
            for several in (made, plates)
        ]
        assert noise == pytest.approx(true, rel=0.05)
    # By other means than its own: the whole planes' spectrum.
    own = [period((each - wall[..., :3])[..., 1] / wall[..., 1]) for each in (made[0], plates[0])]
    assert own[0] == pytest.approx(own[1], rel=0.05)


def test_grain_is_not_measured_where_nothing_is_plain():
    busy = np.random.default_rng(1).random((12, 20, 3), np.float32)
    steps = zoom(busy, (14, 14, 1), order=0)
    with pytest.raises(SettingError, match="too few plain places"):
        measure_grain([steps])
    with pytest.raises(SettingError, match="too few plain places"):
        measure_grain([steps[:40, :40]])
    even = np.full((400, 600, 3), 0.3, np.float32)
    stones = zoom(np.random.default_rng(2).normal(0, 0.01, (20, 30)), 20, order=3)[..., None] + even
    for plate, says in (
        (even, "plain places are even"),
        (stones.astype(np.float32), "what varies is texture"),
    ):
        with pytest.raises(SettingError, match=says):
            measure_grain([plate])
    for text in ("1 2 3", "a b c d e f g h", "0 0 0 0 0 0 0 0"):
        with pytest.raises(SettingError, match="no spectrum"):
            GrainSettings().replaced({"red": text}, where="grain", scene_unit="m")
    for text in ("0.1", "0.5,0.1 0.2,0.3", "0.1,-1"):
        with pytest.raises(SettingError, match="no list of strengths"):
            GrainSettings().replaced({"by_light": text}, where="grain", scene_unit="m")


def test_a_zoom_blur_is_the_mean_over_sizes_and_leaves_its_centre():
    height, width = 121, 161
    y, x = np.mgrid[0:height, 0:width] + 0.5
    from_centre = np.hypot(x - 80.5, y - 60.5)
    # A cone: its mean over the sizes from a to 1/a is r times the mean of 1/s, in closed form.
    picture = np.stack([from_centre] * 3 + [np.ones_like(from_centre)], axis=-1).astype(np.float32)
    length = 20.0
    made = zoom_blurred(picture, ZoomSettings(length=length), place(height, width))
    low, high = (1 + length / 100) ** -0.5, (1 + length / 100) ** 0.5
    mean_of_inverse = (1 / low - 1 / high) / np.log(high / low)
    ring = (from_centre > 10) & (from_centre < 50)
    np.testing.assert_allclose(made[ring][:, 0], from_centre[ring] * mean_of_inverse, rtol=0.01)
    np.testing.assert_allclose(made[..., 3], 1, atol=1e-6)
    assert zoom_blurred(picture, ZoomSettings(length=0), place(height, width)) is picture
    # A light aside of a centre at the left rim is drawn out across, not down.
    y, x = np.mgrid[0:100, 0:200]
    dot = np.repeat(np.exp(-((y - 50) ** 2 + (x - 150) ** 2) / 8)[..., None], 4, axis=2).astype(np.float32)
    drawn = zoom_blurred(dot, ZoomSettings(length=20, across=0), place(100, 200))[..., 0]
    lit = np.argwhere(drawn > 0.05)
    assert np.ptp(lit[:, 1]) > 25 and np.ptp(lit[:, 0]) < 12
    assert drawn.sum() == pytest.approx(dot[..., 0].sum(), rel=0.05)


@settings(max_examples=12, deadline=None)
@given(x=st.integers(20, 180), y=st.integers(20, 100), count=st.integers(1, 8))
def test_reflections_lie_on_a_line_through_the_centre_and_add_their_share_of_light(x, y, count):
    dark = np.zeros((121, 201, 4), np.float32)
    dark[y - 1 : y + 2, x - 1 : x + 2] = [20, 10, 5, 1]
    how = ReflectionSettings(above=0, strength=0.1, count=count, size=4, fringe=0, spread=40)
    made = reflected(dark, how, place(121, 201))
    added = (made - dark)[..., :3]
    assert (added >= -1e-4).all() and np.array_equal(made[..., 3], dark[..., 3])
    wanted = sum(1 / (1 + 0.3 * number) for number in range(count)) * 0.1 * dark[..., 0].sum()
    assert added[..., 0].sum() == pytest.approx(wanted, rel=0.15)
    rows, cols = np.nonzero(added[..., 0] > added[..., 0].max() / 3)
    away = np.array([x - 100.0, y - 60.0])
    if np.hypot(*away) > 20:
        across = (cols - 100) * away[1] / np.hypot(*away) - (rows - 60) * away[0] / np.hypot(*away)
        assert np.abs(across).max() < 10
    assert reflected(dark, ReflectionSettings(above=50), place(121, 201)) is dark
