"""An element matched to its plate: what was changed by known numbers is found and undone."""

import numpy as np
import pytest

from drawstring.core.colour.grade import GradeSettings, graded
from drawstring.core.colour.match import MatchBy, Picks, matched, matched_picks
from drawstring.core.errors import SettingError

RANDOM = np.random.default_rng(8)
SLOPE, OFFSET = np.array([1.4, 0.8, 1.1]), np.array([0.02, 0.05, -0.01])


def plate(height: int = 60, width: int = 80) -> np.ndarray:
    return RANDOM.gamma(2, 0.2, (height, width, 3)).astype(np.float32)


@pytest.mark.parametrize("by", [MatchBy.SPREAD, MatchBy.ENDS])
def test_a_known_change_is_undone_under_any_coverage(by):
    light = plate()
    alpha = np.clip(RANDOM.random((60, 80, 1)) * 1.5, 0.6, 1).astype(np.float32)
    element = np.concatenate([(light - OFFSET) / SLOPE * alpha, alpha], axis=-1).astype(np.float32)
    found = matched(element, light, by)
    np.testing.assert_allclose(found.slope, SLOPE, rtol=2e-4)
    np.testing.assert_allclose(found.offset, OFFSET, atol=2e-4)
    made = graded(element, GradeSettings(slope=found.slope, offset=found.offset))
    np.testing.assert_allclose(made[..., :3] / alpha, light, atol=1e-3)


def test_a_mean_is_matched_within_mattes_and_by_a_plate_of_another_size():
    element = np.concatenate([plate(), np.ones((60, 80, 1), np.float32)], axis=-1)
    other = plate(200, 90) * 3
    matte, of_plate = np.zeros((60, 80), np.float32), np.zeros((200, 90), np.float32)
    matte[:30], of_plate[50:] = 1, 1
    found = matched(element, other, MatchBy.MEAN, matte=matte, plate_matte=of_plate)
    wanted = other[50:].reshape(-1, 3).mean(0, dtype=float) / element[:30, :, :3].reshape(-1, 3).mean(
        0, dtype=float
    )
    np.testing.assert_allclose(found.slope, wanted, rtol=1e-4)
    assert found.offset == (0, 0, 0)


def test_what_cannot_be_matched_is_refused():
    element = np.concatenate([plate(), np.ones((60, 80, 1), np.float32)], axis=-1)
    grey = element * 0 + np.float32([0.2, 0.2, 0.2, 1])
    for first, second, by, words in (
        (element * [1, 1, 1, 0], plate(), MatchBy.SPREAD, "fewer than 64"),
        (element, plate(4, 4), MatchBy.SPREAD, "The plate has fewer"),
        (grey, plate(), MatchBy.SPREAD, "of one brightness"),
        (grey, plate(), MatchBy.ENDS, "of one brightness"),
        (element * [0, 1, 1, 1], plate(), MatchBy.MEAN, "is black"),
        (element * [0.001, 1, 1, 1], plate(), MatchBy.SPREAD, "too little in common"),
    ):
        with pytest.raises(SettingError, match=words):
            matched(first.astype(np.float32), second, by)
    broken = element.copy()
    broken[3, 3] = np.nan
    assert matched(broken, plate(), MatchBy.SPREAD).slope[0] > 0


def test_picks_match_by_a_gain_or_by_slope_and_offset():
    slope, offset = np.array([1.5, 0.8, 1.1]), np.array([0.02, -0.01, 0.0])
    grey, white = (0.2, 0.18, 0.19), (0.9, 0.95, 0.8)
    both = Picks(
        grey=grey,
        white=white,
        plate_grey=tuple(slope * grey + offset),
        plate_white=tuple(slope * white + offset),
    )
    found = matched_picks(both)
    np.testing.assert_allclose(found.slope, slope, rtol=1e-5)
    np.testing.assert_allclose(found.offset, offset, atol=1e-6)
    gain = matched_picks(Picks(white=white, plate_white=tuple(slope * white)))
    np.testing.assert_allclose(gain.slope, slope, rtol=1e-5)
    assert gain.offset == (0, 0, 0)
    for picks, words in (
        (Picks(grey=grey), "No grey and no white"),
        (Picks(grey=(0.2, 0, 0.2), plate_grey=grey), "is black"),
        (Picks(grey=grey, white=grey, plate_grey=grey, plate_white=white), "equally bright"),
    ):
        with pytest.raises(SettingError, match=words):
            matched_picks(picks)
