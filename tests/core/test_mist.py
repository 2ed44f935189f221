"""Mist: laws against closed forms, height against numerical sums, and edges against a renderer's own fog."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.integrate import quad

from drawstring.core.camera import Camera, Place, directions
from drawstring.core.depth import Along, Falloff, MistLayer, UpAxis, converted
from drawstring.core.depth.mist import Scene, amount_at, kept_clear, mist_amount, over
from drawstring.core.drawn import shape_matte
from drawstring.core.io.facts import Window
from drawstring.core.passes.hashed import coverage_of, name_bits, names_in
from drawstring.standins.renderer import View, render
from drawstring.standins.tidewrack import scenes

LAWS = {
    Falloff.LINEAR: lambda z, s, d, b: min(max((z - s) / d, 0), 1),
    Falloff.SQUARE: lambda z, s, d, b: min(max((z - s) / d, 0), 1) ** 2,
    Falloff.ROOT: lambda z, s, d, b: min(max((z - s) / d, 0), 1) ** 0.5,
    Falloff.EXPONENTIAL: lambda z, s, d, b: 1 - np.exp(-b * max(z - s, 0)),
}


@given(
    z=st.floats(0.125, 500, width=32), start=st.floats(0, 50), depth=st.floats(0.5, 200),
    density=st.floats(0, 0.5), law=st.sampled_from(Falloff), low=st.floats(0, 0.8),
    high=st.floats(0, 1), strength=st.floats(0, 1),
)  # fmt: skip
def test_every_law_is_its_closed_form_cut_capped_and_laid_on(
    z, start, depth, density, law, low, high, strength
):
    layer = MistLayer(
        start=start, depth=depth, density=density, falloff=law, low=low, high=high, strength=strength
    )
    wanted = max(LAWS[law](z, start, depth, density) - low, 0) / (1 - low) * high * strength
    assert float(amount_at(np.float32([z]), layer)[0]) == pytest.approx(wanted, abs=3e-4)
    further = amount_at(np.float32([z, z * 1.5, np.inf]), layer)
    assert (np.diff(further) >= 0).all(), "never less mist further away"


def place(width: int, height: int) -> Place:
    window = Window(0, 0, width - 1, height - 1)
    return Place(window, window)


def scene(z: np.ndarray, **more: object) -> Scene:
    known = {"camera": Camera(), "place": place(z.shape[1], z.shape[0]), "heights": {}} | more
    return Scene(z=z.astype(np.float32), nothing=~np.isfinite(z), **known)


@pytest.mark.parametrize("along", list(Along))
def test_mist_that_thins_with_height_is_the_sum_of_its_density_along_the_ray(along):
    # A camera at 3 m, tilted up a little, y up.
    c, s = np.cos(0.2), np.sin(0.2)
    turn = np.array([[1, 0, 0, 0], [0, c, -s, 0], [0, s, c, 0], [0, 0, 0, 1.0]])
    turn[3, :3] = -np.array([0, 3, 0]) @ turn[:3, :3]
    camera = Camera(focal_mm=20, filmback_mm=36, world_to_camera=tuple(turn.ravel()))
    layer = MistLayer(start=2, density=0.04, falloff="exponential", base=1.0, thins=2.5, up="y")
    z = np.array([[5, 20, 80, np.inf], [3, 8, 30, np.inf], [4, 6, 10, 15]], float)
    there = scene(z, camera=camera, along=along)
    before, behind = mist_amount(there, layer)
    rays = directions(camera, there.place, z.shape)
    # For each unit of the distance that is counted in.
    climb = rays[..., 1] / (rays @ camera.forward if along is Along.AXIS else 1)
    for row, col in np.ndindex(z.shape):

        def density(t, g=climb[row, col]):
            return 0.04 * np.exp(-max(3 + g * t - 1, 0) / 2.5)

        if np.isfinite(z[row, col]) and z[row, col] > 2:
            thick, _ = quad(density, 2, z[row, col], limit=200)
            assert before[row, col] == pytest.approx(1 - np.exp(-thick), abs=2e-4)
    assert (behind[climb < 0] > 0.999).all() and (behind[climb > 0.1] < 1).all(), (
        "looking up ends in clear air"
    )
    # For other laws the point's own height counts.
    heights = {UpAxis.Y: np.full(z.shape, 6, np.float32)}
    linear = MistLayer(start=0, depth=10, base=1.0, thins=2.5)
    flat, _ = mist_amount(scene(z, heights=heights), linear)
    np.testing.assert_allclose(flat[2], np.clip(z[2] / 10, 0, 1) * np.exp(-2), rtol=1e-5)


def test_premultiplied_edges_carry_as_much_mist_as_element():
    alpha = np.float32([[1, 1, 0.6, 0.25, 0, 0]])
    colour = np.float32([0.8, 0.1, 0.2])
    picture = np.concatenate([alpha[..., None] * colour, alpha[..., None]], axis=-1).astype(np.float32)
    z = np.where(alpha > 0, 10, np.inf)
    mist = MistLayer(start=0, depth=20, colour=(0.5, 0.5, 0.6), beyond="clear")
    laid, amount = over(picture, scene(z, alpha=alpha), (mist,))
    # Taken off its alpha, every pixel of the element is one colour: half itself, half mist.
    seen = alpha[0] > 0
    np.testing.assert_allclose(
        laid[0, seen, :3] / alpha[0, seen, None], [colour / 2 + [0.25, 0.25, 0.3]] * 4, rtol=1e-5
    )
    np.testing.assert_array_equal(laid[..., 3], alpha)
    np.testing.assert_allclose(amount, alpha / 2, atol=1e-6)
    # Over the background too: what is not covered is filled by mist, and alpha says so.
    full, _ = over(picture, scene(z, alpha=alpha), (replace_layer(mist, beyond="full"),))
    np.testing.assert_allclose(full[0, 4], [0.5, 0.5, 0.6, 1], atol=1e-6)
    np.testing.assert_allclose(full[..., 3], 1, atol=1e-6)
    muted, none = over(picture, scene(z), (replace_layer(mist, on=False),))
    assert (muted == picture).all() and not none.any()


def replace_layer(layer: MistLayer, **values: object) -> MistLayer:
    return MistLayer.model_validate(layer.model_dump() | values)


def test_mists_lie_one_upon_the_other_in_their_order():
    picture = np.float32([[[0.2, 0.4, 0.6, 1]]])
    first = MistLayer(start=0, depth=20, colour=(1, 0, 0))
    second = MistLayer(start=0, depth=40, colour=(0, 0, 1))
    laid, amount = over(picture, scene(np.array([[10.0]])), (first, second))
    by_hand = (picture[0, 0, :3] * 0.5 + np.array([0.5, 0, 0])) * 0.75 + np.array([0, 0, 0.25])
    np.testing.assert_allclose(laid[0, 0, :3], by_hand, rtol=1e-6)
    assert amount[0, 0] == pytest.approx(1 - 0.5 * 0.75)
    other, _ = over(picture, scene(np.array([[10.0]])), (second, first))
    assert not np.allclose(other, laid)


@pytest.mark.parametrize("is_visible", [False, True])
def test_edges_come_out_as_the_renderer_fogs_them(is_visible):
    """Against the stand-in's fog: even density along each ray, the same samples with and without it."""
    yard, camera = scenes.fog_yard(), scenes.fog_yard_camera(0.3)
    width, height, density, colour = 240, 135, 0.03, (0.58, 0.56, 0.55)

    def made(fog: float) -> object:
        sky = (0.4, 0.42, 0.45)
        yard.sky = replace(
            yard.sky, zenith=sky, horizon=sky, is_visible=is_visible, fog_per_m=fog, fog_colour=colour
        )
        return render(yard.packed(), camera, View(width, height, samples=5, is_thrifty=False), seed=3)

    clear, fogged = made(0.0), made(density)
    z = clear.planes["depth.Z"]
    nothing = ~np.isfinite(z)
    lens = Camera(focal_mm=camera.focal_mm, filmback_mm=camera.filmback_mm)
    at = place(width, height)
    ray = converted(z, lens, at, held=Along.AXIS, wanted=Along.RAY)
    mist = MistLayer(start=0, density=density, falloff="exponential", colour=colour, beyond="clear")
    there = Scene(ray, nothing, lens, at, {}, alpha=clear.beauty[..., 3])
    laid, _ = over(clear.beauty, there, (mist,))
    amount = np.where(nothing, 0, 1 - np.exp(-density * ray))[..., None]
    plain = clear.beauty[..., :3] * (1 - amount) + amount * clear.beauty[..., 3:] * np.float32(colour)
    # The stand-in fogs its sky by a rule of its own, so sky itself is left out, but not the edges against it.
    deep = nothing & (np.pad(~nothing, 1)[1:-1, 1:-1] == 0)
    error, plain_error = (
        np.abs(one - fogged.beauty[..., :3]).max(axis=-1)[~deep] for one in (laid[..., :3], plain)
    )
    assert np.median(error) < 0.002
    assert (error**2).mean() < (0.9 if is_visible else 0.75) * (plain_error**2).mean(), (
        "nearer to the truth than one amount to a pixel"
    )
    assert (error > 0.05).mean() < (plain_error > 0.05).mean()


def test_subjects_are_kept_clear_by_name_by_shape_and_by_alpha():
    names = np.array([[name_bits("buoy"), name_bits("crane")]] * 2, np.uint32).view(np.float32)
    ranks = [names, np.float32([[1, 0.75]] * 2), names[:, ::-1].copy(), np.float32([[0, 0.25]] * 2)]
    np.testing.assert_array_equal(coverage_of("buoy", ranks), [[1, 0.25]] * 2)
    assert names_in({"cryptomatte/1/manifest": '{"buoy":"1"}', "cryptomatte/2/manifest": "{torn"}) == ["buoy"]
    z = np.full((2, 2), 10.0)
    there = scene(z, mattes={"buoy": coverage_of("buoy", ranks)}, alpha=np.float32([[0, 0], [0, 1]]))
    layer = MistLayer(start=0, depth=10, clear_names=("buoy", "unknown"), clear_alpha=True)
    np.testing.assert_allclose(mist_amount(there, layer)[0], [[0, 0.75], [0, 0]], atol=1e-6)
    # A half-covered pixel of a shape is half kept: the area of a triangle comes out of its matte.
    wide = place(40, 30)
    matte = shape_matte((3.25, 2.5, 33.0, 5.0, 10.0, 27.75), wide, (30, 40))
    area = abs((33 - 3.25) * (27.75 - 2.5) - (10 - 3.25) * (5 - 2.5)) / 2
    assert matte.sum() == pytest.approx(area, rel=0.01) and 0 < matte[3, 6] <= 1
    half = Place(wide.window, wide.display, step=2)
    assert shape_matte((3.25, 2.5, 33.0, 5.0, 10.0, 27.75), half, (15, 20)).sum() * 4 == pytest.approx(
        area, rel=0.02
    )
    soft = kept_clear(
        scene(np.full((30, 40), 9.0)),
        MistLayer(clear_shape=(10.0, 5.0, 30.0, 5.0, 30.0, 25.0, 10.0, 25.0), clear_soft=6),
    )
    assert soft[15, 20] > 0.99 and 0.3 < soft[15, 10] < 0.7 and soft[15, 1] < 0.02


def test_a_mist_pass_of_the_renderer_can_take_the_place_of_depth():
    given_pass = np.float32([[0, 0.25, 1, np.nan]])
    there = scene(np.full((1, 4), 5.0), given=given_pass)
    layer = MistLayer(source="mist pass", falloff="root", high=0.5)
    np.testing.assert_allclose(mist_amount(there, layer)[0], [[0, 0.25, 0.5, 0]], atol=1e-6)
