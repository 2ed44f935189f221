"""Keys over frames: courses against closed forms, and settings that are keyed like any other."""

import numpy as np
import pytest
from hypothesis import example, given
from hypothesis import strategies as st
from scipy.interpolate import CubicHermiteSpline

from drawstring.core.errors import SettingError
from drawstring.core.keys import Key, Then, Track
from drawstring.core.recipe import Recipe, change


def track(*keys: tuple[int, float, str]) -> Track:
    return Track(keys=tuple(Key(frame=f, value=(v,), then=Then(then)) for f, v, then in keys))


def test_each_way_to_go_on_is_its_closed_form():
    one = track((10, 2, "linear"), (20, 4, "hold"), (30, 8, "smooth"), (50, 0, "linear"))
    assert [one.at(f)[0] for f in (0, 10, 15, 20, 25, 29.9, 30, 50, 99)] == [2, 2, 3, 4, 4, 4, 8, 0, 0]
    # Between two keys alone smooth is 3 s^2 - 2 s^3.
    pull = track((0, 1, "smooth"), (8, 3, "smooth"))
    for frame in range(9):
        s = frame / 8
        assert pull.at(frame)[0] == pytest.approx(1 + 2 * (3 * s**2 - 2 * s**3))


@given(
    values=st.lists(st.floats(-100, 100), min_size=3, max_size=7),
    gaps=st.lists(st.integers(1, 20), min_size=7, max_size=7),
    share=st.floats(0, 1),
)
@example(values=[0.0, 0.0, 2.2e-311], gaps=[1] * 7, share=0.5)
def test_a_smooth_course_meets_its_keys_and_never_swings_beyond_two_neighbours(values, gaps, share):
    frames = np.cumsum(gaps[: len(values)])
    one = track(*((int(f), v, "smooth") for f, v in zip(frames, values, strict=True)))
    for i in range(len(values) - 1):
        low, high = sorted(values[i : i + 2])
        at = frames[i] + share * (frames[i + 1] - frames[i])
        assert low - 1e-6 <= one.at(at)[0] <= high + 1e-6
        assert one.at(int(frames[i]))[0] == pytest.approx(values[i])
    # The slope in the middle is the weighted harmonic mean of Fritsch and Butland, written out.
    h, d = np.diff(frames)[:2], (np.diff(values) / np.diff(frames))[:2]
    w = 2 * h[1] + h[0], h[1] + 2 * h[0]
    slope = sum(w) / (w[0] / d[0] + w[1] / d[1]) if d[0] * d[1] > 1e-200 else 0
    by_hand = CubicHermiteSpline(frames[:2], values[:2], [0, slope])(frames[0] + share * h[0])
    assert one.at(frames[0] + share * h[0])[0] == pytest.approx(float(by_hand), rel=1e-6, abs=1e-6)


def typed(recipe: Recipe, frame: int | None = None, **settings: str) -> Recipe:
    names = {
        f"depth.{name.replace('__', '.').replace('_AT_', '@')}": value for name, value in settings.items()
    }
    return change(recipe, names, scene_unit="m", frame=frame)


def test_keys_are_typed_moved_and_taken_away_like_any_setting():
    recipe = typed(Recipe(), focus__distance_AT_1010="420 cm", focus__distance_AT_1020="8,4")
    assert recipe.depth.focus.at(1010).distance == 4.2 and recipe.depth.focus.at(1020).distance == 8.4
    # A keyed value typed at a shown frame makes a key there; nothing else changes.
    recipe = typed(recipe, frame=1015, focus__distance="5")
    assert recipe.depth.focus.keys["distance"].frames == [1010, 1015, 1020]
    recipe = typed(recipe, **{"focus__distance_AT_1015.then": "hold"})
    assert recipe.depth.focus.at(1019).distance == 5
    moved = typed(recipe, focus__distance_AT_1015="", focus__distance_AT_1012="5")
    assert moved.depth.focus.keys["distance"].frames == [1010, 1012, 1020]
    for frame in (1010, 1012, 1020):
        moved = change(moved, {f"depth.focus.distance@{frame}": ""}, scene_unit="m")
    assert not moved.depth.focus.keys and moved.depth.focus.distance == 5
    assert typed(recipe, focus__stop="4").depth.focus.stop == 4, "what is not keyed is one value"


@pytest.mark.parametrize(
    ("settings", "words"),
    [
        ({"focus__distance": "5"}, "no frame was named"),
        ({"focus__distance_AT_ten": "5"}, "“ten” is no frame"),
        ({"focus__distance_AT_1010": "-5"}, "more than 0"),
        ({"focus__distance_AT_1010": "far"}, "not a length"),
        ({"focus__blades_AT_1010": "5"}, "can't change over the frames"),
        ({"focus__distance_AT_1011.then": "hold"}, "no key of depth.focus.distance at frame 1011"),
        ({"focus__distance_AT_1010.then": "bounce"}, "no way to go on"),
        ({"mist__3.start": "5"}, "There is no mist 3"),
        ({"focus__lens": "5"}, "There is no setting depth.focus.lens"),
    ],
)
def test_a_refused_key_says_why_and_changes_nothing(settings, words):
    recipe = typed(Recipe(), focus__distance_AT_1010="4")
    with pytest.raises(SettingError, match=words):
        typed(recipe, **settings)


def test_shapes_are_keyed_corner_by_corner():
    recipe = typed(Recipe(), mist__add="veil")
    recipe = typed(
        recipe, **{"mist__1.clear_shape_AT_1": "0,0 10,0 10,10", "mist__1.clear_shape_AT_3": "4,0 14,0 14,10"}
    )
    recipe = typed(recipe, **{"mist__1.clear_shape_AT_1.then": "linear"})
    assert recipe.depth.mist[0].at(2).clear_shape == (2, 0, 12, 0, 12, 10)
    with pytest.raises(SettingError, match="4 corners can't follow 3"):
        typed(recipe, **{"mist__1.clear_shape_AT_2": "0,0 10,0 10,10 0,10"})
    with pytest.raises(SettingError, match="no shape"):
        typed(recipe, **{"mist__1.clear_shape_AT_2": "0,0 10,0"})


def test_mists_are_added_put_in_order_and_taken_away():
    recipe = Recipe()
    for name in ("low", "high", "far"):
        recipe = typed(recipe, mist__add=name)
    recipe = typed(recipe, **{"mist__3.place": "1", "mist__2.on": "no"})
    assert [(one.name, one.on) for one in recipe.depth.mist] == [
        ("far", True),
        ("low", False),
        ("high", True),
    ]
    assert [one.name for one in typed(recipe, **{"mist__2.remove": "yes"}).depth.mist] == ["far", "high"]
    with pytest.raises(SettingError, match="at least 0"):
        typed(recipe, **{"mist__1.start": "-2"})
    with pytest.raises(SettingError, match="no colour"):
        typed(recipe, **{"mist__1.colour": "foggy"})


def test_a_locked_range_is_not_moved_by_accident():
    recipe = typed(Recipe(), near="2", far="9", locked="yes")
    with pytest.raises(SettingError, match="locked for this shot"):
        typed(recipe, near="3")
    assert typed(recipe, locked="no", near="3").depth.near == 3
    assert typed(recipe, mapping="reciprocal").depth.mapping == "reciprocal"
