"""The recipe: typed values read as people type them, outputs pulled, states told."""

import json
from pathlib import Path

import numpy as np
import pytest
from makers import by_name

from drawstring.core.camera import Moment
from drawstring.core.errors import DrawstringError, SettingError, SeveralSettingErrors
from drawstring.core.findings import Severity
from drawstring.core.io.facts import ChannelRef
from drawstring.core.pack import stow
from drawstring.core.pack.file_names import file_name
from drawstring.core.pack.profile import read_profile
from drawstring.core.passes import Pass, Role
from drawstring.core.recipe import (
    CordFacts,
    KnotState,
    Recipe,
    change,
    compute,
    cord_of,
    digest_of,
    plan_outputs,
    upgraded,
)
from drawstring.core.recipe.pictures import picture, proxy


def a_pass(name: str, role: Role, suffixes: str, kind: str = "half", layer: str | None = None) -> Pass:
    layer = name if layer is None else layer
    refs = tuple(ChannelRef(0, f"{layer}.{s}" if layer else s) for s in suffixes)
    return Pass(name, layer, role, 1.0, "", "", refs, tuple(suffixes), (kind,) * len(suffixes))


PASSES = [
    a_pass("beauty", Role.BEAUTY, "RGBA", layer=""),
    a_pass("depth", Role.DEPTH, "Z", "float"),
    a_pass("normal", Role.NORMAL, "XYZ"),
    a_pass("position", Role.POSITION, "XYZ", "float"),
]


@pytest.mark.parametrize(
    ("typed", "metres"),
    [("4.2", 4.2), ("4,2", 4.2), (" 420 cm ", 4.2), ("13 ft", 3.9624), ("12 in", 0.3048), ("4200mm", 4.2)],
)
def test_distances_are_read_as_typed(typed, metres):
    assert change(Recipe(), {"depth.near": typed}, scene_unit="m").depth.near == pytest.approx(metres)


@pytest.mark.parametrize(
    ("typed", "where", "words"),
    [
        ({"depth.near": "two"}, "depth.near", "is not a length"),
        ({"depth.near": "4 parsec"}, "depth.near", "is not a length"),
        ({"depth.near": "-1"}, "depth.near", "more than 0"),
        ({"depth.near": "9", "depth.far": "3"}, "depth.near", "does not lie before far"),
        ({"depth.mapping": "cubic"}, "depth.mapping", "can't be"),
        ({"depth.colour": "red"}, "depth.colour", "There is no setting"),
        ({"fog.near": "1"}, "fog", "There is no knot"),
        ({"pack.compression": "rar"}, "pack.compression", "can't be"),
        ({"pack.normal.layer": "N 1"}, "pack.normal", "letters, digits and underscores"),
        ({"arrivals.first": "9", "arrivals.last": "3"}, "arrivals.first", "lies after the last"),
    ],
)
def test_refused_values_say_where_and_change_nothing(typed, where, words):
    with pytest.raises(SettingError) as refused:
        change(Recipe(), typed, scene_unit="m")
    assert refused.value.where == where and words in f"{refused.value.what} {refused.value.remedy}"


def test_several_refusals_are_told_together():
    with pytest.raises(SeveralSettingErrors) as refused:
        change(Recipe(), {"depth.near": "x", "depth.far": "y", "pack.compression": "z"}, scene_unit="m")
    assert [one.where for one in refused.value.refusals] == ["depth.near", "depth.far", "pack.compression"]


def test_the_digest_tells_settings_apart_but_not_when_they_were_settled():
    recipe = change(Recipe(), {"depth.near": "1", "depth.far": "9"}, scene_unit="m")
    settled = recipe.with_knot(recipe.depth.model_copy(update={"settled_on": "abc"}))
    other = change(recipe, {"depth.far": "9.5"}, scene_unit="m")
    assert digest_of(recipe) == digest_of(settled) != digest_of(other)
    assert upgraded(settled.as_dict()) == settled
    assert change(settled, {"depth.far": "8"}, scene_unit="m").depth.settled_on == "", (
        "a change opens the knot"
    )


def test_only_channels_that_outputs_need_are_pulled():
    recipe = change(
        Recipe(),
        {"depth.near": "1", "depth.far": "9", "pack.normal.goes": False, "pack.position.goes": False,
         "pack.beauty.goes": False, "pack.depth.goes": False},
        scene_unit="m",
    )  # fmt: skip
    plan = plan_outputs(PASSES, recipe)
    assert [c.name for c in plan.channels] == ["depth_normalised.V"]
    assert {ref.name for ref in plan.inputs} == {"depth.Z", "A"}
    pixels = {
        ChannelRef(0, "depth.Z"): np.float32([[1, 5, 9]]),
        ChannelRef(0, "A"): np.float16([[1, 1, 0]]),
    }
    made = by_name(compute(plan, pixels, Moment()))
    assert made["depth_normalised.V"].values.tolist() == [[1, 0.5, 0]]
    assert plan_outputs(PASSES, recipe, settled_only=True).channels == ()


def test_names_and_types_of_the_channel_map():
    recipe = change(
        Recipe(), {"pack.normal.layer": "N", "pack.normal.stored": "float", "pack.beauty.layer": "final"},
        scene_unit="m",
    )  # fmt: skip
    names = {c.name: c.stored for c in plan_outputs(PASSES, recipe).channels}
    assert names == {
        **dict.fromkeys(["final.R", "final.G", "final.B", "final.A"], "half"),
        "depth.Z": "float", **dict.fromkeys(["N.X", "N.Y", "N.Z"], "float"),
        **dict.fromkeys(["position.X", "position.Y", "position.Z"], "float"),
    }  # fmt: skip


@pytest.mark.parametrize(
    ("typed", "code"),
    [
        ({"pack.normal.layer": "position"}, "pack-name-twice"),
        ({"pack.position.stored": "half"}, "pack-needs-float"),
        ({"pack.compression": "dwaa"}, "pack-lossy"),
        ({f"pack.{one.name}.goes": False for one in PASSES}, "pack-empty"),
        ({"pack.files": "a file for each pass", "pack.file_name": "{shot}.{frame}.exr"}, "pack-one-file"),
        ({"pack.files": "a file for each pass", "pack.normal.layer": "DEPTH"}, "pack-one-file"),
        ({"pack.normal.layer": "x" * 200, "pack.normal.names": "y" * 60}, "pack-long-name"),
        ({"pack.normal.compression": "piz"}, "pack-part-twice"),
        ({"pack.constants": "depth.Z = 1"}, "pack-name-twice"),
    ],
)
def test_what_would_spoil_the_package_stops_it(typed, code):
    found = plan_outputs(PASSES, change(Recipe(), typed, scene_unit="m")).findings
    assert (code, Severity.STOPS) in [(one.code, one.severity) for one in found]


def test_half_keeps_what_it_can_and_counts_what_it_holds():
    values = np.float32([[65519.9, 65520, -1e6, np.inf, np.nan, 1 / 3]])
    stowed = stow(values, "half")
    with np.errstate(over="ignore"):
        plain = values.astype(np.float16)
    assert stowed.held == 2
    assert stowed.values[0, [1, 2]].tolist() == [65504, -65504]
    np.testing.assert_array_equal(stowed.values[0, [0, 3, 4, 5]], plain[0, [0, 3, 4, 5]])
    assert stowed.rounded == np.float32(65519.9) - 65504


@pytest.mark.parametrize("turned", [lambda plane: plane, np.transpose, lambda plane: plane[:, ::3]])
def test_any_float_is_stored_as_the_nearest_half_and_the_largest_difference_is_told(turned):
    bits = np.random.default_rng(6).integers(0, 1 << 32, (512, 600), dtype=np.uint32)
    plane = turned(bits.view(np.float32))
    finite, limit = np.isfinite(plane), np.float32(65504)
    within = np.where(finite & (np.abs(plane) < 65520), plane, 0)
    wanted = np.where(finite, np.clip(plane, -limit, limit), plane).astype(np.float16)
    stowed = stow(plane, "half")
    is_number = ~np.isnan(plane)
    assert np.array_equal(np.isnan(stowed.values), ~is_number)
    assert np.array_equal(stowed.values.view(np.uint16)[is_number], wanted.view(np.uint16)[is_number])
    assert stowed.held == np.count_nonzero(finite & (np.abs(plane) >= 65520))
    assert stowed.rounded == np.abs(within.astype(np.float16).astype(np.float32) - within).max()
    assert stow(plane[:0], "half").rounded == stow(plane[:0], "half").held == 0


def test_knots_tell_how_they_stand():
    recipe = change(Recipe(), {"depth.near": "1", "depth.far": "9"}, scene_unit="m")
    facts = CordFacts("new", passes=4, frames=24, channels=9, scene_unit="m")
    states = {k.name: k.state for k in cord_of(recipe, facts)}
    idle = {states.pop(name) for name in ("plan", "eyes", "assembly", "scene", "framing")}
    assert idle == {KnotState.NOT_NEEDED} and set(states.values()) == {KnotState.OPEN}

    def depth_of(recipe: Recipe):
        return next(knot for knot in cord_of(recipe, facts) if knot.name == "depth")

    stale = recipe.with_knot(recipe.depth.model_copy(update={"settled_on": "old"}))
    assert depth_of(stale).state is KnotState.STALE
    settled = recipe.with_knot(recipe.depth.model_copy(update={"settled_on": "new"}))
    assert (depth_of(settled).state, depth_of(settled).summary) == (KnotState.SETTLED, "1-9 m")
    unneeded = recipe.with_knot(recipe.depth.model_copy(update={"needed": False}))
    assert depth_of(unneeded).is_taut


def test_proxies_average_light_and_keep_true_distances():
    plane = np.arange(35, dtype=np.float32).reshape(5, 7)
    assert proxy(plane, 1, is_light=False).tolist() == plane[::2, ::2].tolist()
    assert proxy(plane, 1, is_light=True)[0, 0] == plane[:2, :2].mean()
    assert proxy(plane, 1, is_light=True).shape == (3, 4)


def test_another_view_is_made_from_its_own_passes_and_range():
    both = PASSES + [
        a_pass("right.beauty", Role.BEAUTY, "RGBA", layer="right"),
        a_pass("right.depth", Role.DEPTH, "Z", "float"),
    ]
    typed = {
        "depth.near": "2",
        "depth.far": "10",
        "depth.focus.on": "yes",
        "depth.focus.by": "largest radius",
    }
    recipe = change(Recipe(), typed, scene_unit="m")
    plan = plan_outputs(both, recipe)
    made = {"depth_normalised", "beauty_focus", "blur_radius"}
    assert set(plan.results) == made | {f"right.{name}" for name in made}
    random = np.random.default_rng(4)
    pixels = {ref: random.uniform(3, 9, (6, 8)).astype(np.float32) for one in both for ref in one.channels}
    for one in both:
        if len(one.channels) == 4:
            pixels[one.channels[3]] = np.ones((6, 8), np.float32)
    left, right = (ChannelRef(0, name) for name in ("depth.Z", "right.depth.Z"))
    shared = by_name(compute(plan, pixels, Moment()))
    for ref, name in ((left, "depth_normalised.V"), (right, "depth_normalised.right.V")):
        np.testing.assert_allclose(shared[name].values, 1 - (pixels[ref] - 2) / 8, atol=1e-6)
    assert not np.allclose(shared["beauty_focus.right.R"].values, shared["beauty_focus.R"].values)
    own = change(recipe, {"depth.views.right.near": "3", "depth.views.right.far": "9"}, scene_unit="m")
    apart = by_name(compute(plan_outputs(both, own), pixels, Moment()))
    np.testing.assert_allclose(
        apart["depth_normalised.right.V"].values, 1 - (pixels[right] - 3) / 6, atol=1e-6
    )
    np.testing.assert_array_equal(apart["depth_normalised.V"].values, shared["depth_normalised.V"].values)
    shown = {ref: plane[:2, :2] for ref, plane in pixels.items()}
    assert picture("right.beauty_focus", both, recipe, shown, Moment()).kind == "light"
    assert picture("blur_radius", both, recipe, shown, Moment()).kind == "signed"
    assert picture("right.distance", both, recipe, shown, Moment()).values.shape == (2, 2, 1)


@pytest.mark.parametrize(
    ("pattern", "words"),
    [
        ("{shot}.exr", "needs {frame}"), ("{shot}_{take}.{frame}.exr", "{take} is not known"),
        ("../{shot}.{frame}.exr", "letters, digits"), ("/tmp/{shot}.{frame}.exr", "letters, digits"),
        ("{shot}.{frame}.png", "ends in"), ("{shot} {frame}.{frame}.exr", "letters, digits"),
    ],
)  # fmt: skip
def test_file_names_that_would_lead_astray_are_refused(pattern, words):
    with pytest.raises(SettingError) as refused:
        change(Recipe(), {"pack.file_name": pattern}, scene_unit="m")
    assert words in refused.value.remedy


def test_a_pattern_of_passes_for_one_file_stays_within_the_package():
    recipe = change(Recipe(), {"pack.file_name": "{pass}/{shot}_{pass}.{frame}.exr"}, scene_unit="m")
    name = file_name(recipe.pack.file_name, shot="TW010", version=1, number=7, padding=4)
    assert name == "all/TW010_all.0007.exr"


@pytest.mark.parametrize("typed", ["depth.Z", "depth.Z = soon", "a b = 1", "z. = 1", "z = inf"])
def test_constants_that_say_nothing_are_refused(typed):
    with pytest.raises(SettingError, match="says no channel and value"):
        change(Recipe(), {"pack.constants": typed}, scene_unit="m")


def test_a_recipe_and_a_profile_of_an_earlier_day_are_read_as_they_were():
    kept = Path(__file__).parent / "kept"
    stored = json.loads((kept / "recipe_1.json").read_text())
    read = upgraded(stored).as_dict()

    def lost(before, now, where=""):
        if isinstance(before, dict):
            return [each for name in before for each in lost(before[name], now.get(name), f"{where}.{name}")]
        if isinstance(before, list):
            return [each for i, item in enumerate(before) for each in lost(item, now[i], f"{where}.{i}")]
        return [] if now in (before, codes.get(before)) else [where]

    # Written out by hand, as that day's words stood for what today's codes stand for.
    codes = {
        "not cut": "not_cut", "over a colour": "over_colour", "not joined": "not_joined",
        "side by side, half": "side_by_side_half", "above/below, half": "above_below_half",
        "red-cyan, least squares": "red_cyan_fitted", "two views": "two_views", "take away": "take_away",
        "display values": "display", "it is the left eye": "from_left", "as near end": "near_end",
        "as far end": "far_end", "one file": "one", "a file for each pass": "passes",
        "eyes apart": "eyes_apart", "it is the middle": "from_middle", "as arrived": "as_arrived",
        "what is covered": "covered", "tiles of 64": "tiles_64", "a part for each pass": "passes",
        "one part": "one", "all that came": "all", "small words": "small", "soft light": "soft_light",
        "top line first": "down", "scan lines": "lines", "two renders": "two_renders", "a matte": "matte",
    }  # fmt: skip
    assert not lost({**stored, "form": 2}, read)
    assert read["form"] == 2 and upgraded(read).as_dict() == read
    with pytest.raises(DrawstringError, match="this version reads up to"):
        upgraded({**stored, "form": 99})
    with pytest.raises(SettingError, match="settles tide, which this version does not know"):
        upgraded({**stored, "tide": {"level": 2}})
    document = (kept / "profile_1.json").read_text()
    profile = read_profile(document)
    assert not lost(json.loads(document), json.loads(profile.model_dump_json()))
