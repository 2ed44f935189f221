"""Files in and out: every kind read to the last bit, every torn one refused, nothing overwritten."""

import errno
import os

import numpy as np
import OpenEXR
import OpenImageIO as oiio
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from makers import write_plain

from drawstring.core.errors import ConflictError, MissingError, OutputError, SourceError
from drawstring.core.io import ChannelRef, Window, group, read_channels, read_facts, write_exr
from drawstring.core.io.chunks import walk
from drawstring.core.io.facts import differences

RNG = np.random.default_rng(7)
H, W = 70, 53
PLANES = {
    "R": RNG.normal(size=(H, W)).astype(np.float16),
    "Z": np.where(RNG.random((H, W)) < 0.1, np.inf, RNG.gamma(2, 9, (H, W))).astype(np.float32),
    "id": RNG.integers(0, 2**32, (H, W), dtype=np.uint32),
    "layer.X": RNG.normal(size=(H, W)).astype(np.float32),
    "layer.Y": np.full((H, W), np.nan, np.float32),
}
WINDOWS = {
    "dataWindow": (np.array([-5, 11], np.int32), np.array([-5 + W - 1, 11 + H - 1], np.int32)),
    "displayWindow": (np.array([0, 0], np.int32), np.array([99, 79], np.int32)),
}


def same_bits(a: np.ndarray, b: np.ndarray) -> bool:
    return a.dtype == b.dtype and np.array_equal(a, b, equal_nan=a.dtype.kind == "f")


@pytest.mark.parametrize("compression", ["NO", "RLE", "ZIPS", "ZIP", "PIZ"])
@pytest.mark.parametrize("wanted", [["Z"], ["R", "id"], list(PLANES)])
def test_chosen_channels_come_exactly_as_stored(tmp_path, compression, wanted):
    path = write_plain(
        tmp_path / "a.exr", PLANES, **WINDOWS, compression=getattr(OpenEXR, f"{compression}_COMPRESSION")
    )
    facts = read_facts(str(path))
    part = facts.parts[0]
    assert (part.data_window, part.display_window) == (Window(-5, 11, 47, 80), Window(0, 0, 99, 79))
    assert {c.name: c.pixel_type for c in part.channels} == {
        "R": "half", "Z": "float", "id": "uint", "layer.X": "float", "layer.Y": "float",
    }  # fmt: skip
    read = read_channels(str(path), [ChannelRef(0, name) for name in wanted])
    assert {ref.name for ref in read} == set(wanted)
    assert all(same_bits(plane, PLANES[ref.name]) for ref, plane in read.items())


def test_tiled_files_and_later_parts_are_read_like_any_other(tmp_path):
    spec = oiio.ImageSpec(W, H, 3, "half")
    spec.tile_width = spec.tile_height = 16
    tiled, picture = str(tmp_path / "tiled.exr"), RNG.random((H, W, 3)).astype(np.float16)
    out = oiio.ImageOutput.create(tiled)
    assert out.open(tiled, spec) and out.write_image(picture) and out.close()
    facts = read_facts(tiled)
    assert facts.parts[0].storage == "tiled"
    read = read_channels(tiled, [ChannelRef(0, "G")])
    assert same_bits(read[ChannelRef(0, "G")], picture[..., 1])

    parts = [
        OpenEXR.Part({"type": OpenEXR.scanlineimage, "view": "left"}, {"R": PLANES["R"]}, "left"),
        OpenEXR.Part(
            {"type": OpenEXR.scanlineimage, "view": "right"},
            {"R": PLANES["R"] * 2, "Z": PLANES["Z"]},
            "right",
        ),
    ]
    several = str(tmp_path / "several.exr")
    with OpenEXR.File(parts) as file:
        file.write(several)
    assert [part.view for part in read_facts(several).parts] == ["left", "right"]
    read = read_channels(several, [ChannelRef(0, "R"), ChannelRef(1, "Z"), ChannelRef(1, "R")])
    assert same_bits(read[ChannelRef(1, "Z")], PLANES["Z"])
    assert same_bits(read[ChannelRef(1, "R")], (PLANES["R"] * 2).astype(np.float16))


@pytest.fixture(scope="module")
def whole(tmp_path_factory):
    return write_plain(tmp_path_factory.mktemp("whole") / "whole.exr", PLANES).read_bytes()


@settings(max_examples=60)
@given(share=st.floats(0, 0.9999))
def test_a_file_cut_anywhere_is_never_taken_for_whole(whole, tmp_path_factory, share):
    path = tmp_path_factory.getbasetemp() / "cut.exr"
    path.write_bytes(whole[: int(len(whole) * share)])
    with pytest.raises(SourceError) as refused:
        read_facts(str(path))
    assert "cut.exr" in refused.value.what and refused.value.remedy


def test_a_render_that_died_while_writing_is_told_from_a_cut_copy(whole, tmp_path):
    path = tmp_path / "died.exr"
    table = read_table_start(whole)
    path.write_bytes(whole[: table + 16] + b"\0" * 24 + whole[table + 40 :])
    assert "was never finished" in walk(str(path)).fault


def read_table_start(data: bytes) -> int:
    """Find the chunk table by brute force: eight bytes that point at where the table ends."""
    for at in range(8, len(data) - 8):
        first = int.from_bytes(data[at : at + 8], "little")
        if first - at == -(-H // 16) * 8:
            return at
    raise AssertionError("no table")


def test_deep_files_and_strangers_are_refused_in_words(tmp_path):
    path = str(tmp_path / "deep.exr")
    spec = oiio.ImageSpec(4, 3, 2, "float")
    spec.channelnames, spec.deep = ("A", "Z"), True
    data = oiio.DeepData()
    data.init(spec)
    for pixel in range(12):
        data.set_samples(pixel, 1)
    out = oiio.ImageOutput.create(path)
    assert out.open(path, spec) and out.write_deep_image(data) and out.close()
    with pytest.raises(SourceError, match="deep data"):
        read_facts(path)
    other = tmp_path / "other.exr"
    other.write_text("not a picture")
    with pytest.raises(SourceError, match="is not an OpenEXR file"):
        read_facts(str(other))
    with pytest.raises(SourceError, match="can't be opened"):
        read_facts(str(tmp_path / "gone.exr"))
    good = write_plain(tmp_path / "good.exr", {"Z": PLANES["Z"]})
    with pytest.raises(MissingError, match="has no channel Y"):
        read_channels(str(good), [ChannelRef(0, "Y")])


def test_how_a_frame_differs_is_said_in_words(tmp_path):
    usual = read_facts(str(write_plain(tmp_path / "a.exr", PLANES)))
    odd = read_facts(str(write_plain(tmp_path / "b.exr", {"R": PLANES["Z"], "Z": PLANES["Z"]}, **WINDOWS)))
    said = " ".join(differences(odd, usual))
    assert "data window is 53 x 70 from -5, 11 instead of 53 x 70 from 0, 0" in said
    assert "R is float instead of half" in said and "has no id, layer.X, layer.Y" in said


def test_writing_gives_back_what_was_written_and_never_overwrites(tmp_path):
    path = str(tmp_path / "out.exr")
    window, display = Window(-5, 11, 47, 80), Window(0, 0, 99, 79)
    said = {"drawstring.shot": "TW010", "near": 1.5, "worldToCamera": list(np.eye(4).ravel())}
    write_exr(path, PLANES, compression="zip", data_window=window, display_window=display, metadata=said)
    facts = read_facts(path)
    assert (facts.parts[0].data_window, facts.parts[0].metadata["near"]) == (window, 1.5)
    back = OpenEXR.File(path, separate_channels=True).channels()
    assert all(same_bits(back[name].pixels, plane) for name, plane in PLANES.items())
    before = os.stat(path)
    with pytest.raises(ConflictError, match="is there already"):
        write_exr(
            path, {"R": PLANES["R"] * 0}, compression="none", data_window=window, display_window=display
        )
    assert os.stat(path).st_mtime_ns == before.st_mtime_ns
    assert os.listdir(tmp_path) == ["out.exr"]


@pytest.mark.parametrize(
    ("code", "words"), [(errno.ENOSPC, "The disk is full"), (errno.EACCES, "may not be written")]
)
def test_a_failed_write_leaves_nothing_behind_and_says_why(tmp_path, monkeypatch, code, words):
    def fail(_):
        raise OSError(code, os.strerror(code))

    monkeypatch.setattr(os, "fsync", fail)
    window = Window(0, 0, W - 1, H - 1)
    with pytest.raises(OutputError, match=words):
        write_exr(
            str(tmp_path / "a.exr"), PLANES, compression="zip", data_window=window, display_window=window
        )
    assert os.listdir(tmp_path) == []


@given(
    numbers=st.sets(st.integers(0, 9_000), min_size=1, max_size=30),
    padding=st.integers(1, 6),
    base=st.sampled_from(["fog.", "TW010_main_v003.", "a b_", "2024-lamp."]),
)
def test_grouping_finds_every_frame_whatever_the_padding(numbers, padding, base):
    sequences = group([f"x/{base}{number:0{padding}d}.exr" for number in sorted(numbers)])
    assert len(sequences) == 1
    found = sequences[0]
    assert [number for number, _ in found.files] == sorted(numbers)
    assert set(found.missing) == set(range(min(numbers), max(numbers) + 1)) - numbers
    assert found.base == base and not found.duplicates


def test_namesakes_with_other_padding_are_duplicates_and_versions_are_no_frames():
    (found,) = group(["s/a.0099.exr", "s/a.0100.exr", "s/a.100.exr"])
    assert found.duplicates == ((100, "s/a.100.exr"),)
    stills = group(["s/lamp_v003.exr", "s/lamp_v004.exr"])
    assert [still.is_still for still in stills] == [True, True]
