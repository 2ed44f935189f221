"""Framing: filters against other libraries, lenses against OpenCV, maps against cameras and closed forms."""

from dataclasses import replace

import cv2
import numpy as np
import OpenEXR
import pytest
from makers import eyes_pulled, pulled
from PIL import Image
from scipy.ndimage import map_coordinates

from drawstring.core.camera import Camera, Moment, Place
from drawstring.core.chain import Stage
from drawstring.core.colour.kept_files import keep_file
from drawstring.core.errors import SettingError
from drawstring.core.framing.checks import check_framing
from drawstring.core.framing.coverage import coverage
from drawstring.core.framing.exact import Exact, chosen
from drawstring.core.framing.filters import Filter
from drawstring.core.framing.fitting import Told, fit_of
from drawstring.core.framing.grid import GridPlan, grid
from drawstring.core.framing.lens import Lens, Model
from drawstring.core.framing.lens_map import check_map
from drawstring.core.framing.map import inset, map_of, shake_at
from drawstring.core.framing.resizing import apart_again, in_fours, resized_picture
from drawstring.core.framing.sampling import sampled_picture
from drawstring.core.framing.settings import FramingSettings, ShakeSettings, read_sides, read_size
from drawstring.core.io.facts import ChannelRef, Window
from drawstring.core.passes import Pass, Role
from drawstring.core.passes.recombining import recombined
from drawstring.core.recipe import Recipe, change
from drawstring.core.recipe.chains import Chains
from drawstring.core.text import write_text
from drawstring.standins.renderer import View, render
from drawstring.standins.tidewrack import scenes

W, H = 96, 64


def resized(plane, *where, **how):
    """One plane alone."""
    return resized_picture(np.float32(plane)[..., None], *where, **how)[..., 0]


def sampled(planes, *where, **how):
    """Any number of planes."""
    return apart_again([sampled_picture(each, *where, **how) for each in in_fours(planes)], len(planes))


RANDOM = np.random.default_rng(16)
NOISE = RANDOM.random((137, 211)).astype(np.float32)


def middles(count: int, whole: int) -> tuple[np.ndarray, float]:
    size = whole / count
    return (np.arange(count) + 0.5) * size, size


def by_hand(plane: np.ndarray, count: int, kernel, radius: float) -> np.ndarray:
    """Resample columns by a filter, straight from its definition."""
    size = plane.shape[1] / count
    wide = max(1.0, size)
    made = np.zeros((plane.shape[0], count))
    for i in range(count):
        middle = (i + 0.5) * size
        taps = [j for j in range(plane.shape[1]) if abs(j + 0.5 - middle) < radius * wide]
        weights = np.array([kernel(abs(j + 0.5 - middle) / wide) for j in taps])
        made[:, i] = plane[:, taps] @ (weights / weights.sum())
    return made


def mitchell(x: float) -> float:
    b = c = 1 / 3
    if x < 1:
        return ((12 - 9 * b - 6 * c) * x**3 + (-18 + 12 * b + 6 * c) * x**2 + 6 - 2 * b) / 6
    return ((-b - 6 * c) * x**3 + (6 * b + 30 * c) * x**2 + (-12 * b - 48 * c) * x + 8 * b + 24 * c) / 6


@pytest.mark.parametrize("size", [(90, 60), (211, 137), (400, 300), (31, 200), (1, 1)])
def test_filters_are_those_of_other_libraries(size):
    (x, across), (y, down) = middles(size[0], 211), middles(size[1], 137)
    grid = np.meshgrid(x, y)
    sizes = np.full_like(grid[0], across), np.full_like(grid[0], down)
    theirs = {
        Filter.LANCZOS: np.asarray(Image.fromarray(NOISE).resize(size, Image.Resampling.LANCZOS)),
        Filter.CUBIC: np.asarray(Image.fromarray(NOISE).resize(size, Image.Resampling.BICUBIC)),
        Filter.MITCHELL: by_hand(by_hand(NOISE, size[0], mitchell, 2).T, size[1], mitchell, 2).T,
    }
    if min(across, down) >= 1:
        theirs[Filter.AREA] = cv2.resize(NOISE, size, interpolation=cv2.INTER_AREA)
    for kind, meant in theirs.items():
        ours = resized(NOISE, x, y, (across, down), kind, threads=2)
        np.testing.assert_allclose(ours, meant, atol=1e-5, err_msg=kind)
        if max(across, down) < 30:
            np.testing.assert_allclose(sampled([NOISE], *grid, sizes, kind)[0], meant, atol=1e-5)
    # Held, a hard edge stays between its two sides; nothing else does.
    edge = np.repeat(np.float32([[0.2, 0.9]]), 100, axis=1) * np.ones((40, 1), np.float32)
    (x, across), (y, down) = middles(67, 200), middles(40, 40)
    free = resized(edge, x, y, (across, down), Filter.LANCZOS)
    held = resized(edge, x, y, (across, down), Filter.LANCZOS, is_held=True)
    assert free.min() < 0.19 and free.max() > 0.91 and held.min() >= 0.2 and held.max() <= np.float32(0.9)


def test_true_values_stay_true_and_shares_add_up():
    numbers = RANDOM.integers(0, 4, (60, 90)).astype(np.uint32)
    z = (RANDOM.random((60, 90)) * 50 + 1).astype(np.float32)
    (x, across), (y, down) = middles(30, 90), middles(20, 60)
    grid = np.meshgrid(x, y)
    sizes = np.full_like(grid[0], across), np.full_like(grid[0], down)
    blocks = z.reshape(20, 3, 30, 3).transpose(0, 2, 1, 3).reshape(20, 30, 9)
    np.testing.assert_array_equal(chosen(z, *grid, sizes, Exact.LOWEST), blocks.min(-1))
    np.testing.assert_array_equal(chosen(z, *grid, sizes, Exact.HIGHEST), blocks.max(-1))
    np.testing.assert_array_equal(chosen(z, *grid, sizes, Exact.NEAREST), z[1::3, 1::3])
    tiles = numbers.reshape(20, 3, 30, 3).transpose(0, 2, 1, 3).reshape(20, 30, 9)
    counts = np.stack([(tiles == n).sum(-1) for n in range(4)], -1)
    most = chosen(numbers, *grid, sizes, Exact.MOST)
    assert most.dtype == np.uint32
    taken = np.take_along_axis(counts, most.astype(int)[..., None], -1)[..., 0]
    np.testing.assert_array_equal(taken, counts.max(-1))
    half = chosen(z.astype(np.float16), *grid, sizes, Exact.LOWEST)
    assert half.dtype == np.float16
    np.testing.assert_array_equal(half, blocks.astype(np.float16).min(-1))
    # Names and coverages: what a dictionary of each block says.
    names = (RANDOM.integers(1, 4, (2, 60, 90)).astype(np.uint32) * 0x3F000001).view(np.float32)
    shares = RANDOM.random((2, 60, 90)).astype(np.float32) / 2
    made = recombined([names[0], shares[0], names[1], shares[1]], grid[0] - 0.5, grid[1] - 0.5, sizes=sizes)
    for row, col in ((0, 0), (7, 19), (19, 29)):
        block = slice(3 * row, 3 * row + 3), slice(3 * col, 3 * col + 3)
        said: dict[int, float] = {}
        for rank in range(2):
            bits = names[rank].view(np.uint32)[block].ravel()
            for name, share in zip(bits, shares[rank][block].ravel(), strict=True):
                said[int(name)] = said.get(int(name), 0) + float(share) / 9
        meant = sorted(said.items(), key=lambda item: -item[1])[:2]
        ours = [(int(n.view(np.uint32)[row, col]), float(s[row, col])) for n, s in (made[:2], made[2:])]
        assert [name for name, _ in ours] == [name for name, _ in meant]
        np.testing.assert_allclose([s for _, s in ours], [s for _, s in meant], rtol=1e-5)


def test_lenses_are_opencvs_and_come_back():
    y, x = np.mgrid[-0.6:0.6:67j, -1.05:1.05:120j]
    lens = Lens(Model.RADIAL, (-0.12, 0.03, -0.004), (0.002, -0.001))
    flat = np.stack([x.ravel(), y.ravel(), np.ones(x.size)], -1)
    terms = np.array([-0.12, 0.03, 0.002, -0.001, -0.004])
    theirs = cv2.projectPoints(flat, np.zeros(3), np.zeros(3), np.eye(3), terms)[0][:, 0]
    np.testing.assert_allclose(np.stack(lens.bent(x, y), -1).reshape(-1, 2), theirs, atol=1e-12)
    division = Lens(Model.DIVISION, (-0.1, 0.01, 0))
    square = x**2 + y**2
    np.testing.assert_allclose(division.straight(x, y)[0], x / (1 - 0.1 * square + 0.01 * square**2))
    aside = replace(lens, centre=(0.1, -0.05), aspect=1.8)
    for one in (lens, division, aside, Lens(Model.RADIAL, (0.2, 0.05, 0))):
        back = one.straight(*one.bent(x, y))
        # A pixel of 4K is a 1920th of a half width.
        assert np.abs(np.stack(back) - np.stack([x, y])).max() * 1920 < 1e-4, one
    # A lens that turns back on itself shows nothing out there, and is refused within the frame.
    folding = Lens(Model.RADIAL, (-0.5, 0, 0))
    assert np.isnan(folding.straight(np.array([[0.9]]), np.array([[0.0]]))[0]).all()
    with pytest.raises(SettingError, match="folds over itself"):
        change(Recipe(), {"framing.lens.bends": "scene", "framing.lens.k": "-0.5"}, scene_unit="m")


def test_sizes_and_sides_are_typed_as_people_do():
    assert read_size("1920 x 1080", "") == read_size("hd", "") == (1920, 1080)
    assert read_sides("10 %", "") == (-0.05,) * 4 and read_sides("5% per side", "") == (-0.05,) * 4
    # 10 % in total of 1920 are 96 a side of a picture of 2112.
    whole = Window(0, 0, 2111, 1187)
    assert inset(whole, read_sides("10 %", "")) == Window(96, 54, 2015, 1133)
    assert inset(whole, read_sides("96 54", "")) == Window(96, 54, 2015, 1133)
    assert inset(whole, read_sides("100 50 92 58", "")) == Window(100, 50, 2019, 1129)
    for odd in ("", "1920", "0x10", "99999x2", "a x b"):
        with pytest.raises(SettingError):
            read_size(odd, "framing.size")
    for odd in ("-5 %", "500 %", "1 2 3", "wide"):
        with pytest.raises(SettingError):
            read_sides(odd, "framing.arrived")


PLACE = Place(Window(-10, -6, 105, 69), Window(0, 0, 95, 63))


def framing(**typed: str) -> FramingSettings:
    values = {f"framing.{name.replace('__', '.')}": value for name, value in typed.items()}
    return change(Recipe(), {"framing.needed": "yes", **values}, scene_unit="m").framing


MOVED = {"whole__right": "7", "whole__down": "-3", "whole__scale": "120", "whole__turn": "9"}


@pytest.mark.parametrize("typed", [{}, MOVED, {**MOVED, "size": "48x40", "fit": "fill"}, {"size": "192x128"}])
def test_the_camera_that_is_written_sees_what_goes_out(typed):
    framed = map_of(framing(**typed), PLACE, 1)
    matrix = np.eye(4)
    matrix[:3, :3], _ = np.linalg.qr(RANDOM.normal(size=(3, 3)))
    matrix[3, :3] = 1, -2, 0.5
    came = Camera(35, 36, tuple(matrix.ravel()), shift=0.02, drop=-0.03)
    goes = framed.camera(came)

    def seen(camera: Camera, place: Place, points: np.ndarray) -> np.ndarray:
        """By the matrix and the film alone."""
        at = np.c_[points, np.ones(len(points))] @ np.reshape(camera.world_to_camera, (4, 4))
        right, down = at[:, 0] / -at[:, 2] - camera.shift, -at[:, 1] / -at[:, 2] - camera.drop
        shown = place.display
        per = shown.width * camera.focal_mm / camera.filmback_mm
        x = shown.x_min + shown.width / 2 + right * per
        return np.stack([x, shown.y_min + shown.height / 2 + down * per * place.pixel_aspect], -1)

    local = np.c_[RANDOM.uniform(-2, 2, (50, 2)), RANDOM.uniform(-9, -4, 50)]
    points = np.c_[local, np.ones(50)] @ np.linalg.inv(matrix)
    before = seen(came, PLACE, points[:, :3])
    out = replace(PLACE, window=framed.display, display=framed.display, pixel_aspect=framed.pixel_aspect)
    meant = np.stack(framed.forth(before[:, 0], before[:, 1]), -1)
    np.testing.assert_allclose(seen(goes, out, points[:, :3]), meant, atol=1e-6)


def a_pass(name: str, role: Role, suffixes: str, kind: str = "float") -> Pass:
    refs = tuple(ChannelRef(0, f"{name}.{s}") for s in suffixes)
    return Pass(name, name, role, 1.0, "", "", refs, tuple(suffixes), (kind,) * len(suffixes))


PASSES = [
    a_pass("beauty", Role.BEAUTY, "RGBA"),
    a_pass("depth", Role.DEPTH, "Z"),
    a_pass("plate", Role.PLATE, "RGB"),
    a_pass("object_id", Role.ID, "X", "uint"),
]


def planes_in(window: Window, *, slant: tuple[float, float] = (0.004, 0.003)) -> dict[ChannelRef, np.ndarray]:
    """A gradient over places, so that every sample is known in closed form; steps in depth and numbers."""
    y, x = np.mgrid[window.y_min : window.y_max + 1, window.x_min : window.x_max + 1].astype(np.float64) + 0.5
    light = [0.3 + slant[0] * x + slant[1] * y * (i + 1) for i in range(3)]
    planes = dict(zip(PASSES[0].channels, [*light, np.ones_like(x)], strict=True))
    planes[PASSES[1].channels[0]] = np.where((x // 7 + y // 5) % 2 == 0, 3.25, 17.5)
    planes |= dict(zip(PASSES[2].channels, [0.1 + 0.005 * x] * 3, strict=True))
    made = {ref: plane.astype(np.float32) for ref, plane in planes.items()}
    return made | {PASSES[3].channels[0]: ((x // 6) % 5).astype(np.uint32)}


def recipe_of(**typed: str) -> Recipe:
    recipe = change(Recipe(), {"framing.needed": "yes"}, scene_unit="m")
    for name, text in typed.items():
        dotted = name.replace("__", ".")
        dotted = dotted if dotted.partition(".")[0] in type(recipe).model_fields else f"framing.{dotted}"
        recipe = change(recipe, {dotted: text}, scene_unit="m")
    return recipe


def moment(place: Place) -> Moment:
    return Moment(1, place, {(0, 0): Camera(50, 36)})


@pytest.mark.parametrize(
    "typed",
    [
        {"size": "48x32"},
        {"size": "200x100", "fit": "fill", "light": "cubic"},
        {**MOVED, "light": "cubic"},
        {**MOVED, "light": "area", "size": "70x50"},
        {"whole__right": "2.5", "light": "cubic", "outside": "filled"},
        {"pixel_aspect": "2", "light": "mitchell"},
    ],
)
def test_gradients_come_out_as_their_closed_form(typed):
    recipe, planes = recipe_of(**typed), planes_in(PLACE.window)
    beauty = pulled("beauty", planes, PASSES, recipe, moment(PLACE))
    place = Chains(PASSES, recipe).place_of(PLACE, 1)
    assert beauty[0].shape == (place.window.height, place.window.width)
    framed = map_of(recipe.framing, PLACE, 1)
    x, y = place.pixels(beauty[0].shape)
    u, v = framed.back(*np.broadcast_arrays(x, y))
    # Away from the picture's own rim, where a filter finds fewer pixels.
    inner = (u > -6) & (u < 102) & (v > -2) & (v < 66)
    assert inner.mean() > 0.5
    meant = 0.3 + 0.004 * u + 0.003 * v * 2
    tolerance = 2e-5 if recipe.framing.light in (Filter.CUBIC, Filter.MITCHELL) else 2e-3
    np.testing.assert_allclose(beauty[1][inner], meant[inner], atol=tolerance)
    depth = pulled("depth", planes, PASSES, recipe, moment(PLACE))[0]
    assert set(np.unique(depth[inner])) <= {np.float32(3.25), np.float32(17.5)}
    number = pulled("object_id", planes, PASSES, recipe, moment(PLACE))[0]
    assert number.dtype == np.uint32 and set(np.unique(number[inner])) <= set(range(5))


def test_a_turned_picture_is_scipys_and_a_window_equals_the_cut_of_a_larger_one():
    smooth = cv2.GaussianBlur(RANDOM.random((H + 12, W + 20)).astype(np.float32), (0, 0), 3)
    planes = planes_in(PLACE.window) | dict.fromkeys(PASSES[0].channels, smooth[:76, :116])
    recipe = recipe_of(whole__turn="31", whole__right="4.25", light="cubic")
    ours = pulled("beauty", planes, PASSES, recipe, moment(PLACE))[0]
    framed, place = map_of(recipe.framing, PLACE, 1), Chains(PASSES, recipe).place_of(PLACE, 1)
    x, y = place.pixels(ours.shape)
    u, v = framed.back(*np.broadcast_arrays(x, y))
    theirs = map_coordinates(smooth[:76, :116], [v + 6 - 0.5, u + 10 - 0.5], order=3, mode="constant", cval=0)
    inner = (u > -7) & (u < 103) & (v > -3) & (v < 67)
    assert np.abs(ours - theirs)[inner].max() < 2e-3
    # The same picture in a larger array of nothing comes out the same, pixel by pixel.
    wide = Place(Window(-30, -20, 125, 83), PLACE.display)
    padded = {}
    for ref, plane in planes.items():
        padded[ref] = np.zeros((104, 156), plane.dtype)
        padded[ref][14 : 14 + 76, 20 : 20 + 116] = plane
    for name, order in (("beauty", 0), ("depth", 0), ("object_id", 0)):
        cut, whole = (
            pulled(name, these, PASSES, recipe, moment(its))[order]
            for these, its in ((planes, PLACE), (padded, wide))
        )
        out, larger = (Chains(PASSES, recipe).place_of(its, 1).window for its in (PLACE, wide))
        top, left = out.y_min - larger.y_min, out.x_min - larger.x_min
        assert top >= 0 and left >= 0
        same = whole[top : top + out.height, left : left + out.width]
        np.testing.assert_allclose(cut[inner], same[inner], atol=1e-5)


def test_the_plate_stays_where_the_render_is_moved_and_bent():
    planes = planes_in(PLACE.window)
    plain = pulled("plate", planes, PASSES, Recipe(), moment(PLACE))[0]
    moved = recipe_of(framing__scene__right="5", light="cubic")
    shown = map_of(moved.framing, PLACE, 1)
    assert shown.way("plate") == pytest.approx(np.eye(3))
    place = Chains(PASSES, moved).place_of(PLACE, 1)
    plate = pulled("plate", planes, PASSES, moved, moment(PLACE))[0]
    left = PLACE.window.x_min - place.window.x_min
    meant = plain[3:-3, 12 - left : plate.shape[1] - 12 - left]
    np.testing.assert_allclose(plate[3:-3, 12:-12], meant, atol=1e-5)
    bent = recipe_of(lens__bends="bend the render to the plate", lens__k="-0.06 0.01", light="cubic")
    lens = bent.framing.lens.lens
    beauty = pulled("beauty", planes, PASSES, bent, moment(PLACE))[1]
    place = Chains(PASSES, bent).place_of(PLACE, 1)
    x, y = np.broadcast_arrays(*place.pixels(beauty.shape))
    u, v = lens.straight((x - 48) / 48, (y - 32) / 48)
    u, v = u * 48 + 48, v * 48 + 32
    inner = (u > -7) & (u < 103) & (v > -3) & (v < 67)
    assert inner.mean() > 0.6
    np.testing.assert_allclose(beauty[inner], (0.3 + 0.004 * u + 0.006 * v)[inner], atol=3e-4)
    still = pulled("plate", planes, PASSES, bent, moment(PLACE))[0]
    assert np.ptp(still[20] - np.median(still[20])) > 0  # there, and straight: equal steps
    steps = np.diff(still[20][12:-12])
    np.testing.assert_allclose(steps, steps.mean(), atol=1e-5)


def test_eyes_and_frame_are_one_map():
    planes, place = planes_in(Window(0, 0, 95, 63)), Place(Window(0, 0, 95, 63), Window(0, 0, 95, 63))
    recipe = recipe_of(
        eyes__needed="yes", eyes__came="packed", eyes__packing="side by side, half", size="80x40",
        light="area", fit="stretched",
    )  # fmt: skip
    own = pulled("beauty", planes, PASSES, recipe, moment(place))
    assert own[0].shape == (40, 80), "both eyes, squeezed as they came, in the delivery's size"
    left, right = eyes_pulled("beauty", planes, PASSES, recipe, moment(place))
    assert left[0].shape == right[0].shape == (40, 80)
    # The left eye's columns are 0 to 47 of what came.
    x = (np.arange(80) + 0.5) * 48 / 80
    y = (np.arange(40) + 0.5) * 64 / 40
    meant = 0.3 + 0.004 * x[None] + 0.003 * y[:, None]
    np.testing.assert_allclose(left[0][2:-2, 2:-2], meant[2:-2, 2:-2], atol=3e-3)
    np.testing.assert_allclose(right[0][2:-2, 2:-2], (meant + 0.004 * 48)[2:-2, 2:-2], atol=3e-3)
    # Convergence and scale, sampled once: what lies 6 px aside comes out 3 px aside.
    pair = [*PASSES, *(replace(one, name=f"right.{one.name}", view="right") for one in PASSES)]
    shifted = recipe_of(
        eyes__needed="yes", eyes__came="two views", eyes__shift="12", size="48x32", light="area"
    )
    left, right = eyes_pulled("beauty", planes, pair, shifted, moment(place))
    plain = pulled("beauty", planes, PASSES, recipe_of(size="48x32", light="area"), moment(place))
    np.testing.assert_allclose(left[0][:, 8:40] - plain[0][:, 8:40], 0.004 * 6, atol=1e-5)
    np.testing.assert_allclose(right[0][:, 8:40] - plain[0][:, 8:40], -0.004 * 6, atol=1e-5)


def test_framing_goes_together_with_every_other_knot():
    planes = planes_in(PLACE.window)
    others = {
        "assembly__needed": "yes", "assembly__grade__balance": "1.5 1.5 1.5", "depth__mist__add": "haze",
        "depth__mist__1__start": "2", "depth__focus__on": "yes", "depth__focus__distance": "10",
        "depth__focus__stop": "0.5", "alpha__stack__add": "plate", "alpha__stack__2__right": "5",
    }  # fmt: skip
    stack = {"alpha__needed": "yes", **others}
    stack.pop("alpha__stack__2__right")
    for fit in ("inside", "fill", "width", "height", "pixels", "stretch"):
        for size in ("48x32", "1x1", "192x100"):
            recipe = recipe_of(**stack, size=size, fit=fit, shake__much="1.5", outside="filled")
            chains = Chains(PASSES, recipe)
            place = chains.place_of(PLACE, 1)
            for name in ("picture", "beauty_mist", "edge_filled", "depth", "blur_radius"):
                shown = pulled(name, planes, PASSES, recipe, moment(PLACE))
                assert {plane.shape for plane in shown} == {(place.window.height, place.window.width)}, name
                assert np.isfinite(shown[0]).all(), name
    # A proxy lies where the whole picture does.
    recipe = recipe_of(size="48x32", whole__turn="10", light="area")
    step = Place(PLACE.window, PLACE.display, 2)
    half = {ref: plane[::2, ::2] for ref, plane in planes.items()}
    small = pulled("beauty", half, PASSES, recipe, moment(step))[0]
    whole = pulled("beauty", planes, PASSES, recipe, moment(PLACE))[0]
    assert small.shape == (-(-whole.shape[0] // 2), -(-whole.shape[1] // 2))
    rows, cols = np.indices(small.shape)
    inner = (rows > 6) & (rows < small.shape[0] - 6) & (cols > 6) & (cols < small.shape[1] - 6)
    assert np.abs(small - whole[::2, ::2])[inner].max() < 0.03
    # Where nothing came, nothing is; filled, the matte says so.
    apart = recipe_of(whole__right="60")
    assert pulled("beauty", planes, PASSES, apart, moment(PLACE))[3].min() == 0
    filled = recipe_of(whole__right="60", outside="filled")
    chains = Chains(PASSES, filled)
    matte = pulled("edge_filled", planes, PASSES, filled, moment(PLACE))[0]
    assert pulled("beauty", planes, PASSES, filled, moment(PLACE))[3].min() == 1
    window = chains.place_of(PLACE, 1).window
    assert matte.shape == (window.height, window.width)
    assert chains.changing == (Stage.PLACED,)


def test_what_does_not_fill_the_frame_is_told_with_what_would():
    def told(place: Place = PLACE, roles=(Role.BEAUTY,), is_round: bool = False, **typed: str):
        settings = framing(**typed)
        return check_framing(
            settings, place, range(1, 9), roles=roles, is_round=is_round, where="TW1, framing"
        )

    assert told() == [] == told(whole__right="9")
    lacking = told(whole__right="40")
    assert [f.code for f in lacking] == ["frame-not-filled"] and "30 px left" in lacking[0].what
    # Rendered with what it asks for, the frame is filled; with less it is not.
    found = coverage(framing(whole__right="40", whole__turn="5"), PLACE, [1])
    grown = Place(
        Window(*(int(np.floor(-side)) for side in found.needs[:2]), 95 + int(np.ceil(found.needs[2])),
               63 + int(np.ceil(found.needs[3]))), PLACE.display,
    )  # fmt: skip
    assert not told(grown, whole__right="40", whole__turn="5")
    shrunk = replace(grown, window=grown.window._replace(x_min=grown.window.x_min + 2))
    assert told(shrunk, whole__right="40", whole__turn="5")
    (mend,) = [m for m in lacking[0].mends if "enlarge" in m.label]
    scale = dict(mend.values)["framing.whole.scale"]
    assert [f.code for f in told(whole__right="40", whole__scale=scale)] == ["frame-enlarged"]
    assert told(outside="filled", whole__right="40")[0].severity == "notes"
    assert [f.code for f in told(size="192x128")] == ["frame-enlarged"]
    assert [f.code for f in told(size="96x32", fit="stretched")][-1] == "frame-stretched"
    assert [f.code for f in told(is_round=True, whole__right="3")] == ["frame-all-round"]
    assert [f.code for f in told(is_round=True, size="48x32")] == ["frame-supersampled"]
    assert [f.code for f in told(lens__bends="straighten the plate", lens__k="0.01")] == ["lens-no-plate"]
    assert [f.code for f in told(size="48x32", roles=(Role.DEPTH,))][-1] == "frame-depth-edges"
    assert [f.code for f in told(lens__bends="scene", lens__k="-0.1")] == ["frame-not-filled"]
    assert [f.code for f in told(lens__bends="scene", lens__k="-0.2")] == ["lens-shows-nothing"]


@pytest.fixture(scope="module")
def renders():
    """One moment of the yard: plain, with overscan, merely enlarged, from another camera, through a lens."""
    yard, camera = scenes.fog_yard().packed(), scenes.fog_yard_camera(0.3)
    wide = Window(-32, -18, 351, 197)
    views = {
        "plain": View(320, 180), "overscan": View(320, 180, window=wide), "enlarged": View(384, 216),
        "bent": View(320, 180, lens_k=(-0.07, 0.012, 0.0)),
    }  # fmt: skip
    made = {name: render(yard, camera, view, seed=3) for name, view in views.items()}
    elsewhere = render(scenes.lamp_bench().packed(), scenes.lamp_bench_camera(0.3), views["plain"], seed=3)
    return made | {"elsewhere": elsewhere}


def test_overscan_is_told_from_an_enlarged_picture(renders):
    light = {name: frame.beauty[..., :3].mean(-1).astype(np.float32) for name, frame in renders.items()}
    true = fit_of(light["plain"], light["overscan"])
    assert true.told is Told.OVERSCAN and true.scale == pytest.approx(1, abs=0.001)
    np.testing.assert_allclose(true.sides, (32, 18, 32, 18), atol=0.5)
    wrong = fit_of(light["plain"], light["enlarged"])
    assert wrong.told is Told.ENLARGED and wrong.scale == pytest.approx(1.2, abs=0.0012)
    assert wrong.too_large == pytest.approx(20, abs=0.12)
    assert fit_of(light["plain"], light["plain"]).told is Told.SAME
    shrunk = cv2.resize(light["overscan"], None, fx=1.07, fy=1.07, interpolation=cv2.INTER_CUBIC)
    assert fit_of(light["plain"], shrunk).told is Told.OTHER
    for odd in (light["elsewhere"], np.zeros_like(light["plain"]), np.full((180, 320), np.nan, np.float32)):
        assert fit_of(light["plain"], odd).told is Told.NOTHING


def test_a_bent_render_is_what_the_renderer_sees_through_the_lens(renders):
    frame, truth = renders["overscan"], renders["bent"]
    place = Place(Window(-32, -18, 351, 197), Window(0, 0, 319, 179))
    passes = [a_pass("beauty", Role.BEAUTY, "RGBA"), a_pass("depth", Role.DEPTH, "Z")]
    planes = {ref: frame.beauty[..., i] for i, ref in enumerate(passes[0].channels)}
    planes[passes[1].channels[0]] = frame.planes["depth.Z"]
    recipe = recipe_of(lens__bends="bend the render to the plate", lens__k="-0.07 0.012 0")
    out = Chains(passes, recipe).place_of(place, 1)

    def framed(name: str) -> list[np.ndarray]:
        top, left = out.display.y_min - out.window.y_min, out.display.x_min - out.window.x_min
        whole = pulled(name, planes, passes, recipe, moment(place))
        return [plane[top : top + 180, left : left + 320] for plane in whole]

    ours = np.stack(framed("beauty")[:3], -1)
    apart = np.clip(ours, 0, 1) - np.clip(truth.beauty[..., :3], 0, 1)
    assert 10 * np.log10(1 / np.mean(apart**2)) > 27, "grain and edges are all that differs"
    # Without the surfaces' own grain, finer than a pixel, it is the same picture: 40 dB.
    calm = cv2.GaussianBlur(apart, (0, 0), 1.5)
    assert 10 * np.log10(1 / np.mean(calm**2)) > 40
    unbent = np.clip(frame.beauty[18:198, 32:352, :3], 0, 1) - np.clip(truth.beauty[..., :3], 0, 1)
    assert 10 * np.log10(1 / np.mean(cv2.GaussianBlur(unbent, (0, 0), 1.5) ** 2)) < 30
    z, there = framed("depth")[0], truth.planes["depth.Z"]
    both = np.isfinite(z) & np.isfinite(there)
    assert both.mean() > 0.5 and np.median(np.abs(z[both] / there[both] - 1)) < 0.02
    assert not check_framing(
        recipe.framing, place, range(1, 3), roles={Role.BEAUTY, Role.PLATE}, is_round=False, where="TW060"
    )


def test_pictures_lie_in_their_cells_named_and_whole():
    colours = [(0.9, 0.1, 0.1), (0.1, 0.8, 0.1), (0.1, 0.1, 0.7)]
    pictures = [np.ones((54, 96, 4), np.float32) * np.float32([*colour, 1]) for colour in colours]
    plan = GridPlan(2, 2, 400, 260, gutter=10, ground=(0.02, 0.02, 0.02))
    made = grid(
        [*pictures, None],
        ["cam1", "cam2", "a camera with a name far too long for its cell " * 3, "cam4"],
        plan,
    )
    assert made.shape == (260, 400, 4) and (made[..., 3] == 1).all()
    for cell, colour in zip(plan.cells, colours, strict=False):
        assert cell.width == 185
        middle = made[(cell.y_min + cell.y_max) // 2, (cell.x_min + cell.x_max) // 2, :3]
        np.testing.assert_allclose(middle, colour, atol=1e-6)
        # As wide or as high as its cell, and no wider for its height than it was.
        red = (
            np.abs(made[cell.y_min : cell.y_max + 1, cell.x_min : cell.x_max + 1, :3] - colour).max(-1) < 1e-5
        )
        rows, cols = red.any(axis=1).sum(), red.any(axis=0).sum()
        assert cols / rows == pytest.approx(96 / 54, rel=0.03) and (cols == cell.width or rows == cell.height)
        below = made[cell.y_max + 1 : cell.y_max + 1 + plan.letters, cell.x_min : cell.x_max + 1]
        assert below.max() > 0.3, "its name"
        right = made[:, cell.x_max + 1 : cell.x_max + 10, :3]
        np.testing.assert_allclose(right, 0.02, atol=1e-6, err_msg="letters stay in their cell")
    missing = plan.cells[3]
    np.testing.assert_allclose(
        made[missing.y_min : missing.y_max + 1, missing.x_min : missing.x_max + 1, :3], 0.02, atol=1e-6
    )
    wide = grid([pictures[0]], [""], GridPlan(1, 1, 400, 400, 0, False), aspects=[2.0])
    assert (wide[:, 200, 0] > 0.5).sum() == pytest.approx(400 * 54 / 192, abs=1)
    # Letters of any script are laid out; what the font lacks is seen to be lacking.
    for text in ("Tidewrack, Boje 3 – Übergröße", "ﷺ", "👍", ""):
        strip = np.zeros((40, 300, 3), np.float32)
        write_text(strip, text, (4, 2), 24)
        assert bool(strip.max() > 0.5) is bool(text)


def test_a_shake_is_a_hands_and_the_same_every_time():
    shake = ShakeSettings(much=4, turn=0.5, every=12, seed=3)
    path = [shake_at(shake, n) for n in range(2000)]
    assert path[7] == shake_at(shake, 7) and path[7] != shake_at(shake.model_copy(update={"seed": 4}), 7)
    right = np.array([one.right for one in path])
    assert np.sqrt((right**2).mean()) == pytest.approx(4, rel=0.05)
    assert np.abs(np.diff(right)).max() < 4 * 2 * np.pi / 12 / 0.7 * 2.5, "no jumps"
    assert abs(np.corrcoef(right, [one.down for one in path])[0, 1]) < 0.2


def a_map(folder, lens: Lens, size: tuple[int, int], **how) -> str:
    """Write a map by which a straight picture is bent, with the format's own library; keep it."""
    width, height = size
    x, y = (
        (np.arange(width) + 0.5) / width * 2 - 1,
        ((np.arange(height) + 0.5) / height * 2 - 1) * height / width,
    )
    u, v = lens.straight(*np.broadcast_arrays(x[None, :], y[:, None]))
    places = np.stack([(u + 1) / 2, 1 - (v * width / height + 1) / 2], -1).astype(np.float32)
    places = how.get("damage", lambda plain: plain)(places)
    channels = {"R": np.ascontiguousarray(places[..., 0]), "G": np.ascontiguousarray(places[..., 1])}
    path = folder / f"{how.get('name', 'old_lens')}.exr"
    with OpenEXR.File({"type": OpenEXR.scanlineimage}, channels) as file:
        file.write(str(path))
    return keep_file(str(folder / "kept"), path.name, path.read_bytes())


def test_a_coordinate_map_does_what_its_lens_does(tmp_path):
    lens = Lens(Model.RADIAL, (-0.07, 0.012, 0))
    path = a_map(tmp_path, lens, (192, 128))
    typed = {"lens__model": "coordinate map", "lens__bends": "scene", "lens__map_bends": path}
    by_map, by_terms = framing(**typed), framing(lens__bends="scene", lens__k="-0.07 0.012 0")
    y, x = np.mgrid[1:63:9j, 1:95:11j]
    there, meant = (np.stack(map_of(one, PLACE, 1).back(x, y)) for one in (by_map, by_terms))
    assert np.abs(there - meant).max() < 0.02, "of a pixel, between the map's own"
    back = np.stack(map_of(by_map, PLACE, 1).forth(*there))
    assert np.abs(back - np.stack([x, y])).max() < 1e-3, "the other way is found from it"
    # What goes out as a map is one again: brought in, it does the same.
    recipe = recipe_of(**typed)
    planes = planes_in(PLACE.window)
    shares = pulled("lens_map", planes, PASSES, recipe, moment(PLACE))
    place = Chains(PASSES, recipe).place_of(PLACE, 1)
    row, col = 10 - place.window.y_min, 20 - place.window.x_min
    u, v = (float(each[0]) for each in map_of(by_map, PLACE, 1).back(np.array([20.5]), np.array([10.5])))
    assert (shares[0][row, col], shares[1][row, col]) == pytest.approx((u / 96, 1 - v / 64), abs=1e-5)


def test_a_map_that_can_not_be_used_is_refused_with_what_is_wrong(tmp_path):
    lens, size = Lens(Model.RADIAL, (-0.07, 0, 0)), (96, 64)

    def one_nan(places: np.ndarray) -> np.ndarray:
        places[3, 4, 0] = np.nan
        return places

    for name, damage, words in (
        ("nan", one_nan, "holds NaN"), ("doubled", lambda p: np.abs(p - 0.5), "doubles back"),
        ("mirrored", lambda p: p * [-1, 1] + [1, 0], "from right to left"),
    ):  # fmt: skip
        path = a_map(tmp_path, lens, size, name=name, damage=lambda p, d=damage: d(p).astype(np.float32))
        with pytest.raises(SettingError, match=words):
            check_map(path)
        with pytest.raises(SettingError, match=words):
            framing(lens__bends="scene", lens__model="map", lens__map_bends=path)
    upside_down = a_map(
        tmp_path, lens, size, name="down", damage=lambda p: p * np.float32([1, -1]) + np.float32([0, 1])
    )
    check_map(upside_down)
    typed = {"lens__bends": "scene", "lens__model": "map", "lens__map_bends": upside_down}
    with pytest.raises(SettingError, match="upside down"):
        framing(**typed)
    assert framing(lens__map_origin="upper left", **typed).lens.is_on
    (tmp_path / "no.exr").write_bytes(b"no picture at all")
    kept = keep_file(str(tmp_path / "kept"), "no.exr", (tmp_path / "no.exr").read_bytes())
    with pytest.raises(SettingError, match="can't be read"):
        check_map(kept)


def test_ways_in_pixels_get_as_long_as_the_picture():
    flat, deep = a_pass("motion", Role.MOTION, "XY"), a_pass("velocity", Role.MOTION, "XYZ")
    passes = [*PASSES, flat, deep]
    planes = planes_in(PLACE.window)
    for i, ref in enumerate((*flat.channels, *deep.channels)):
        planes[ref] = np.full((76, 116), i + 2, np.float32)
    recipe = recipe_of(size="192x96", fit="stretched")
    across, down = (plane[40, 90] for plane in pulled("motion", planes, passes, recipe, moment(PLACE)))
    assert (across, down) == pytest.approx((2 * 2, 3 * 1.5))
    scene = [float(plane[40, 90]) for plane in pulled("velocity", planes, passes, recipe, moment(PLACE))]
    assert scene == [4, 5, 6], "a way in the scene stays what it is"
    how = {"roles": {Role.MOTION}, "is_round": False, "where": "TW1"}
    turned = check_framing(framing(whole__turn="3"), PLACE, range(1, 2), **how)
    assert "frame-motion-turned" in {finding.code for finding in turned}
    assert not check_framing(framing(whole__right="3"), PLACE, range(1, 2), **how)


@pytest.mark.parametrize("counts", ["down", "up"])
@pytest.mark.parametrize("typed", [MOVED, {"lens__bends": "straighten everything", "lens__k": "0.08 0.01 0"}])
def test_ways_in_pixels_turn_and_bend_with_the_picture(typed, counts):
    flat = a_pass("motion", Role.MOTION, "XYZW")
    planes = planes_in(PLACE.window)
    came = (0.4, -0.3, -0.2, 0.5)
    for i, (ref, way) in enumerate(zip(flat.channels, came, strict=True)):
        planes[ref] = np.full((76, 116), way * (-1 if i % 2 and counts == "up" else 1), np.float32)
    recipe = recipe_of(**typed, vectors=counts)
    got = pulled("motion", planes, [*PASSES, flat], recipe, moment(PLACE))
    framed = map_of(recipe.framing, PLACE, 1)
    x, y = np.array([[30.5, 60.5]]), np.array([[20.5], [40.5]])
    wide, high = np.broadcast_arrays(x, y)
    u, v = framed.back(wide, high)
    window = framed.reached(PLACE.window)
    rows, cols = (y.ravel() - 0.5 - window.y_min).astype(int), (x.ravel() - 0.5 - window.x_min).astype(int)
    for first in (0, 2):
        # Where a thing lies that went a little way: the way forth, by the map itself.
        there = framed.forth(u + 1e-4 * came[first], v + 1e-4 * came[first + 1])
        for i, (end, begin) in enumerate(zip(there, (wide, high), strict=True)):
            sign = -1 if i and counts == "up" else 1
            assert got[first + i][np.ix_(rows, cols)] * sign == pytest.approx((end - begin) / 1e-4, abs=2e-3)


def test_moves_in_shares_are_moves_in_pixels_and_supersampling_is_told():
    shares = framing(size="200x100", moves_in="% of the frame", whole__right="5", scene__down="-10")
    pixels = framing(size="200x100", whole__right="10", scene__down="-10")
    for reference in ("scene", "plate"):
        ways = [map_of(settings, PLACE, 1).way(reference) for settings in (shares, pixels)]
        np.testing.assert_allclose(*ways, atol=1e-9)
    how = {"roles": set(), "is_round": False, "where": "TW1"}
    told = {one.code: one.what for one in check_framing(framing(size="48x32"), PLACE, range(1, 2), **how)}
    assert "made of 4 that came" in told["frame-supersampled"]
    assert not check_framing(framing(size="90x60"), PLACE, range(1, 2), **how)
