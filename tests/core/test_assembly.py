"""Assembly: sums read and worked out, gaps measured and named, contributions changed, colour."""

import math
from dataclasses import replace

import cv2
import numpy as np
import PyOpenColorIO as ocio
import pytest
from hypothesis import given
from hypothesis import strategies as st
from makers import pulled

from drawstring.core.assembly.causes import cause_of
from drawstring.core.assembly.checks import check_settings, check_spaces, check_sum
from drawstring.core.assembly.expression import addends, read_expression, with_rounding, worked_out
from drawstring.core.assembly.hot import mended
from drawstring.core.assembly.products import gathered, told_sums
from drawstring.core.assembly.residual import compared, measure
from drawstring.core.assembly.settings import AssemblySettings
from drawstring.core.assembly.terms import all_terms, counted_terms, sum_text
from drawstring.core.camera import Moment
from drawstring.core.colour.grade import GradeSettings, changed_colour, graded
from drawstring.core.errors import SettingError
from drawstring.core.io.facts import ChannelRef
from drawstring.core.passes import Pass, Role
from drawstring.core.recipe import Recipe, change
from drawstring.core.recipe.homes import count, countings

H, W = 72, 96
LIGHT, ALBEDO = ("diffuse_direct", "diffuse_indirect"), "diffuse_albedo"


def a_pass(name: str, role: Role, suffixes: str = "RGB", stored: str = "half") -> Pass:
    refs = tuple(ChannelRef(0, f"{name}.{suffix}") for suffix in suffixes)
    return Pass(name, name, role, 1.0, "", "", refs, tuple(suffixes), (stored,) * len(suffixes))


def smooth(seed: int, low: float = 0.0, high: float = 1.0) -> np.ndarray:
    """A soft picture unlike any other seed's, (H, W, 3) float64."""
    noise = np.random.default_rng(seed).random((H // 6, W // 6, 3))
    return low + (high - low) * cv2.resize(noise, (W, H), interpolation=cv2.INTER_CUBIC).clip(0, 1)


def a_frame(**changes: np.ndarray) -> tuple[list[Pass], dict[ChannelRef, np.ndarray], dict[str, np.ndarray]]:
    """Parts as a renderer that nobody here wrote gives them, in half; the beauty is added up in double."""
    alpha = np.clip(smooth(9, -1, 3)[..., :1], 0, 1)
    true = {
        "diffuse_direct": smooth(1, 0, 4), "diffuse_indirect": smooth(2, 0.1, 0.8),
        "diffuse_albedo": smooth(3, 0.02, 0.9) * alpha, "specular": smooth(4, 0, 2) ** 4 * alpha,
        "emission": np.where(smooth(5) > 0.8, 5.0, 0.0) * alpha,
        "light_key": smooth(7) * alpha, "light_fill": smooth(8) * alpha,
    }  # fmt: skip
    true["beauty"] = (
        (true["diffuse_direct"] + true["diffuse_indirect"]) * true["diffuse_albedo"]
        + true["specular"]
        + true["emission"]
    )
    true |= changes
    roles = {"light_key": Role.LIGHT_GROUP, "light_fill": Role.LIGHT_GROUP}
    passes = [a_pass("beauty", Role.BEAUTY, "RGBA", "float")]
    planes = {ref: true["beauty"][..., i] for i, ref in enumerate(passes[0].channels[:3])}
    planes[passes[0].channels[3]] = alpha[..., 0]
    planes = {ref: plane.astype(np.float32) for ref, plane in planes.items()}
    for name, picture in true.items():
        if name == "beauty" or picture is None:
            continue
        passes.append(a_pass(name, roles.get(name, Role(name) if name in set(Role) else Role.OTHER)))
        planes |= {ref: picture[..., i].astype(np.float16) for i, ref in enumerate(passes[-1].channels)}
    return passes, planes, true


def settled(**typed: str) -> Recipe:
    recipe = change(Recipe(), {"assembly.needed": "yes"}, scene_unit="m")
    for name, value in typed.items():
        recipe = change(recipe, {f"assembly.{name.replace('__', '.')}": value}, scene_unit="m")
    return recipe


# --- expressions


names = st.sampled_from(["a", "b", "c"])
numbers = st.floats(0.01, 9, allow_nan=False).map(lambda v: f"{v:.3f}")
texts = st.recursive(
    names | numbers,
    lambda inner: st.one_of(
        st.tuples(inner, st.sampled_from("+-*/"), inner).map(lambda t: f"({t[0]} {t[1]} {t[2]})"),
        inner.map(lambda t: f"-{t}"),
        st.tuples(st.sampled_from(["min", "max"]), inner, inner).map(lambda t: f"{t[0]}({t[1]}, {t[2]})"),
        st.tuples(inner, inner, inner).map(lambda t: f"clamp({t[0]}, {t[1]}, {t[2]})"),
    ),
    max_leaves=9,
)


@given(texts)
def test_a_sum_is_worked_out_as_python_would_and_comes_back_as_it_was_written(text):
    planes = {
        name: np.full((1, 1, 3), value, np.float32) for name, value in zip("abc", (0.5, 2, 7), strict=True)
    }
    node = read_expression(text)

    class Safe(float):
        """Double precision in which what is divided by 0 is 0."""

        def __truediv__(self, other):
            return Safe(float(self) / float(other)) if other else Safe(0)

    for sign in ("add", "sub", "mul", "neg"):
        name = f"__{sign}__"
        setattr(Safe, name, lambda self, *other, name=name: Safe(getattr(float, name)(self, *other)))
    known = {name: Safe(planes[name][0, 0, 0]) for name in "abc"}
    python = "".join(f"S({part})" if part[0].isdigit() else part for part in _pieces(text))
    known |= {"S": Safe, "clamp": lambda v, low, high: min(max(v, low), high), "min": min, "max": max}
    wanted = eval(python, {"__builtins__": {}}, known)
    assert worked_out(node, planes).ravel()[0] == pytest.approx(float(wanted), rel=1e-4, abs=1e-4)
    assert read_expression(str(node)) == node or worked_out(read_expression(str(node)), planes).ravel()[
        0
    ] == pytest.approx(float(wanted), rel=1e-4, abs=1e-4)


def _pieces(text):
    import re

    return re.findall(r"[a-z]+|\d+\.?\d*|[^a-z\d]", text)


@pytest.mark.parametrize(
    ("text", "what", "remedy"),
    [
        ("a +* b", "letter 4, “* b”", "a name"), ("a b", "letter 3, “b”", "+"),
        ("(a", "letter 3, its end", ")"), ("a + $", "letter 5, “$”", "a number"),
        ("", "is empty", "diffuse"), ("sin(a)", "no function sin", "min"),
        ("clamp(a)", "takes 3 values, not 1", "clamp(a, low, high)"),
        ("a" * 2001, "2001 letters", "Shorten"), ("__import__('os')", "can't be read", "Expected"),
    ],
)  # fmt: skip
def test_a_sum_that_cannot_be_read_says_where_and_what_was_expected(text, what, remedy):
    assert read_expression("(" * 99 + "a" + ")" * 99).does == "name", "parentheses alone are harmless"
    with pytest.raises(SettingError) as refusal:
        read_expression(text)
    assert what in refusal.value.what and remedy in refusal.value.remedy
    with pytest.raises(SettingError):
        settled(own=text or "(")


def test_division_by_an_albedo_of_0_is_0_and_addends_keep_their_signs():
    planes = {"l": np.float32([[[1, 2, 3]]]), "a": np.float32([[[0, 2, -0.0]]])}
    assert worked_out(read_expression("l / a"), planes).tolist() == [[[0, 1, 0]]]
    signs = [(one.sign, str(one.node)) for one in addends(read_expression("-(a - b) + c * d - 2"))]
    assert signs == [(-1, "a"), (1, "b"), (1, "c * d"), (-1, "2")]


@given(st.integers(0, 10**6))
def test_rounding_to_half_never_moves_a_sum_further_than_is_said(seed):
    random = np.random.default_rng(seed)
    true = {name: random.uniform(-4, 4, (5, 5, 3)) * 10.0 ** random.integers(-5, 3) for name in "abc"}
    stored = {name: plane.astype(np.float16).astype(np.float32) for name, plane in true.items()}
    for text in ("a * b + c", "a * b / c", "clamp(a, -1, b) - c", "max(a, b) * (c - a)"):
        node = read_expression(text)
        value, bound = with_rounding(node, stored, dict.fromkeys("abc", 2.0**-11))
        wanted = worked_out(node, true)
        # Second order: the bound is told for small steps.
        assert (np.abs(value - wanted) <= bound * 1.01 + np.abs(wanted) * 1e-5 + 1e-12).all(), text


# --- the sum, what it leaves, and why


def test_the_sum_is_proposed_from_what_arrived_and_partitions_are_never_added_up():
    passes, *_ = a_frame()
    assert sum_text(passes, AssemblySettings()) == (
        "diffuse_direct * diffuse_albedo + diffuse_indirect * diffuse_albedo + specular + emission"
    )
    assert sum_text(passes, settled(partition="light groups").assembly) == "light_key + light_fill + emission"
    whole = [*passes, a_pass("diffuse", Role.DIFFUSE)]
    assert sum_text(whole, settled(lobes="whole").assembly) == "diffuse + specular + emission"
    assert "/ alpha" in sum_text(passes, settled(covered="twice").assembly)
    odd = [passes[0], a_pass("rim-1", Role.LIGHT_GROUP), a_pass("rim-2", Role.LIGHT_GROUP)]
    terms = all_terms(odd, settled(partition="lights").assembly)
    assert [str(term.node) for term in terms] == ['"rim-1"', '"rim-2"']


def test_parts_that_add_up_are_told_from_a_gap_pixel_by_pixel():
    passes, planes, true = a_frame()
    terms = counted_terms(passes, AssemblySettings())
    sound = measure(terms, passes, planes)
    assert sound.adds_up and sound.beyond == 0 and 0 < sound.largest < 0.02
    # One pixel too bright by twice what rounding may explain there is one pixel beyond.
    red = passes[0].channels[0]
    lifted = planes | {red: planes[red].copy()}
    lifted[red][20, 30] += 0.05
    gap = measure(terms, passes, lifted)
    assert gap.beyond == pytest.approx(1 / (H * W)) and gap.worst == (30, 20)
    # Numbers against the same worked out in double.
    lacks = [term for term in terms if term.name != "specular"]
    got = measure(lacks, passes, planes)
    off = true["beauty"] - (true["beauty"] - true["specular"])
    assert got.rms == pytest.approx(math.sqrt((off**2).mean()), rel=1e-3)
    assert got.largest == pytest.approx(np.abs(off).max(), rel=5e-3) and got.positive == 1
    assert got.p999 == pytest.approx(np.percentile(np.abs(off), 99.9), rel=0.02)
    assert got.relative == pytest.approx(got.rms / math.sqrt((true["beauty"] ** 2).mean()), rel=1e-3)
    broken = planes | {red: planes[red].copy()}
    broken[red][3, 4:6] = np.nan
    assert measure(terms, passes, broken).odd == 2
    as_made = compared(true["beauty"].astype(np.float32), (true["beauty"] - off).astype(np.float32))
    assert as_made.rms == pytest.approx(got.rms, rel=1e-3)


def test_numbers_grey_passes_and_names_that_did_not_come_are_no_trouble():
    passes, planes, _ = a_frame()
    beauty = a_pass("beauty", Role.BEAUTY, "V", "float")
    grey = a_pass("emission", Role.EMISSION, "V")
    some = [beauty, grey, passes[1]]
    flat = np.full((H, W), 0.25, np.float32)
    few = planes | {beauty.channels[0]: flat, grey.channels[0]: flat.astype(np.float16)}
    own = settled(own="emission + 0.5", partition="own")
    terms = counted_terms(some, own.assembly)
    residual = measure(terms, some, few)
    assert residual.largest == pytest.approx(0.5) and residual.mean == pytest.approx(-0.5)
    made = np.stack(pulled("rebuilt", few, some, own, Moment(1)), -1)
    np.testing.assert_allclose(made[..., :3], 0.75)
    absent = settled(own="emission + nobody", partition="own")
    counted = count("assembly", passes, absent, planes, Moment(1), is_looked_at=True)
    assert counted[""]["residual"]["largest"] > 1 and "nobody" not in counted[""]["sums"]["columns"]


def test_grain_is_told_from_a_gap():
    passes, _, true = a_frame()
    grain = np.random.default_rng(3).normal(0, 0.05, true["specular"].shape)
    whole = a_frame(diffuse_indirect=true["diffuse_indirect"] + grain, beauty=true["beauty"])
    residual = measure(counted_terms(whole[0], AssemblySettings()), whole[0], whole[1])
    assert residual.is_noise and not residual.adds_up
    found = check_sum({1: {"": {"residual": residual.as_dict()}}}, passes, AssemblySettings(), "shot")
    assert [one.code for one in found] == ["sum-noise"]


def _named(passes, planes, settings=None):
    settings = settings or AssemblySettings()
    return cause_of(passes, settings, gathered([told_sums(passes, planes, settings)] * 2))


def srgb(light: np.ndarray) -> np.ndarray:
    return np.where(light <= 0.0031308, light * 12.92, 1.055 * np.maximum(light, 1e-9) ** (1 / 2.4) - 0.055)


@pytest.mark.parametrize(
    ("changes", "typed", "kind", "words", "values"),
    [
        (lambda t: {"beauty": t["beauty"] - t["specular"]}, {}, "left out", "specular is in the sum",
         {"assembly.terms.specular.counts": "no"}),
        (lambda t: {"beauty": t["beauty"] + t["emission"]}, {}, "doubled", "emission counts twice", {}),
        (lambda t: {"specular": t["specular"] / 2}, {}, "doubled", "specular counts twice", {}),
        (lambda t: {"specular": -t["specular"]}, {}, "turned", "specular is taken away", {}),
        (lambda t: {"emission": t["emission"] / 3}, {}, "scaled", "3 times as bright", {}),
        (lambda t: {"specular": srgb(t["specular"])}, {}, "coded", "display-coded",
         {"arrivals.spaces.specular": "sRGB display"}),
        (lambda t: {"diffuse_direct": t["diffuse_direct"] * t[ALBEDO],
                    "diffuse_indirect": t["diffuse_indirect"] * t[ALBEDO]}, {},
         "holds", "the surface's colour", {"assembly.parts_hold": "finished"}),
        (lambda t: {}, {"parts_hold": "finished"}, "holds", "light before", {"assembly.parts_hold": "light"}),
        (lambda t: {"sheen": smooth(31), "beauty": t["beauty"] + smooth(31)},
         {"terms__sheen__counts": "no"}, "off", "sheen is switched off",
         {"assembly.terms.sheen.counts": "yes"}),
        (lambda t: {"haze_of_ours": smooth(30), "beauty": t["beauty"] + smooth(30)}, {},
         "left out of the sum",
         "haze of ours came and is not in the sum", {"assembly.partition": "own"}),
        (lambda t: {"diffuse_direct": None}, {}, "missing", "diffuse direct did not come", {}),
        (lambda t: {"beauty": t["beauty"] + smooth(40) ** 2}, {}, None, "", {}),
        (lambda t: {"beauty": t["beauty"] - t["specular"], "diffuse_direct": t["diffuse_direct"] / np.pi},
         {}, "two", "would have to be 3.142 times as bright. specular is in the sum",
         {"assembly.terms.specular.counts": "no"}),
        (lambda t: {"specular": srgb(t["specular"]), "emission": -t["emission"]}, {}, "two",
         "emission is taken away", {"arrivals.spaces.specular": "sRGB display"}),
        (lambda t: {"haze_of_ours": smooth(30), "beauty": t["beauty"] + smooth(30) + t["emission"]}, {},
         "two", "haze of ours came and is not in the sum", {}),
    ],
)  # fmt: skip
def test_what_explains_a_gap_is_named(changes, typed, kind, words, values):
    *_, true = a_frame()
    passes, planes, _ = a_frame(**changes(true))
    found = _named(passes, planes, settled(**typed).assembly)
    if kind is None:
        assert found is None
        return
    assert found.kind == kind and words in found.what, found
    assert values.items() <= dict(found.values).items()


def test_products_in_other_primaries_than_rendered_are_told_with_the_space_to_work_in():
    passes, *_ = a_frame()
    assert not check_spaces(passes, settled(), "shot")
    aces = [replace(one, space="ACEScg") for one in passes]
    found = check_spaces(aces, settled(), "shot")
    assert [finding.code for finding in found] == ["sum-other-space"]
    recipe = change(settled(), dict(found[0].mends[0].values), scene_unit="m")
    assert recipe.arrivals.working_space == "ACEScg" and not check_spaces(aces, recipe, "shot")
    coded = [replace(one, space="sRGB display") for one in passes]
    assert not check_spaces(coded, settled(), "shot"), "the same primaries, once the curve is undone"
    assert not check_spaces(aces, settled(partition="lights"), "shot"), "sums alone are right in any"


def test_every_light_that_is_withheld_is_named_and_the_other_partition_found():
    *_, true = a_frame()
    light = true["light_key"] + true["light_fill"] + true["emission"]
    for name in ("light_key", "light_fill"):
        passes, planes, _ = a_frame(beauty=light - true[name])
        found = _named(passes, planes, settled(partition="lights").assembly)
        assert found.kind == "left out" and name.replace("_", " ") in found.what
    passes, planes, _ = a_frame(beauty=light)
    assert _named(passes, planes).kind == "partition"
    # The components are whole, so a lamp that did not come is known to be one.
    passes, planes, _ = a_frame()
    found = _named(passes, planes, settled(partition="lights").assembly)
    assert found.kind == "partition" and "components add up" in found.what


def test_coverage_that_counts_twice_at_rims_is_named_and_divided_out():
    """Averages by closed form: a disc of light 3 and albedo 0.5 that covers a share of each pixel."""
    alpha = np.clip(1.5 - np.hypot(*np.mgrid[-1.6:1.6:72j, -2.1:2.1:96j])[..., None] * np.ones(3), 0, 1)
    true = {"diffuse_direct": 3 * alpha, "diffuse_albedo": 0.5 * alpha, "beauty": 1.5 * alpha}
    passes, planes, _ = a_frame(
        **true, diffuse_indirect=None, specular=None, emission=None, light_key=None, light_fill=None
    )
    planes[passes[0].channels[3]] = alpha[..., 0].astype(np.float32)
    assert not measure(counted_terms(passes, AssemblySettings()), passes, planes).adds_up
    found = _named(passes, planes)
    assert found.kind == "covered" and dict(found.values) == {"assembly.covered": "twice"}
    terms = counted_terms(passes, settled(covered="twice").assembly)
    assert measure(terms, passes, planes).adds_up


def test_frames_are_counted_by_view_as_the_recipe_reads_them():
    *_, true = a_frame()
    passes, planes, _ = a_frame(specular=srgb(true["specular"]))
    plain = countings(passes, Recipe())["assembly"]
    assert plain.is_sampled and not countings(passes, settled())["assembly"].is_sampled
    moment = Moment(7)
    off = count("assembly", passes, settled(), planes, moment, is_looked_at=True)[""]
    assert off["residual"]["beyond"] > 0.3 and off["sums"]["samples"] > 1000
    read = change(settled(), {"arrivals.spaces.specular": "sRGB display"}, scene_unit="m")
    assert countings(passes, read)["assembly"].key != countings(passes, settled())["assembly"].key
    assert (
        count("assembly", passes, read, planes, moment, is_looked_at=False)[""]["residual"]["relative"] < 2e-3
    )
    # A change of what is done with the sum needs no new count.
    stronger = settled(terms__specular__strength="1")
    assert countings(passes, stronger)["assembly"].key == countings(passes, settled())["assembly"].key
    assert countings(passes[:1], Recipe()) == {}


# --- contributions


def test_changes_are_added_as_differences_so_that_the_unexplained_stays():
    *_, true = a_frame()
    rest = smooth(50) * 0.2
    passes, planes, _ = a_frame(beauty=true["beauty"] + rest)
    recipe = settled(
        terms__specular__strength="1", terms__emission__on="no", terms__diffuse_direct__tint="1 0.5 0.25",
        terms__diffuse_indirect__saturation="0",
    )  # fmt: skip
    stored = {
        one.name: np.stack([planes[ref] for ref in one.channels], -1).astype(np.float64) for one in passes
    }
    direct = stored["diffuse_direct"] * stored[ALBEDO]
    indirect = stored["diffuse_indirect"] * stored[ALBEDO]
    grey = (indirect @ [0.2126, 0.7152, 0.0722])[..., None] * np.ones(3)
    wanted = (
        stored["beauty"][..., :3] + stored["specular"] - stored["emission"]
        + direct * [0, -0.5, -0.75] + grey - indirect
    )  # fmt: skip
    got = np.stack(pulled("picture", planes, passes, recipe, Moment(1)), -1)
    np.testing.assert_allclose(got[..., :3], wanted, atol=2e-5)
    np.testing.assert_array_equal(got[..., 3], planes[passes[0].channels[3]])
    left = np.stack(pulled("rest", planes, passes, settled(sends_rest="yes"), Moment(1)), -1)
    np.testing.assert_allclose(left, rest, atol=1e-2)  # what half float loses of parts up to 20
    rebuilt = np.stack(pulled("rebuilt", planes, passes, settled(), Moment(1)), -1)
    np.testing.assert_allclose(rebuilt[..., :3] + left, stored["beauty"][..., :3], atol=1e-5)


def test_a_contribution_is_softened_keyed_and_left_alone_when_nothing_is_asked():
    passes, planes, true = a_frame()
    assert (
        pulled("picture", planes, passes, settled(), Moment(1))[0].tolist()
        == planes[passes[0].channels[0]].tolist()
    )
    recipe = settled(terms__emission__soften="6")
    got = np.stack(pulled("picture", planes, passes, recipe, Moment(1)), -1)[..., :3]
    from scipy.ndimage import gaussian_filter

    emission = np.stack([planes[ChannelRef(0, f"emission.{c}")] for c in "RGB"], -1).astype(np.float64)
    soft = gaussian_filter(emission, (3, 3, 0), mode="nearest")
    came = np.stack([planes[ref] for ref in passes[0].channels[:3]], -1)
    np.testing.assert_allclose(got - came, soft - emission, atol=0.02)
    pull = {"assembly.terms.specular.strength@1": "0", "assembly.terms.specular.strength@5": "2"}
    keyed = change(settled(), pull, scene_unit="m")
    keyed = change(keyed, {"assembly.terms.specular.strength@1.then": "linear"}, scene_unit="m")
    half = np.stack(pulled("picture", planes, passes, keyed, Moment(3)), -1)[..., :3]
    specular = np.stack([planes[ChannelRef(0, f"specular.{c}")] for c in "RGB"], -1).astype(np.float64)
    np.testing.assert_allclose(half, came + specular, atol=1e-5)


def test_passes_are_mixed_in_by_amount_and_the_picture_keeps_its_coverage():
    passes, planes, _ = a_frame()
    passes.append(a_pass("occlusion", Role.OCCLUSION, "V"))
    shade = smooth(60)[..., 0].astype(np.float16)
    planes[passes[-1].channels[0]] = shade
    recipe = settled(mixed__add="occlusion", mixed__1__amount="0.5")
    got = np.stack(pulled("picture", planes, passes, recipe, Moment(1)), -1)
    came = np.stack([planes[ref] for ref in passes[0].channels], -1)
    np.testing.assert_allclose(
        got[..., :3], came[..., :3] * (0.5 + 0.5 * shade[..., None].astype(float)), atol=1e-4
    )
    np.testing.assert_allclose(got[..., 3], came[..., 3], atol=1e-6)
    gone = settled(mixed__add="bloom")
    assert [one.code for one in check_settings(passes, gone.assembly, (), "shot")] == ["mix-missing"]


def test_single_hot_pixels_are_mended_and_small_lamps_stay():
    light = (smooth(70, 0.2, 0.6)).astype(np.float32)
    hot = light.copy()
    hot[10, 12] *= 60
    hot[30:32, 40:42] += 40  # a lamp of four pixels
    hot[0, 0] *= 90
    made, where = mended(hot, 8)
    assert sorted(zip(*np.nonzero(where), strict=True)) == [(0, 0), (10, 12)]
    assert np.array_equal(made[~where], hot[~where])
    around = np.delete(hot[9:12, 11:14].reshape(9, 3), 4, axis=0)
    np.testing.assert_array_equal(made[10, 12], np.median(around, axis=0))


def test_what_settings_name_and_is_not_there_is_found():
    passes, *_ = a_frame()
    said = {
        one.code
        for one in check_settings(passes, settled(partition="own", own="nobody + emission").assembly, (), "s")
    }
    assert said == {"sum-names-nothing"}
    grade = settled(grade__matte="hero", grade__exposure="1", terms__ghost__strength="1").assembly
    assert {one.code for one in check_settings(passes, grade, (), "s")} == {"term-gone", "grade-matte"}
    assert [one.code for one in check_settings(passes[1:], settled().assembly, (), "s")] == ["no-beauty"]
    assert [one.code for one in check_settings(passes[:1], settled().assembly, (), "s")] == ["sum-empty"]


# --- colour


def test_the_cdl_is_the_published_one():
    colours = np.random.default_rng(4).uniform(-0.5, 2, (4000, 3)).astype(np.float32)
    settings = (1.2, 0.8, 1.0), (0.05, -0.1, 0.0), (1.3, 0.7, 1.0), 0.6
    for style, clamps in ((ocio.CDL_ASC, True), (ocio.CDL_NO_CLAMP, False)):
        transform = ocio.CDLTransform()
        transform.setSlope(settings[0])
        transform.setOffset(settings[1])
        transform.setPower(settings[2])
        transform.setSat(settings[3])
        transform.setStyle(style)
        plain = ocio.OptimizationFlags(ocio.OPTIMIZATION_LOSSLESS)
        wanted = colours.copy()
        ocio.Config.CreateRaw().getProcessor(transform).getOptimizedCPUProcessor(
            ocio.BIT_DEPTH_F32, ocio.BIT_DEPTH_F32, plain
        ).applyRGB(wanted)
        how = GradeSettings(**dict(zip(CDL, settings, strict=True)), clamps=clamps)
        assert np.abs(changed_colour(colours, how) - wanted).max() < 1e-6
    # The committee's own definition, one value by hand: (0.5 x 1.2 + 0.05) ^ 1.3.
    grey = np.full((1, 3), 0.5, np.float32)
    how = GradeSettings(slope=(1.2,) * 3, offset=(0.05,) * 3, power=(1.3,) * 3, clamps=True)
    one = changed_colour(grey, how)
    assert one[0, 0] == pytest.approx(0.65**1.3, abs=1e-6)


CDL = ("slope", "offset", "power", "cdl_saturation")


def test_colour_is_changed_on_the_unmultiplied_light_and_within_a_matte():
    colour, alpha = np.float32([0.4, 0.2, 0.8]), np.linspace(0, 1, 11, dtype=np.float32)[:, None, None]
    picture = np.concatenate([colour * alpha, alpha], axis=-1)
    changed = GradeSettings(exposure=1, contrast=1.5, offset=(0.1, 0.1, 0.1), saturation=0.5)
    made = graded(picture, changed)
    whole = made[-1, 0, :3]
    np.testing.assert_allclose(made[..., :3], whole * alpha, atol=1e-5)  # rims keep the colour of the inside
    assert (made[0] == 0).all() and np.array_equal(made[..., 3:], alpha)
    bare = 0.18 * (np.float64([0.8, 0.4, 1.6]) / 0.18) ** 1.5
    grey = bare @ [0.2126, 0.7152, 0.0722]
    np.testing.assert_allclose(whole, grey + 0.5 * (bare - grey) + 0.1, rtol=1e-4)
    half = graded(picture, changed, np.full((11, 1), 0.5, np.float32))
    np.testing.assert_allclose(half, (picture + made) / 2, atol=1e-6)
    glow = np.float32([[[0.5, 0.5, 0.5, 0.0], [0, 0, 0, 0]]])
    np.testing.assert_allclose(graded(glow, GradeSettings(exposure=1))[0, :, 0], [1, 0])
    assert not GradeSettings(on=False, exposure=3).changes and not GradeSettings(pivot=0.4).changes
