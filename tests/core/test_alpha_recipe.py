"""The Alpha knot from settings to channels: what is refused, made, found, and by which names it goes out."""

import cv2
import numpy as np
import pytest
from makers import by_name, pulled

from drawstring.core.alpha import shadows
from drawstring.core.alpha.kind_checks import check_environment, check_kinds
from drawstring.core.alpha.kinds import AlphaKind
from drawstring.core.alpha.matte_checks import check_mattes, check_names
from drawstring.core.alpha.settings import AlphaSettings
from drawstring.core.alpha.shadow_checks import check_shadow, check_shadow_distance, check_stack
from drawstring.core.alpha.telling import tell
from drawstring.core.camera import Moment
from drawstring.core.errors import SettingError
from drawstring.core.io.facts import ChannelRef
from drawstring.core.passes import Pass, Role
from drawstring.core.passes.hashed import NameSet, name_bits, name_header, ranked_channels
from drawstring.core.recipe import (
    Recipe,
    available_results,
    change,
    compute,
    plan_outputs,
    result_named,
)

HIGH, WIDE = 60, 96
MEMBER = {"ground_picture": 1, "plate": 2}


def a_pass(name: str, role: Role, suffixes: str, kind: str = "float", layer: str = "") -> Pass:
    refs = tuple(ChannelRef(0, f"{layer or name}.{s}", MEMBER.get(name, 0)) for s in suffixes)
    return Pass(name, layer or name, role, 1.0, "", "", refs, tuple(suffixes), (kind,) * len(suffixes))


def names_pass() -> Pass:
    refs = tuple(ChannelRef(0, f"CryptoObject{r:02d}.{c}") for r in range(3) for c in "RGBA")
    suffixes, kinds = tuple("RGBA" * 3), ("float",) * 12
    return Pass("object_matte", "CryptoObject", Role.OBJECT_MATTE, 1.0, "", "", refs, suffixes, kinds)


PASSES = [
    a_pass("beauty", Role.BEAUTY, "RGBA"),
    names_pass(),
    a_pass("ground_picture", Role.GROUND_PICTURE, "RGB"),
    a_pass("plate", Role.PLATE, "RGB"),
    a_pass("shadow", Role.SHADOW, "V"),
    a_pass("depth", Role.DEPTH, "Z"),
    a_pass("numbers", Role.ID, "V"),
]


@pytest.fixture(scope="module")
def pixels():
    """A disc on transparent, and on white ground with a soft shadow: every number is known."""
    big = np.zeros((HIGH * 8, WIDE * 8), np.uint8)
    cv2.circle(big, (40 * 8, 30 * 8), 14 * 8, 255, -1)
    alpha = cv2.resize(big, (WIDE, HIGH), interpolation=cv2.INTER_AREA).astype(np.float32) / 255
    y, x = np.mgrid[:HIGH, :WIDE].astype(np.float32)
    colour = np.stack([0.6 + 0 * x, 0.2 + 0.003 * x, 0.1 + 0 * x], -1)
    element = np.dstack([alpha[..., None] * colour, alpha]).astype(np.float32)
    s = 1 - 0.7 * np.exp(-((x - 62) ** 2 + (y - 42) ** 2) / 160)
    ground = np.float32(0.9)
    on_it = element[..., :3] + (1 - alpha[..., None]) * (s * ground)[..., None]
    names, _ = ranked_channels("CryptoObject", {"disc": alpha, "floor": 1 - alpha})
    planes = {ref: element[..., i] for i, ref in enumerate(PASSES[0].channels)}
    planes |= {ref: names[ref.name] for ref in PASSES[1].channels}
    planes |= {ref: on_it[..., i].astype(np.float32) for i, ref in enumerate(PASSES[2].channels)}
    planes |= {
        ref: np.full((HIGH, WIDE), 0.1 * (i + 1), np.float32) for i, ref in enumerate(PASSES[3].channels)
    }
    planes[PASSES[4].channels[0]] = s.astype(np.float32)
    planes[PASSES[5].channels[0]] = np.where(alpha > 0, 4, 9).astype(np.float32)
    planes[PASSES[6].channels[0]] = np.where(alpha > 0.5, 7, 2).astype(np.float32)
    return planes, element, s.astype(np.float32), alpha


def at(frame: int = 1) -> Moment:
    return Moment(frame, said={0: name_header("CryptoObject", ["disc", "floor"])})


def made(name: str, planes, typed: dict[str, str], frame: int = 1):
    recipe = change(Recipe(), typed, scene_unit="m")
    assert result_named(name).is_ready(PASSES, recipe), name
    return np.stack(pulled(name, planes, PASSES, recipe, at(frame)), axis=-1)


RED = {"alpha.mattes.add": "red", "alpha.mattes.1.names": "disc"}
SHADOW = {"alpha.shadow.on": "yes", "alpha.shadow.ground": "level"}


def test_a_named_matte_is_exact_coverage_and_what_was_settled_on_it(pixels):
    planes, _, _, alpha = pixels
    np.testing.assert_array_equal(made("matte_red", planes, RED)[..., 0], alpha)
    wild = made("matte_red", planes, {**RED, "alpha.mattes.1.names": "*, -floor"})
    np.testing.assert_array_equal(wild[..., 0], alpha)
    turned = made("matte_red", planes, {**RED, "alpha.mattes.1.invert": "yes"})
    np.testing.assert_array_equal(turned[..., 0], 1 - alpha)
    bare = made("matte_red", planes, {**RED, "alpha.mattes.1.names": f"<{name_bits('disc'):08x}>"})
    np.testing.assert_array_equal(bare[..., 0], alpha)
    keyed = {**RED, "alpha.mattes.1.grow@1": "0", "alpha.mattes.1.grow@5": "4"}
    areas = [made("matte_red", planes, keyed, frame).sum() for frame in (1, 3, 5)]
    assert areas[0] < areas[1] < areas[2]
    assert areas[2] - areas[0] == pytest.approx(np.pi * (18**2 - 14**2), rel=0.1)


@pytest.mark.parametrize(
    ("how", "wanted"),
    [
        ("with", lambda a, n: np.maximum(n, a)),
        ("without", lambda a, n: n * (1 - a)),
        ("only within", lambda a, n: n * a),
    ],
)
def test_mattes_are_joined_by_name(pixels, how, wanted):
    planes, _, _, alpha = pixels
    typed = {
        **RED, "alpha.mattes.add": "red", "alpha.mattes.2.source": "numbers", "alpha.mattes.2.numbers": "2",
        "alpha.mattes.2.other": "red", "alpha.mattes.2.joined": how, "alpha.mattes.2.name": "both",
    }  # fmt: skip
    recipe = change(Recipe(), {"alpha.mattes.add": "red"}, scene_unit="m")
    recipe = change(recipe, {"alpha.mattes.1.names": "disc", "alpha.mattes.add": "both"}, scene_unit="m")
    recipe = change(recipe, {k: v for k, v in typed.items() if ".2." in k}, scene_unit="m")
    found = pulled("matte_both", planes, PASSES, recipe, at())[0]
    np.testing.assert_allclose(found, wanted(alpha, (alpha <= 0.5).astype(np.float32)), atol=1e-6)


def test_mattes_go_out_as_hashed_names_too(pixels):
    planes, _, _, alpha = pixels
    recipe = Recipe()
    for name, value in (*RED.items(), ("alpha.mattes.add", "rest"), ("alpha.mattes.2.names", "floor"),
                        ("alpha.as_names", "yes")):  # fmt: skip
        recipe = change(recipe, {name: value}, scene_unit="m")
    ready = available_results(PASSES, recipe)
    assert "CryptoNamed00" in ready and "CryptoNamed01" not in ready
    ranks = pulled("CryptoNamed00", planes, PASSES, recipe, at())
    red = sum(
        np.where(ids.view(np.uint32) == name_bits("red"), share, 0)
        for ids, share in ((ranks[0], ranks[1]), (ranks[2], ranks[3]))
    )
    np.testing.assert_array_equal(red, alpha)


def test_a_third_render_is_the_clean_ground(pixels):
    planes, _, s, alpha = pixels
    clean = a_pass("clean_ground", Role.CLEAN_GROUND, "RGB")
    with_clean = planes | {ref: np.full((HIGH, WIDE), 0.9, np.float32) for ref in clean.channels}
    recipe = change(Recipe(), {**SHADOW, "alpha.shadow.ground": "third render"}, scene_unit="m")
    one = result_named("shadow_multiply")
    assert not one.is_ready(PASSES, recipe) and one.is_ready([*PASSES, clean], recipe)
    found = pulled("shadow_multiply", with_clean, [*PASSES, clean], recipe, at())[0]
    np.testing.assert_allclose(found[alpha < 0.9], s[alpha < 0.9], atol=1e-5)


def test_the_shadow_is_the_light_that_arrived_and_is_proven(pixels):
    planes, _, s, alpha = pixels
    multiply = made("shadow_multiply", planes, SHADOW)
    free = alpha < 0.9
    np.testing.assert_allclose(multiply[free], np.repeat(s[free][:, None], 3, axis=1), atol=2e-3)
    layer = made("shadow_layer", planes, SHADOW)
    np.testing.assert_allclose(layer[free][:, 3], 1 - s[free], atol=2e-3)
    assert np.abs(made("shadow_residual", planes, SHADOW)[free]).max() < 2e-3
    cleared = made(
        "shadow_multiply", planes, {**SHADOW, "alpha.shadow.clear_shape": "55,30 90,30 90,58 55,58"}
    )
    assert cleared[42, 64].min() > 0.999
    painted = {**SHADOW, "alpha.shadow.strokes.add": "clear r=6 soft=0: 62,42"}
    assert made("shadow_multiply", planes, painted)[42, 62].min() > 0.999


def test_a_shadow_pass_is_unified_and_combined(pixels):
    planes, _, s, _ = pixels
    typed = {"alpha.shadow.on": "yes", "alpha.shadow.source": "shadow passes"}
    np.testing.assert_allclose(made("shadow_multiply", planes, typed)[..., 0], s, atol=1e-6)
    black = made("shadow_multiply", planes, {**typed, "alpha.shadow.lit_is": "black"})
    np.testing.assert_allclose(black[..., 0], 1 - s, atol=1e-6)


def test_the_stack_lays_plate_shadow_and_element_as_the_equations_say(pixels):
    planes, element, s, alpha = pixels
    recipe = Recipe()
    for name, value in [
        *SHADOW.items(), ("alpha.stack.add", "plate"), ("alpha.stack.add", "shadow_multiply"),
        ("alpha.stack.2.mode", "multiply"), ("alpha.stack.add", "beauty"), ("alpha.sends", "both"),
    ]:  # fmt: skip
        recipe = change(recipe, {name: value}, scene_unit="m")
    found = np.stack(pulled("stack", planes, PASSES, recipe, at()), axis=-1)
    plate = np.float32((0.1, 0.2, 0.3))
    wanted = element[..., :3] + (1 - alpha[..., None]) * plate * s[..., None]
    free = alpha < 0.9
    np.testing.assert_allclose(found[free][:, :3], wanted[free], atol=2e-3)
    assert (found[..., 3] == 1).all()
    ready = available_results(PASSES, recipe)
    assert {"stack", "layer_plate", "layer_shadow_multiply", "layer_beauty"} <= set(ready)
    muted = change(recipe, {"alpha.stack.2.on": "no"}, scene_unit="m")
    np.testing.assert_allclose(pulled("stack", planes, PASSES, muted, at())[0][0, 90], 0.1, atol=1e-6)
    # A group moves what belongs to it together, by whole pixels exactly.
    moved = change(
        change(recipe, {"alpha.groups.add": "buoy"}, scene_unit="m"),
        {"alpha.groups.1.right": "5", "alpha.stack.3.group": "buoy"}, scene_unit="m",
    )  # fmt: skip
    layer = np.stack(pulled("layer_beauty", planes, PASSES, moved, at()), axis=-1)
    np.testing.assert_array_equal(layer[:, 5:], element[:, :-5])


def test_a_layer_goes_behind_a_matte_or_a_distance(pixels):
    planes, _, _, alpha = pixels
    recipe = change(Recipe(), {"alpha.mattes.add": "red", "alpha.stack.add": "colour"}, scene_unit="m")
    recipe = change(
        recipe,
        {"alpha.mattes.1.names": "disc", "alpha.stack.1.behind": "a matte", "alpha.stack.1.front": "red"},
        scene_unit="m",
    )
    held = pulled("layer_colour", planes, PASSES, recipe, at())[3]
    np.testing.assert_allclose(held, 1 - alpha, atol=1e-6)
    by_depth = change(
        recipe, {"alpha.stack.1.behind": "a distance", "alpha.stack.1.distance": "6"}, scene_unit="m"
    )
    held = pulled("layer_colour", planes, PASSES, by_depth, at())[3]
    assert np.abs(held - (1 - alpha)).max() < 0.02


def test_how_alpha_is_read_holds_for_everything_that_goes_out(pixels):
    planes, element, _, alpha = pixels
    straight = dict(planes)
    for i, ref in enumerate(PASSES[0].channels[:3]):
        straight[ref] = np.where(alpha > 0, element[..., i] / np.maximum(alpha, 1e-6), 0).astype(np.float32)
    recipe = change(Recipe(), {"alpha.kinds.beauty": "straight", "alpha.straight_too": "yes"}, scene_unit="m")
    plan = plan_outputs(PASSES, recipe)
    stowed = by_name(compute(plan, straight, at()))
    np.testing.assert_allclose(stowed["R"].values, element[..., 0], atol=1e-6)
    np.testing.assert_allclose(
        stowed["beauty_straight.R"].values, straight[PASSES[0].channels[0]], rtol=1e-5, atol=1e-6
    )
    # Of a knot that is open only what it makes stays away; how pictures are read is not made.
    assert "beauty_straight" not in plan_outputs(PASSES, recipe, settled_only=True).results


@pytest.mark.parametrize(
    ("typed", "says"),
    [
        ({"alpha.kinds.beauty": "opaq"}, "no kind of alpha"),
        ({"alpha.mattes.add": "x", "alpha.mattes.1.name": "Red Buoys"}, "can't name a matte"),
        ({"alpha.mattes.add": "x", "alpha.mattes.1.low": ".8", "alpha.mattes.1.high": ".2"}, "not lie below"),
        ({"alpha.mattes.add": "x", "alpha.mattes.1.other": "y"}, "can't be joined"),
        ({"alpha.mattes.add": "x", "alpha.mattes.1.numbers": "1, two"}, "whole number"),
        ({"alpha.mattes.add": "x", "alpha.mattes.1.colours": "1 0"}, "no colour"),
        ({"alpha.shadow.floor": "0.9", "alpha.shadow.ceiling": "0.5"}, "does not lie below"),
        ({"alpha.shadow.strokes.add": "scrub 1,2"}, "is no stroke"),
        ({"alpha.shadow.strokes.erase": "1"}, "no setting"),
        ({"alpha.mattes.3.low": "0"}, "There is no matte 3"),
        ({"alpha.stack.add": "beauty", "alpha.stack.1.amount": "-1"}, "at least 0"),
    ],
)  # fmt: skip
def test_what_can_not_be_is_refused_in_words_and_changes_nothing(typed, says):
    with pytest.raises(SettingError) as refusal:
        change(Recipe(), typed, scene_unit="m")
    assert says in refusal.value.what + refusal.value.remedy


def told_frames(**frames):
    return {int(n.removeprefix("f")): told for n, told in frames.items()}


def test_workers_tell_kind_ranks_polarity_and_whether_renders_fit(pixels):
    planes, _, _, _ = pixels
    textured = dict(planes)
    grain = 1 + 0.5 * np.random.default_rng(1).standard_normal((HIGH, WIDE)).astype(np.float32)
    for passes in (PASSES[0], PASSES[2]):
        for ref in passes.channels[:3]:
            textured[ref] = planes[ref] * np.clip(1 + 4 * (cv2.GaussianBlur(grain, (0, 0), 2.5) - 1), 0.3, 2)
    told = tell(PASSES, textured, Moment(1), is_looked_at=True)
    assert told["beauty"]["alpha"]["kind"] in ("premultiplied", "unsure")
    assert told["object_matte"]["cut"] == 0
    assert told["shadow"]["white_lit"] is True
    assert told["ground_picture"]["gain"] == pytest.approx(1, abs=0.02)
    assert np.hypot(*told["ground_picture"]["shift"]) < 0.1
    apart = dict(textured)
    for ref in PASSES[2].channels:
        apart[ref] = 1.5 * np.roll(textured[ref], 3, axis=1)
    told = tell(PASSES, apart, Moment(1), is_looked_at=True)
    assert told["ground_picture"]["shift"][0] == pytest.approx(3, abs=0.1)
    settings = AlphaSettings().changed({"shadow.on": "yes"})
    found = {
        f.code: f for f in check_shadow(settings, {7: told}, is_ready=True, on_ground="ground_picture",
                                        eight_bit=["ground_picture"], passes=[], where="TW")
    }  # fmt: skip
    assert {"shadow-shifted", "shadow-exposure", "ground-8bit"} <= set(found)
    assert "+3.0" in found["shadow-shifted"].what and found["shadow-shifted"].frame == 7


def test_another_kind_than_read_is_found_with_the_press_that_reads_it_so():
    said = {"kind": "over a colour", "sure": 0.97, "samples": 900, "ground": [0.2, 0.3, 0.4], "outside": 3}
    told = told_frames(f1={"beauty": {"alpha": said}}, f2={"beauty": {"alpha": {**said, "nan": 2}}})
    found = {f.code: f for f in check_kinds(AlphaSettings(), told, "TW")}
    assert set(found) == {"alpha-kind", "alpha-outside", "alpha-nan"}
    assert "1,800 rim pixels in 2 frames" in found["alpha-kind"].what
    mended = AlphaSettings()
    for mend in found["alpha-kind"].mends[:1] + found["alpha-nan"].mends[:1]:
        mended = mended.changed({name.removeprefix("alpha."): value for name, value in mend.values})
    assert mended.kind_of("beauty") is AlphaKind.OVER_COLOUR and mended.ground == (0.2, 0.3, 0.4)
    assert check_kinds(mended, told, "TW") == []


def test_an_environment_behind_solid_alpha_is_found_and_cut_at_a_press():
    told = told_frames(f1={"beauty": {"alpha": {"kind": "opaque", "sure": 1, "samples": 0}}})
    (one,) = check_environment(AlphaSettings(), told, nothing=0.2, has_matte=True, where="TW")
    assert one.code == "alpha-environment" and "20%" in one.what and "Hide the environment" in one.remedy
    settings = AlphaSettings()
    for name, value in one.mends[0].values:
        settings = settings.changed({name.removeprefix("alpha."): value})
    assert settings.matte("element").names == ("*",)
    assert check_environment(settings, told, nothing=0.2, has_matte=True, where="TW") == []
    assert check_environment(AlphaSettings(), told, nothing=0, has_matte=True, where="TW") == []


def test_names_that_can_not_be_trusted_and_mattes_of_nothing_are_found():
    lying = NameSet("1234567", "CryptoObject", {"chain": name_bits("shed"), "shed": name_bits("shed")})
    told = told_frames(f4={"names": {"cut": 0.02}})
    found = [
        f.code
        for f in check_names(
            AlphaSettings().changed({"mattes.add": "red"}), told,
            sets={"names": lying, "half": None, "bare": None}, half=["half"], lossy=["codes"], where="TW",
        )
    ]  # fmt: skip
    assert found == ["names-lie", "names-few-ranks", "names-half", "names-unlisted", "id-lossy"]
    settings = AlphaSettings().changed({"mattes.add": "red", "mattes.1.names": "buoy_blue, shed"})
    (one,) = check_mattes(settings, ready=["red"], names={"red": ["shed", "chain"]}, where="TW")
    assert one.code == "matte-empty" and "buoy_blue names nothing" in one.what and "lacks it" in one.what
    (gone,) = check_mattes(settings, ready=[], names={}, where="TW")
    assert gone.code == "matte-not-there"
    (layer,) = check_stack(AlphaSettings().changed({"stack.add": "gull"}), {1: "there is no gull"}, "TW")
    assert layer.code == "layer-not-there" and "Layer 1, gull" in layer.what


def test_a_shadow_without_what_it_needs_and_one_turned_about_are_found():
    settings = AlphaSettings().changed({"shadow.on": "yes", "shadow.ground": "third render"})
    asked = {"on_ground": "", "eight_bit": [], "passes": [], "where": "TW"}
    (one,) = check_shadow(settings, {}, is_ready=False, **asked)
    assert one.code == "shadow-not-there" and "the ground alone" in one.what
    settings = settings.changed({"shadow.source": "shadow passes"})
    told = told_frames(f1={"shadow": {"white_lit": False}})
    (turned,) = check_shadow(settings, told, is_ready=True, **{**asked, "passes": ["shadow"]})
    assert turned.code == "shadow-polarity"
    assert turned.mends[0].values == (("alpha.shadow.lit_is", "black"),)
    clipped = told_frames(f1={"g": {"clipped": 0.4}})
    (cut,) = check_shadow(
        AlphaSettings().changed({"shadow.on": "yes"}), clipped, is_ready=True, **{**asked, "on_ground": "g"}
    )
    assert cut.code == "ground-clipped" and "40%" in cut.what


def test_the_division_is_done_once_while_its_finish_is_tried_out(pixels, monkeypatch):
    planes, _, s, alpha = pixels
    done = []
    real = shadows.shadow_ratio
    monkeypatch.setattr(shadows, "shadow_ratio", lambda *a, **k: done.append(1) or real(*a, **k))
    lasting: dict = {}
    for i in range(6):
        recipe = change(Recipe(), {**SHADOW, "alpha.shadow.strength": str(1 - i / 10)}, scene_unit="m")
        moment = Moment(1, lasting=lasting)
        found = pulled("shadow_multiply", planes, PASSES, recipe, moment)[0]
        wanted = 1 - (1 - i / 10) * (1 - s)
        np.testing.assert_allclose(found[alpha < 0.9], wanted[alpha < 0.9], atol=2e-3)
    assert len(done) == 1 and len(lasting) <= 6
    painted = {**SHADOW, "alpha.shadow.strokes.add": "no ground r=10 soft=0: 10,10"}
    recipe = change(Recipe(), painted, scene_unit="m")
    pulled("shadow_multiply", planes, PASSES, recipe, Moment(1, lasting=lasting))
    assert len(done) == 2, "another fit is another division"


def test_a_shadow_on_ground_without_distance_is_found_where_mist_or_lens_would_need_one():
    on = AlphaSettings().changed({"shadow.on": "yes"})
    (one,) = check_shadow_distance(on, nothing=0.4, blurs=True, where="TW")
    assert one.code == "shadow-without-distance" and "40%" in one.what
    for settings, nothing, blurs in ((on, 0.0, True), (on, 0.4, False), (AlphaSettings(), 0.4, True)):
        assert not check_shadow_distance(settings, nothing=nothing, blurs=blurs, where="TW")
