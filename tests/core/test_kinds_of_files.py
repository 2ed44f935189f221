"""Files of every kind, written by others and read by us: values, windows, views, compressions, limits."""

import cv2
import numpy as np
import OpenEXR
import OpenImageIO as oiio
import pytest
import tifffile
from hypothesis import given
from hypothesis import strategies as st
from makers import write_plain

from drawstring.core.arrivals import scan
from drawstring.core.errors import MissingError, SourceError
from drawstring.core.io import ChannelRef, Window, limits, read_channels, read_facts
from drawstring.core.io.facts import union
from drawstring.core.io.frame import read_frame
from drawstring.core.io.pixels import placed
from drawstring.core.io.sequences import group, set_aside
from drawstring.core.passes import Role

RNG = np.random.default_rng(30)
EIGHT = RNG.integers(0, 256, (18, 32, 3), dtype=np.uint8)
SIXTEEN = RNG.integers(0, 65536, (18, 32, 3), dtype=np.uint16)
GREY = np.full((18, 32, 3), 128, np.uint8)
HALF = (RNG.random((18, 32, 3)) * 8).astype(np.float16)
LIGHT = (RNG.random((18, 32, 3)) * 8).astype(np.float32)


def by_oiio(path, pixels, kind):
    output = oiio.ImageOutput.create(str(path))
    output.open(str(path), oiio.ImageSpec(pixels.shape[1], pixels.shape[0], pixels.shape[2], kind))
    output.write_image(pixels)
    output.close()


WRITERS = {
    "png 8": ("a.png", lambda p: cv2.imwrite(str(p), EIGHT[..., ::-1]), EIGHT / np.float32(255), 0),
    "png 16": ("a.png", lambda p: cv2.imwrite(str(p), SIXTEEN[..., ::-1]), SIXTEEN / np.float32(65535), 0),
    "tiff 8": ("a.tif", lambda p: tifffile.imwrite(p, EIGHT), EIGHT / np.float32(255), 0),
    "tiff 16": ("a.tiff", lambda p: tifffile.imwrite(p, SIXTEEN), SIXTEEN / np.float32(65535), 0),
    "tiff half": ("a.tif", lambda p: tifffile.imwrite(p, HALF, photometric="rgb"), HALF, 0),
    "tiff float": ("a.tif", lambda p: tifffile.imwrite(p, LIGHT, photometric="rgb"), LIGHT, 0),
    "jpeg": ("a.jpg", lambda p: cv2.imwrite(str(p), GREY), np.float32(128 / 255), 0.01),
    "dpx": ("a.dpx", lambda p: by_oiio(p, SIXTEEN, "uint16"), SIXTEEN / np.float32(65535), 1e-6),
    "hdr": ("a.hdr", lambda p: by_oiio(p, LIGHT, "float"), LIGHT, 0.04),
}  # fmt: skip


@pytest.mark.parametrize("kind", WRITERS)
def test_pictures_of_other_kinds_hold_what_their_writers_put_in(tmp_path, kind):
    name, write, wanted, allowed = WRITERS[kind]
    path = tmp_path / name
    write(path)
    facts = read_facts(str(path))
    assert facts.parts[0].display_window == Window(0, 0, 31, 17) and facts.kind == kind.split()[0]
    planes = read_channels(str(path), [ChannelRef(0, letter) for letter in "RGB"])
    read = np.stack([planes[ChannelRef(0, letter)] for letter in "RGB"], axis=-1)
    np.testing.assert_allclose(read, np.broadcast_to(wanted, read.shape), atol=allowed, rtol=1e-7)


def test_pages_of_a_tiff_are_parts_and_grey_is_called_y(tmp_path):
    pages = [np.full((6, 8), value, np.float32) for value in (0.25, 4.0)]
    with tifffile.TiffWriter(tmp_path / "a.tif") as file:
        for page in pages:
            file.write(page)
    facts = read_facts(str(tmp_path / "a.tif"))
    assert [part.channels[0].name for part in facts.parts] == ["Y", "Y"] and facts.parts[1].name == "page2"
    read = read_channels(str(tmp_path / "a.tif"), [ChannelRef(1, "Y")])
    assert (read[ChannelRef(1, "Y")] == 4).all()


COMPRESSIONS = [name for name in dir(OpenEXR) if name.endswith("_COMPRESSION")]


@pytest.mark.parametrize("name", COMPRESSIONS)
def test_every_compression_of_openexr_is_read(tmp_path, name):
    planes = {letter: LIGHT[..., i].astype(np.float16) for i, letter in enumerate("RGB")}
    path = str(write_plain(tmp_path / "a.exr", planes, compression=getattr(OpenEXR, name)))
    facts = read_facts(path)
    assert facts.parts[0].compression == name.removesuffix("_COMPRESSION").lower()
    read = read_channels(path, [ChannelRef(0, letter) for letter in "RGB"])
    with OpenEXR.File(path, separate_channels=True) as file:
        for letter in "RGB":
            np.testing.assert_array_equal(read[ChannelRef(0, letter)], file.channels()[letter].pixels)


def test_tiles_read_at_their_finest_level_and_subsampled_chroma_is_brought_to_size(tmp_path):
    oiio.ImageBufAlgo.make_texture(oiio.MakeTxTexture, oiio.ImageBuf(LIGHT), str(tmp_path / "mip.exr"))
    facts = read_facts(str(tmp_path / "mip.exr"))
    assert facts.parts[0].storage == "tiled"
    read = read_channels(str(tmp_path / "mip.exr"), [ChannelRef(0, "G")])[ChannelRef(0, "G")]
    np.testing.assert_array_equal(read.astype(np.float32), LIGHT[..., 1])
    # A channel of half the size that is no colour difference is brought to size by repeating.
    corner = (np.array([0, 0], np.int32), np.array([63, 47], np.int32))
    whole, rough = RNG.random((48, 64)).astype(np.float16), RNG.random((48, 64)).astype(np.float16)
    channels = {"A": OpenEXR.Channel("A", whole, 1, 1), "heat": OpenEXR.Channel("heat", rough, 2, 2)}
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage, "dataWindow": corner}
    OpenEXR.File(header | {"displayWindow": corner}, channels).write(str(tmp_path / "heat.exr"))
    read = read_channels(str(tmp_path / "heat.exr"), [ChannelRef(0, "A"), ChannelRef(0, "heat")])
    np.testing.assert_array_equal(read[ChannelRef(0, "A")], whole)
    with OpenEXR.File(str(tmp_path / "heat.exr"), separate_channels=True) as file:
        stored = file.channels()["heat"].pixels
    assert stored.shape == (24, 32)
    np.testing.assert_array_equal(read[ChannelRef(0, "heat")], stored.repeat(2, 0).repeat(2, 1))


@pytest.mark.parametrize("begin", [(0, 0), (6, -4)])
def test_luminance_and_chroma_are_a_picture(tmp_path, begin):
    """Made of a smooth picture by the format's own formula; its colour comes back, and is a beauty."""
    y, x = np.mgrid[:48, :64].astype(np.float64)
    rgb = np.stack([0.5 + 0.4 * np.sin(x / 15), 0.3 + y / 90, 0.6 - x / 150], axis=-1)
    luma = rgb @ [0.2126390, 0.7151687, 0.0721923]  # BT.709's weights, by its primaries and white
    ry, by = ((rgb[..., i] - luma) / luma for i in (0, 2))
    low = np.array(begin, np.int32)
    corner = (low, low + np.array([63, 47], np.int32))
    kind = np.float32
    # The library takes the first quarter of what it is given for a channel of half the size.
    ry, by = (np.resize(np.ascontiguousarray(one[::2, ::2]), (48, 64)) for one in (ry, by))
    channels = {
        "Y": OpenEXR.Channel("Y", luma.astype(kind), 1, 1),
        "RY": OpenEXR.Channel("RY", ry.astype(kind), 2, 2),
        "BY": OpenEXR.Channel("BY", by.astype(kind), 2, 2),
    }  # fmt: skip
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage, "dataWindow": corner}
    path = tmp_path / "TW700.0001.exr"
    OpenEXR.File(header | {"displayWindow": corner}, channels).write(str(path))
    read = read_channels(str(path), [ChannelRef(0, letter) for letter in "RGB"])
    got = np.stack([read[ChannelRef(0, letter)] for letter in "RGB"], axis=-1)
    np.testing.assert_allclose(got[4:-4, 4:-4], rgb[4:-4, 4:-4], atol=1e-3)
    np.testing.assert_allclose(got, rgb, atol=0.02)
    (one,) = scan(str(tmp_path), roots=[str(tmp_path)]).candidates
    assert [each.role for each in one.passes] == [Role.BEAUTY]
    assert "luminance-chroma" in {f.code for f in one.findings}


windows = st.tuples(st.integers(-9, 9), st.integers(-9, 9), st.integers(0, 12), st.integers(0, 12)).map(
    lambda w: Window(w[0], w[1], w[0] + w[2], w[1] + w[3])
)


@given(windows, windows)
def test_a_placed_plane_holds_each_pixel_where_it_was_and_nothing_elsewhere(window, into):
    x, y = np.meshgrid(np.arange(window.x_min, window.x_max + 1), np.arange(window.y_min, window.y_max + 1))
    plane = (1000 + 50 * y + x).astype(np.float32)
    found = placed(plane, window, into)
    for row in range(into.height):
        for col in range(into.width):
            at = (col + into.x_min, row + into.y_min)
            inside = window.x_min <= at[0] <= window.x_max and window.y_min <= at[1] <= window.y_max
            assert found[row, col] == (1000 + 50 * at[1] + at[0] if inside else 0)
    both = union([window, into])
    assert placed(placed(plane, window, both), both, window).tobytes() == plane.tobytes()


def test_a_frame_of_several_files_is_read_into_one_window_and_tells_what_it_lacks(tmp_path):
    beauty = write_plain(tmp_path / "b.exr", {letter: LIGHT[..., i].copy() for i, letter in enumerate("RGB")})
    corner = (np.array([4, 2], np.int32), np.array([11, 7], np.int32))
    full = (np.array([0, 0], np.int32), np.array([31, 17], np.int32))
    depth = write_plain(
        tmp_path / "z.exr", {"Z": np.full((6, 8), 5, np.float32)}, dataWindow=corner, displayWindow=full
    )
    files = {0: read_facts(str(beauty)), 1: read_facts(str(depth))}
    window = union(facts.window for facts in files.values())
    z = ChannelRef(0, "Z", 1)
    read = read_frame(files, [ChannelRef(0, "G"), z], window=window)
    np.testing.assert_array_equal(read[ChannelRef(0, "G")], LIGHT[..., 1])
    assert read[z][2:8, 4:12].min() == 5 and read[z].sum() == 5 * 48
    # A plate of another size lies in the middle, as large as fits: half as wide here, its light kept.
    ramp = np.tile(np.arange(64, dtype=np.float32), (72, 1))
    plate = write_plain(tmp_path / "p.exr", {"R": ramp})
    small = read_frame({0: files[0], 2: read_facts(str(plate))}, [ChannelRef(0, "R", 2)], window=window)
    found = small[ChannelRef(0, "R", 2)]
    assert found.shape == (18, 32) and (found[:, :8] == 0).all() and (found[:, 24:] == 0).all()
    np.testing.assert_allclose(found[5, 8:24], np.arange(16) * 4 + 1.5)
    with pytest.raises(MissingError, match="came without the file that holds Z"):
        read_frame({0: files[0]}, [z], window=window)


@pytest.mark.parametrize(
    ("limit", "value"),
    [("MAX_SIDE_PX", 31), ("MAX_PIXELS", 500), ("MAX_CHANNELS", 2), ("MAX_FILE_BYTES", 100)],
)
@pytest.mark.parametrize("name", ["a.exr", "a.png"])
def test_what_is_larger_than_the_limits_is_refused_before_a_pixel_is_read(
    tmp_path, monkeypatch, limit, value, name
):
    if name.endswith("exr"):
        write_plain(tmp_path / name, {letter: LIGHT[..., i].copy() for i, letter in enumerate("RGB")})
    else:
        cv2.imwrite(str(tmp_path / name), EIGHT)
    monkeypatch.setattr(limits, limit, value)
    with pytest.raises(SourceError, match="promises 32 x 18 pixels"):
        read_facts(str(tmp_path / name))


@pytest.mark.parametrize("spoil", [lambda b: b"", lambda b: b[: len(b) // 2], lambda b: b"nonsense" * 40])
@pytest.mark.parametrize("name", ["png 8", "tiff 16", "jpeg", "dpx", "hdr"])
def test_broken_pictures_are_refused_in_words(tmp_path, name, spoil):
    ending, write, _, _ = WRITERS[name]
    path = tmp_path / ending
    write(path)
    path.write_bytes(spoil(path.read_bytes()))
    with pytest.raises(SourceError) as refusal:
        facts = read_facts(str(path))
        read_channels(str(path), [ChannelRef(0, c.name) for c in facts.parts[0].channels], facts=facts)
        # Some readers of cut pictures give back what they could; then nothing is wrong to say.
        raise SourceError("cut", where=str(path), remedy="Render it again.")
    assert refusal.value.where == str(path) and refusal.value.remedy


@given(
    st.lists(st.integers(0, 120_000), min_size=1, max_size=30, unique=True),
    st.integers(1, 6),
    st.sampled_from([".", "_", "-"]),
    st.sampled_from(["TW010_beauty", "yard v2", "s.010", "lamp-a"]),
)
def test_any_padding_groups_into_one_sequence(numbers, padding, separator, base):
    names = [f"in/{base}{separator}{number:0{padding}d}.exr" for number in numbers]
    kept, aside = set_aside(names)
    if separator == "." and base == "s.010":
        return  # two numbers in a row: told apart by the test below
    assert not aside
    sequences = group(kept)
    if len(numbers) > 1:
        (one,) = sequences
        assert [number for number, _ in one.files] == sorted(numbers)
    assert sorted(path for one in sequences for _, path in one.files) == sorted(names)


def test_a_shots_number_before_the_frames_is_no_sub_frame():
    names = [f"s.010.{number}.exr" for number in range(1001, 1009)]
    assert set_aside(names) == (names, []) and group(names)[0].pattern == "s.010.####.exr"
    steps = [f"s.{frame}.{part}.exr" for frame in (1001, 1002, 1003) for part in ("00", "25", "50")]
    assert [one.code for one in set_aside(steps)[1]] == ["frame-between"]
