"""Folders into deliveries: names read by patterns, sequences joined, faults found, cameras compared."""

import numpy as np
import pytest
import scipy.ndimage
from hypothesis import given
from hypothesis import strategies as st

from drawstring.core.arrivals import (
    DeliveryFacts,
    Meaning,
    camera_differences,
    check_pattern,
    compare,
    delivery_differences,
    gather,
    read_path,
    scan,
    suggest,
)
from drawstring.core.arrivals.facts import findings_of, standing_out
from drawstring.core.colour import suggest_space, to_working
from drawstring.core.colour.management import SPACES
from drawstring.core.errors import SettingError
from drawstring.core.io import Window, read_facts
from drawstring.core.passes import Pass, Role, alpha_kind, entry, pass_statistics, statistics_from_dict
from drawstring.standins.renderer import Camera, View, render
from drawstring.standins.tidewrack import make_faults, scenes

word = st.text("abcdefghijklmnopqrstuvwxyz", min_size=2, max_size=8).filter(lambda w: w not in ("le", "re"))


@given(word, st.integers(1, 999), word, st.sampled_from(["L", "right", "R", "left"]), st.integers(1, 9999))
def test_a_path_written_by_a_pattern_is_read_by_it(shot, version, called, eye, frame):
    code = f"{shot.upper()}{version}"
    path = f"/in/{code}/v{version:03d}/{code}_{eye}_{called}_v{version:03d}.{frame:04d}.exr"
    pattern = "{shot}/{version}/{shot}_{eye}_{pass}_{version}.{frame}.exr"
    said = read_path(path, [pattern])
    side = {"L": "left", "R": "right"}.get(eye, eye)
    assert said == Meaning(code, "", side, called, version, pattern)
    other = path.replace(f"/{code}_", "/X_")
    assert read_path(other, [pattern]).pattern == "", "a field named twice must read the same"
    assert read_path(f"/in/{code}.{frame}.png", ["{shot}[_{eye}].{frame}"]).shot == code


@pytest.mark.parametrize(
    ("pattern", "words"),
    [
        ("{shot}_{name}", "Fields are shot"), ("{frame}.exr", "no {shot}"), ("{shot}[_{eye}", "left open"),
        ("{shot}[[x]]", "within brackets"), ("{shot}]", "one too many"), ("{shot}}", "lone brace"),
        (" ", "is empty"),
    ],
)  # fmt: skip
def test_patterns_that_can_not_be_read_are_refused_in_words(pattern, words):
    with pytest.raises(SettingError, match=words.replace("{", r"\{").replace("[", r"\[")):
        check_pattern(pattern)


def test_suggestions_fit_the_names_they_were_made_from():
    passes = ("beauty", "zdepth", "diff_dir")
    names = [f"/in/TW{n}/v001/TW{n}_{p}_v001.1001.exr" for n in (10, 20) for p in passes]
    names += ["/in/TW30_watch_a_beauty.0101.exr", "/in/TW30_watch_b_beauty.0101.exr"]
    best = suggest(names)
    assert best[0].pattern == "{shot}/{version}/{shot}_{pass}_{version}.{frame}" and best[0].fits == 6
    read = [read_path(name, [one.pattern for one in best]) for name in names]
    assert [one.pass_name for one in read[:3]] == ["beauty", "zdepth", "diff_dir"]
    assert {one.camera for one in read[6:]} == {"watch_a", "watch_b"}


@pytest.fixture(scope="session")
def faults(tmp_path_factory):
    """The demo's folder of honest faults, as it was scanned."""
    folder = tmp_path_factory.mktemp("root") / "faults"
    assert make_faults(str(folder), width=192, height=108) and not make_faults(str(folder))
    return scan(str(folder), roots=[str(folder.parent)], fps=24)


def test_the_folder_of_faults_has_its_faults_found(faults):
    codes = {finding.code for finding in faults.findings}
    assert codes >= {
        "frame-missing", "frame-unreadable", "frame-twice", "still-among-frames", "size-differs",
        "range-differs", "rate-differs", "display-values", "jpeg-noise", "data-8-bit", "frame-odd",
        "id-half", "frame-negative", "frame-between", "pass-unsure", "link-outside", "not-a-picture",
        "no-depth", "still",
    }  # fmt: skip
    assert all(one.what.endswith(".") and one.where and one.why and one.remedy for one in faults.findings)
    by_shot = {one.shot: one for one in faults.candidates}
    assert list(by_shot) == [f"TW{n:03d}" for n in (40, 50, 80, 110, 120, 130, 140, 150, 160)]
    each = by_shot["TW110"]
    assert len(each.members) == 10 and {one.pattern[6:12] for one in each.left_out} == {"motion", "mist_v"}
    assert {one.name for one in each.passes} >= {"beauty", "depth", "normal", "diffuse_direct", "occlusion"}
    whole = [number for number, fault in each.frames.items() if not fault]
    assert whole == [1001, 1002, 1005, 1007, 1008], "1003 empty, 1004 missing, 1006 torn, depth ends at 1008"
    assert "came without depth" in each.frames[1009]
    assert by_shot["TW120"].views == ["left", "right"]
    assert {one.name for one in by_shot["TW120"].passes} == {"beauty", "depth", "right.beauty", "right.depth"}
    deep = [f for f in faults.findings if "deep data" in f.what]
    assert len(deep) == 1 and deep[0].where.startswith("TW140")
    assert by_shot["TW140"].passes[0].space == "ACEScg"
    names = {one.layer: one for one in by_shot["TW160"].passes}
    assert names["beauty_noisy"].twin_of == "beauty" and names["normal"].needs_look
    assert names["zz7"].role is Role.DEPTH and names["rust_streaks"].role is Role.OTHER


def test_a_dictionary_and_patterns_change_what_a_scan_reads(faults):
    told = scan(
        faults.folder + "/TW160", roots=[faults.folder],
        dictionary=[entry("word", "streaks", "specular_indirect")],
        patterns=["{version}/{shot}_{view}_{version}.{frame}"],
    ).candidates[0]  # fmt: skip
    assert next(one for one in told.passes if one.layer == "rust_streaks").role is Role.SPECULAR_INDIRECT
    assert told.members[0].meaning.pattern


def test_differences_between_deliveries_are_told_in_words(faults):
    by_shot = {one.shot: one for one in faults.candidates}

    def facts(one, last, frames, passes):
        window = one.window
        return DeliveryFacts(one.version, passes, 1001, last, frames, one.members[0].display_window, window)

    one = by_shot["TW080"]
    before, after = facts(one, 1010, 10, one.passes), facts(one, 1012, 11, one.passes[1:])
    said = delivery_differences(before, after)
    assert said == ["frames 1001-1012, were 1001-1010", "1 more usable frame", "beauty is gone"]
    assert delivery_differences(before, before) == []


def test_counted_frames_tell_black_doubled_broken_and_flickering_passes():
    rng = np.random.default_rng(7)
    picture = rng.random((20, 30)).astype(np.float32)

    def one_pass(name, role, twin=""):
        return Pass(name, name, role, 0.9, "", "", (), (), ("float",), ("noisy",) if twin else (), twin)

    passes = [
        one_pass("beauty", Role.BEAUTY), one_pass("emission", Role.EMISSION), one_pass("shadow", Role.SHADOW),
        one_pass("specular", Role.SPECULAR), one_pass("copy", Role.OTHER),
        one_pass("old", Role.OTHER, "beauty"),
    ]  # fmt: skip
    counted = {}
    for number in range(1, 11):
        frame = picture * (0.3 if number == 6 else 1) * (1 + 0.001 * number)
        broken = picture.copy()
        if number == 4:
            broken[5, 7] = np.nan
        planes = {
            "beauty": frame, "emission": picture * 0, "shadow": picture * 0 + 1, "specular": broken - 0.01,
            "copy": broken - 0.01, "old": picture * number,
        }  # fmt: skip
        counted[number] = {name: pass_statistics([plane], has_alpha=False) for name, plane in planes.items()}
    found = {f.code: f for f in findings_of(counted, passes, where="TW1", window=Window(-10, 100, 19, 119))}
    assert found["pass-black"].pass_name == "emission" and found["pass-constant"].pass_name == "shadow"
    assert found["pass-doubled"].what.startswith("specular and copy are the same picture")
    assert (found["pass-nan"].frame, found["pass-nan"].pixel) == (4, (-3, 105))
    assert found["frame-stands-out"].frame == 6 and found["pass-twins"].pass_name == "old"
    assert "pass-negative" in found and "frame-frozen" not in found
    again = statistics_from_dict(counted[4]["specular"].as_dict())
    assert again == counted[4]["specular"]
    counted[3] = counted[2]
    assert any(f.code == "frame-frozen" and f.frame == 3 for f in findings_of(
        counted, passes, where="TW1", window=Window(0, 0, 29, 19)))  # fmt: skip


@given(st.integers(5, 40), st.floats(0.01, 0.05), st.floats(2, 10), st.data())
def test_a_jump_stands_out_and_a_slope_or_a_cut_does_not(count, slope, jump, data):
    steady = [1 + slope * i for i in range(count)]
    assert standing_out(steady) == []
    assert standing_out([*steady[: count // 2], *[value * jump for value in steady[count // 2 :]]]) in (
        [],
        [0],
    )
    at = data.draw(st.integers(1, count - 2))
    assert standing_out([value * jump if i == at else value for i, value in enumerate(steady)]) == [at]


@pytest.mark.parametrize(
    ("premultiply", "alpha", "kind"),
    [
        (True, "soft", "premultiplied"), (False, "soft", "straight"), (True, "full", "opaque"),
        (True, "wild", "outside 0 to 1"),
    ],
)  # fmt: skip
def test_a_first_word_on_alpha(premultiply, alpha, kind):
    x = np.linspace(-1, 1, 200)
    soft = np.clip((0.6 - np.hypot(*np.meshgrid(x, x))) * 8, 0, 1).astype(np.float32)
    cover = {"soft": soft, "full": soft * 0 + 1, "wild": soft * 1.5}[alpha]
    colour = [np.full_like(soft, value) * (cover if premultiply else 1) for value in (0.9, 0.5, 0.2)]
    assert alpha_kind(pass_statistics([*colour, cover], has_alpha=True).alpha) == kind


rng_texture = scipy.ndimage.gaussian_filter(np.random.default_rng(5).random((420, 640)), 1.5) * 6


@pytest.mark.parametrize(
    ("right", "down"), [(0, 0), (0.3, -0.7), (3.4, 2.2), (-7.9, 5.5), (8, -8), (-0.15, 0.05)]
)
def test_a_shift_of_noisy_renders_is_found_to_a_tenth_of_a_pixel(right, down):
    rng = np.random.default_rng(9)
    moved = scipy.ndimage.shift(rng_texture, (down, right), order=5)
    first, second = (
        (picture[20:-20, 20:-20] + rng.normal(0, 0.03, (380, 600))).astype(np.float32)
        for picture in (rng_texture, moved)
    )
    found = compare(first, second)
    assert abs(found.right - right) < 0.1 and abs(found.down - down) < 0.1
    assert found.is_same == (max(abs(right), abs(down)) == 0) and abs(found.turn_deg) < 0.02
    sure = [tile for tile in found.tiles if tile.sure > 0.5]
    assert len(sure) > 8 and np.median([abs(tile.right - right) for tile in sure]) < 0.1


def test_the_stand_ins_own_shift_is_found_and_a_turn_size_or_another_scene_is_told():
    packed, camera = scenes.fog_yard().packed(), scenes.fog_yard_camera(0.3)
    still = View(480, 270)
    moved = View(480, 270, window=Window(5, -3, 484, 266))
    first = render(packed, camera, still, seed=1).beauty[..., :3].sum(axis=-1)
    second = render(packed, camera, moved, seed=2).beauty[..., :3].sum(axis=-1)
    found = compare(first, second)
    # The second window begins 5 px further right, so what it shows lies 5 px further left.
    assert abs(found.right + 5) < 0.1 and abs(found.down - 3) < 0.1 and not found.is_same
    wide = np.kron(rng_texture, np.ones((1, 1)))
    turned = scipy.ndimage.rotate(wide, -1.0, reshape=False, order=3)[60:-60, 60:-60].astype(np.float32)
    found = compare(wide[60:-60, 60:-60].astype(np.float32), turned)
    assert abs(abs(found.turn_deg) - 1) < 0.1 and "turned" in found.words
    other = np.random.default_rng(1).random(first.shape).astype(np.float32)
    assert "little in common" in compare(first, other).words
    assert compare(first * 0, first).is_same is None
    said = camera_differences(
        {
            "pinholeFocalLength": 30.0,
            "worldToCamera": Camera((0, 1, 0), (0, 1, -9)).world_to_camera().tolist(),
        },
        {
            "pinholeFocalLength": 42.0,
            "worldToCamera": Camera((0, 1, 2), (0, 1, -9)).world_to_camera().tolist(),
        },
    )
    assert said == ("the cameras stand 2 units apart", "focal length is 30 mm and 42 mm")


def test_colours_are_brought_into_the_working_space_by_the_published_formulas():
    codes = np.linspace(0, 1, 301, dtype=np.float32)
    grey = np.stack([codes] * 3, axis=-1)[None]
    # IEC 61966-2-1: linear below 0.04045, else ((v + 0.055) / 1.055) ** 2.4.
    srgb = np.where(codes <= 0.04045, codes / 12.92, ((codes + 0.055) / 1.055) ** 2.4)
    np.testing.assert_allclose(to_working(grey, "sRGB display")[0, :, 0], srgb, rtol=3e-4)
    np.testing.assert_allclose(to_working(grey, "gamma 2.2")[0, :, 1], codes**2.2, rtol=5e-5)
    np.testing.assert_allclose(to_working(grey, "Rec.1886 video")[0, :, 2], codes**2.4, rtol=5e-5)
    # AP1 to Rec. 709 by primaries and Bradford's adaptation, worked out here from the chromaticities.
    ap1 = ((0.713, 0.293), (0.165, 0.830), (0.128, 0.044), (0.32168, 0.33767))
    bt709 = ((0.64, 0.33), (0.30, 0.60), (0.15, 0.06), (0.3127, 0.3290))

    def to_xyz(primaries):
        xyz = np.array([[x / y, 1, (1 - x - y) / y] for x, y in primaries])
        return (xyz[:3] * np.linalg.solve(xyz[:3].T, xyz[3])[:, None]).T, xyz[3]

    cone = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])
    (a, white_a), (b, white_b) = to_xyz(ap1), to_xyz(bt709)
    adapt = np.linalg.inv(cone) @ np.diag(cone @ white_b / (cone @ white_a)) @ cone
    matrix = np.linalg.inv(b) @ adapt @ a
    colours = np.random.default_rng(3).random((1, 50, 3)).astype(np.float32)
    np.testing.assert_allclose(to_working(colours, "ACEScg"), colours @ matrix.T, atol=2e-4)
    assert to_working(colours, "linear") is colours
    with pytest.raises(SettingError, match="no colour space"):
        to_working(colours, "sepia")
    for space in SPACES:
        assert np.isfinite(to_working(colours, space)).all()


def test_the_colour_space_is_suggested_with_its_reason(faults):
    def said(shot, ending):
        one = next(one for one in faults.candidates if one.shot == shot)
        frame = next(m.frames[1] for m in one.members if m.pattern.endswith(ending))
        return suggest_space(read_facts(frame.path))

    assert said("TW130", ".png")[0] == "sRGB display" and "8 bits" in said("TW130", ".jpg")[1]
    assert said("TW140", ".exr")[0] == "ACEScg" and "chromaticities" in said("TW140", ".exr")[1]
    assert said("TW150", ".exr")[0] == "linear"


def test_nothing_to_gather_is_nothing():
    assert gather([]) == []
