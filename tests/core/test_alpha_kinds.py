"""Kinds of alpha, told from pixels that were made by the compositing equation itself."""

import itertools

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from drawstring.core.alpha import (
    AlphaKind,
    OverFrames,
    alpha_evidence,
    cut_out,
    fringes,
    over_ground,
    premultiplied,
    straight,
    with_sound_alpha,
)

GROUND = (0.3, 0.5, 0.2)


def element(seed: int, *, shape: str = "discs", look: str = "plain", noise: float = 0.0):
    """Draw a straight colour and its alpha: shapes at eight times the size, so that coverage is true."""
    rng = np.random.default_rng(seed)
    big = np.zeros((8 * 135, 8 * 240), np.uint8)
    for _ in range(6):
        x, y, r = rng.integers(200, 1700), rng.integers(200, 900), int(rng.integers(80, 260))
        if shape == "discs":
            cv2.circle(big, (int(x), int(y)), r, 255, -1)
        else:
            cv2.line(big, (int(x), int(y)), (int(rng.integers(0, 1900)), int(rng.integers(0, 1000))), 255, 80)
    alpha = cv2.resize(big, (240, 135), interpolation=cv2.INTER_AREA).astype(np.float32) / 255
    if shape == "soft":
        alpha = cv2.GaussianBlur(alpha, (0, 0), 3)
    yy, xx = np.mgrid[:135, :240] / 135.0
    colour = np.stack([0.3 + 0.3 * xx / 1.8, 0.25 + 0.2 * yy, 0.4 - 0.2 * xx / 1.8], -1).astype(np.float32)
    if look == "grainy":
        colour *= 1 + 0.35 * rng.standard_normal((135, 240, 1)).astype(np.float32).clip(-2, 2)
    if look == "hdr":
        colour *= np.where(((xx * 9).astype(int) % 3 == 0)[..., None], 30, 1).astype(np.float32)
    if look == "dark":
        colour *= 0.02
    if look == "one colour":
        colour[...] = (0.7, 0.2, 0.1)
    colour += noise * rng.standard_normal(colour.shape).astype(np.float32) * colour
    return colour, alpha


def stored(colour, alpha, kind):
    """Write the equation down for each kind."""
    a = alpha[..., None]
    made = {
        AlphaKind.STRAIGHT: np.where(a > 0, colour, 0),
        AlphaKind.PREMULTIPLIED: a * colour,
        AlphaKind.TWICE: a * a * colour,
        AlphaKind.OVER_COLOUR: a * colour + (1 - a) * np.float32(GROUND),
    }[kind]
    return np.concatenate([made, a], axis=-1).astype(np.float32)


KINDS = [AlphaKind.STRAIGHT, AlphaKind.PREMULTIPLIED, AlphaKind.TWICE, AlphaKind.OVER_COLOUR]


@pytest.mark.parametrize(
    ("shape", "look"),
    list(itertools.product(["discs", "lines", "soft"], ["plain", "grainy", "hdr", "dark", "one colour"])),
)
def test_every_kind_is_told_or_said_to_be_unsure(shape, look):
    for kind, seed in itertools.product(KINDS, range(3)):
        if kind is AlphaKind.OVER_COLOUR and look == "dark":
            continue  # what lies below outshines the thing: two readings are equally true
        colour, alpha = element(seed, shape=shape, look=look, noise=0.05)
        found = alpha_evidence(stored(colour, alpha, kind))
        assert found.samples >= 300
        assert found.kind in (kind, AlphaKind.UNSURE), (kind, seed, found)
        if look in ("plain", "hdr"):
            assert found.kind is kind, (seed, found)
        if found.kind is AlphaKind.OVER_COLOUR:
            np.testing.assert_allclose(found.ground, GROUND, atol=0.05)


def test_a_picture_without_rims_says_what_alpha_is_or_that_it_is_not_known():
    def picture(alpha):
        return np.dstack([np.full((40, 60, 3), 0.4, np.float32), np.full((40, 60), alpha, np.float32)])

    assert alpha_evidence(picture(1)).kind is AlphaKind.OPAQUE
    assert alpha_evidence(picture(0)).kind is AlphaKind.EMPTY
    assert alpha_evidence(picture(np.nan)).kind is AlphaKind.UNSURE
    black = element(3)[1]
    assert alpha_evidence(np.dstack([np.zeros((135, 240, 3), np.float32), black])).kind is AlphaKind.UNSURE


def test_alpha_that_is_no_share_is_counted_and_does_not_hide_the_kind():
    colour, alpha = element(2)
    wild = stored(colour, alpha, AlphaKind.PREMULTIPLIED)
    wild[3, 4, 3], wild[5, 6, 3], wild[7, 8, 3] = np.nan, 1.5, -0.2
    found = alpha_evidence(wild)
    assert (found.kind, found.nan, found.outside) == (AlphaKind.PREMULTIPLIED, 1, 2)
    assert found.as_dict()["outside"] == 2
    sound = with_sound_alpha(wild)
    assert np.isfinite(sound).all() and sound[..., 3].min() == 0 and sound[..., 3].max() == 1
    assert (sound[3, 4] == 0).all(), "what has no number is empty, colour too"


@given(st.sampled_from(KINDS), st.integers(0, 50))
@settings(max_examples=20, deadline=None)
def test_every_kind_becomes_premultiplied_and_straight_again(kind, seed):
    colour, alpha = element(seed)
    given = stored(colour, alpha, kind)
    before = given.copy()
    made = premultiplied(given, kind, GROUND)
    np.testing.assert_allclose(made[..., :3], alpha[..., None] * colour, atol=2e-6)
    np.testing.assert_array_equal(made[..., 3], alpha)
    np.testing.assert_array_equal(given, before)
    whole = alpha > 0.01
    np.testing.assert_allclose(straight(made)[whole][:, :3], colour[whole], rtol=1e-3)


def test_many_frames_outvote_a_few_and_one_without_rims_says_nothing():
    over = OverFrames()
    empty = alpha_evidence(np.zeros((20, 20, 4), np.float32))
    for seed in range(3):
        over.add(alpha_evidence(stored(*element(seed), AlphaKind.STRAIGHT)).as_dict())
    for _ in range(5):
        over.add(empty.as_dict())
    assert over.overall().kind is AlphaKind.STRAIGHT
    assert over.overall().sure > 0.95


@pytest.mark.parametrize("look", ["plain", "grainy", "hdr", "one colour"])
def test_fringes_are_few_where_alpha_is_right_and_many_where_it_is_not(look):
    colour, alpha = element(1, look=look, noise=0.05)
    share = {kind: fringes(stored(colour, alpha, kind)).share for kind in KINDS}
    assert share[AlphaKind.PREMULTIPLIED] < 0.06
    assert share[AlphaKind.STRAIGHT] > 0.6 and share[AlphaKind.OVER_COLOUR] > 0.4
    assert share[AlphaKind.TWICE] > 0.15
    bright, dark = (fringes(stored(colour, alpha, k)) for k in (AlphaKind.STRAIGHT, AlphaKind.TWICE))
    assert bright.bright > 50 * bright.dark and dark.dark > 10 * dark.bright
    row, col = bright.worst
    assert np.abs(bright.off[max(0, row - 8) : row + 9, max(0, col - 8) : col + 9]).max() > 0.12


def test_an_element_lies_over_every_ground_as_the_equation_says():
    colour, alpha = element(4)
    laid = over_ground(stored(colour, alpha, AlphaKind.PREMULTIPLIED), "colour", GROUND)
    np.testing.assert_allclose(
        laid[..., :3], alpha[..., None] * colour + (1 - alpha[..., None]) * np.float32(GROUND), atol=1e-6
    )
    checker = over_ground(np.zeros((32, 32, 4), np.float32), "checker", square=8)
    assert checker[0, 0, 0] != checker[0, 8, 0] == checker[8, 0, 0] != checker[8, 8, 0]
    assert (laid[..., 3] == 1).all()


def test_an_environment_is_taken_out_of_the_rims_too():
    colour, alpha = element(6)
    sky = np.float32((0.5, 0.7, 1.1))
    seen = np.dstack([alpha[..., None] * colour + (1 - alpha[..., None]) * sky, np.ones_like(alpha)])
    cut = cut_out(seen.astype(np.float32), alpha)
    np.testing.assert_allclose(cut[..., :3], alpha[..., None] * colour, atol=1e-5)
    np.testing.assert_array_equal(cut[..., 3], alpha)
