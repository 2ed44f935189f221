"""Shadows as layers: closed-form pictures, and renders of the stand-in with and without the object."""

import numpy as np
import pytest

from drawstring.core.alpha.blend import laid
from drawstring.core.alpha.ground import Surface, fitted
from drawstring.core.alpha.shadow import (
    Finish,
    black_layer,
    carried_on,
    combined,
    finished,
    is_white_lit,
    multiply_layer,
    proof,
    quieted,
    recomposed,
    shadow_ratio,
    with_over_without,
)
from drawstring.core.errors import SourceError
from drawstring.standins.renderer import Camera, Lamp, Material, Scene, Sky, View, render
from drawstring.standins.renderer.scene import SUN
from drawstring.standins.tidewrack.buoys import mooring_buoy

HIGH, WIDE = 180, 320


def yard(*, has_buoy: bool) -> Scene:
    """A black buoy on white ground under a sun and nothing else: no light comes back from anything."""
    scene = Scene(Sky((0, 0, 0), (0, 0, 0), is_visible=False))
    scene.lamps.append(Lamp("sun", SUN, (1, 1, 1), 2.0, direction=(-0.6, -0.7, -0.3)))
    ground = scene.object("ground")
    scene.disc(ground, scene.paint(Material((0.8, 0.8, 0.8), 0.0, 8)), (0, 0, 0), 200)
    if has_buoy:
        mooring_buoy(scene, "buoy", (0, 0, 0), Material((0, 0, 0), 0.0, 40))
    return scene


@pytest.fixture(scope="module")
def renders():
    """The object alone, on the ground, the ground alone, and the light that truly arrives."""
    camera = Camera((0.3, 2.2, 4.2), (0.2, 0.35, 0), focal_mm=40)
    view = View(WIDE, HIGH, samples=4, is_thrifty=False)
    scene = yard(has_buoy=True)
    on_it = render(scene.packed(), camera, view, seed=3)
    alone = render(scene.packed(hidden=("ground",)), camera, view, seed=3)
    bare = render(yard(has_buoy=False).packed(), camera, view, seed=3)
    truth = on_it.planes["shadow.V"].astype(np.float32)
    return on_it.beauty[..., :3], alone.beauty, bare.beauty[..., :3], truth


@pytest.fixture(scope="module")
def corner():
    """Dark corners: light that falls by a fifth towards the corners of the picture."""
    y, x = np.mgrid[:HIGH, :WIDE].astype(np.float32)
    square = (x - WIDE / 2) ** 2 + (y - HIGH / 2) ** 2
    return (1 - 0.2 * square / square.max())[..., None]


def test_the_division_gives_the_light_that_arrives(renders):
    on_it, alone, bare, truth = renders
    s = shadow_ratio(on_it, alone, bare)
    ground = alone[..., 3] < 0.005
    off = (s.mean(axis=-1) - truth)[ground]
    assert np.sqrt(np.mean(off**2)) < 0.01
    # The contact edge: where each row passes from light to dark, in parts of a pixel.
    apart = []
    for row in range(HIGH):
        free = np.flatnonzero(ground[row])
        for a, b in zip(free, free[1:], strict=False):
            if b == a + 1 and (truth[row, a] - 0.5) * (truth[row, b] - 0.5) < 0:
                mine, real = (
                    a + (0.5 - one[row, a]) / (one[row, b] - one[row, a]) for one in (s.mean(axis=-1), truth)
                )
                apart.append(abs(mine - real))
    assert len(apart) > 20 and max(apart) < 0.5


@pytest.mark.parametrize("noise", [0, 0.02])
def test_a_fitted_ground_has_the_dark_corners_and_not_the_shadow(renders, corner, noise):
    on_it, alone, bare, truth = renders
    grain = 1 + noise * np.random.default_rng(1).standard_normal(on_it.shape)
    ground = fitted((on_it * corner * grain).astype(np.float32), (alone[..., 3] < 0.01).astype(np.float32))
    np.testing.assert_allclose(ground / (bare * corner), 1, atol=0.01)
    dimmed = np.concatenate([alone[..., :3] * corner, alone[..., 3:]], axis=-1).astype(np.float32)
    s = shadow_ratio((on_it * corner * grain).astype(np.float32), dimmed, ground)
    free = alone[..., 3] < 0.005
    if noise:
        # Noise is held down, and the edge of the shadow stays where it is as sharp as it was.
        rough, calm = s.mean(axis=-1), quieted(s, 0.5).mean(axis=-1)
        assert np.std((calm - truth)[free]) < 0.4 * np.std((rough - truth)[free])
        edge = free & (np.abs(np.gradient(truth, axis=1)) > 0.2)
        assert np.abs(calm - truth)[edge].mean() < np.abs(rough - truth)[edge].mean() + 0.02
    else:
        assert np.sqrt(np.mean((s.mean(axis=-1) - truth)[free] ** 2)) < 0.01


@pytest.mark.parametrize(
    ("surface", "light"),
    [
        (Surface.LEVEL, lambda x, y: 0.7 + 0 * x),
        (Surface.PLANE, lambda x, y: 0.5 + 0.2 * x - 0.1 * y),
        (Surface.SMOOTH, lambda x, y: 0.6 + 0.1 * x - 0.2 * x * x - 0.15 * y**2 + 0.1 * x * y * y),
    ],
)
def test_each_surface_is_found_exactly_below_a_third_of_shadow(surface, light):
    y, x = np.mgrid[-1:1:90j, -1:1:160j]
    true = np.repeat(light(x, y)[..., None], 3, axis=-1).astype(np.float32) * np.float32((1, 0.9, 0.8))
    dark = np.where((x > -0.3) & (x < 0.4) & (y > -0.6), 0.35, 1)[..., None]
    found = fitted((true * dark).astype(np.float32), np.ones((90, 160), np.float32), surface)
    np.testing.assert_allclose(found, true, atol=0.004)


def test_a_lamp_that_falls_off_is_told_from_the_shadow_it_throws():
    """Over lamps, perspective and dark corners, mean error as a share of the light: below 1 %."""
    y, x = np.mgrid[-1:1:180j, -1:1:320j]
    y = y * 180 / 320
    deep = 1.5 / (y + 1.2)
    lights = {
        "near lamp": (1 + ((x - 0.3) ** 2 + (y + 0.2) ** 2) / 0.6**2) ** -1.5,
        "seen at a slant": (1 + ((x * deep - 0.3) ** 2 + (deep - 1.2) ** 2) / 0.9) ** -1.5,
        "dark corners": (1 + x * x + y * y) ** -2.0 * (0.7 + 0.2 * x),
        "two lamps": 0.05
        + 0.7 * (1 + ((x - 0.6) ** 2 + y**2) / 0.5) ** -1.5
        + 0.4 * (1 + ((x + 0.7) ** 2 + (y - 0.2) ** 2) / 0.3) ** -1.5,
    }
    dark = 0.35 + 0.65 / (1 + np.exp(-((x + 0.2) ** 2 / 0.09 + y**2 / 0.03 - 1) * 6))
    seen = ((x + 0.2) ** 2 / 0.03 + (y + 0.15) ** 2 / 0.03 >= 1).astype(np.float32)
    errors = {}
    for name, light in lights.items():
        for noise in (0, 0.03):
            grain = 1 + noise * np.random.default_rng(4).standard_normal((180, 320, 3))
            picture = (light * dark)[..., None] * np.array((1, 0.9, 0.8)) * grain
            off = fitted(picture.astype(np.float32), seen) / (light[..., None] * np.array((1, 0.9, 0.8))) - 1
            errors[name, noise] = float(np.abs(off).mean())
    assert np.mean(list(errors.values())) < 0.009 and max(errors.values()) < 0.03, errors


def test_what_a_person_paints_as_ground_or_not_decides_where_pixels_alone_would_err():
    # Three quarters in shadow: most of what is seen is dark.
    true = np.full((90, 160, 3), 0.8, np.float32)
    dark = np.ones((90, 160, 1), np.float32)
    dark[:, 40:] = 0.4
    seen = np.ones((90, 160), np.float32)
    seen[:, 40:] = 0  # "no ground"
    np.testing.assert_allclose(fitted(true * dark, seen, Surface.LEVEL), true, atol=1e-4)
    with pytest.raises(SourceError, match="Hardly any ground is seen") as refusal:
        fitted(true, np.zeros((90, 160), np.float32), where="frame 7")
    assert "third render" in refusal.value.remedy and refusal.value.where == "frame 7"


def test_it_is_put_together_again_as_the_render_and_the_proof_says_how_far(renders):
    on_it, alone, bare, _ = renders
    s = shadow_ratio(on_it, alone, bare)
    whole = finished(s, alone[..., 3], Finish(ceiling=1.0))
    told = proof(recomposed(alone, multiply_layer(whole, (0, 0, 0)), bare), on_it, bare)
    assert told.rms < 0.004 and told.rms_without_grain < 0.002
    moved = proof(recomposed(alone, multiply_layer(whole, (0, 0, 0)), bare) + 0.1, on_it, bare)
    scale = float(np.median(bare.max(axis=-1)))
    assert moved.rms_without_grain == pytest.approx(0.1 / scale, rel=0.1)
    # As black with alpha, laid over the ground, it dims by as much as multiplied.
    opaque = np.concatenate([bare, np.ones_like(bare[..., :1])], axis=-1)
    grey = finished(s, alone[..., 3], Finish(keeps_colour=False))
    over = laid(opaque, black_layer(grey, (0, 0, 0)))
    np.testing.assert_allclose(over[..., :3], bare * grey, atol=1e-5)


def test_ends_strength_tint_and_colour_do_what_they_say():
    s = np.float32([[[0.0, 0.1, 0.2], [0.5, 0.5, 0.5], [1.0, 1.0, 1.0], [1.3, 1.2, 1.1]]])
    alpha = np.zeros((1, 4), np.float32)
    plain = finished(s, alpha, Finish())
    np.testing.assert_allclose(plain[0, 3], 1, atol=1e-6)
    np.testing.assert_allclose(finished(s, alpha, Finish(floor=0.2, ceiling=0.8))[0, 1], 0.5, atol=1e-6)
    np.testing.assert_allclose(finished(s, alpha, Finish(strength=0))[0], 1)
    np.testing.assert_allclose(finished(s, alpha, Finish(strength=0.5))[0, 1], 0.75)
    grey = finished(s, alpha, Finish(keeps_colour=False))[0, 0]
    np.testing.assert_allclose(grey, 0.1 * 0.7152 + 0.2 * 0.0722, atol=1e-6)
    bounced = finished(s, alpha, Finish(keeps_bounce=True, strength=0.5))
    np.testing.assert_allclose(bounced[0, 3], (1.15, 1.1, 1.05), atol=1e-6)
    assert black_layer(bounced, (0, 0, 0))[0, 3].max() == 0
    np.testing.assert_allclose(multiply_layer(plain, (0.2, 0, 0))[0, 1], (0.6, 0.5, 0.5))
    np.testing.assert_allclose(black_layer(plain, (0.2, 0, 0))[0, 1], (0.1, 0, 0, 0.5), atol=1e-6)


def test_softness_grows_with_distance_from_the_object():
    s = np.ones((120, 200, 3), np.float32)
    s[:, 100:] = 0  # a straight edge that begins at the object and runs away from it
    alpha = np.zeros((120, 200), np.float32)
    alpha[:4] = 1
    made = finished(s, alpha, Finish(grows=10))[..., 0]
    widths = [int(((row > 0.1) & (row < 0.9)).sum()) for row in made]
    assert widths[6] <= 1 < widths[60] < widths[110]
    assert 7 <= widths[110] <= 15, "a tenth of the distance, as a blur's radius"


def test_below_the_object_shadow_goes_on_smoothly_and_what_is_known_stays():
    s = np.repeat(np.linspace(0, 1, 90, dtype=np.float32)[None, :, None], 60, axis=0).repeat(3, axis=-1)
    weight = np.ones((60, 90), np.float32)
    weight[20:40, 30:60] = 0
    made = carried_on(np.where(weight[..., None] > 0, s, 7), weight)
    np.testing.assert_array_equal(made[weight > 0], s[weight > 0])
    np.testing.assert_allclose(made[weight == 0], s[weight == 0], atol=0.2)
    assert np.abs(np.diff(made[30, :, 0])).max() < 0.12, "no seam"


@pytest.mark.parametrize("white", [True, False])
def test_polarity_is_told_by_where_the_picture_is_bright(renders, white):
    on_it, _, _, truth = renders
    assert is_white_lit(truth if white else 1 - truth, on_it.mean(axis=-1)) is white
    noise = np.random.default_rng(2).random(truth.shape).astype(np.float32)
    assert is_white_lit(noise, on_it.mean(axis=-1)) is None
    assert is_white_lit(np.ones_like(truth), on_it.mean(axis=-1)) is None


def test_several_shadows_and_light_with_and_without_become_one():
    a, b = np.full((2, 2, 3), 0.5, np.float32), np.full((2, 2, 3), 0.4, np.float32)
    assert combined([a, b], "product")[0, 0, 0] == pytest.approx(0.2)
    assert combined([a, b], "minimum")[0, 0, 0] == pytest.approx(0.4)
    light = np.float32([[[2, 2, 2], [0, 0, 0]]])
    np.testing.assert_allclose(with_over_without(light * 0.25, light)[0], [[0.25] * 3, [1] * 3])
