"""One chain for the picture: its order, every subset of its stages against an independent one, both eyes."""

from itertools import product

import numpy as np
import pytest
from makers import cubic_by_hand, eyes_pulled, pulled

from drawstring.core.alpha.layers import layer_fault
from drawstring.core.alpha.stack import moved as moved_picture
from drawstring.core.camera import Camera, Moment, Place
from drawstring.core.chain import PICTURE, STAGES, Stage, Work, channels_of
from drawstring.core.depth.focus import focused
from drawstring.core.errors import MissingError, SourceError
from drawstring.core.eyes.forms import form_files, plan_forms
from drawstring.core.eyes.packing import First, Packing, pack
from drawstring.core.eyes.parallaxes import parallax_value
from drawstring.core.eyes.second_eye import moved
from drawstring.core.io.facts import ChannelRef, Window
from drawstring.core.passes import Pass, Role
from drawstring.core.recipe import KNOTS, Recipe, available_results, change, plan_outputs
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.finished import check_finished, said_of_plain_channels, stages_of
from drawstring.core.recipe.homes import steps

W, H = 96, 64
LENS = Camera(focal_mm=50, filmback_mm=36)
RANDOM = np.random.default_rng(14)


def a_pass(name: str, role: Role, suffixes: str) -> Pass:
    refs = tuple(ChannelRef(0, f"{name}.{s}") for s in suffixes)
    return Pass(name, name, role, 1.0, "", "", refs, tuple(suffixes), ("float",) * len(suffixes))


ONE = [
    a_pass("beauty", Role.BEAUTY, "RGBA"),
    a_pass("depth", Role.DEPTH, "Z"),
    a_pass("plate", Role.PLATE, "RGB"),
]
BOTH = [*ONE, *(a_pass(f"right.{one.name}", one.role, "".join(one.suffixes)) for one in ONE)]


def a_scene(aside: int = 0, *, is_flat: bool = False) -> dict[ChannelRef, np.ndarray]:
    """Three surfaces, with patterns or each of one colour: a far wall, a post, a near ball; and a plate."""
    z = np.full((H, W), 40.0, np.float32)
    z[:, 30 + aside : 50 + aside] = 10
    y, x = np.mgrid[:H, :W]
    z[(x - 62 - 2 * aside) ** 2 + (y - 30) ** 2 < 120] = 4
    pattern = 0.5 + 0.4 * np.sin(x / 3 + z) * np.cos(y / 4) if not is_flat else np.where(z > 5, z / 50, 0.9)
    light = np.stack([pattern, pattern * 0.6, 1 - pattern, np.ones_like(pattern)], axis=-1)
    planes = {ref: light[..., i].astype(np.float32) for i, ref in enumerate(ONE[0].channels)}
    planes[ONE[1].channels[0]] = z
    plate = 0.2 + 0.1 * np.sin(np.stack([x, y, x + y], axis=-1) / 9)
    return planes | {ref: plate[..., i].astype(np.float32) for i, ref in enumerate(ONE[2].channels)}


def in_view(planes: dict[ChannelRef, np.ndarray], view: str) -> dict[ChannelRef, np.ndarray]:
    return {ref._replace(name=f"{view}.{ref.name}"): plane for ref, plane in planes.items()}


def settings(**how: str) -> Recipe:
    recipe = Recipe()
    for name, value in how.items():
        recipe = change(recipe, {name.replace("__", "."): value}, scene_unit="m")
    return recipe


MIST = {"depth__mist__add": "haze", "depth__mist__1__start": "2", "depth__mist__1__depth": "50",
        "depth__mist__1__colour": "0.5 0.55 0.6"}  # fmt: skip
LIGHT = {"assembly__needed": "yes", "assembly__grade__balance": "1.5 1.5 1.5"}
FOCUS = {"depth__focus__on": "yes", "depth__focus__distance": "10", "depth__focus__stop": "0.5"}
STACK = {"alpha__stack__add": "beauty", "alpha__stack__1__matte": "", "alpha__stack__1__right": "5"}
EYES = {"eyes__needed": "yes", "eyes__came": "no pair", "eyes__deliver": "side by side"}


def at(frame: int = 1, window: Window | None = None) -> Moment:
    place = Place(window, window) if window else None
    return Moment(frame, place, {(0, 0): LENS})


def picture_in(planes: dict[ChannelRef, np.ndarray]) -> np.ndarray:
    return np.stack([planes[ref] for ref in ONE[0].channels], axis=-1)


def reference(
    planes: dict[ChannelRef, np.ndarray], *, mist: bool, focus: bool, stack: bool, light: bool = False
) -> np.ndarray:
    """Do the same by hand: mist by its law on whole surfaces, the thin lens, the plate moved and covered."""
    picture, z = picture_in(planes), planes[ONE[1].channels[0]]
    if light:
        picture = picture * np.float32([1.5, 1.5, 1.5, 1])
    if mist:
        amount = np.clip((z - 2) / 50, 0, 1)[..., None]
        picture = picture * [1, 1, 1, 1] * (1 - amount * [1, 1, 1, 0]) + amount * [0.5, 0.55, 0.6, 0]
    if focus:
        radius = 50 / 0.5 * 50 / (10_000 - 50) * (1 - 10 / z.astype(np.float64)) / 2 * W / 36
        radius = np.clip(radius, -0.2 * W, 0.2 * W).astype(np.float32)
        picture = focused(picture.astype(np.float32), radius, radius)
    if stack:
        picture = moved_picture(picture.astype(np.float32), right=5, down=0)
    return picture


def test_the_order_of_stages_is_the_one_that_was_agreed():
    assert [facts.stage.value for facts in STAGES] == [
        "arrived", "parted", "derived", "assembled", "doubled", "set", "veiled", "focused", "placed", "laid",
        "windowed", "out",
    ]  # fmt: skip
    assert {step.knot for step in steps()} <= {knot.name for knot in KNOTS}
    for stage in {step.stage for step in steps()}:
        # What comes last of its stage goes on from what the others give.
        *others, last = (
            step for step in steps() if step.stage is stage and not getattr(step, "comes_last", False)
        )
        assert {step.knot for step in others} == set(getattr(last, "takes_in", ())), "or one would be lost"
    assert all(facts.is_geometry == (facts.stage in ("parted", "doubled", "placed")) for facts in STAGES)


@pytest.mark.parametrize(("light", "mist", "focus", "stack"), list(product((False, True), repeat=4)))
def test_every_subset_of_stages_equals_an_independent_chain(light, mist, focus, stack):
    # Surfaces of one colour each: at their rims mist can't take a pattern for a pixel that holds two of them.
    planes = a_scene(is_flat=True)
    recipe = settings(
        **(LIGHT if light else {}),
        **(MIST if mist else {}),
        **(FOCUS if focus else {}),
        **(STACK if stack else {}),
    )
    made = np.stack(pulled(PICTURE, planes, ONE, recipe, at()), axis=-1)
    wanted = reference(planes, light=light, mist=mist, focus=focus, stack=stack)
    np.testing.assert_allclose(made, wanted, atol=2e-6)
    assert Chains(ONE, recipe).changing == tuple(
        stage
        for stage, on in (("assembled", light), ("veiled", mist), ("focused", focus), ("laid", stack))
        if on
    )
    # One walk tells what is read: with less, nothing comes out.
    described = Chains(ONE, recipe).own(PICTURE)
    needed = channels_of([described])
    assert (ONE[1].channels[0] in needed) == (mist or focus)
    for left_out in needed:
        with pytest.raises(KeyError):
            Work({ref: planes[ref] for ref in needed if ref != left_out}, at()).of(described)


def test_what_comes_later_changes_no_digest_before_it():
    plain, with_stack = (Chains(ONE, settings(**MIST, **more)) for more in ({}, STACK))
    veiled = [one.own_chains()[0].after(Stage.VEILED, PICTURE).digest for one in (plain, with_stack)]
    assert veiled[0] == veiled[1]
    thicker = change(settings(**MIST), {"depth.mist.1.depth": "40"}, scene_unit="m")
    again = Chains(ONE, thicker).own_chains()[0]
    assert again.after(Stage.VEILED, PICTURE).digest != veiled[0]
    assert again.after(Stage.DERIVED, PICTURE).digest == plain.own_chains()[0].after(
        Stage.DERIVED, PICTURE
    ).digest  # fmt: skip


def test_both_eyes_of_two_sequences_show_mist_and_stack_in_every_form():
    left, right = a_scene(), a_scene(aside=-3)
    planes = left | in_view(right, "right")
    forms = "anaglyph; side by side; eyes apart"
    recipe = settings(**MIST, **STACK, eyes__needed="yes", eyes__deliver=forms)
    eyes = eyes_pulled(PICTURE, planes, BOTH, recipe, at())
    for eye, scene in zip(eyes, (left, right), strict=True):
        alone = pulled(PICTURE, scene, ONE, settings(**MIST, **STACK), at())
        np.testing.assert_array_equal(eye, alone)
    settled = recipe
    for knot in KNOTS:
        settled = settled.with_knot(recipe.knot(knot.name).model_copy(update={"settled_on": "x"}))
    plan = plan_forms(BOTH, settled)
    files = {file.slug: file for file in form_files(plan, planes, at())}
    plain = settled.with_knot(settled.depth.model_copy(update={"mist": ()}))
    without = {file.slug: file for file in form_files(plan_forms(BOTH, plain), planes, at())}
    seen, raw = files["anaglyph"].picture, without["anaglyph"].picture
    far = np.zeros((H, W), bool)
    far[5:-5, 12:25] = True
    assert seen is not None and raw is not None and seen[far].std() < 0.6 * raw[far].std(), "mist is seen"
    stacked = files["side_by_side"].channels["beauty_mist.R"]
    np.testing.assert_array_equal(stacked[:, :W], pulled("beauty_mist", left, ONE, recipe, at())[0])


@pytest.mark.parametrize("packing", ["side by side", "above/below", "rows interlaced", "columns interlaced"])
def test_a_packed_pair_with_mist_and_focus_has_nothing_across_its_seam(packing):
    left, right = a_scene(), a_scene(aside=-3)
    # What would bleed is bright, and lies at the seam.
    for ref in ONE[0].channels[:3]:
        left[ref] = left[ref].copy()
        left[ref][:, -6:] = 30
        left[ref][-6:] = 30
    planes = {ref: pack(left[ref], right[ref], Packing(packing), First.RIGHT, is_mixed=False) for ref in left}
    high, wide = planes[ONE[1].channels[0]].shape
    recipe = settings(**MIST, **FOCUS, **STACK, eyes__needed="yes", eyes__came="packed", eyes__first="right",
                      eyes__packing=packing)  # fmt: skip
    where = at(window=Window(0, 0, wide - 1, high - 1))
    eyes = eyes_pulled(PICTURE, planes, ONE, recipe, where)
    own = pulled(PICTURE, planes, ONE, recipe, where)
    again = [pack(*both, Packing(packing), First.RIGHT, is_mixed=False) for both in zip(*eyes, strict=True)]
    np.testing.assert_array_equal(own, again)
    if "interlaced" in packing:
        return  # lines that are missing are filled in, so an eye alone is no other picture than that
    for eye, scene in zip(eyes, (left, right), strict=True):
        alone = pulled(PICTURE, scene, ONE, settings(**MIST, **FOCUS, **STACK), at())
        np.testing.assert_array_equal(eye, alone)


def test_strokes_of_a_packed_picture_stay_where_they_were_drawn():
    left, right = a_scene(), a_scene(aside=-3)
    typed = {"alpha__mattes__add": "spot", "alpha__mattes__1__source": "drawn",
             "alpha__mattes__1__strokes__add": f"add r=4 soft=0: {W + 20},30"}  # fmt: skip
    for packing in ("side by side", "side by side, half"):
        planes = {
            ref: pack(left[ref], right[ref], Packing(packing), First.LEFT, is_mixed=False) for ref in left
        }
        wide = planes[ONE[1].channels[0]].shape[1]
        recipe = settings(**typed, eyes__needed="yes", eyes__came="packed", eyes__packing=packing)
        moment = at(window=Window(0, 0, wide - 1, H - 1))
        plain = settings(**typed)
        np.testing.assert_array_equal(
            pulled("matte_spot", planes, ONE, recipe, moment),
            pulled("matte_spot", planes, ONE, plain, moment),
        )


def test_the_eye_that_is_made_gets_its_own_mist_and_the_plate_stays():
    planes = a_scene()
    recipe = settings(**MIST, eyes__needed="yes", eyes__came="one eye", eyes__interaxial="0.3",
                      eyes__convergence="20")  # fmt: skip
    z = planes[ONE[1].channels[0]]
    shift = W * 50 / 36 * 0.3 * (1 / 20 - 1 / z)
    by = moved(z, np.zeros_like(z, bool), picture_in(planes), shift.astype(np.float32))
    beyond = {ref: by.light(planes[ref]) for ref in ONE[0].channels} | {ONE[1].channels[0]: by.exact(z)}
    wanted = pulled(PICTURE, planes | beyond, ONE, settings(**MIST), at())
    right = eyes_pulled(PICTURE, planes, ONE, recipe, at())[1]
    np.testing.assert_allclose(right, wanted, atol=1e-6)
    both = eyes_pulled("plate", planes, ONE, recipe, at())
    np.testing.assert_array_equal(both[0], both[1])


def test_a_made_eye_is_framed_with_its_parallax_and_what_was_filled():
    planes, moment = a_scene(), at(window=Window(0, 0, W - 1, H - 1))
    eyes = {
        "eyes__needed": "yes",
        "eyes__came": "one eye",
        "eyes__interaxial": "0.3",
        "eyes__convergence": "20",
    }

    def shown(**framing):
        recipe = settings(**eyes, **framing)
        told = [pulled(name, planes, ONE, recipe, moment)[0] for name in ("parallax", "filled_right")]
        return [*told, eyes_pulled(PICTURE, planes, ONE, recipe, moment)[1][1]]

    plain = shown()
    assert plain[1].max() > 0.9, "something was hidden from the one eye"
    moved_right = shown(framing__needed="yes", framing__whole__right="3")
    for before, after in zip(plain, moved_right, strict=True):
        np.testing.assert_allclose(after[:, 3:], before, atol=2e-3)  # what sticks out is overscan
    half = shown(framing__needed="yes", framing__size=f"{W // 2}x{H // 2}")
    assert [each.shape for each in half] == [(H // 2, W // 2)] * 3
    # Half as many pixels lie between both eyes, at the same places.
    assert set(np.round(np.unique(half[0]), 4)) <= set(np.round(np.unique(plain[0]) / 2, 4))
    assert abs(half[1].mean() - plain[1].mean()) < 0.01


def test_parallax_told_from_pictures_knows_no_framing_that_is_open():
    planes = a_scene() | in_view(a_scene(aside=-3), "right")
    moment = at(window=Window(0, 0, W - 1, H - 1))
    recipe = settings(eyes__needed="yes", eyes__settled_on="x", framing__needed="yes", framing__size="48x32")
    for settled_only, shape in ((True, (H, W)), (False, (H // 2, W // 2))):
        told = parallax_value(Chains(BOTH, recipe, settled_only=settled_only))
        assert Work(planes, moment).of(told)[0].shape == shape


def test_mends_level_and_convergence_are_one_map_filtered_once():
    planes = a_scene() | in_view(a_scene(aside=-3), "right")
    recipe = settings(eyes__needed="yes", eyes__mend_turn="0.8", eyes__mend_down="1.5", eyes__shift="5")
    right = eyes_pulled("beauty", planes, BOTH, recipe, at())[1]
    a, b, cx, cy = np.cos(np.radians(0.8)), np.sin(np.radians(0.8)), (W - 1) / 2, (H - 1) / 2
    mend = np.array([[a, -b, cx - a * cx + b * cy], [b, a, cy - b * cx - a * cy + 1.5], [0, 0, 1]])
    way = mend @ np.array([[1, 0, -2.5], [0, 1, 0], [0, 0, 1]])
    source = planes[BOTH[3].channels[0]]
    np.testing.assert_allclose(right[0], cubic_by_hand(source, way, (H, W)), atol=1e-5)
    z = eyes_pulled("depth", planes, BOTH, recipe, at())[1][0]
    assert set(np.unique(z)) <= {0, 4, 10, 40}, "distances stay true ones"
    # The shot's own file has the geometry that everything goes out with.
    np.testing.assert_array_equal(pulled("right.beauty", planes, BOTH, recipe, at())[0], right[0])


@pytest.mark.parametrize("came", [
    {"eyes__shift": "6"},
    {"eyes__came": "no pair", "eyes__is_round": "yes", "eyes__yaw": "50", "eyes__pitch": "20"},
    {"eyes__came": "packed", "eyes__packing": "above/below", "eyes__mend_turn": "2", "eyes__shift": "4"},
])  # fmt: skip
def test_what_is_shown_leads_back_to_the_pixel_that_arrived(came):
    z = np.arange(H * W, dtype=np.float32).reshape(H, W) + 1
    planes = a_scene() | {ONE[1].channels[0]: z}
    recipe = settings(eyes__needed="yes", **came)
    moment = at(window=Window(0, 0, W - 1, H - 1))
    passes = BOTH if "eyes__came" not in came else ONE
    planes |= in_view(planes, "right") if passes is BOTH else {}
    chains = Chains(passes, recipe)
    rows, columns = Work(planes, moment).of(chains.came_from())
    shown = Work(planes, moment).of(chains.own("depth"))[0]
    there = rows >= 0
    assert chains.moves and 0.5 < there.mean() <= 1
    np.testing.assert_array_equal(shown[there], z[rows[there], columns[there]])
    assert not shown[~there].any()


def test_a_layer_made_from_the_stack_is_refused_and_so_is_one_of_another_size():
    recipe = settings(**STACK, **EYES)
    layer = recipe.alpha.stack[0]
    chains = Chains(ONE, recipe)
    for later in ("picture", "stack", "layer_beauty", "eye_left", "form_side_by_side"):
        fault = layer_fault(layer.model_copy(update={"source": later}), ONE, recipe, chains.find)
        assert "made from the stack" in fault, later
        circle = recipe.with_knot(
            recipe.alpha.model_copy(update={"stack": (layer.model_copy(update={"source": later}),)})
        )
        assert "stack" not in available_results(ONE, circle)
        np.testing.assert_array_equal(
            pulled(PICTURE, a_scene(), ONE, circle, at()), np.moveaxis(picture_in(a_scene()), -1, 0)
        )
    planes = a_scene() | {ref: np.ones((H - 8, W), np.float32) for ref in ONE[2].channels}
    with pytest.raises(SourceError, match="pixels, the picture below"):
        pulled("stack", planes, ONE, change(recipe, {"alpha.stack.add": "plate"}, scene_unit="m"), at())
    with pytest.raises(MissingError, match="no velocity"):
        Chains(ONE, recipe).own("velocity")


def test_what_is_needed_and_open_stops_the_finished_picture():
    recipe = settings(**MIST, pack__beauty="finished picture")
    assert not [f for f in check_finished(ONE, settings(**MIST), "x")], "nobody looks at it"
    codes = {(f.code, f.severity.value, f.mends[0].values) for f in check_finished(ONE, recipe, "x")}
    assert codes == {("picture-open", "stops", ((f"{knot}.needed", "no"),)) for knot in ("depth", "alpha")}
    settled = recipe.with_knot(recipe.depth.model_copy(update={"settled_on": "x"}))
    settled = settled.with_knot(settled.alpha.model_copy(update={"settled_on": "x"}))
    assert not check_finished(ONE, settled, "x")
    channels = {(c.name, c.source) for c in plan_outputs(ONE, settled, settled_only=True).channels}
    assert {("R", "picture"), ("A", "picture"), ("beauty.R", "beauty")} <= channels
    beside = change(settled, {"pack.beauty": "finished picture beside"}, scene_unit="m")
    channels = {(c.name, c.source) for c in plan_outputs(ONE, beside, settled_only=True).channels}
    assert {("R", "beauty"), ("picture.R", "picture")} <= channels
    assert "veiled" in said_of_plain_channels(ONE, settled)
    on = {one.stage for one in stages_of(ONE, settled) if one.is_on}
    assert on == {"arrived", "derived", "veiled", "out"}
