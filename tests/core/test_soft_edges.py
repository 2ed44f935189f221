"""Colours of soft edges come out as they went in, whatever file they came in."""

from dataclasses import replace

import cv2
import numpy as np
import OpenImageIO as oiio
import pytest
import tifffile
from makers import as_read, write_plain

from drawstring.core.arrivals import scan
from drawstring.core.io.frame import read_frame
from drawstring.core.recipe import Recipe, change


def to_srgb(linear: np.ndarray) -> np.ndarray:
    """IEC 61966-2-1."""
    return np.where(
        linear <= 0.0031308, 12.92 * linear, 1.055 * np.maximum(linear, 1e-9) ** (1 / 2.4) - 0.055
    )


@pytest.fixture
def soft() -> np.ndarray:
    """A buoy with a soft rim: straight linear colour and alpha, 0 to 1."""
    y, x = np.mgrid[:64, :96]
    alpha = np.clip((30 - np.hypot(y - 32, x - 48)) / 12, 0, 1).astype(np.float32)
    colour = np.stack([0.8 - x / 300, 0.05 + y / 200, 0.3 + 0 * x], axis=-1).astype(np.float32)
    return np.concatenate([colour, alpha[..., None]], axis=-1)


def codes(soft: np.ndarray, kind: type, *, multiplied: bool) -> np.ndarray:
    """Encode as a program that writes display pictures does: multiplied in codes, if at all."""
    top = np.iinfo(kind).max
    encoded = to_srgb(soft[..., :3].astype(np.float64))
    encoded = encoded * soft[..., 3:] if multiplied else encoded
    return np.round(np.concatenate([encoded, soft[..., 3:]], axis=-1) * top).astype(kind)


def write(path, soft, kind, multiplied):
    data = codes(soft, kind, multiplied=multiplied)
    if path.suffix == ".png":
        cv2.imwrite(str(path), data[..., [2, 1, 0, 3]])
    else:
        extra = "assocalpha" if multiplied else "unassalpha"
        tifffile.imwrite(path, data, photometric="rgb", extrasamples=[extra], compression="zlib")


CASES = [
    (ending, kind, multiplied)
    for ending in (".png", ".tif") for kind in (np.uint8, np.uint16) for multiplied in (False, True)
    if not (ending == ".png" and multiplied)  # the format knows straight colours only
]  # fmt: skip


@pytest.mark.parametrize(("ending", "kind", "multiplied"), CASES)
@pytest.mark.parametrize("alpha_knot", ["yes", "no"])
def test_straight_and_premultiplied_files_equal_the_float_original(
    tmp_path, soft, ending, kind, multiplied, alpha_knot
):
    write(tmp_path / f"buoy.0001{ending}", soft, kind, multiplied)
    (candidate,) = scan(str(tmp_path), roots=[str(tmp_path)]).candidates
    (one,) = candidate.passes
    assert one.is_straight is not multiplied and one.space == "sRGB display"
    facts = candidate.members[0].facts
    file = replace(facts, path=candidate.members[0].frames[0].path)
    pixels = read_frame({0: file}, one.channels, window=facts.window)
    got = as_read(one, pixels, change(Recipe(), {"alpha.needed": alpha_knot}, scene_unit="m"))
    truth = np.concatenate([soft[..., :3] * soft[..., 3:], soft[..., 3:]], axis=-1)
    # A code of colour, bent by the curve (slope up to 2.3) and, where multiplied, divided by alpha.
    step = 2.5 / np.iinfo(kind).max
    np.testing.assert_allclose(got, truth, atol=step)
    seen = truth[..., 3] > 0
    assert np.abs(got - truth)[seen].mean() < step / 4


def test_what_people_say_goes_before_what_the_format_says(tmp_path, soft):
    """A PNG whose writer multiplied all the same is read as what it is once somebody says so."""
    data = codes(soft, np.uint16, multiplied=True)
    cv2.imwrite(str(tmp_path / "buoy.0001.png"), data[..., [2, 1, 0, 3]])
    (candidate,) = scan(str(tmp_path), roots=[str(tmp_path)]).candidates
    one, facts = candidate.passes[0], candidate.members[0].facts
    file = replace(facts, path=candidate.members[0].frames[0].path)
    pixels = read_frame({0: file}, one.channels, window=facts.window)
    said = change(Recipe(), {f"alpha.kinds.{one.name}": "premultiplied"}, scene_unit="m")
    got = as_read(one, pixels, said)
    truth = np.concatenate([soft[..., :3] * soft[..., 3:], soft[..., 3:]], axis=-1)
    np.testing.assert_allclose(got, truth, atol=3 / 65535)


def test_linear_float_with_alpha_stays_the_same_object(tmp_path, soft):
    premultiplied = soft.copy()
    premultiplied[..., :3] *= soft[..., 3:]
    write_plain(tmp_path / "buoy.0001.exr", {"RGBA": premultiplied})
    spec = oiio.ImageSpec(96, 64, 4, "float")
    out = oiio.ImageOutput.create(str(tmp_path / "float.0001.tif"))
    out.open(str(tmp_path / "float.0001.tif"), spec)
    out.write_image(premultiplied)
    out.close()
    for candidate in scan(str(tmp_path), roots=[str(tmp_path)]).candidates:
        for one in candidate.passes:
            member = candidate.members[one.channels[0].source]
            file = replace(member.facts, path=member.frames[0].path)
            refs = [ref._replace(source=0) for ref in one.channels]
            plain = replace(one, channels=tuple(refs))
            pixels = read_frame({0: file}, refs, window=member.facts.window)
            np.testing.assert_array_equal(as_read(plain, pixels, Recipe()), premultiplied)
