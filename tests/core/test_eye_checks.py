"""Findings about two eyes: from what workers tell of spoilt pictures, each with the press that mends it."""

import numpy as np
import pytest
from makers import eyes_pulled

from drawstring.core.camera import Camera, Moment, Place
from drawstring.core.depth import DepthSettings
from drawstring.core.errors import SettingError
from drawstring.core.eyes.checks import check_arrived, check_eyes
from drawstring.core.eyes.packing import First, Packing, pack
from drawstring.core.eyes.pair_views import eye_views, pair_fault, says_eyes
from drawstring.core.eyes.settings import EyesSettings
from drawstring.core.eyes.telling import told_eyes, told_parallax
from drawstring.core.eyes.told import parallax_over_frames
from drawstring.core.io.facts import ChannelRef, Window
from drawstring.core.passes import Pass, Role
from drawstring.core.recipe import Recipe, available_results, change
from drawstring.core.recipe.chains import Chains
from drawstring.standins.renderer import View, render
from drawstring.standins.tidewrack import scenes

W, H = 320, 180


def a_pass(name: str, role: Role, suffixes: str, view: str = "", source: int = 0) -> Pass:
    refs = tuple(ChannelRef(0, f"{name}.{s}", source) for s in suffixes)
    return Pass(name, name, role, 1.0, "", view, refs, tuple(suffixes), ("float",) * len(suffixes))


PAIR = [
    a_pass("beauty", Role.BEAUTY, "RGB", "left"),
    a_pass("depth", Role.DEPTH, "Z", "left"),
    a_pass("right.beauty", Role.BEAUTY, "RGB", "right", 1),
    a_pass("right.depth", Role.DEPTH, "Z", "right", 1),
]
ONE = PAIR[:1]


@pytest.fixture(scope="module")
def seen():
    """Frames of both eyes: beauty and depth, the camera swaying so that time can be told."""
    packed = scenes.bell_yard().packed()
    found = []
    for i in range(12):
        camera = scenes.bell_yard_camera(0.5)
        x, y, z = camera.position
        camera = type(camera)(**{
            **camera.__dict__, "position": (x + 0.2 * np.sin(1.3 * i), y + 0.12 * np.sin(0.8 * i * i), z),
        })  # fmt: skip
        views = {eye: View(W, H, eye=eye, samples=1) for eye in (-1.0, 1.0)}
        found.append([render(packed, camera, view, seed=7 * i + int(eye)) for eye, view in views.items()])
    return found


def pixels_of(left, right):
    found = {}
    for one, (beauty, z) in ((0, left), (2, right)):
        found |= {ref: beauty[..., c] for c, ref in enumerate(PAIR[one].channels)}
        found[PAIR[one + 1].channels[0]] = z
    return found


def told_pairs(seen, spoil=lambda beauty, z: (beauty, z), late=0, swapped=False):
    told = {}
    for i in range(len(seen)):
        left, right = seen[i][0], seen[min(max(i - late, 0), len(seen) - 1)][1]
        sides = [(one.beauty, one.planes["depth.Z"]) for one in (left, right)]
        sides[1] = spoil(*sides[1])
        pixels = pixels_of(*(sides[::-1] if swapped else sides))
        told[1001 + i] = told_eyes(PAIR, pixels, Moment(i), is_looked_at=True)
    return told


def codes(told, settings=None, **facts):
    both = {"left": True, "right": True}
    usual = {
        "fault": "",
        "width": W,
        "missing": {},
        "has_depth": both,
        "sizes": {},
        "lossy": [],
        "size": (W, H),
    }
    given = settings or EyesSettings(needed=True)
    return {f.code: f for f in check_eyes(given, told, where="TW040, eyes", **{**usual, **facts})}


def test_what_is_wrong_with_an_eye_is_told_and_mended_by_a_press(seen):
    assert not codes(told_pairs(seen)).keys() - {"eyes-window"}
    spoilt = told_pairs(seen, lambda b, z: (np.roll(b, 3, axis=0) * np.float32(0.85), np.roll(z, 3, axis=0)))
    found = codes(spoilt)
    assert {"eyes-offset", "eyes-light"} <= set(found) and "lower" in found["eyes-offset"].what
    typed = dict(found["eyes-offset"].mends[0].values) | dict(found["eyes-light"].mends[0].values)
    mended = change(Recipe(), {"eyes.needed": "yes", **typed}, scene_unit="m").eyes
    assert mended.mend_down == pytest.approx(3, abs=0.1) and mended.mend_gain[1] == pytest.approx(
        0.85, abs=0.02
    )
    assert not {"eyes-offset", "eyes-light"} & set(codes(spoilt, mended))
    swapped = told_pairs(seen, swapped=True)
    found = codes(swapped)
    assert found["eyes-swapped"].severity.value == "stops"
    assert dict(found["eyes-swapped"].mends[0].values) == {"eyes.swap": "yes"}
    for settings in ({"swap": True}, {"came": "packed", "first": "right"}):
        assert "eyes-swapped" not in codes(swapped, EyesSettings(needed=True, **settings))
    both = EyesSettings(needed=True, came="packed", first="right", swap=True)
    assert "eyes-swapped" in codes(swapped, both)
    late = codes(told_pairs(seen, late=1))
    assert "right eye is 1 frame late" in late["eyes-late"].what
    same = {}
    for n, (left, _) in enumerate(seen[:3]):
        one = left.beauty, left.planes["depth.Z"]
        same[n] = told_eyes(PAIR, pixels_of(one, one), Moment(n), is_looked_at=True)
    assert "eyes-doubled" in codes(same)


def test_packed_deliveries_are_proposed_and_wrong_readings_told(seen):
    def told(make):
        found = {}
        for n, (left, right) in enumerate(seen[:4]):
            picture = make(left.beauty[..., :3], right.beauty[..., :3])
            pixels = {ref: picture[..., c] for c, ref in enumerate(ONE[0].channels)}
            pixels = {ref: picture[..., c] for c, ref in enumerate(ONE[0].channels)}
            found[n] = told_eyes(ONE, pixels, Moment(n), is_looked_at=True)
        return found

    for packing in (Packing.SIDE_BY_SIDE, Packing.ABOVE_BELOW, Packing.ROWS):
        eyes = told(lambda a, b, how=packing: pack(a, b, how, First.LEFT, is_mixed=True))
        (proposal,) = check_arrived(EyesSettings(), eyes, "TW040, beauty")
        settings = change(Recipe(), dict(proposal.mends[0].values), scene_unit="m").eyes
        assert settings.needed and settings.packing is packing
        assert not {"eyes-mono", "eyes-packing", "eyes-scaled"} & set(codes(eyes, settings))
    none = codes(eyes, EyesSettings(needed=True), fault="there are no two views")
    assert dict(none["eyes-no-pair"].mends[0].values)["eyes.packing"] == "rows_interlaced"
    made = codes({}, EyesSettings(needed=True), fault="there are no two views")
    assert dict(made["eyes-no-pair"].mends[0].values) == {"eyes.came": "one_eye"}
    wrong = EyesSettings(needed=True, came="packed", packing="above/below")
    beside = told(lambda a, b: pack(a, b, Packing.SIDE_BY_SIDE, First.LEFT, is_mixed=True))
    assert dict(codes(beside, wrong)["eyes-packing"].mends[0].values) == {"eyes.packing": "side_by_side"}
    mono = told(lambda a, b: a)
    assert "eyes-mono" in codes(mono, wrong) and not check_arrived(EyesSettings(), mono, "")
    rows = EyesSettings(needed=True, came="packed", packing="rows interlaced")
    assert codes(mono, rows)["eyes-scaled"].severity.value == "stops"
    odd = codes({}, EyesSettings(needed=True, came="packed"), size=(321, 180))
    assert "321 px wide" in odd["eyes-odd"].what


def test_screen_window_and_forms(seen):
    told = {n: {"range": [-9.0, 0.0, 4.0], "sides": [-6.0, 0.5]} for n in (1, 2)}
    found = codes(told, width=400)
    assert "eyes-window" in found and not {"eyes-too-near", "eyes-too-far"} & set(found)
    typed = dict(found["eyes-window"].mends[0].values)
    floated = change(Recipe(), typed, scene_unit="m").eyes
    assert (
        floated.float_left == 6
        and floated.float_right == 0
        and "eyes-window" not in codes(told, floated, width=400)
    )
    close = codes(told, EyesSettings(needed=True, screen_m=10, viewer_m=12), width=400)
    assert {"eyes-too-near", "eyes-too-far"} <= set(close)
    back = change(Recipe(), {"eyes.shift@1": "-3"}, scene_unit="m").eyes
    assert parallax_over_frames(told, back)[2] == (-12, 1)
    named = {n: frame | {"views": [["", "left"], ["right", "right"]]} for n, frame in told.items()}
    for typed in ({"left_view": "right"}, {"right_view": "left"}, {"swap": True}):
        assert parallax_over_frames(named, EyesSettings(**typed))[1] == (-4, 9)
    assert parallax_over_frames(named, EyesSettings(left_view="left", swap=True))[1] == (-4, 9)
    forms = change(Recipe(), {"eyes.deliver": "anaglyph; side by side, half", "eyes.anaglyph_file": "jpeg",
                              "eyes.method": "red-cyan, full"}, scene_unit="m").eyes  # fmt: skip
    assert {"eyes-jpeg", "eyes-odd"} <= set(codes({}, forms, size=(321, 181)))
    # What counts is the size in which an eye goes out; one of a packed picture is squeezed, too.
    assert "eyes-odd" not in codes({}, forms, size=(321, 181), out=(160, 90))
    packed = change(Recipe(), {"eyes.came": "packed", "eyes.packing": "above/below",
                               "eyes.deliver": "above/below, half"}, scene_unit="m").eyes  # fmt: skip
    assert "320x75" in codes({}, packed, size=(320, 180), out=(320, 75))["eyes-odd"].what
    bad = codes(
        {}, missing={"right": [4, 5]}, lossy=["beauty"],
        sizes={"left": (4, 2), "right": (4, 4)}, has_depth={"left": True, "right": False},
    )  # fmt: skip
    assert set(bad) == {"eyes-unequal", "eyes-missing", "eyes-depth-one", "eyes-lossy"}


def test_round_pictures_are_checked():
    settings = EyesSettings(needed=True, came="no pair", is_round=True)
    good = {"size": [400, 200], "seam": 0.9, "poles": [0.1, 0.1], "level": [0.0, 0.1, "the camera"]}
    assert not codes({1: good}, settings, size=(400, 200))
    for size, packing in (((800, 200), "side_by_side"), ((400, 400), "above_below")):
        pair = codes({1: good}, settings, size=size)["round-ratio"]
        packed = change(Recipe(), dict(pair.mends[0].values), scene_unit="m").eyes
        assert packed.packing.value == packing
        assert "round-ratio" not in codes({1: good}, packed.model_copy(update={"is_round": True}), size=size)
    bad = {
        **good,
        "size": [400, 180],
        "seam": 5.0,
        "poles": [0.1, 0.9],
        "level": [-4.0, 1.0, "upright lines"],
    }
    found = codes({1: bad}, settings, size=(400, 180))
    assert set(found) == {"round-ratio", "round-seam", "round-pole", "round-level"}
    mended = change(Recipe(), {**dict(found["round-level"].mends[0].values)}, scene_unit="m").eyes
    assert (mended.pitch, mended.roll) == (4.0, -1.0)
    levelled = mended.model_copy(update={"is_round": True, "came": "no pair"})
    assert "round-level" not in codes({1: bad}, levelled, size=(400, 180))
    assert "round-level-unknown" in codes(
        {1: {k: v for k, v in good.items() if k != "level"}}, settings, size=(400, 200)
    )
    assert [f.code for f in check_arrived(EyesSettings(), {1: good}, "")] == ["eyes-round"]


def test_settings_that_make_no_sense_are_refused():
    for typed in ({"eyes.deliver": "hologram"}, {"eyes.own_matrix": "1 2 3"}, {"eyes.own_matrix": "a b"},
                  {"eyes.screen_m": "0"}, {"eyes.packing": "diagonal"}):  # fmt: skip
        with pytest.raises(SettingError):
            change(Recipe(), typed, scene_unit="m")


def test_views_become_eyes_and_what_lacks_is_said():
    assert says_eyes(PAIR) and eye_views(EyesSettings(), PAIR) == ("", "right")
    assert eye_views(EyesSettings(left_view="right", right_view="left"), PAIR) == ("right", "")
    assert eye_views(EyesSettings(left_view="middle"), PAIR) is None and not says_eyes(ONE)
    recipe = change(Recipe(), {"eyes.needed": "yes"}, scene_unit="m")
    assert "two views" in pair_fault(ONE, recipe) and not pair_fault(PAIR, recipe)
    made = change(recipe, {"eyes.came": "one eye"}, scene_unit="m")
    assert "no depth" in pair_fault(ONE, made) and "how far" in pair_fault(PAIR[:2], made)
    assert {"eye_left", "parallax", "anaglyph"} <= set(available_results(PAIR, recipe))
    assert not {"eye_left", "right.eye_left"} & set(available_results(PAIR, Recipe()))
    # Depth and shift, swap and window on planes that are known.
    left = np.tile(np.arange(8, dtype=np.float32), (4, 1))
    pixels = pixels_of((np.dstack([left] * 3), left), (np.dstack([left + 100] * 3), left + 100))
    moved = change(recipe, {"eyes.shift": "2", "eyes.float_left": "1", "eyes.swap": "yes"}, scene_unit="m")
    (came_right,), (came_left,) = eyes_pulled("depth", pixels, PAIR, moved, Moment(1))
    assert came_right[0].tolist() == [0, 102, 103, 104, 105, 106, 107, 0]
    assert came_left[0].tolist() == [0, 0, 1, 2, 3, 4, 5, 6]
    wide = change(moved, {"eyes.edge": "enlarge", "eyes.float_left": "0"}, scene_unit="m")
    filled = eyes_pulled("beauty", pixels, PAIR, wide, Moment(1))
    assert filled[0][0][0].min() > 95 and filled[1][0][0].max() < 9
    rows = change(recipe, {"eyes.came": "packed", "eyes.packing": "rows interlaced"}, scene_unit="m")
    packed = Chains(ONE, rows)
    assert packed.needs_whole("eye_left", (400, 200), 1) and packed.needs_whole("picture", (400, 200), 1)
    assert not packed.needs_whole("beauty", (400, 200), 1) and not packed.needs_whole(
        "picture", (400, 200), 0
    )
    beside = Chains(ONE, change(rows, {"eyes.packing": "side by side"}, scene_unit="m"))
    assert beside.needs_whole("eye_left", (402, 200), 1) and not beside.needs_whole("eye_left", (400, 200), 1)


def test_parallax_is_told_from_distances_as_they_are_settled():
    z = np.full((H, W), 400, np.float32)
    z[: H // 2] = 800
    pixels = pixels_of((np.dstack([z] * 3), z), (np.dstack([z] * 3), z))
    stands = np.eye(4)
    stands[3, 0] = -0.06  # the right eye, six centimetres aside
    cameras = {
        (0, 0): Camera(50, 36, tuple(np.eye(4).ravel())),
        (1, 0): Camera(50, 36, tuple(stands.ravel())),
    }
    at = Moment(1, Place(Window(0, 0, W - 1, H - 1), Window(0, 0, W - 1, H - 1)), cameras)
    focal = W * 50 / 36
    for unit, scale in (("scene", 1.0), ("cm", 0.01)):
        settings = DepthSettings().changed({"arrived.unit": unit})
        told = told_parallax(PAIR, pixels, at, settings)["range"]
        near, far = -focal * 0.06 / (400 * scale), -focal * 0.06 / (800 * scale)
        np.testing.assert_allclose([told[0], told[2]], [near, far], atol=0.02)
    # Distances that can't be read yet tell nothing, and stop nothing.
    lacking = DepthSettings().changed({"arrived.holds": "0 to 1"})
    assert told_parallax(PAIR, pixels, at, lacking) == {} == told_parallax(ONE, pixels, at, settings)
