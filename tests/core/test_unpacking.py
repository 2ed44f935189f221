"""Chosen channels out of packed chunks: what the official library reads, from whatever lays files out."""

import itertools
import struct

import numpy as np
import OpenEXR
import OpenImageIO as oiio
import pytest

from drawstring.core.io import ChannelRef, read_channels, read_facts
from drawstring.core.io.packed import packed_parts
from drawstring.core.io.unpacking import put_in_order, unpack_channels

RNG = np.random.default_rng(11)
H, W = 45, 37
SMOOTH = np.add.outer(np.linspace(0, 3, H), np.linspace(0, 1, W))
PLANES = {
    "A": np.ones((H, W), np.float16),
    "B": SMOOTH.astype(np.float16),
    # Random bits do not shrink: chunks of them are kept as they are.
    "crypto00.R": RNG.integers(0, 2**32, (H, W), dtype=np.uint32).view(np.float32),
    "depth.Z": np.where(RNG.random((H, W)) < 0.1, np.inf, 4 + SMOOTH).astype(np.float32),
    "id": RNG.integers(0, 9, (H, W), dtype=np.uint32),
    "normals.X": RNG.normal(size=(H, W)).astype(np.float16),
}
WINDOW = {"dataWindow": (np.array([-5, 11], np.int32), np.array([-5 + W - 1, 11 + H - 1], np.int32))}


def by_library(path: str) -> list[dict[str, np.ndarray]]:
    with OpenEXR.File(path, separate_channels=True) as file:
        return [{name: c.pixels for name, c in part.channels.items()} for part in file.parts]


def same(one: np.ndarray, other: np.ndarray) -> bool:
    return one.dtype == other.dtype and one.tobytes() == np.ascontiguousarray(other).tobytes()


def scan_lines(path: str, compression: str) -> None:
    header = {"compression": getattr(OpenEXR, f"{compression}_COMPRESSION"), "type": OpenEXR.scanlineimage}
    with OpenEXR.File(header | WINDOW, dict(PLANES)) as file:
        file.write(path)


def several(path: str, compression: str) -> None:
    """Write two parts, each with channels of its own; the second is called as a channel of the first is."""
    header = {"compression": getattr(OpenEXR, f"{compression}_COMPRESSION"), "type": OpenEXR.scanlineimage}
    first = {name: PLANES[name] for name in ("A", "B")}
    parts = [OpenEXR.Part(header | WINDOW, first, "one"), OpenEXR.Part(header | WINDOW, dict(PLANES), "A")]
    with OpenEXR.File(parts) as file:
        file.write(path)


def by_oiio(path: str, compression: str, **said: object) -> None:
    """Write by another library, float and half side by side."""
    names = ["R", "G", "B", "depth.Z"]
    spec = oiio.ImageSpec(W, H, 4, "float")
    spec.channelnames, spec.channelformats = names, ("half", "half", "half", "float")
    spec.x, spec.y = -5, 11
    spec.attribute("compression", "none" if compression == "NO" else compression.lower())
    for name, value in said.items():
        if name == "tile":
            spec.tile_width, spec.tile_height = 16, 8
        else:
            spec.attribute(f"openexr:{name}", value)
    out = oiio.ImageOutput.create(path)
    assert out.open(path, spec), out.geterror()
    picture = np.stack([PLANES["B"], PLANES["normals.X"], PLANES["A"], PLANES["depth.Z"]], axis=-1)
    assert out.write_image(np.ascontiguousarray(picture, np.float32)), out.geterror()
    assert out.close()


LAYOUTS = {
    "scan lines": scan_lines,
    "several parts": several,
    "tiles": lambda path, packed: by_oiio(path, packed, tile=True),
    "from the bottom up": lambda path, packed: by_oiio(path, packed, lineOrder="decreasingY"),
    "tiles at random": lambda path, packed: by_oiio(path, packed, tile=True, lineOrder="randomY"),
}


@pytest.mark.parametrize("compression", ["NO", "ZIPS", "ZIP"])
@pytest.mark.parametrize("layout", LAYOUTS)
def test_channels_are_those_of_the_library_bit_for_bit(tmp_path, layout, compression):
    path = str(tmp_path / "a.exr")
    LAYOUTS[layout](path, compression)
    wanted = {
        number: [list(several) for count in (1, 2) for several in itertools.combinations(part, count)]
        + [part]
        for number, part in enumerate(by_library(path))
    }
    for number, part in enumerate(by_library(path)):
        for names in wanted[number]:
            for rows, threads in ((None, 1), (None, 3), ((11, 11), 1), ((30, 50), 2), ((55, 55), 2)):
                read = unpack_channels(path, {number: list(names)}, rows=rows, threads=threads)
                assert read is not None
                lies = slice(*((rows[0] - 11, rows[1] - 10) if rows else (0, H)))
                assert set(read) == {(number, name) for name in names}
                assert all(same(plane, part[name][lies]) for (_, name), plane in read.items())


@pytest.mark.parametrize("rows", [1, 3, 16])
@pytest.mark.parametrize("widths", [(1, 15, 16, 17), (31, 32, 33, 48, 5), (1000, 7, 64)])
def test_bytes_of_any_span_are_the_sums_of_all_before_it(widths, rows):
    edges = np.cumsum((0, *widths))
    coded = RNG.integers(0, 256, 2 * rows * edges[-1], np.uint8)
    # One sum over the whole chunk; nothing is taken off its first byte (internal_zip.c).
    plain = (np.cumsum(coded.astype(np.int64) - 128) + 128).astype(np.uint8)
    firsts, seconds = plain.reshape(2, rows, edges[-1]).astype(np.uint16)
    pairs = firsts | seconds << 8
    spans = list(zip(edges, edges[1:], strict=False))
    for some in (spans, spans[1:], spans[:-1], spans[::2], [(0, edges[-1])], [(2, 2), (3, edges[-2])]):
        asked = np.concatenate([pairs[:, begin:end] for begin, end in some], axis=1)
        into = np.zeros_like(asked)
        put_in_order(coded, np.array(some, np.int64).T.copy(), into)
        assert same(into, asked)


@pytest.mark.parametrize("compression", ["NO", "ZIPS", "ZIP"])
def test_what_is_damaged_is_left_to_the_library_and_never_read_as_something_else(tmp_path, compression):
    path, spoilt = str(tmp_path / "a.exr"), str(tmp_path / "b.exr")
    scan_lines(path, compression)
    whole = (tmp_path / "a.exr").read_bytes()
    with open(path, "rb") as file:
        part = packed_parts(file)[0]
    first = part.offsets[0]
    cut, moved = whole[:-7], bytearray(whole)
    # The table's first entry points at the second chunk.
    struct.pack_into("<Q", moved, first - 8 * len(part.offsets), part.offsets[1])
    grown, shrunk = bytearray(whole), bytearray(whole)
    length = struct.unpack_from("<i", whole, first + 4)[0]
    struct.pack_into("<i", grown, first + 4, 1 << 30)
    struct.pack_into("<i", shrunk, first + 4, length - 1)
    strange = bytearray(whole)
    struct.pack_into("<i", strange, whole.index(b"depth.Z\0") + 8, 9)
    for bad in (cut, moved, grown, shrunk, strange):
        (tmp_path / "b.exr").write_bytes(bad)
        assert unpack_channels(spoilt, {0: ["A", "depth.Z"]}) is None
    if compression == "NO":
        return  # without packing nothing tells one value from another
    meant = by_library(path)[0]
    for at in range(first + 8, first + 8 + min(length, part.most), 41):
        flipped = bytearray(whole)
        flipped[at] ^= 0x10
        (tmp_path / "b.exr").write_bytes(flipped)
        read = unpack_channels(spoilt, {0: ["A", "B"]})
        # Where a chunk did not shrink its values are as unprotected as without packing.
        assert read is None or length in _raw(part) or all(same(p, meant[n]) for (_, n), p in read.items())


def _raw(part) -> set[int]:
    return {lines * W * 20 for lines in (part.lines, H % part.lines)}


def test_what_is_packed_otherwise_or_thinned_is_the_librarys(tmp_path):
    path = str(tmp_path / "a.exr")
    scan_lines(path, "PIZ")
    assert unpack_channels(path, {0: ["A"]}) is None
    scan_lines(path, "ZIP")
    assert unpack_channels(path, {0: ["nothing"]}) is None and unpack_channels(path, {1: ["A"]}) is None
    # The library thins by itself what is given at full size.
    planes = {
        "A": OpenEXR.Channel("A", PLANES["B"][:44, :36].copy(), 1, 1),
        "heat": OpenEXR.Channel("heat", PLANES["B"][:44, :36].copy(), 2, 2),
    }
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    corner = (np.array([0, 0], np.int32), np.array([35, 43], np.int32))
    with OpenEXR.File(header | {"dataWindow": corner, "displayWindow": corner}, planes) as file:
        file.write(path)
    assert unpack_channels(path, {0: ["A"]}) is None
    read = read_channels(path, [ChannelRef(0, "A")], facts=read_facts(path))
    assert same(read[ChannelRef(0, "A")], PLANES["B"][:44, :36])
