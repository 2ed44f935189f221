"""What is packed as PIZ here, as the library and a second reader unpack it: every bit, in as few bytes."""

import os

import numpy as np
import OpenEXR
import OpenImageIO as oiio
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from drawstring.core.io.facts import Window
from drawstring.core.io.piz import put_symbols
from drawstring.core.io.taking_over import put_with_taken
from drawstring.core.io.writing import PartToWrite, put_parts

SIZE, VALUES = st.integers(1, 90), st.sampled_from([1, 2, 3, 90, 5000, 60_000])
TYPES = {"half": np.float16, "float": np.float32, "uint": np.uint32}


def packed(path, planes) -> int:
    """Pack planes; give the file's size once it was read as they are by both."""
    height, width = next(iter(planes.values())).shape
    window = Window(-3, 5, width - 4, height + 4)
    part = PartToWrite(planes, "piz", window)
    put_with_taken(str(path), [part], display_window=window)
    with OpenEXR.File(str(path), separate_channels=True) as file:
        assert file.parts[0].header["compression"] == OpenEXR.PIZ_COMPRESSION
        for name, plane in planes.items():
            assert file.channels()[name].pixels.tobytes() == plane.tobytes(), name
    source = oiio.ImageInput.open(str(path))
    names = source.spec().channelnames
    for kind, dtype in TYPES.items():
        if any(plane.dtype == dtype for plane in planes.values()):
            seen = source.read_image(0, 0, 0, len(names), kind)
            for i, name in enumerate(names):
                assert planes[name].dtype != dtype or seen[..., i].tobytes() == planes[name].tobytes(), name
    source.close()
    return os.path.getsize(path)


def size_by_library(path, planes) -> int:
    height, width = next(iter(planes.values())).shape
    window = Window(-3, 5, width - 4, height + 4)
    put_parts(str(path), [PartToWrite(planes, "piz", window)], display_window=window)
    return os.path.getsize(path)


def bits(rng, kind, shape, values):
    """Give a plane of so many different values, in runs of any length."""
    pairs = 1 if kind == "half" else 2
    palette = rng.integers(0, 1 << 16, values, np.uint16)
    count = shape[0] * shape[1] * pairs
    runs = np.repeat(rng.choice(palette, count), rng.geometric(rng.choice([0.01, 0.2, 1.0]), count))[:count]
    return runs.reshape(shape[0], -1).view(TYPES[kind])


@settings(deadline=None, max_examples=30)
@given(
    st.integers(0, 10_000), SIZE, SIZE,
    st.lists(st.tuples(st.sampled_from(list(TYPES)), VALUES), min_size=1, max_size=3),
)  # fmt: skip
def test_any_bits_come_back_by_both_readers(tmp_path_factory, seed, height, width, kinds):
    rng, folder = np.random.default_rng(seed), tmp_path_factory.mktemp("piz")
    planes = {f"c{i}.V": bits(rng, kind, (height, width), values) for i, (kind, values) in enumerate(kinds)}
    size, its = packed(folder / "a.exr", planes), size_by_library(folder / "b.exr", planes)
    # Of symbols that are as frequent, another may have the longer code.
    assert size <= 8 + 1.005 * its


@pytest.mark.parametrize("values", [16_383, 16_384, 16_385, 65_535, 65_536])
def test_as_many_values_as_differences_can_hold_and_more(tmp_path, values):
    """Beside 14 bits another wavelet begins."""
    rng = np.random.default_rng(values)
    plane = rng.permutation(np.arange(32 * 4096) % values).astype(np.uint16).reshape(32, -1).view(np.float16)
    packed(tmp_path / "a.exr", {"Y": plane, "Z": np.sort(plane.view(np.uint16), axis=1).view(np.float16)})


@settings(deadline=None, max_examples=80)
@given(
    st.lists(st.tuples(st.integers(0, 5), st.integers(1, 700)), min_size=1, max_size=30),
    st.lists(st.integers(1, 58), min_size=7, max_size=7), st.integers(0, 10_000),
)  # fmt: skip
def test_codes_of_any_length_are_laid_behind_each_other_and_runs_shortened(runs, lengths, seed):
    """Held against text of 0 and 1; codes of more than a word take millions of values to come about."""
    rng = np.random.default_rng(seed)
    said = ["".join(rng.choice(["0", "1"], length)) for length in lengths]
    codes = np.array([int(text, 2) << 6 | len(text) for text in said], np.uint64)
    symbols = np.concatenate([np.full(times, symbol, np.uint16) for symbol, times in runs])
    wanted, i = "", 0
    while i < len(symbols):
        symbol, more = symbols[i], 0
        while more < 255 and i + more + 1 < len(symbols) and symbols[i + more + 1] == symbol:
            more += 1
        short = said[symbol] + said[6] + f"{more:08b}"
        long = said[symbol] * (more + 1)
        wanted, i = wanted + min(long, short, key=len), i + more + 1
    words = np.zeros(len(wanted) // 32 + 8, np.uint32)
    assert put_symbols(symbols, codes, codes[6], words) == len(wanted)
    assert "".join(f"{byte:08b}" for byte in words.view(np.uint8))[: len(wanted)] == wanted
    if len(wanted) > 400:
        assert put_symbols(symbols, codes, codes[6], words[: len(wanted) // 64]) == -1


def test_values_in_all_frequencies_and_a_run_of_hundred_thousands(tmp_path):
    """A single row has no waves, so that its values are what is coded."""
    often = [1, 1]
    while len(often) < 30:
        often.append(often[-1] + often[-2])
    mixed = np.random.default_rng(5).permutation(np.repeat(np.arange(1, 31, dtype=np.uint16), often))
    channels, width = 40, 61_000
    flat = np.full(channels * width - mixed.size, 30, np.uint16)
    rows = np.concatenate([mixed, flat]).view(np.float16).reshape(channels, 1, width)
    planes = {f"c{i:03d}": rows[i] for i in range(channels)}
    size = packed(tmp_path / "a.exr", planes)
    assert size <= 1.001 * size_by_library(tmp_path / "b.exr", planes)


def test_what_would_not_shrink_is_kept_as_it_is_and_nothing_at_all_is_a_few_bytes(tmp_path, monkeypatch):
    noise = np.random.default_rng(1).integers(0, 1 << 16, (40, 300), np.uint16).view(np.float16)
    assert packed(tmp_path / "a.exr", {"Y": noise}) == size_by_library(tmp_path / "b.exr", {"Y": noise})
    black = {"Y": np.zeros((700, 900), np.float16), "Z": np.zeros((700, 900), np.float32)}
    assert packed(tmp_path / "c.exr", black) == size_by_library(tmp_path / "d.exr", black)
    # So many values that a reader could not count their bits are kept as they are, too.
    monkeypatch.setattr("drawstring.core.io.piz.MOST", 90)
    assert packed(tmp_path / "e.exr", black) > 700 * 900 * 6
