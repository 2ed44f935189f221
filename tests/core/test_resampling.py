"""Planes and pictures moved, turned and enlarged, held against every pixel's weights written out."""

import numpy as np
import pytest
from makers import cubic_by_hand

from drawstring.core.eyes.resampling import resampled, resampled_planes

H, W = 13, 17
LIGHT = np.random.default_rng(5).random((H, W, 3), np.float32)


def shift(right, down=0.0):
    return np.array([[1, 0, right], [0, 1, down], [0, 0, 1.0]])


@pytest.mark.parametrize(
    ("way", "size"),
    [
        (shift(0.25), (H, W)), (shift(-3.25, 2.5), (H, W)), (shift(15.7, -0.01), (H, W)),
        (shift(-4, 2), (H, W)), (shift(-40.5, -12.3), (H, W)), (shift(41), (H, W)), (shift(0.3), (H, W - 2)),
        (np.array([[0.97, -0.1, 1.3], [0.1, 0.97, -2.2], [0, 0, 1]]), (H, W)),
        (np.array([[0.5, 0, -0.25], [0, 1, 0], [0, 0, 1]]), (H, 2 * W)),
        (np.array([[9.0, 0, -50], [0, 9, -60], [0, 0, 1]]), (H, W)),
    ],
)  # fmt: skip
def test_light_is_weighed_by_its_place_and_black_comes_in_from_outside(way, size):
    wanted = cubic_by_hand(LIGHT, way, size)
    for threads in (1, 2):
        made = resampled(LIGHT, way, size, is_mixed=True, threads=threads)
        assert made.flags.c_contiguous and made.dtype == np.float32
        np.testing.assert_allclose(made, wanted, atol=1e-6)
    planes = resampled_planes([LIGHT[..., c].astype(np.float16) for c in range(3)], way, size, is_mixed=True)
    np.testing.assert_allclose(np.stack(planes, axis=-1), wanted, atol=1e-3)
    alone = resampled_planes([LIGHT[..., 1]], way, size, is_mixed=True)
    np.testing.assert_allclose(alone[0], wanted[..., 1], atol=1e-6)


@pytest.mark.parametrize("by", [0.01, 0.25, -0.7, 3.3])
def test_a_slope_moves_by_just_what_is_asked(by):
    slope = np.tile(np.arange(60, dtype=np.float32), (4, 1))
    turned = shift(by) @ np.array([[1, 1e-12, 0], [0, 1, 0], [0, 0, 1]])
    for way in (shift(by), turned):
        made = resampled(slope, way, slope.shape, is_mixed=True)[1:-1, 8:-8]
        np.testing.assert_allclose(made, slope[1:-1, 8:-8] + by, atol=2e-5)


def test_whole_pixels_move_as_they_are_and_what_is_no_light_takes_the_nearest():
    odd = LIGHT[..., 0].copy()
    odd[3, 4], odd[8, 9], odd[0, 0] = np.inf, np.nan, -0.0
    wanted = np.zeros_like(odd)
    wanted[1:, :-2] = odd[:-1, 2:]
    np.testing.assert_array_equal(resampled(odd, shift(2, -1), (H, W), is_mixed=True), wanted)
    # Far outside there is nothing, whatever the rim holds.
    odd[0], odd[-1], odd[:, 0], odd[:, -1] = np.inf, np.nan, -np.inf, np.nan
    for far in (60.0, -60.0):
        away = np.array([[1.5, 0, far], [0, 1.5, far / 2], [0, 0, 1]])
        assert not resampled(odd, away, (H, W), is_mixed=True)[:, : W // 2 if far < 0 else W].any()
    names = np.arange(H * W, dtype=np.uint32).reshape(H, W)
    taken = resampled(names, shift(1.4, -0.6), (H, W), is_mixed=False)
    assert taken.dtype == np.uint32
    np.testing.assert_array_equal(taken[1:, :-1], names[:-1, 1:])
    assert not taken[0].any() and not taken[:, -1].any()
