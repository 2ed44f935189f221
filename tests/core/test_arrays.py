"""Planes put side by side and taken apart: the same numbers, whichever way they lie."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from drawstring.core.arrays import Channels, as_picture, merged, only_read, side_by_side, split, with_alpha

KINDS = [np.float16, np.float32, np.uint32]


@st.composite
def several_planes(draw, most=6, kinds=KINDS):
    """Planes of one size and kind, some of them not in one piece."""
    size = draw(st.tuples(st.integers(1, 7), st.integers(1, 9)))
    rng = np.random.default_rng(draw(st.integers(0, 99)))
    planes = [rng.integers(0, 2048, size) for _ in range(draw(st.integers(1, most)))]
    kind = draw(st.sampled_from(kinds))
    return [
        np.asfortranarray(plane.astype(kind)) if draw(st.booleans()) else plane.astype(kind)
        for plane in planes
    ]


@given(several_planes())
def test_planes_side_by_side_come_apart_as_they_were(planes):
    for picture in (merged(planes), side_by_side(planes)):
        assert picture.dtype == planes[0].dtype
        np.testing.assert_array_equal(picture, np.stack(planes, axis=-1))
        for apart in (split(picture), list(Channels(picture))):
            assert all(each.flags.c_contiguous for each in apart)
            np.testing.assert_array_equal(apart, planes)


@given(several_planes())
def test_channels_of_a_picture_are_taken_for_its_planes_and_are_not_copied_when_wanted_together(planes):
    picture = np.stack(planes, axis=-1)
    channels = Channels(picture)
    assert side_by_side(channels) is picture and len(channels) == len(planes)
    np.testing.assert_array_equal(as_picture(channels), as_picture(planes))
    np.testing.assert_array_equal(channels[-1], planes[-1])
    np.testing.assert_array_equal(channels[:2], planes[:2])


@given(several_planes())
def test_what_brings_no_alpha_is_solid(planes):
    made = with_alpha(planes)
    assert made.dtype == np.float32 and made.shape == (*planes[0].shape, 4)
    np.testing.assert_array_equal(made[..., 0], planes[0])
    if len(planes) >= 4:
        np.testing.assert_array_equal(made, np.stack(planes[:4], axis=-1))
    else:
        assert (made[..., 3] == 1).all()
        rest = planes * 2 if len(planes) == 1 else [*planes[1:], 0 * planes[0]][:2]
        np.testing.assert_array_equal(made[..., 1:3], np.stack(rest, axis=-1))
    np.testing.assert_array_equal(with_alpha(Channels(np.stack(planes, axis=-1))), made)


def test_what_is_only_read_can_not_be_written_and_is_not_copied():
    plane = np.arange(6, dtype=np.float32).reshape(2, 3)
    view = only_read(plane)
    assert np.shares_memory(view, plane) and plane.flags.writeable
    with pytest.raises(ValueError, match="read-only"):
        view[0, 0] = 1
    assert only_read(plane.T).flags.c_contiguous
