"""Layers on each other: the W3C's formulas written down once more, holdouts, placing."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from makers import eyes_pulled
from test_chain import a_pass

from drawstring.core.alpha.blend import Mode, blended, laid
from drawstring.core.alpha.shadow_checks import check_stack
from drawstring.core.alpha.stack import Laid, moved, nearer_share, stacked
from drawstring.core.camera import Camera, Moment
from drawstring.core.eyes.pair_views import pair_fault
from drawstring.core.passes import Role
from drawstring.core.recipe import Recipe, change

share = st.floats(0, 1, width=32)
light = st.floats(0, 12, width=32)


def soft_light(b, s):
    """10.1.10 of the recommendation, for one number."""
    d = ((16 * b - 12) * b + 4) * b if b <= 0.25 else b**0.5
    return b - (1 - 2 * s) * b * (1 - b) if s <= 0.5 else b + (2 * s - 1) * (d - b)


def hard_light(b, s):
    return 2 * b * s if s <= 0.5 else b + (2 * s - 1) - b * (2 * s - 1)


W3C = {
    Mode.MULTIPLY: lambda b, s: b * s,
    Mode.SCREEN: lambda b, s: b + s - b * s,
    Mode.OVERLAY: lambda b, s: hard_light(s, b),
    Mode.SOFT_LIGHT: soft_light,
    Mode.EXCLUSION: lambda b, s: b + s - 2 * b * s,
}


@given(st.sampled_from(list(W3C)), share, share, share, share)
@settings(deadline=None)  # compiled at the first call
def test_within_0_to_1_a_mode_is_the_recommendations(mode, cb, cs, ab, a):
    backdrop = np.full((1, 1, 4), cb * ab, np.float32)
    source = np.full((1, 1, 4), cs * a, np.float32)
    backdrop[..., 3], source[..., 3] = ab, a
    # 5.1: Cs = (1 - ab) Cs + ab B(Cb, Cs), then source over, all premultiplied.
    mixed = (1 - ab) * cs + ab * W3C[mode](cb, cs)
    wanted = a * mixed + (1 - a) * ab * cb
    made = laid(backdrop, source, mode)[0, 0]
    assert made[0] == pytest.approx(wanted, abs=2e-5)
    assert made[3] == pytest.approx(a + ab * (1 - a), abs=1e-6)


@given(st.sampled_from(list(Mode)), light, light)
@settings(deadline=None)
def test_above_1_no_mode_jumps_or_darkens_a_brighter_backdrop(mode, b, s):
    here, brighter = (float(blended(np.float32([v]), np.float32([s]), mode)[0]) for v in (b, b + 0.5))
    if b >= 1 and mode is not Mode.OVER:
        assert brighter >= here - 1e-4
    near = float(blended(np.float32([b + 1e-3]), np.float32([s]), mode)[0])
    assert abs(near - here) < 0.05 + 0.02 * s
    if mode is Mode.SCREEN:
        other = float(blended(np.float32([s]), np.float32([b]), mode)[0])
        assert other == pytest.approx(here, abs=1e-4), "which one lies below does not matter"


def test_over_and_add_keep_light_that_has_no_alpha():
    glow = np.float32([[[2.0, 1.0, 0.5, 0.0]]])
    ground = np.float32([[[0.25, 0.25, 0.25, 0.5]]])
    for mode in (Mode.OVER, Mode.ADD):
        np.testing.assert_allclose(laid(ground, glow, mode)[0, 0], [2.25, 1.25, 0.75, 0.5])


def test_amount_matte_holdout_and_what_came_without_alpha():
    red = np.zeros((2, 4, 4), np.float32)
    red[...] = (0.8, 0, 0, 1)
    matte = np.float32([[0, 0.5, 1, 1]] * 2)
    held = np.float32([[0, 0, 0.25, 1]] * 2)
    made = stacked([Laid(red, amount=0.5, matte=matte, held=held)], (2, 4))
    np.testing.assert_allclose(made[0, :, 3], [0, 0.25, 0.375, 0])
    # A picture without coverage changes what is below, and covers nothing more.
    below = Laid(red, matte=matte)
    plain = np.full((2, 4, 4), 0.5, np.float32)
    plain[..., 3] = 1
    dimmed = stacked([below, Laid(plain, Mode.MULTIPLY, has_alpha=False)], (2, 4))
    np.testing.assert_allclose(dimmed[0, :, 0], 0.4 * matte[0])
    np.testing.assert_allclose(dimmed[..., 3], matte)
    lit = stacked([below, Laid(plain, Mode.ADD, has_alpha=False)], (2, 4))
    np.testing.assert_allclose(lit[..., 3], matte)
    np.testing.assert_allclose(lit[0, :, 1], 0.5)


def test_an_element_goes_behind_a_thing_with_that_things_coverage():
    # A near disc before a far ground, anti-aliased; depth holds the nearer one wherever it is touched at all.
    fine = 8
    y, x = np.mgrid[: 60 * fine, : 80 * fine] / fine
    cover = ((x - 40) ** 2 + (y - 30) ** 2 < 18**2).reshape(60, fine, 80, fine).mean(axis=(1, 3))
    near, far = np.float32((0.8, 0.2, 0.1)), np.float32((0.1, 0.3, 0.6))
    picture = np.empty((60, 80, 4), np.float32)
    picture[..., :3] = cover[..., None] * near + (1 - cover[..., None]) * far
    picture[..., 3] = 1
    z = np.where(cover > 0, 3.0, 20.0).astype(np.float32)
    front = nearer_share(z, np.zeros(z.shape, bool), picture, 10.0)
    assert np.abs(front - cover).max() < 0.02
    own = np.full(z.shape, 10.0, np.float32)
    np.testing.assert_array_equal(nearer_share(z, np.zeros(z.shape, bool), picture, own), front)
    assert nearer_share(z, np.zeros(z.shape, bool), picture, 2.0).max() == 0
    assert nearer_share(z, np.zeros(z.shape, bool), picture, 50.0).min() > 0.999
    # Laid behind, the element shows where the thing does not; the thing's rim stays its own.
    green = np.zeros((60, 80, 4), np.float32)
    green[...] = (0, 1, 0, 1)
    made = stacked([Laid(picture), Laid(green, held=front)], (60, 80))
    rim = (cover > 0) & (cover < 1)
    wanted = cover[..., None] * picture[..., :3] + (1 - cover[..., None]) * np.float32((0, 1, 0))
    np.testing.assert_allclose(made[rim][:, :3], wanted[rim], atol=0.03)


@given(st.integers(-39, 39), st.integers(-29, 29))
def test_whole_pixels_keep_every_value(right, down):
    picture = np.random.default_rng(1).random((30, 40, 4), np.float32)
    made = moved(picture, right=right, down=down)
    back = moved(made, right=-right, down=-down)
    inside = np.zeros((30, 40), bool)
    inside[max(0, -down) : 30 - max(0, down), max(0, -right) : 40 - max(0, right)] = True
    np.testing.assert_array_equal(back[inside], picture[inside])
    assert (back[~inside] == 0).all()


@pytest.mark.parametrize("scale", [0.3, 0.5, 1.0, 1.7])
def test_scaled_and_moved_by_parts_of_pixels_light_and_middle_are_kept(scale):
    y, x = np.mgrid[:90, :160] + 0.5
    blob = np.exp(-((x - 70) ** 2 + (y - 40) ** 2) / 50)[..., None].repeat(4, axis=-1).astype(np.float32)
    made = moved(blob, right=7.25, down=-3.5, scale=scale, about=(80, 45))[..., 0]
    assert made.sum() == pytest.approx(blob[..., 0].sum() * scale**2, rel=0.01)
    middle = [(made * g).sum() / made.sum() for g in (x, y)]
    assert middle == pytest.approx([80 + scale * (70 - 80) + 7.25, 45 + scale * (40 - 45) - 3.5], abs=0.1)
    assert made.max() <= blob.max() + 1e-6, "no light is made"


def test_a_shot_of_layers_alone_is_seen_from_two_eyes_each_layer_by_its_own_distance():
    wide, high = 120, 20
    names = ("beauty", "plate", "card")
    passes = [a_pass(name, Role.BEAUTY if name == "beauty" else Role.PLATE, "RGBA") for name in names]
    planes, at = {}, {"beauty": (30, 0), "plate": (60, 1), "card": (90, 2)}
    for one in passes:
        column, colour = at[one.name]
        for i, ref in enumerate(one.channels):
            planes[ref] = np.zeros((high, wide), np.float32)
            planes[ref][:, column : column + 4] = 1.0 if i in (colour, 3) else 0.0
    recipe = Recipe()
    typed = {"eyes.needed": "yes", "eyes.came": "one eye", "eyes.making": "it is the middle"}
    typed |= {"eyes.interaxial": "0.2", "eyes.convergence": "5"}
    for place, (name, far) in enumerate((("beauty", "20"), ("plate", "5"), ("card", "2")), 1):
        typed |= {f"alpha.stack.{place}.source": name, f"alpha.stack.{place}.stands": far}
        recipe = change(recipe, {"alpha.stack.add": name}, scene_unit="m")
    for name, value in typed.items():
        recipe = change(recipe, {name: value}, scene_unit="m")
    moment = Moment(1, None, {(0, 0): Camera(focal_mm=50, filmback_mm=36)})
    eyes = [np.stack(each, axis=-1) for each in eyes_pulled("picture", planes, passes, recipe, moment)]
    focal = wide * 50 / 36
    for one, far in (("beauty", 20), ("plate", 5), ("card", 2)):
        column, colour = at[one]
        left, right = (np.average(np.arange(wide), weights=eye[..., colour].sum(0)) for eye in eyes)
        # Half of the parallax either way, from where the layer lay.
        wanted = 0.2 * focal * (1 / 5 - 1 / far)
        assert right - left == pytest.approx(wanted, abs=0.01)
        assert (left + right) / 2 == pytest.approx(column + 1.5)
    found = check_stack(recipe.alpha, {}, "x")
    assert not found
    turned = change(recipe, {"alpha.stack.1.stands": "1"}, scene_unit="m")
    assert [one.code for one in check_stack(turned.alpha, {}, "x")] == ["stack-order"]
    without = change(recipe, {"alpha.stack.3.stands": ""}, scene_unit="m")
    assert "nor has every layer a distance" in pair_fault(passes, without)
    assert not pair_fault(passes, recipe)
