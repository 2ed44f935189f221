"""Levels: counts on a scale of stops, column by column."""

import numpy as np
import pytest

from drawstring.core.colour.levels import HIGHEST, LOWEST, STEPS, levels_of
from drawstring.core.halves import block_means, halved, singles


def test_every_pixel_is_counted_once_at_its_stop_and_column():
    stops = np.linspace(-9, 5, 57)
    picture = np.ones((40, 57, 4), np.float32) * (2.0**stops)[None, :, None].astype(np.float32)
    picture[..., 1] *= 0.5
    told = levels_of(picture, columns=57)
    assert told.histogram.sum() == 3 * 40 * 57 and (told.waveform.sum(axis=-1) == told.histogram).all()
    places = told.waveform.argmax(axis=1)
    wide = (HIGHEST - LOWEST) / STEPS
    np.testing.assert_allclose(LOWEST + (places[0] + 0.5) * wide, stops, atol=wide)
    np.testing.assert_allclose(places[0] - places[1], 1 / wide, atol=1)
    assert told.mean == pytest.approx([*(picture[0, :, :3].mean(axis=0))], rel=1e-5)
    assert told.above == pytest.approx((stops > 0).mean()) and told.below == told.odd == 0


def test_what_lies_off_the_scale_or_is_no_number_is_told():
    picture = np.full((4, 10, 3), 0.18, np.float32)
    picture[0, 0], picture[1, 1], picture[2, 2] = 1e6, -2, np.nan
    picture[3, 3, 0] = np.inf
    told = levels_of(picture)
    assert told.histogram[0, -1] == 1 and told.histogram[0, 0] == 1
    assert told.histogram.sum() == 3 * 38 and told.odd == pytest.approx(2 / 40)
    assert told.above == pytest.approx(1 / 38) and told.below == pytest.approx(1 / 38)
    assert levels_of(picture[:0]).histogram.sum() == 0
    narrow = levels_of(np.ones((8, 3, 3), np.float32), columns=160)
    assert narrow.waveform.shape == (3, STEPS, 3) and narrow.waveform.sum() == 3 * 24


def test_halves_for_looking_are_the_nearest_ones_to_the_last_bit():
    every = np.arange(1 << 16, dtype=np.uint32).astype(np.uint16).view(np.float16).astype(np.float32)
    # Every half, what lies next to it, half-way to the next one, and numbers from anywhere.
    bits = every.view(np.uint32).astype(np.int64)[:, None] + np.array([-1, 0, 1, 0xFFF, 0x1000, 0x1001])
    chance = np.random.default_rng(3).integers(0, 1 << 32, 200_000, dtype=np.uint32)
    single = np.concatenate([bits.astype(np.uint32).ravel(), chance]).view(np.float32)[: (1 << 16) * 9]
    plane = single.reshape(512, -1)
    with np.errstate(all="ignore"):
        wanted = plane.astype(np.float16)
    for planes in ([plane], [plane, plane[::-1]], [plane] * 4, [wanted, plane, plane]):
        made = halved(planes)
        for i, given in enumerate(planes):
            with np.errstate(all="ignore"):
                nearest = given.astype(np.float16)
            is_number = ~np.isnan(nearest)
            assert np.array_equal(np.isnan(made[..., i]), ~is_number)
            same = made[..., i].view(np.uint16) == nearest.view(np.uint16)
            assert same[is_number].all()


def test_every_half_is_read_as_the_float_that_it_is():
    halves = np.arange(1 << 16, dtype=np.uint16).view(np.float16).reshape(256, 256)
    for plane in (halves, halves[::2, 3::5], halves.T):
        np.testing.assert_array_equal(
            singles(plane).view(np.uint32), plane.astype(np.float32).view(np.uint32)
        )
    whole = np.float32([[1, np.nan]])
    assert singles(whole) is whole and singles(np.uint32([[7]])) == np.float32(7)


@pytest.mark.parametrize("shape", [(1, 1), (5, 3), (16, 33), (171, 97), (64, 128)])
@pytest.mark.parametrize("level", [1, 2, 3, 4])
def test_halves_are_made_smaller_by_the_mean_of_each_block(shape, level):
    step, rng = 1 << level, np.random.default_rng(level)
    plane = (rng.standard_normal(shape) * 4).astype(np.float16)
    whole = np.pad(plane.astype(np.float64), [(0, -side % step) for side in shape], mode="edge")
    blocks = whole.reshape(whole.shape[0] // step, step, whole.shape[1] // step, step)
    for given in (plane, np.asfortranarray(plane), np.repeat(plane, 2, axis=1)[:, ::2]):
        made = block_means(given, level)
        mean = blocks.mean(axis=(1, 3))
        assert made.shape == mean.shape
        # As near as halves are; a few last digits of the sum are float's.
        assert (np.abs(made - mean) <= 0.51 * np.spacing(np.abs(mean).astype(np.float16)) + 1e-6).all()
    plane[-1, -1], plane[0, 0] = np.inf, np.nan if plane.size > 1 else np.inf
    with np.errstate(invalid="ignore"):
        odd = ~np.isfinite(block_means(plane, level))
    assert odd[-1, -1] and odd[0, 0] and odd.sum() <= 2
    full = np.full(shape, np.finfo(np.float16).max, np.float16)
    assert (block_means(full, level) == full.max()).all()
