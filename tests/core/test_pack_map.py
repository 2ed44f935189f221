"""The channel map: names, parts, files and order of what goes out, as settings have it."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from makers import write_plain
from test_recipe import a_pass

from drawstring.core.io.facts import Window
from drawstring.core.io.headers import read_facts
from drawstring.core.pack.form import Compression, Reach, is_lossy
from drawstring.core.pack.layout import compressions_of, lay_out
from drawstring.core.pack.naming import in_view
from drawstring.core.pack.profile import SHIPPED, Profile
from drawstring.core.pack.profile_checks import asked_settings, check_profile, check_written
from drawstring.core.pack.trimming import cut, reached
from drawstring.core.passes import Role
from drawstring.core.recipe import Recipe, available_results, change, plan_outputs

PAIR = [
    a_pass("beauty", Role.BEAUTY, "RGBA"),
    a_pass("depth", Role.DEPTH, "Z", "float"),
    a_pass("diffuse_direct", Role.DIFFUSE_DIRECT, "RGB"),
    a_pass("right.beauty", Role.BEAUTY, "RGBA", layer="right"),
    a_pass("right.depth", Role.DEPTH, "Z", "float"),
]


def laid(passes=PAIR, **typed):
    recipe = change(
        Recipe(), {name.replace("__", "."): value for name, value in typed.items()}, scene_unit="m"
    )
    return lay_out(passes, {}, recipe.pack)


def test_views_are_named_as_the_format_has_it_or_parted():
    together = [one.name for one in laid()[0]]
    assert {"R", "right.R", "depth.Z", "depth.right.Z"} <= set(together)
    parted, _ = laid(pack__parts="a part for each view")
    assert {(one.part, one.name) for one in parted} >= {("main", "R"), ("right", "R"), ("right", "depth.Z")}
    several, _ = laid(pack__files="a file for each pass")
    assert {one.of_pass for one in several} == {
        "beauty", "depth", "diffuse_direct", "right.beauty", "right.depth",
    }  # fmt: skip


@given(
    layer=st.text("abcXYZ_09", min_size=1, max_size=20),
    view=st.text("abc", min_size=1, max_size=8),
    word=st.text("RGBAZ", min_size=1, max_size=2),
)
def test_a_view_stands_before_the_last_word_and_can_be_taken_out_again(layer, view, word):
    for name in (word, f"{layer}.{word}"):
        whole = in_view(name, view).split(".")
        assert whole[-2:] == [view, word] and ".".join([*whole[:-2], whole[-1]]) == name


@pytest.mark.parametrize(
    ("style", "name"),
    [
        ("small words", "diffuse_direct.R"),
        ("capital words", "DiffuseDirect.R"),
        ("as it arrived", "diffuse_direct.R"),
    ],
)
def test_styles_name_what_has_no_name_of_its_own(style, name):
    names = [one.name for one in laid(pack__style=style)[0]]
    assert name in names and "R" in names
    own = [one.name for one in laid(pack__style=style, pack__diffuse_direct__layer="key.soft")[0]]
    assert "key.soft.R" in own and name not in own


def test_settings_of_what_is_not_there_are_kept_and_told():
    kept = {
        "pack.right.depth.goes": "no",
        "pack.depth_normalised.stored": "half",
        "pack.matte_post.goes": "no",
    }
    slips = {"pack.passes.depth.goes": "no", "pack.dept.goes": "no"}
    recipe = change(Recipe(), kept | slips, scene_unit="m")
    (told,) = [one for one in plan_outputs(PAIR, recipe).findings if one.code == "pack-row-idle"]
    assert "for passes.depth, dept, and nothing" in told.what and told.severity.value == "notes"
    assert "depth.Z" in {one.name for one in plan_outputs(PAIR, recipe).channels}


@given(order=st.permutations(["beauty", "depth", "diffuse_direct", "right.beauty", "right.depth"]))
def test_what_goes_out_follows_the_order_that_was_settled(order):
    channels, _ = laid(pack__order=" ".join(order))
    assert list(dict.fromkeys(one.source for one in channels)) == order


def test_a_part_is_compressed_as_its_pass_says_and_else_as_all():
    typed = {
        "pack__compression": "dwaa",
        "pack__depth__compression": "piz",
        "pack__parts": "a part for each pass",
    }
    recipe = change(
        Recipe(), {name.replace("__", "."): value for name, value in typed.items()}, scene_unit="m"
    )
    channels, findings = lay_out(PAIR, {}, recipe.pack)
    packed = compressions_of(channels, recipe.pack)
    assert packed["", "depth"] is Compression.PIZ and packed["", "beauty"] is Compression.DWAA
    assert [one.code for one in findings if one.pass_name == "right.depth"] == ["pack-lossy-depth"]
    press = dict(next(one for one in findings if one.code == "pack-lossy-depth").mends[0].values)
    mended = change(recipe, press, scene_unit="m")
    assert not [one for one in lay_out(PAIR, {}, mended.pack)[1] if one.code == "pack-lossy-depth"]
    (note,) = laid(pack__compression="zstd")[1]
    assert (note.code, note.severity.value) == ("pack-new-compression", "notes") and "3.5" in note.what


@given(
    spots=st.lists(st.tuples(st.integers(0, 19), st.integers(0, 29)), max_size=6),
    corner=st.tuples(st.integers(-9, 9), st.integers(-9, 9)),
)
def test_trimming_keeps_every_covered_pixel_and_nothing_around(spots, corner):
    plane = np.zeros((20, 30), np.float32)
    for row, column in spots:
        plane[row, column] = np.nan if (row + column) % 2 else -0.5
    window = Window(corner[0], corner[1], corner[0] + 29, corner[1] + 19)
    to = reached([plane, np.zeros_like(plane)], window, window, Reach.CONTENT)
    kept = cut(plane, window, to)
    assert np.count_nonzero(kept) == np.count_nonzero(plane) and kept.shape == (to.height, to.width)
    if spots:
        for edge in (kept[0], kept[-1], kept[:, 0], kept[:, -1]):
            assert np.count_nonzero(edge)
    frame = Window(5, 5, 14, 10)
    inside = reached([plane], window, frame, Reach.FRAME)
    assert inside.x_min >= min(5, window.x_min + 30) and inside.width <= 30
    assert reached([plane], window, frame, Reach.ALL) == window


@pytest.mark.parametrize("profile", SHIPPED, ids=lambda one: one.name)
def test_a_shipped_profile_is_met_by_what_it_asks_to_be_set(profile):
    recipe = change(
        Recipe(), {"pack.profile": profile.name, "depth.near": "1", "depth.far": "9"}, scene_unit="m"
    )
    asked = asked_settings(recipe.pack.profile, PAIR, recipe)
    assert asked, "a fresh recipe is not yet what anybody asks for"
    told = check_profile(
        PAIR, recipe, plan_outputs(PAIR, recipe).channels, display=(1920, 1080), frame_rate=25
    )
    assert {one.mends[0].values for one in told if one.code == "profile-differs"} == {
        ((n, v),) for n, v in asked.items()
    }
    met = change(recipe, asked, scene_unit="m")
    assert asked_settings(met.pack.profile, PAIR, met) == {}
    left = check_profile(PAIR, met, plan_outputs(PAIR, met).channels, display=(1920, 1080), frame_rate=25)
    assert {one.code for one in left} <= {"profile-round"}, "only what is no setting may be left"


def test_what_a_profile_lacks_is_told_with_the_press_or_sentence_that_mends_it():
    asked = Profile(
        name="all", required=("depth_normalised", "stack", "velvet", "depth"), size=(10, 10), frame_rate=25
    )
    recipe = change(Recipe(), {"pack.depth.goes": False, "pack.right.depth.goes": False}, scene_unit="m")
    recipe = recipe.with_knot(recipe.pack.model_copy(update={"profile": asked}))
    channels = plan_outputs(PAIR, recipe).channels
    told = {
        one.pass_name or one.code: one
        for one in check_profile(PAIR, recipe, channels, display=(8, 8), frame_rate=24)
    }
    assert "Have it rendered" in told["velvet"].remedy and "once that knot has" in told["stack"].remedy
    assert dict(told["depth"].mends[0].values) == {"pack.depth.goes": "yes"}
    assert told["profile-size"].severity.value == "stops" and told["profile-rate"].severity.value == "warns"
    assert "depth_normalised" in told and "depth_normalised" not in available_results(PAIR, recipe)


def test_loss_is_told_by_compression_type_and_name():
    lossless = {Compression.ZIP, Compression.ZIPS, Compression.PIZ, Compression.RLE, Compression.NONE,
                Compression.HTJ2K256, Compression.HTJ2K32, Compression.ZSTD}  # fmt: skip
    for one in Compression:
        assert not is_lossy(one, "uint", "id.R")
        assert any(is_lossy(one, kind, "R") for kind in ("half", "float")) is (one not in lossless)
    assert not is_lossy(Compression.PXR24, "half", "R") and is_lossy(Compression.PXR24, "float", "Z")
    assert not is_lossy(Compression.DWAB, "float", "depth.Z") and is_lossy(Compression.DWAB, "float", "N.B")


def test_a_written_file_is_compared_with_the_profile_by_its_header(tmp_path):
    path = write_plain(
        tmp_path / "a.exr", {"depth.Z": np.zeros((4, 6), np.float16), "R": np.zeros((4, 6), np.float16)}
    )
    channels = plan_outputs(PAIR[:2], Recipe()).channels
    asked = Profile(
        name="x", types={"depth": "float"}, compressions=("piz",), tiling="tiles of 64", size=(9, 9),
        largest_frame_mb=0.001,
    )  # fmt: skip
    facts = read_facts(str(path))
    assert check_written(asked, facts, channels, with_others=5000) == [
        "depth.Z is half instead of float",
        "it is compressed with zip",
        "it is stored as scanline",
        "it is 6 x 4",
        f"the frame has {(path.stat().st_size + 5000) / 1e6:.2f} MB, more than 0.001",
    ]
    met = Profile(name="y", types={"depth": "half"}, compressions=("zip",))
    assert check_written(met, facts, channels) == []
