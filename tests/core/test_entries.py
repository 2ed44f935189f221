"""Changes of everything below as entries of the stack: colour, glow, softening; keyed, within mattes."""

import numpy as np
import pytest
from makers import pulled
from scipy.ndimage import gaussian_filter
from test_chain import ONE, a_scene, at, picture_in, settings

from drawstring.core.alpha.layers import layer_fault
from drawstring.core.camera import Place
from drawstring.core.chain import PICTURE
from drawstring.core.colour.grade import GradeSettings, graded
from drawstring.core.entries import Below, entry_kinds
from drawstring.core.errors import SettingError
from drawstring.core.finishing.optics import GlowSettings, SoftenSettings, glowing, softened
from drawstring.core.io.facts import Window
from drawstring.core.recipe import Recipe, change
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.recipe import upgraded

PLANES = a_scene()


def laid(*entries: dict[str, str]) -> Recipe:
    """A stack of the beauty with changes above it."""
    recipe = settings(alpha__stack__add="beauty")
    for place, entry in enumerate(entries, 2):
        for name, value in entry.items():
            dotted = "alpha.stack.add" if name == "add" else f"alpha.stack.{place}.{name}"
            recipe = change(recipe, {dotted: value}, scene_unit="m")
    return recipe


def picture(recipe: Recipe, frame: int = 1) -> np.ndarray:
    return np.stack(pulled(PICTURE, PLANES, ONE, recipe, at(frame)), axis=-1)


def test_a_change_takes_all_that_lies_below_and_nothing_that_lies_above():
    came = picture_in(PLANES)
    recipe = laid({"add": "grade", "change.exposure": "1"})
    np.testing.assert_allclose(picture(recipe), came * [2, 2, 2, 1], atol=1e-6)
    below = change(recipe, {"alpha.stack.2.place": "1"}, scene_unit="m")
    np.testing.assert_allclose(picture(below), came, atol=1e-6)
    half = change(recipe, {"alpha.stack.2.amount": "0.25"}, scene_unit="m")
    np.testing.assert_allclose(picture(half), came * [1.25, 1.25, 1.25, 1], atol=1e-6)
    off = change(recipe, {"alpha.stack.2.on": "no"}, scene_unit="m")
    np.testing.assert_allclose(picture(off), came, atol=1e-6)
    twice = laid({"add": "grade", "change.slope": "2 1 1"}, {"add": "grade", "change.offset": "0.1"})
    wanted = graded(graded(came, GradeSettings(slope=(2, 1, 1))), GradeSettings(offset=(0.1, 0.1, 0.1)))
    np.testing.assert_allclose(picture(twice), wanted, atol=1e-6)


def test_a_change_is_keyed_limited_by_a_matte_and_kept_with_the_recipe():
    recipe = laid(
        {
            "add": "grade",
            "change.exposure@1": "0",
            "change.exposure@5": "2",
            "change.exposure@1.then": "linear",
        }
    )
    np.testing.assert_allclose(picture(recipe, 3), picture_in(PLANES) * [2, 2, 2, 1], rtol=1e-5, atol=1e-6)
    assert upgraded(recipe.as_dict()) == recipe
    shape = {"mattes.add": "left", "mattes.1.source": "drawn", "mattes.1.shape": "0,0 48,0 48,64 0,64"}
    masked = recipe
    for name, value in shape.items():
        masked = change(masked, {f"alpha.{name}": value}, scene_unit="m")
    masked = change(masked, {"alpha.stack.2.matte": "left"}, scene_unit="m")
    got = np.stack(pulled(PICTURE, PLANES, ONE, masked, at(3, Window(0, 0, 95, 63))), axis=-1)
    came = picture_in(PLANES)
    inside = (slice(2, -2), slice(2, 46))
    np.testing.assert_allclose(got[inside], came[inside] * [2, 2, 2, 1], rtol=1e-5, atol=1e-6)
    np.testing.assert_allclose(got[:, 49:], came[:, 49:], atol=1e-6)


def test_changes_alone_change_nothing_and_unknown_ones_are_refused():
    alone = settings(alpha__stack__add="glow")
    assert not picture(alone).any()
    with pytest.raises(SettingError, match="can't be"):
        laid({"add": "glow", "change.reach": "-4"})
    with pytest.raises(SettingError, match="no setting"):
        laid({"add": "glow", "change.colour": "1 1 1"})
    later = settings(alpha__stack__add="beauty").as_dict()
    later["alpha"]["stack"][0] |= {"does": "rain", "change": {"drops": 3}}
    recipe = upgraded(later)
    assert "knows no change “rain”" in layer_fault(
        recipe.alpha.stack[0], ONE, recipe, Chains(ONE, recipe).find
    )


def test_a_glow_spreads_the_light_above_a_limit_and_makes_none_beside_its_share():
    dark = np.zeros((201, 201, 4), np.float32)
    dark[100, 100] = [9, 3, 0, 1]
    how = GlowSettings(above=1, strength=0.5, reach=20, tint=(1, 0.5, 1))
    made = glowing(dark, how)
    added = (made - dark)[..., :3].sum(axis=(0, 1), dtype=np.float64)
    # Of 9 : 3 : 0, eight ninths lie above 1.
    np.testing.assert_allclose(added, np.array([9, 3, 0]) * (8 / 9) * 0.5 * [1, 0.5, 1], rtol=1e-3)
    np.testing.assert_array_equal(made[..., 3], dark[..., 3])
    # Three Gaussians of closed form: at the middle 1 / (2 pi s^2) each.
    peak = sum(1 / (2 * np.pi * (20 * share * 0.5) ** 2) / 3 for share in (0.25, 0.5, 1))
    assert made[100, 100, 0] - 9 == pytest.approx(8 * 0.5 * peak, rel=0.02)
    assert np.array_equal(glowing(dark, GlowSettings(above=9.5)), dark)
    small = glowing(dark[::2, ::2], how, step=2)
    assert small[50, 60, 0] == pytest.approx(4 * made[100, 120, 0], rel=0.1)
    dark[3, 3] = np.nan
    assert np.isfinite(glowing(dark, how)[50:]).all()


def test_softening_is_the_gaussian_of_its_radius():
    came = picture_in(PLANES)
    got = softened(came, SoftenSettings(radius=5))
    np.testing.assert_allclose(got, gaussian_filter(came, (2.5, 2.5, 0), mode="nearest"), atol=2e-3)
    assert softened(came, SoftenSettings(radius=0)) is came


def test_what_is_all_round_glows_and_softens_round_the_seam_and_has_no_lens():
    light = np.zeros((40, 120, 4), np.float32)
    light[18:22, :3] = [8, 8, 8, 1]
    window = Window(0, 0, 119, 39)
    below = Below(Place(window, window), 1, wraps=True)
    for kind, now in (("glow", GlowSettings(reach=20)), ("soften", SoftenSettings(radius=12))):
        made = entry_kinds()[kind].change
        # Turned by half before and back after is the same: the seam is no place of its own.
        turned = np.roll(made(np.roll(light, 60, axis=1), now, below), -60, axis=1)
        np.testing.assert_allclose(made(light, now, below), turned, atol=2e-5)
        flat = made(light, now, Below(Place(window, window), 1))
        assert np.abs(flat - turned)[:, -10:].max() > 0.01
    for kind in ("zoom_blur", "reflections"):
        recipe = change(laid({"add": kind}), {"eyes.is_round": "yes"}, scene_unit="m")
        assert "no centre" in layer_fault(recipe.alpha.stack[1], ONE, recipe, Chains(ONE, recipe).find)
