"""Parts copied as they are packed: held against the official library over all compressions, and damaged."""

import os
import struct
from dataclasses import replace

import numpy as np
import OpenEXR
import OpenImageIO as oiio
import pytest

from drawstring.core.io.facts import Window
from drawstring.core.io.packed import NotAsCountedError, digest_of, digests_of, packed_parts
from drawstring.core.io.taking_over import TakenPart, put_with_taken, taken_as_counted
from drawstring.core.io.writing import COMPRESSIONS, PartToWrite, put_parts

# Odd sizes: the last chunk and the last tile are smaller than the others.
WINDOW = Window(-5, 7, 143, 606)
DISPLAY = Window(0, 0, 159, 639)
LOSSY_BY_NAME = ("dwaa", "dwab", "htj2k256", "htj2k32", "lj2k")


def pixels(seed=1) -> dict:
    rng = np.random.default_rng(seed)
    size = WINDOW.height, WINDOW.width
    ramp = np.linspace(0, 3, size[0] * size[1]).reshape(size)
    return {
        "A": np.float16(rng.random(size) > 0.3), "B": np.float16(ramp), "G": np.float16(rng.random(size)),
        "R": np.float16(ramp[::-1]), "id.V": rng.integers(0, 9, size).astype(np.uint32),
        "z.Z": np.float32(rng.random(size) * 90),
    }  # fmt: skip


def write(path, compression, *, tile=0, upwards=False, names=("came",), window=WINDOW):
    put_parts(
        str(path),
        [PartToWrite(pixels(i), compression, window, name, tile, is_upwards=upwards)
         for i, name in enumerate(names)],
        display_window=DISPLAY, metadata={"note": "of the source"},
    )  # fmt: skip
    return str(path)


def take(path, part=0, **how) -> TakenPart:
    with open(path, "rb") as file:
        there = packed_parts(file)[part]
        names = tuple(name for name, _ in there.channels)
        return replace(
            TakenPart(str(path), part, names, digest_of(file, there), "zip", there.window, name="came"), **how
        )


def all_of(path) -> dict:
    """Every part's channels as the official library reads them, raw."""
    with OpenEXR.File(str(path), separate_channels=True) as file:
        return {
            (i, name): channel.pixels.copy()
            for i, part in enumerate(file.parts)
            for name, channel in part.channels.items()
        }


def by_second_reader(path, part) -> dict:
    source = oiio.ImageInput.open(str(path))
    assert source is not None and source.seek_subimage(part, 0), oiio.geterror()
    seen = source.read_image(part, 0, 0, source.spec().nchannels, "float")
    names = source.spec().channelnames
    source.close()
    return {name: seen[..., i] for i, name in enumerate(names)}


def test_a_level_changes_the_size_and_no_pixel(tmp_path):
    part, sizes = PartToWrite(pixels(), "zip", WINDOW), {}
    for level in (1, 2, 4, 9):
        path = tmp_path / f"{level}.exr"
        put_with_taken(str(path), [part], zip_level=level, display_window=DISPLAY)
        sizes[level] = path.stat().st_size
        for name, plane in part.channels.items():
            np.testing.assert_array_equal(all_of(path)[0, name], plane)
    assert sizes[1] > sizes[2] > sizes[4] > sizes[9]
    # Three channels of a grainy grey pass are the same: nobody wants to keep them thrice.
    wide = Window(0, 0, 1919, 63)
    grain = np.random.default_rng(2).normal(0.3, 0.02, (wide.height, wide.width))
    grey = PartToWrite(dict.fromkeys("BGR", np.float16(grain)), "zip", wide)
    for level in (1, 4):
        path = tmp_path / f"grey{level}.exr"
        put_with_taken(str(path), [grey], zip_level=level, display_window=wide)
        sizes[level] = path.stat().st_size
    assert sizes[1] < 1.2 * sizes[4]


@pytest.mark.parametrize(("level", "larger"), [(1, 0.1), (4, 0.01)])
def test_what_is_packed_here_is_what_the_library_packs(tmp_path, level, larger):
    noise = np.random.default_rng(3).integers(0, 2**32, (WINDOW.height, WINDOW.width), np.uint32)
    odd = {"bits": noise, "f": noise.view(np.float32), "h": noise.astype(np.uint16).view(np.float16)}
    line = {"R": np.float16([[0.5]]), "Z": np.float32([[np.nan]])}
    parts = [
        PartToWrite(planes, how, window, f"{name} {how} {tile} {up}", tile, is_upwards=up)
        for name, planes, window in (
            ("plain", pixels(), WINDOW), ("noise", odd, WINDOW), ("line", line, Window(3, -2, 3, -2))
        )
        for how, tile, up in (
            ("zip", 0, False), ("zips", 0, False), ("none", 0, False), ("piz", 0, False), ("zip", 0, True),
            ("zip", 32, False),
        )
    ]  # fmt: skip
    for i, several in enumerate((parts, parts[:1], parts[2:3], parts[6:7])):
        told = {"display_window": DISPLAY, "metadata": {"note": "of both"}}
        ours, theirs = tmp_path / f"ours{i}.exr", tmp_path / f"theirs{i}.exr"
        put_with_taken(str(ours), several, zip_level=level, **told)
        put_parts(str(theirs), several, **told)
        assert os.path.getsize(ours) == pytest.approx(os.path.getsize(theirs), rel=larger)
        made, wanted = all_of(ours), all_of(theirs)
        assert made.keys() == wanted.keys()
        assert all(made[place].tobytes() == wanted[place].tobytes() for place in wanted)
        for part in range(len(several)):
            seen, meant = by_second_reader(ours, part), by_second_reader(theirs, part)
            assert seen.keys() == meant.keys()
            for name, plane in meant.items():
                np.testing.assert_array_equal(seen[name].view(np.uint32), plane.view(np.uint32))
        with OpenEXR.File(str(ours)) as one, OpenEXR.File(str(theirs)) as other:
            for mine, its in zip(one.parts, other.parts, strict=True):
                assert str(mine.header) == str(its.header)


@pytest.mark.parametrize("compression", list(COMPRESSIONS))
@pytest.mark.parametrize("tile", [0, 32])
def test_a_copied_part_is_the_same_by_both_readers_whatever_packs_it(tmp_path, compression, tile):
    if tile and compression in ("htj2k256", "htj2k32", "lj2k", "zstd"):
        tile = 64
    source = write(tmp_path / "a.exr", compression, tile=tile, names=("",))
    renamed = {"A": "x.A", "B": "x.B", "G": "x.G", "R": "x.R", "id.V": "x.id", "z.Z": "x.z"}
    told = take(source, compression=compression, tile=tile)
    if compression not in LOSSY_BY_NAME:
        told = replace(told, names=tuple(renamed.values()))
    made = {"depth.Z": np.float32(np.random.default_rng(3).random((WINDOW.height, WINDOW.width)))}
    to = str(tmp_path / "b.exr")
    put_with_taken(
        to, [told, PartToWrite(made, "zip", WINDOW, "depth")], display_window=DISPLAY,
        metadata={"note": "of the package"},
    )  # fmt: skip
    came, went = all_of(source), all_of(to)
    for old, new in zip(sorted(pixels()), told.names, strict=True):
        np.testing.assert_array_equal(
            came[0, old].view(np.uint8), went[0, new].view(np.uint8), err_msg=f"{old} as {new}"
        )
    np.testing.assert_array_equal(went[1, "depth.Z"], made["depth.Z"])
    before, after = by_second_reader(source, 0), by_second_reader(to, 0)
    for old, new in zip(sorted(pixels()), told.names, strict=True):
        np.testing.assert_array_equal(before[old], after[new])
    assert taken_as_counted(to, 0, told) is None
    with OpenEXR.File(to, header_only=True) as file:
        assert file.parts[0].header["note"] == "of the package"
        assert tuple(map(tuple, file.parts[0].header["dataWindow"])) == ((-5, 7), (143, 606))


@pytest.mark.parametrize("upwards", [False, True])
def test_one_part_goes_out_of_several_alone_or_among_others_and_from_the_bottom_up(tmp_path, upwards):
    source = write(tmp_path / "a.exr", "piz", names=("left", "right"))
    right = take(source, 1, compression="piz", name="", is_upwards=upwards)
    alone = str(tmp_path / "b.exr")
    put_with_taken(alone, [right], display_window=DISPLAY)
    for name, plane in pixels(1).items():
        np.testing.assert_array_equal(all_of(alone)[0, name], plane)
    with OpenEXR.File(alone, header_only=True) as file:
        order = OpenEXR.DECREASING_Y if upwards else OpenEXR.INCREASING_Y
        assert file.parts[0].header["lineOrder"] == order and len(file.parts) == 1
    with open(alone, "rb") as file:
        offsets = packed_parts(file)[0].offsets
        assert list(offsets) == sorted(offsets, reverse=upwards)
    both = str(tmp_path / "c.exr")
    put_with_taken(
        both, [replace(right, name="one"), take(source, 0, compression="piz", name="two")],
        display_window=DISPLAY,
    )  # fmt: skip
    for name, plane in pixels(0).items():
        np.testing.assert_array_equal(all_of(both)[1, name], plane)
    # Names are nobody's business here: the digest is that of the pixels.
    assert digests_of(both) == (digests_of(source)[1], digests_of(source)[0])
    assert digests_of(alone) == digests_of(source)[1:]


def damaged(path, change) -> str:
    with open(path, "rb") as file:
        data, parts = bytearray(file.read()), packed_parts(file)
    change(data, parts[0])
    to = f"{path}.bad"
    with open(to, "wb") as file:
        file.write(data)
    return to


def _table_at(part) -> int:
    return min(part.offsets) - 8 * len(part.offsets)


def _exchanged(data, part):
    first, second = part.offsets[:2]
    struct.pack_into("<2Q", data, _table_at(part), second, first)


def _beyond(data, part):
    struct.pack_into("<Q", data, _table_at(part), len(data) + 5)


def _never_written(data, part):
    struct.pack_into("<Q", data, _table_at(part), 0)


def _too_long(data, part):
    struct.pack_into("<i", data, part.offsets[2] + 4, 2**30)


def _negative(data, part):
    struct.pack_into("<i", data, part.offsets[2] + 4, -7)


def _cut_short(data, part):
    del data[-40:]


def _within_header(data, part):
    del data[100:]


@pytest.mark.parametrize(
    "change",
    [_exchanged, _beyond, _never_written, _too_long, _negative, _cut_short, _within_header],
    ids=lambda change: change.__name__.strip("_"),
)
def test_a_table_that_lies_and_chunks_of_wrong_sizes_are_never_copied(tmp_path, change):
    source = write(tmp_path / "a.exr", "zip", names=("",))
    told = take(source)
    bad = damaged(source, change)
    assert digests_of(bad) == ()
    with pytest.raises(NotAsCountedError):
        put_with_taken(
            str(tmp_path / "b.exr"), [replace(told, path=bad, name="")], display_window=DISPLAY
        )  # fmt: skip
    assert os.listdir(tmp_path).count("b.exr-frame") == 0


def test_one_turned_bit_another_layout_and_names_of_another_order_are_refused(tmp_path):
    source = write(tmp_path / "a.exr", "zip", names=("",))
    told = take(source, name="")

    def turn(data, part):
        data[part.offsets[1] + 40] ^= 1

    bits = damaged(source, turn)
    for part in (
        replace(told, path=bits),
        replace(told, names=("z", "y", "x", "w", "v", "u")),
        replace(told, names=told.names[:-1]),
        replace(told, compression="zips"),
        replace(told, tile=64),
        replace(told, data_window=WINDOW._replace(y_max=600)),
        replace(told, part=3),
    ):
        with pytest.raises(NotAsCountedError):
            put_with_taken(str(tmp_path / "b.exr"), [part], display_window=DISPLAY)
    put_with_taken(str(tmp_path / "c.exr"), [told], display_window=DISPLAY)
    assert taken_as_counted(str(tmp_path / "c.exr"), 0, told) is None
    assert "others" in taken_as_counted(damaged(str(tmp_path / "c.exr"), turn), 0, told)


def test_levels_of_detail_and_what_is_no_exr_are_left_to_the_library(tmp_path):
    buffer = oiio.ImageBuf(oiio.ImageSpec(64, 64, 3, "half"))
    oiio.ImageBufAlgo.make_texture(oiio.MakeTxTexture, buffer, str(tmp_path / "mip.exr"))
    (tmp_path / "text.exr").write_text("no picture at all")
    assert digests_of(str(tmp_path / "mip.exr")) == () == digests_of(str(tmp_path / "text.exr"))
