"""What is counted of a pass: against numpy's own sums, for every stored type, with anything in the pixels."""

import json

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from drawstring.core.depth.background import HUGE
from drawstring.core.pack.odd import odd_values
from drawstring.core.passes import pass_statistics, statistics_from_dict
from drawstring.web.drawing import cord_drawing, curve_of, spark

shapes = st.tuples(st.integers(1, 6), st.integers(1, 6))
wild = st.floats(width=32, allow_nan=True, allow_infinity=True)


@given(st.data(), shapes, st.integers(1, 3), st.sampled_from([np.float16, np.float32, np.uint32]))
def test_counts_and_means_are_those_of_numpy(data, shape, channels, dtype):
    elements = (
        st.integers(0, 2**32 - 1)
        if dtype == np.uint32
        else st.floats(width=np.dtype(dtype).itemsize * 8, allow_nan=True, allow_infinity=True)
    )
    planes = [data.draw(arrays(dtype, shape, elements=elements)) for _ in range(channels)]
    told = pass_statistics(planes, has_alpha=False)
    everything = np.concatenate([plane.ravel() for plane in planes]).astype(np.float64)
    finite = everything[np.isfinite(everything)]
    usual = finite[np.abs(finite) < HUGE]
    stacked = np.stack(planes).astype(np.float64)
    assert told.values == planes[0].size and told.nan == np.isnan(stacked).any(axis=0).sum()
    assert told.infinite == np.isinf(stacked).any(axis=0).sum()
    assert told.negative == (np.isfinite(stacked) & (stacked < 0)).any(axis=0).sum()
    if dtype != np.uint32:
        finite_below = (finite < 0).sum()
        assert odd_values(planes) == (np.isnan(everything).sum(), np.isinf(everything).sum(), finite_below)
    if usual.size:
        np.testing.assert_allclose([told.low, told.high], [usual.min(), usual.max()], rtol=1e-5)
        np.testing.assert_allclose(told.mean, usual.mean(), rtol=1e-3, atol=1e-3 * np.abs(usual).max())
    else:
        assert (told.low, told.high, told.mean) == (0, 0, 0)
    if told.odd is not None:
        values = [plane[told.odd] for plane in planes]
        assert any(not np.isfinite(value) for value in values)
    assert (told.odd is None) == (told.nan + told.infinite == 0)
    assert statistics_from_dict(json.loads(json.dumps(told.as_dict()))) == told


@given(arrays(np.float32, (4, 5), elements=wild), arrays(np.float32, (4, 5), elements=wild))
def test_equal_pictures_have_equal_digests_and_others_do_not(first, second):
    def digest(plane):
        return pass_statistics([plane], has_alpha=False).digest

    assert digest(first) == digest(first.copy())
    assert (digest(first) == digest(second)) == (first.tobytes() == second.tobytes())


def test_alpha_is_counted_apart_from_colour():
    alpha = np.float32([[0, 0, 0.5, 1], [0, 0.25, 1, 1]])
    colour = [np.float32(alpha * value) for value in (4.0, 0.5, 0.1)]
    told = pass_statistics([*colour, alpha], has_alpha=True)
    assert told.high == 4 and told.alpha == {
        "low": 0,
        "high": 1,
        "part": 0.25,
        "over": 1.0,
        "lit_nothing": 0.0,
    }
    lit = [np.maximum(plane, 0.2) for plane in colour]
    assert pass_statistics([*lit, alpha], has_alpha=True).alpha["lit_nothing"] == 1
    assert pass_statistics(colour, has_alpha=False).alpha == {}


def counted(means: dict[int, float], spread: float = 0.1):
    return {
        number: pass_statistics([np.float32([[mean - spread, mean, mean + spread]])], has_alpha=False)
        for number, mean in means.items()
    }


@given(st.dictionaries(st.integers(1, 200), st.floats(0.5, 9), min_size=1, max_size=20))
def test_a_curve_keeps_order_places_and_stays_in_its_box(means):
    curve = curve_of(counted(means))
    assert [column.number for column in curve.columns] == sorted(means)
    for column in curve.columns:
        assert 0 <= column.left < 100 and 0 < column.width <= 100 and column.left + column.width < 100.001
        assert 0 <= column.high <= column.mean <= column.low <= 100, "high values lie higher up"
    brighter = sorted(curve.columns, key=lambda column: column.seen.mean)
    assert all(a.mean >= b.mean - 1e-6 for a, b in zip(brighter, brighter[1:], strict=False))
    assert curve.mean_path.startswith("M") and curve.band_path.endswith("Z")
    line = spark(means)
    points = [tuple(map(float, point.split())) for point in line[1:].split("L")]
    assert all(0 <= x <= 60 and 0 <= y <= 14 for x, y in points) and points == sorted(points)


@pytest.mark.parametrize(
    "states", [["settled", "open", "settled"], ["not needed", "settled", "blocked"], ["stale"] * 3]
)
def test_a_cord_is_taut_up_to_the_first_knot_that_is_not_settled(states):
    from drawstring.core.recipe import KnotState, KnotView

    knots = [KnotView(f"k{i}", "K", KnotState(state), "", "") for i, state in enumerate(states)]
    drawing = cord_drawing(knots)
    tight = [state in ("settled", "not needed") for state in states]
    first_slack = tight.index(False) if False in tight else len(tight)
    assert [piece.is_taut for piece in drawing.pieces] == [i < first_slack for i in range(len(states) + 1)]
    assert sum(piece.width for piece in drawing.pieces) == pytest.approx(100)
    assert [one.state for one in drawing.knots] == [state.replace(" ", "-") for state in states]
