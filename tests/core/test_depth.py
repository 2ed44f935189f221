"""Depth: closed forms to the last bit, there and back, and percentiles that can be trusted."""

import math
from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given
from hypothesis import settings as held_to
from hypothesis import strategies as st

from drawstring.core.camera import Moment
from drawstring.core.depth import (
    DepthSettings,
    Mapping,
    NothingThere,
    Overshoot,
    WhiteEnd,
    check_clips,
    check_frames,
    check_range,
    clipped_shares,
    merged,
    metric,
    normalise,
    nothing_there,
    tally,
)
from drawstring.core.errors import SettingError
from drawstring.core.findings import Severity
from drawstring.core.io.facts import ChannelRef, FileFacts, PartFacts, Window
from drawstring.core.passes import Pass, Role
from drawstring.core.recipe.sources import read_distances

distance = st.floats(0.015625, 8192, width=32)


def closed_form(z: float, near: float, far: float, mapping: Mapping) -> float:
    """The formulas of the need D2, in exact fractions where the form allows it."""
    n, f, d = Fraction(near), Fraction(far), Fraction(z)
    if mapping is Mapping.LINEAR:
        return float((d - n) / (f - n))
    if mapping is Mapping.RECIPROCAL:
        return float((1 / d - 1 / n) / (1 / f - 1 / n))
    return math.log(z / near) / math.log(far / near)


@given(
    z=distance,
    near=distance,
    factor=st.floats(1.01, 500),
    mapping=st.sampled_from(Mapping),
    white=st.sampled_from(WhiteEnd),
)
def test_normalised_depth_is_the_closed_form_to_one_float32_step(z, near, factor, mapping, white):
    settings = DepthSettings(
        near=near, far=near * factor, mapping=mapping, white_is=white, overshoot=Overshoot.KEEP
    )
    t = closed_form(z, settings.near, settings.far, mapping)
    wanted = 1 - t if white is WhiteEnd.NEAR else t
    got = normalise(np.float32([[z]]), settings, nothing=np.zeros((1, 1), bool))[0, 0]
    assert got.dtype == np.float32
    # One float32 step; where the value crosses 0, a step of the 1 that it was taken from.
    assert abs(float(got) - wanted) <= max(np.spacing(np.float32(abs(wanted))), 1e-13 * factor)


@given(z=distance, near=distance, factor=st.floats(1.5, 100), mapping=st.sampled_from(Mapping))
def test_metres_come_back_from_normalised_values(z, near, factor, mapping):
    settings = DepthSettings(near=near, far=near * factor, mapping=mapping, white_is=WhiteEnd.FAR)
    value = normalise(np.float32([[z]]), settings, nothing=np.zeros((1, 1), bool))
    back = float(metric(value, settings)[0, 0])
    held = min(max(z, settings.near), settings.far)
    # A float32 value between 0 and 1 has steps of 6e-8: over the range that is this much distance.
    step = {
        Mapping.LINEAR: 6e-8 * (settings.far - settings.near),
        Mapping.RECIPROCAL: 6e-8 * held**2 * (1 / settings.near - 1 / settings.far),
        Mapping.LOGARITHMIC: 6e-8 * held * math.log(factor),
    }[mapping]
    assert back == pytest.approx(held, abs=2 * step + 3e-7 * held)


def test_whatever_means_nothing_becomes_the_chosen_end():
    z = np.float32([[0.5, 2, 50, np.inf, np.nan, 0, -3, 1e10, 7]])
    alpha = np.float32([[1, 1, 1, 1, 1, 1, 1, 1, 0]])
    nothing = nothing_there(z, alpha)
    assert nothing.tolist() == [[False, False, False, True, True, True, True, True, True]]
    far = normalise(z, DepthSettings(near=1, far=10), nothing=nothing)
    assert far[0, 3:].tolist() == [0] * 6 and far[0, :3].tolist() == [1, pytest.approx(8 / 9), 0]
    near = normalise(z, DepthSettings(near=1, far=10, nothing=NothingThere.NEAR_END), nothing=nothing)
    assert near[0, 3:].tolist() == [1] * 6
    assert np.isnan(z[0, 4]), "the input is left alone"


@pytest.mark.parametrize(("near", "far"), [(None, 5), (5, None), (None, None)])
def test_an_open_end_is_refused(near, far):
    with pytest.raises(SettingError, match="is still open"):
        normalise(
            np.ones((1, 1), np.float32), DepthSettings(near=near, far=far), nothing=np.zeros((1, 1), bool)
        )


@held_to(deadline=None)  # the first call compiles
@given(seed=st.integers(0, 10_000), frames=st.integers(1, 4), percent=st.floats(0.001, 99.999))
def test_percentiles_over_frames_are_within_a_tenth_of_a_percent(seed, frames, percent):
    rng = np.random.default_rng(seed)
    planes = [rng.lognormal(rng.normal(2, 2), 1.2, (40, 50)).astype(np.float32) for _ in range(frames)]
    for plane in planes:
        plane[:, :10] = np.inf
    whole = merged(tally(plane) for plane in planes)
    seen = np.sort(np.concatenate([plane[np.isfinite(plane)] for plane in planes]))
    true = seen[max(0, math.ceil(percent / 100 * seen.size) - 1)]
    assert whole.percentile(percent) == pytest.approx(float(true), rel=1e-3)
    assert whole.seen == seen.size and seen[0] <= whole.nearest <= whole.furthest <= seen[-1]
    first, counts = whole.coarse()
    assert sum(counts) == seen.size


@pytest.mark.parametrize("empty", [0.0, 1e10, np.inf])
@pytest.mark.parametrize("has_alpha", [True, False])
def test_sky_that_is_mixed_into_an_edge_is_never_an_end(empty, has_alpha):
    """A disc at 20 m before a hill at 60 m, under nothing; edges filtered over eight by eight samples."""
    y, x = (np.mgrid[:480, :640] + 0.5) / 8
    fine = np.where(y > 30, 60.0, np.inf)
    disc = np.hypot(y - 24, x - 40) < 12
    fine[disc] = 20.0
    value = np.where(np.isinf(fine), empty if empty else 0.0, fine)
    z = value.reshape(60, 8, 80, 8).mean(axis=(1, 3)).astype(np.float32)
    alpha = np.isfinite(fine).reshape(60, 8, 80, 8).mean(axis=(1, 3)).astype(np.float32)
    counted = tally(z, alpha if has_alpha else None)
    assert (counted.nearest, counted.furthest) == (20, 60)
    assert counted.mixed > 10 and counted.seen == int((~nothing_there(z, alpha if has_alpha else None)).sum())


def test_an_alpha_that_says_nothing_everywhere_is_not_believed():
    z = np.float32([[2, 3, np.inf]])
    passes = [
        Pass("beauty", "", Role.BEAUTY, 1, "", "", tuple(ChannelRef(0, c) for c in "RGBA"),
             tuple("RGBA"), ("half",) * 4),
        Pass("depth", "Z", Role.DEPTH, 1, "", "", (ChannelRef(0, "Z"),), ("Z",), ("float",)),
    ]  # fmt: skip
    empty = {ChannelRef(0, "Z"): z, ChannelRef(0, "A"): np.zeros((1, 3), np.float16)}
    assert read_distances(empty, passes, DepthSettings(), Moment()).nothing.tolist() == [[False, False, True]]
    part = empty | {ChannelRef(0, "A"): np.float16([[0, 0.5, 0]])}
    assert read_distances(part, passes, DepthSettings(), Moment()).nothing.tolist() == [[True, False, True]]


def test_shares_beyond_the_ends_count_pixels():
    z = np.linspace(1, 101, 10_001, dtype=np.float32).reshape(1, -1)
    nearer, further = clipped_shares(tally(z), DepthSettings(near=11, far=96))
    assert (nearer, further) == (pytest.approx(0.1, abs=1e-3), pytest.approx(0.05, abs=1e-3))


@pytest.mark.parametrize(
    ("z", "settings", "code", "severity"),
    [
        ([np.inf, np.inf], {}, "depth-all-nothing", Severity.STOPS),
        ([3, 3], {}, "depth-one-distance", Severity.WARNS),
        ([np.nan, 2, 9], {}, "depth-nan", Severity.WARNS),
        ([-1, 2, 9], {}, "depth-negative", Severity.WARNS),
        ([2, 9], {"near": 2000, "far": 9000}, "range-misses-all", Severity.STOPS),
        ([1, 1, 1, 9, 5], {"near": 3, "far": 20}, "range-clips", Severity.WARNS),
        ([2, 9], {"near": 1, "far": 1000}, "range-too-wide", Severity.WARNS),
    ],
)
def test_bad_depth_and_bad_ranges_are_found(z, settings, code, severity):
    found = check_range(tally(np.float32([z])), DepthSettings(**settings), unit="m", where="depth")
    assert (code, severity) in [(one.code, one.severity) for one in found]
    assert all(one.what and one.why and one.remedy for one in found)


def test_depth_typed_in_millimetres_is_suspected():
    found = check_range(
        tally(np.float32([[2, 9]])), DepthSettings(near=2000, far=9000), unit="m", where="depth"
    )
    assert "Near and far look like mm" in found[0].what and "2 m to 9 m" in found[0].what


def test_frames_that_leave_the_range_are_told_with_the_press_that_mends_it():
    ends = {n: (4.0 + 0.1 * n, 60.0 + n) for n in range(1, 11)}
    ends[7] = (2.5, 63.0)
    settings = DepthSettings(near=4, far=68)
    near, far = check_frames(ends, settings, unit="m", where="TW1, depth")
    assert near.what == "Frame 7 goes nearer than near, frame 7 to 2.5 m." and near.frame == 7
    assert near.mends[1].values == (("depth.near", "2.5"),)
    assert far.what.startswith("Frame 10 goes further than far") and far.mends[1].label == "move far to 70 m"
    assert check_frames(ends, DepthSettings(near=2, far=80), unit="m", where="") == []
    assert check_frames(ends, DepthSettings(), unit="m", where="") == []
    everywhere = DepthSettings(near=30, far=200)
    assert check_frames(ends, everywhere, unit="m", where="") == [], "clipping all frames is a choice"


@pytest.mark.parametrize(
    ("near", "far", "words"), [(0.1, 80, ["far clip plane, 80 m"]), (2, 900, ["near clip"]), (0.1, 900, [])]
)
def test_a_picture_that_ends_at_a_clip_plane_was_cut_by_it(near, far, words):
    window = Window(0, 0, 1, 0)
    said = {"nearClip": near, "farClip": far}
    part = PartFacts(0, "", "", "scanline", "zip", window, window, 1.0, (), said)
    counted = tally(np.float32([[2, 80]]))
    found = check_clips(counted, FileFacts("a.exr", 1, 1, (part,)), unit="m", where="x")
    assert len(found) == len(words) and all(word in one.what for word, one in zip(words, found, strict=True))
    assert check_clips(counted, FileFacts("a.exr", 1, 1, ()), unit="m", where="x") == []
