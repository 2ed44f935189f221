"""The picture that is the sum of others is the beauty, and they are its parts, whatever they are called."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from makers import write_plain
from scipy.optimize import nnls

from drawstring.core.arrivals import scan
from drawstring.core.eyes.proposal import propose
from drawstring.core.passes import Role, entry
from drawstring.core.passes.sums import nearest_shares, sum_among

H, W = 54, 96


def light(seed: int) -> np.ndarray:
    rng = np.random.default_rng(seed)
    return (rng.random((H, W, 3)) ** 3 * rng.random((H, W, 1))).astype(np.float32)


def half(picture: np.ndarray) -> np.ndarray:
    return picture.astype(np.float16).astype(np.float32)


@settings(deadline=None, max_examples=20)
@given(st.integers(2, 9), st.integers(0, 3), st.integers(0, 10_000))
def test_any_sum_of_lights_is_found_among_strangers(parts, strangers, seed):
    pictures = {f"p{i}": half(light(seed + i).reshape(-1, 3)) for i in range(parts)}
    pictures["w"] = half(sum(pictures.values()))
    pictures |= {f"s{i}": half(light(seed + 50 + i).reshape(-1, 3)) for i in range(strangers)}
    found = sum_among(pictures)
    assert found.whole == "w" and set(found.parts) == {f"p{i}" for i in range(parts)}
    assert found.explained == 1
    del pictures["w"]
    assert sum_among(pictures) is None, "strangers add up to nothing"


@settings(deadline=None, max_examples=60)
@given(st.integers(0, 10_000), st.integers(2, 12), st.sampled_from([0, 1e-9, 1e-5, 1e-3, 1e-1, 3]))
def test_the_quick_way_to_shares_gives_what_the_long_way_does(seed, columns, apart):
    rng = np.random.default_rng(seed)
    system = rng.random((400, columns)) ** 4 * 10.0 ** rng.integers(-4, 4, columns)
    # Two columns that are nearly or wholly the same; a whole that is nearly or wholly a sum.
    system[:, 1] = system[:, 0] * (1 + apart * rng.random(400))
    whole = system[:, rng.random(columns) < 0.6].sum(axis=1)
    whole = whole * (1 + apart * rng.standard_normal(400)) + 1e-3 * rng.random(400) * apart
    shares, distance = nearest_shares(system, whole)
    expected, far = nnls(system, whole)
    scale = np.linalg.norm(whole) or 1.0
    assert shares.min() >= 0 and abs(distance - far) <= 1e-7 * scale
    assert abs(np.linalg.norm(system @ shares - whole) - far) <= 1e-7 * scale
    if 0.1 <= apart:  # columns that are the same share as they like
        np.testing.assert_allclose(shares, expected, rtol=1e-5, atol=1e-7 * shares.max())


def delivery(folder, names: dict[str, np.ndarray], *, loose: bool):
    folder.mkdir()
    for number in (1, 2):
        if loose:
            for name, picture in names.items():
                write_plain(folder / f"TW800_{name}.{number:04d}.exr", {"RGB": np.float16(picture)})
        else:
            said = {
                f"{name}.{c}": np.float16(p[..., i]) for name, p in names.items() for i, c in enumerate("RGB")
            }
            write_plain(folder / f"TW800.{number:04d}.exr", said)
    return scan(str(folder), roots=[str(folder)]).candidates


@pytest.mark.parametrize("loose", [True, False])
def test_parts_and_sum_are_told_in_one_file_and_in_a_file_for_each(tmp_path, loose):
    parts = {"qx1": light(1), "qx2": light(2), "qx3": light(3)}
    (one,) = delivery(tmp_path / "a", parts | {"zz": sum(parts.values())}, loose=loose)
    by_layer = {each.layer: each for each in one.passes}
    assert by_layer["zz"].role is Role.BEAUTY and by_layer["zz"].name == "beauty"
    assert "it is the sum of qx1, qx2, qx3" in by_layer["zz"].reason
    assert {by_layer[name].role for name in parts} == {Role.LIGHT_GROUP}
    assert "parts-short" not in {f.code for f in one.findings}


def test_a_missing_light_shows_and_a_sum_in_disguise_is_seen_through(tmp_path):
    lamps = {"lamp_a": light(1), "lamp_b": light(2), "lamp_c": light(3)}
    whole = sum(lamps.values())
    del lamps["lamp_b"]
    (one,) = delivery(tmp_path / "a", lamps | {"zz": whole}, loose=False)
    (told,) = [f for f in one.findings if f.code == "parts-short"]
    assert "explain 6" in told.what or "explain 7" in told.what
    # Called beauty, and only a part of the sum that bears another name.
    parts = {"beauty": light(4), "haze": light(5)}
    (other,) = delivery(tmp_path / "b", parts | {"comp": sum(parts.values())}, loose=False)
    assert {each.layer: each.role for each in other.passes}["comp"] is Role.BEAUTY
    assert {each.layer: each.role for each in other.passes}["beauty"] is Role.LIGHT_GROUP


def test_light_times_colour_adds_up_and_names_that_people_gave_stand(tmp_path):
    colour, fall, shine = np.random.default_rng(1).random((H, W, 3), np.float32), light(7), light(8)
    names = {"k1": fall, "k2": colour, "k3": shine, "k4": fall * colour + shine}
    (one,) = delivery(tmp_path / "a", names, loose=False)
    whole = next(each for each in one.passes if each.layer == "k4")
    assert whole.role is Role.BEAUTY and "k1 x k2" in whole.reason
    said = [entry("whole name", "k4", "plate")]
    (again,) = scan(str(tmp_path / "a"), roots=[str(tmp_path)], dictionary=said).candidates
    assert next(each for each in again.passes if each.layer == "k4").role is Role.PLATE


def test_plain_colour_beside_hashed_names_is_the_beauty_whatever_the_file_is_called(tmp_path):
    ids = np.random.default_rng(3).choice(np.float32([1.2e12, -3e-20, 4.5e3, 7e30]), (H, W))
    cover = np.ones((H, W), np.float32)
    names = {"CryptoObject00.R": ids, "CryptoObject00.G": cover, "CryptoObject00.B": cover * 0,
             "CryptoObject00.A": cover * 0}  # fmt: skip
    rgba = np.concatenate([light(3), np.ones((H, W, 1), np.float32)], axis=-1)
    for number in (1, 2):
        write_plain(tmp_path / f"TW810_cryptomatte_v001.{number:04d}.exr", {"RGBA": rgba, **names})
    (one,) = scan(str(tmp_path), roots=[str(tmp_path)]).candidates
    assert {each.role for each in one.passes} == {Role.BEAUTY, Role.OBJECT_MATTE}


def charts():
    y, x = np.mgrid[:540, :960]
    yield "bars", (x // 120) % 2 * 0.7 + 0.1
    yield "checkers", ((x // 60 + y // 60) % 2) * 0.8
    yield "grid", ((x % 96 < 4) | (y % 54 < 4)) * 1.0
    yield "patches", 0.1 + 0.11 * ((x // 160) % 2 + 2 * ((y // 135) % 2))
    small = np.random.default_rng(1).random((27, 48))
    yield "small", np.concatenate([small, small], axis=1)


@pytest.mark.parametrize(("name", "chart"), list(charts()), ids=[name for name, _ in charts()])
def test_test_charts_are_no_packed_eyes(name, chart):
    assert propose(np.float32(chart)).packing is None
