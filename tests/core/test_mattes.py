"""Mattes: the specification read by a decoder of the tests' own, coded pictures, clean-up, drawings."""

import json
import struct

import mmh3
import numpy as np
import OpenEXR
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st
from makers import write_plain
from scipy.ndimage import map_coordinates

from drawstring.core.alpha.cleanup import curve, filled, grown, softened, without_specks
from drawstring.core.alpha.coded import coloured, numbered, whole_numbers
from drawstring.core.camera import Place
from drawstring.core.drawn import painted, read_stroke, stroke_matte
from drawstring.core.errors import SettingError
from drawstring.core.io.facts import Window
from drawstring.core.io.headers import read_facts
from drawstring.core.passes.hashed import (
    bare_name,
    bits_of,
    chosen,
    coverage_of,
    coverage_of_all,
    name_bits,
    name_set_of,
    name_sets,
    ranked_channels,
    shares_of,
)
from drawstring.core.passes.recombining import recombined

THINGS = ["buoy_red", "buoy_green", "chain", "shed", "apron", "lamp", "gantry"]


def decoded(path, thing: str, layers: str = "CryptoObject") -> np.ndarray:
    """Read a matte as the specification says, by nothing but the format's library and struct."""
    with OpenEXR.File(str(path), separate_channels=True) as file:
        header, channels = dict(file.header()), {n: c.pixels for n, c in file.channels().items()}
    key = next(k.split("/")[1] for k, v in header.items() if k.endswith("/name") and v == layers)
    manifest = json.loads(header[f"cryptomatte/{key}/manifest"])
    value = struct.unpack("<f", struct.pack("<I", int(manifest[thing], 16)))[0]
    total, rank = 0, 0
    while f"{layers}{rank:02d}.R" in channels:
        for name, share in (("R", "G"), ("B", "A")):
            ids, covers = channels[f"{layers}{rank:02d}.{name}"], channels[f"{layers}{rank:02d}.{share}"]
            total = total + np.where(ids == np.float32(value), covers, np.float32(0))
        rank += 1
    return total


@pytest.fixture
def coverages():
    """Shares of seven things that add up to one at most, exact in float32."""
    rng = np.random.default_rng(4)
    parts = rng.integers(0, 60, (len(THINGS) + 1, 24, 32)) * (rng.random((len(THINGS) + 1, 24, 32)) < 0.4)
    parts[-1] += 1
    shares = (parts / parts.sum(axis=0)).astype(np.float32)
    return dict(zip(THINGS, shares[:-1], strict=True))


def test_names_are_hashed_as_the_specification_says():
    # Its own examples' numbers, and floats that are never denormal, infinite or NaN.
    assert f"{name_bits('hello'):08x}" == "248bfa47"
    for i in range(4000):
        bits = name_bits(f"thing_{i}")
        assert bits >> 23 & 255 not in (0, 255)
        plain = mmh3.hash(f"thing_{i}", 0, signed=False)
        assert bits in (plain, plain ^ 1 << 23)


def test_ranked_channels_hold_exact_coverage_for_another_decoder(coverages, tmp_path):
    channels, header = ranked_channels("CryptoObject", coverages, ranks=8)
    path = write_plain(tmp_path / "names.exr", channels, **header)
    planes = [channels[f"CryptoObject{r:02d}.{c}"] for r in range(4) for c in "RGBA"]
    for thing in THINGS:
        np.testing.assert_array_equal(decoded(path, thing), coverages[thing])
        np.testing.assert_array_equal(coverage_of(thing, planes), coverages[thing])
    together = coverage_of_all(THINGS, planes)
    np.testing.assert_allclose(together, sum(coverages.values()), atol=2e-7)
    for rank in range(7):
        assert (planes[2 * rank + 1] >= planes[2 * rank + 3]).all(), "the most covering first"
    shares = shares_of(planes)
    assert shares[name_bits("chain")] == pytest.approx(coverages["chain"].mean(), rel=1e-6)
    assert list(shares.values()) == sorted(shares.values(), reverse=True)


def test_too_few_ranks_keep_what_covers_most(coverages):
    channels, _ = ranked_channels("CryptoObject", coverages, ranks=2)
    planes = [channels[f"CryptoObject00.{c}"] for c in "RGBA"]
    whole = np.stack(list(coverages.values()))
    np.testing.assert_array_equal(planes[1], whole.max(axis=0))
    assert (coverage_of_all(THINGS, planes) < whole.sum(axis=0) - 0.01).any()


def test_several_sets_and_a_manifest_beside_the_picture_are_read(coverages, tmp_path):
    channels, header = ranked_channels("CryptoObject", coverages)
    more, said = ranked_channels("CryptoAsset", {"buoy": coverages["buoy_red"] + coverages["buoy_green"]})
    key = next(k for k in said if k.endswith("/manifest"))
    (tmp_path / "sidecar").mkdir()
    (tmp_path / "sidecar" / "assets.json").write_text(said.pop(key))
    said[key.replace("manifest", "manif_file")] = "sidecar/assets.json"
    path = write_plain(tmp_path / "two.exr", channels | more, **header, **said)
    metadata = read_facts(str(path)).parts[0].metadata
    objects, assets = (name_set_of(name, metadata) for name in ("CryptoObject", "CryptoAsset"))
    assert sorted(objects.names) == sorted(THINGS) and dict(assets.names) == {"buoy": name_bits("buoy")}
    assert not objects.fault and not assets.fault and len(name_sets(metadata)) == 2
    # Nothing outside the picture's folder is read.
    said[key.replace("manifest", "manif_file")] = "../../etc/passwd"
    away = write_plain(tmp_path / "away.exr", more, **said)
    assert "is not there" in name_set_of("CryptoAsset", read_facts(str(away)).parts[0].metadata).fault


def test_a_manifest_that_lies_or_is_broken_is_told():
    header = {"cryptomatte/1234567/name": "CryptoObject"}
    lie = {**header, "cryptomatte/1234567/manifest": json.dumps({"chain": f"{name_bits('shed'):08x}"})}
    assert name_set_of("CryptoObject", lie).lying == ["chain"]
    assert (
        "can't be read" in name_set_of("CryptoObject", {**header, "cryptomatte/1234567/manifest": "{"}).fault
    )
    assert "no manifest" in name_set_of("CryptoObject", header).fault


@pytest.mark.parametrize(
    ("patterns", "taken"),
    [
        (["buoy_*"], {"buoy_red", "buoy_green"}),
        (["*", "-buoy_*"], {"chain", "shed", "apron", "lamp", "gantry"}),
        (["-chain", "chain"], {"chain"}),
        (["?hed", "l[ab]mp"], {"shed", "lamp"}),
        (["buoy_blue"], {"buoy_blue"}),
        (["nothing_*"], set()),
    ],
)
def test_wildcards_choose_names_in_their_order(patterns, taken):
    assert set(chosen(THINGS, patterns)) == taken


def test_a_thing_without_a_name_is_called_by_its_bits():
    assert bits_of(bare_name(name_bits("chain"))) == name_bits("chain")


def test_numbers_and_flat_colours_give_mattes_and_their_rims_true_coverage():
    plane = np.float32([[0, 3, 7], [3, 3, 0]])
    np.testing.assert_array_equal(numbered(plane, [3, 7]), [[0, 1, 1], [1, 1, 0]])
    np.testing.assert_array_equal(whole_numbers(plane / np.float32(65535)), plane)
    # Three flat colours, anti-aliased: coverage is known.
    y, x = np.mgrid[:60, :80]
    edge = np.clip(30.35 + 0.4 * x - y, 0, 1)[..., None]
    colours = np.float32([[1, 0, 0], [0, 0.5, 1], [0.2, 0.9, 0.1]])
    below = np.where((x < 40)[..., None], colours[1], colours[2])
    picture = (edge * colours[0] + (1 - edge) * below).astype(np.float32)
    matte = coloured(picture, [(1, 0, 0)], 0.02)
    away = np.abs(x - 40) > 3  # where three colours meet, two can't tell
    np.testing.assert_allclose(matte[away], edge[..., 0][away], atol=0.01)
    # Compression noise within the tolerance changes nothing flat.
    noisy = picture + np.random.default_rng(1).uniform(-0.02, 0.02, picture.shape).astype(np.float32)
    rough = coloured(noisy, [(1, 0, 0)], 0.08)
    assert np.abs(rough - edge[..., 0])[away].mean() < 0.01


@given(st.floats(-3, 3), st.floats(0.2, 0.8))
def test_a_straight_rim_moves_by_just_as_much_as_it_is_grown(px, begin):
    rim = np.clip(20 + begin - np.arange(48, dtype=np.float32), 0, 1)
    matte = np.repeat(rim[None], 9, axis=0)
    assert (grown(matte, px)[4].sum() - matte[4].sum()) == pytest.approx(px, abs=0.02)


@given(st.floats(0, 0.45), st.floats(0.55, 1), st.floats(0.3, 3), st.floats(0, 1, width=32))
def test_the_curve_is_its_closed_form(low, high, gamma, value):
    assume(abs(value - low) > 1e-4)  # where the root is steep, one step of float32 is much
    wanted = min(max((value - low) / (high - low), 0), 1) ** (1 / gamma)
    assert float(curve(np.float32([value]), low=low, high=high, gamma=gamma)[0]) == pytest.approx(
        wanted, abs=2e-5
    )


def test_holes_are_filled_specks_dropped_and_what_is_larger_stays():
    matte = np.zeros((60, 80), np.float32)
    matte[10:50, 10:50] = 1
    matte[20:23, 20:23] = 0  # 9 px: a hole
    matte[30:40, 30:40] = 0  # 100 px: larger
    matte[5:7, 70:72] = 1  # 4 px: a speck
    matte[50:60, 60:80] = 1
    clean = without_specks(filled(matte, 20), 20)
    assert clean[21, 21] == 1 and clean[35, 35] == 0 and clean[5, 70] == 0 and clean[55, 70] == 1
    np.testing.assert_array_equal(filled(matte, 0), matte)
    assert softened(matte, 8).sum() == pytest.approx(matte.sum(), rel=0.03)


def place(step: int = 1) -> Place:
    window = Window(10, 20, 10 + 160 - 1, 20 + 90 - 1)
    return Place(window, window, step)


def test_a_stroke_covers_what_it_touches_at_every_size():
    stroke = read_stroke("keep r=12 soft=0.5: 50,60 110,60", "x", ["keep"])
    assert read_stroke(stroke.typed(), "x", ["keep"]) == stroke
    matte = stroke_matte(stroke, place(), (90, 160))
    y, x = np.mgrid[:90, :160] + 0.5
    away = np.hypot(np.maximum(np.maximum(40 - x, x - 100), 0), y - 40)
    t = np.clip((away - 6) / 6, 0, 1)
    np.testing.assert_allclose(matte, 1 - t * t * (3 - 2 * t), atol=1e-5)
    half = stroke_matte(stroke, place(2), (45, 80))
    assert half.sum() * 4 == pytest.approx(matte.sum(), rel=0.02)
    hard = stroke_matte(read_stroke("keep r=12 soft=0: 90,60", "x", ["keep"]), place(), (90, 160))
    assert hard.sum() == pytest.approx(np.pi * 12**2, rel=0.1)


@pytest.mark.parametrize(("right", "down", "turn"), [(0.5, 0, 0), (-3.25, 2.75, 0), (1.4, -0.6, 0.1)])
def test_ranked_names_go_through_geometry_as_their_coverages_would(coverages, right, down, turn):
    channels, _ = ranked_channels("CryptoObject", coverages, ranks=8)
    ranks = [channels[f"CryptoObject{i // 2:02d}.{'RGBA'[i % 2 * 2 + k]}"] for i in range(8) for k in (0, 1)]
    row, col = np.mgrid[:24, :32].astype(np.float64)
    x, y = col * np.cos(turn) - row * np.sin(turn) + right, col * np.sin(turn) + row * np.cos(turn) + down
    moved = recombined(ranks, x, y)
    for thing, share in coverages.items():
        # Another library's linear sampling of the one thing's coverage.
        wanted = map_coordinates(np.pad(share, 1), [y + 1, x + 1], order=1, cval=0)
        np.testing.assert_allclose(coverage_of(thing, moved), wanted, atol=2e-6)
    shares = np.stack(moved[1::2])
    assert (np.diff(shares, axis=0) <= 1e-7).all(), "the larger come first"
    names = np.stack(moved[0::2]).view(np.uint32)
    assert set(np.unique(names)) <= {0, *(name_bits(thing) for thing in THINGS)}
    # With fewer ranks the largest stay, and no name is invented.
    few = recombined(ranks[:4], x, y)
    assert len(few) == 4 and set(np.unique(few[0].view(np.uint32))) <= set(np.unique(names))


def test_strokes_are_painted_in_order_and_only_in_their_frame():
    strokes = [read_stroke(t, "x", ["add", "take_away"]) for t in (
        "add r=20 soft=0: 80,60", "take away r=8 soft=0: 80,60", "add r=5 soft=0 at=7: 150,60",
    )]  # fmt: skip
    now, later = (
        painted(strokes, place(), (90, 160), frame=f, raises="add", lowers="take_away") for f in (6, 7)
    )
    assert now[40, 70] == 0 and now[40, 55] == 1 and now[40, 140] == 0 and later[40, 140] == 1


@pytest.mark.parametrize(
    "typed", ["", "keep r=20: 1,2", "wipe r=2 soft=0: 1,2", "keep r=0 soft=0: 1,2", "keep r=5 soft=2: 1,2",
              "keep r=5 soft=0: 1,2,3", "keep r=5 soft=0: a,b"],
)  # fmt: skip
def test_what_is_no_stroke_is_refused_in_words(typed):
    with pytest.raises(SettingError, match="is no stroke") as refusal:
        read_stroke(typed, "alpha.shadow.strokes", ["keep", "clear"])
    assert "Paint on the picture" in refusal.value.remedy
