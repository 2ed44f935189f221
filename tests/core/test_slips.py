"""What slipped in: helpers and placeholders by name and colour, icons burnt in; and what is none of them."""

import numpy as np
import pytest

from drawstring.core.arrivals.slips import check_slips, tell_slips
from drawstring.core.camera import Moment
from drawstring.core.io.facts import ChannelRef
from drawstring.core.passes.hashed import name_bits, name_header
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import Role

HIGH, WIDE = 120, 200


def refs(*names: str) -> tuple[ChannelRef, ...]:
    return tuple(ChannelRef(0, name) for name in names)


BEAUTY = Pass("beauty", "", Role.BEAUTY, 1, "", "", refs("R", "G", "B"), tuple("RGB"), ("half",) * 3)
ALBEDO = Pass(
    "diffuse_albedo", "dc", Role.DIFFUSE_ALBEDO, 1, "", "", refs("dc.R", "dc.G", "dc.B"), tuple("RGB"),
    ("half",) * 3,
)  # fmt: skip
MATTE = Pass(
    "object_matte", "CryptoObject", Role.OBJECT_MATTE, 1, "", "", refs("c.R", "c.G"), ("R", "G"),
    ("float",) * 2,
)  # fmt: skip


def told_of(number: int, picture: np.ndarray, things: dict[str, tuple[slice, slice, float]] | None = None,
            albedo: np.ndarray | None = None):  # fmt: skip
    things = things or {}
    pixels = {ref: picture[..., i].astype(np.float16) for i, ref in enumerate(BEAUTY.channels)}
    names, share = np.zeros((HIGH, WIDE), np.uint32), np.zeros((HIGH, WIDE), np.float32)
    for name, (rows, cols, covers) in things.items():
        names[rows, cols], share[rows, cols] = name_bits(name), covers
    pixels |= {MATTE.channels[0]: names.view(np.float32), MATTE.channels[1]: share}
    passes = [BEAUTY, MATTE]
    if albedo is not None:
        passes.append(ALBEDO)
        pixels |= {ref: albedo[..., i].astype(np.float16) for i, ref in enumerate(ALBEDO.channels)}
    at = Moment(frame=number, said={0: name_header("CryptoObject", list(things))})
    return tell_slips(passes, pixels, at, is_looked_at=True)


def moving(number: int) -> np.ndarray:
    """A board of hard squares that slides by 5 pixels a frame, with light that changes, too."""
    x = np.arange(WIDE)[None, :] + 5 * number
    y = np.arange(HIGH)[:, None]
    board = ((x // 17 + y // 13) % 2) * (0.4 + 0.01 * number) + 0.1 + 0.003 * number
    return np.repeat(board[..., None], 3, axis=2).astype(np.float32)


def codes(told) -> list[str]:
    return [finding.code for finding in check_slips(told, where="TW010")]


def test_an_icon_that_stays_while_all_moves_is_found_at_its_place():
    def with_icon(number: int) -> np.ndarray:
        picture = moving(number)
        picture[10:40:4, 20:60] = 5.0
        return picture

    told = {n: told_of(n, with_icon(n)) for n in (1, 4, 9)}
    (finding,) = check_slips(told, where="TW010")
    assert finding.code == "slip-burnt-in"
    x, y = finding.pixel
    assert 20 <= x <= 60 and 10 <= y <= 40
    assert codes({n: told_of(n, moving(n)) for n in (1, 4, 9)}) == []


def test_a_still_camera_a_flat_sky_and_grain_are_no_icons():
    assert codes({n: told_of(n, moving(1)) for n in (1, 4, 9)}) == []
    flat = np.full((HIGH, WIDE, 3), 0.5, np.float32)
    assert codes({n: told_of(n, flat) for n in (1, 4)}) == []
    # Half of the picture stays, the other half moves: a thing before a still background.
    half = {n: np.where(np.arange(WIDE)[None, :, None] < 100, moving(1), moving(n)) for n in (1, 4, 9)}
    assert codes({n: told_of(n, picture) for n, picture in half.items()}) == []
    rng = np.random.default_rng(4)
    grainy = {n: moving(n) + rng.normal(0, 0.01, (HIGH, WIDE, 3)) for n in (1, 4, 9)}
    broken = {
        n: np.where(rng.random((HIGH, WIDE, 1)) < 0.001, np.inf, picture) for n, picture in grainy.items()
    }
    with np.errstate(all="ignore"):
        assert codes({n: told_of(n, picture) for n, picture in broken.items()}) == []


@pytest.mark.parametrize(
    ("name", "code"),
    [
        ("cam_icon_01", "slip-helper"), ("focus_plane", "slip-helper"), ("rig:ctrl", "slip-helper"),
        ("buoy_placeholder", "slip-placeholder"), ("proxy-chain", "slip-placeholder"),
        ("gantry", ""), ("ground", ""), ("controlled_valve", ""), ("icon", "slip-helper"), ("gridiron", ""),
    ],
)  # fmt: skip
def test_helpers_and_placeholders_are_told_by_the_names_of_what_is_seen(name, code):
    place = (slice(20, 60), slice(30, 90), 1.0)
    found = check_slips({1: told_of(1, moving(1), {name: place})}, where="TW010")
    assert [finding.code for finding in found] == ([code] if code else [])
    hidden = told_of(1, moving(1), {name: (slice(0, 1), slice(0, 1), 0.1), "ground": place})
    assert codes({1: hidden}) == [], "what is listed and hardly seen slipped into no picture"


def test_a_flat_colour_that_nobody_chooses_is_a_placeholder_and_paint_is_not():
    place = (slice(20, 80), slice(30, 130), 1.0)
    for colour, is_odd in (((1, 0, 1), True), ((0.5, 0.5, 0.5), True), ((0.55, 0.045, 0.035), False)):
        albedo = np.zeros((HIGH, WIDE, 3), np.float32)
        albedo[20:80, 30:130] = colour
        told = {1: told_of(1, moving(1), {"buoy_red": place}, albedo)}
        assert codes(told) == (["slip-placeholder"] if is_odd else []), colour
    albedo[20:80, 30:130] = 0.5 + 0.02 * np.random.default_rng(1).random((60, 100, 1))
    assert codes({1: told_of(1, moving(1), {"buoy_red": place}, albedo)}) == []


def test_only_frames_that_are_looked_at_tell_and_odd_passes_are_no_trouble():
    assert tell_slips([BEAUTY], {}, Moment(), is_looked_at=False) == {}
    assert tell_slips([BEAUTY, MATTE], {}, Moment(), is_looked_at=True) == {}
    tiny = {ref: np.zeros((4, 4), np.float16) for ref in BEAUTY.channels}
    assert tell_slips([BEAUTY], tiny, Moment(), is_looked_at=True)["beauty"]["edges"]["at"] == []
