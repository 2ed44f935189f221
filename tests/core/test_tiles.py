"""Pictures in tiles: written by another library, recognised, checked at their seams, joined bit for bit."""

import itertools

import numpy as np
import OpenEXR
import OpenImageIO as oiio
import pytest
from makers import write_plain

from drawstring.core.arrivals import scan
from drawstring.core.errors import SourceError
from drawstring.core.io.bands import ROWS, BandWriter
from drawstring.core.io.chunks import walk
from drawstring.core.io.facts import Window
from drawstring.core.io.writing import COMPRESSIONS, PartToWrite, put_parts
from drawstring.core.tiles.joining import join
from drawstring.standins.tidewrack import scenes
from drawstring.standins.tidewrack.mural import TileFaults, render_mural

WIDTH, HEIGHT = 480, 270


@pytest.fixture(scope="module")
def picture():
    """Light with waves and blocks, distances that jump, whole numbers that must never be mixed."""
    rng = np.random.default_rng(3)
    y, x = np.mgrid[:HEIGHT, :WIDTH]
    blocks = rng.random((27, 48)).repeat(10, 0).repeat(10, 1)
    grey = 0.4 + 0.3 * np.sin(x / 19 + y / 47) + 0.2 * np.sin(y / 11) + 0.5 * blocks
    light = np.stack([grey, 0.8 * grey, 0.6 * grey], -1).astype(np.float16).astype(np.float32)
    z = (5 + y / 50 + 9 * rng.random((27, 48)).repeat(10, 0).repeat(10, 1)).astype(np.float32)
    return light, z, rng.integers(0, 2**24, (27, 48)).repeat(10, 0).repeat(10, 1).astype(np.float32)


def write_tile(path, picture, box, *, in_display=True, gain=1.0, kind="half"):
    left, top, right, bottom = box
    light, z, ids = (plane[top:bottom, left:right] for plane in picture)
    spec = oiio.ImageSpec(right - left, bottom - top, 5, "float")
    spec.channelnames = ("R", "G", "B", "Z", "id")
    spec.channelformats = (kind, kind, kind, "float", "float")
    if in_display:
        spec.x, spec.y, spec.full_width, spec.full_height = left, top, WIDTH, HEIGHT
    pixels = np.concatenate([light * np.float32(gain), z[..., None], ids[..., None]], -1)
    path.parent.mkdir(exist_ok=True)
    output = oiio.ImageOutput.create(str(path))
    assert output.open(str(path), spec) and output.write_image(np.ascontiguousarray(pixels))
    output.close()


def boxes(rows, cols, overlap):
    """Share the picture out among tiles that overlap."""
    wide, high = (WIDTH + overlap * (cols - 1)) // cols, (HEIGHT + overlap * (rows - 1)) // rows
    for row, col in itertools.product(range(rows), range(cols)):
        left, top = col * (wide - overlap), row * (high - overlap)
        right, bottom = WIDTH if col == cols - 1 else left + wide, HEIGHT if row == rows - 1 else top + high
        yield row, col, (left, top, right, bottom)


def planes_of(path):
    with OpenEXR.File(str(path), separate_channels=True) as file:
        return {name: channel.pixels for name, channel in file.channels().items()}


def found_in(folder):
    found = scan(str(folder), roots=[str(folder)])
    assert len(found.tiles) == 1 and not found.candidates, "nothing but tiles lies there"
    return found.tiles[0]


@pytest.mark.parametrize("compression", COMPRESSIONS)
@pytest.mark.parametrize("height", [7, 256, 600])
def test_bands_make_the_file_that_the_library_writes_at_once(tmp_path, compression, height):
    rng = np.random.default_rng(1)
    window, shown = Window(-5, -9, 54, height - 10), Window(0, 0, 40, 30)
    smooth = np.cumsum(rng.normal(size=(height, 60)), 0).astype(np.float32)
    first = {"R": smooth.astype(np.float16), "Z": smooth}
    second = {"id": rng.integers(0, 2**32, (height, 60), dtype=np.uint32)}

    def parts(top, bottom, several):
        def cut(channels):
            return {name: plane[top:bottom] for name, plane in channels.items()}

        if not several:
            return [PartToWrite(cut(first | second), compression, window)]
        return [
            PartToWrite(cut(first), compression, window, name="light"),
            PartToWrite(cut(second), "zip", window, name="names"),
        ]

    for several in (False, True):
        whole, banded = str(tmp_path / f"whole{several}.exr"), str(tmp_path / f"banded{several}.exr")
        said = {"metadata": {"owner": "Tidewrack"}, "display_window": shown}
        put_parts(whole, parts(0, height, several), **said)
        with BandWriter(banded, window, **said) as file:
            for top in range(0, height, ROWS):
                file.add(parts(top, min(top + ROWS, height), several))
        assert walk(banded).fault is None
        if not several:
            assert open(banded, "rb").read() == open(whole, "rb").read()
        with (
            OpenEXR.File(banded, separate_channels=True) as ours,
            OpenEXR.File(whole, separate_channels=True) as asked,
        ):
            for part, other in zip(ours.parts, asked.parts, strict=True):
                for name, channel in other.channels.items():
                    assert part.channels[name].pixels.tobytes() == channel.pixels.tobytes()


def names(habit):
    """Call tiles as different renderers do."""
    return {
        "by windows": lambda r, c, i: f"TW090_main_{'abcdefghijkl'[i]}_v001.1001.exr",
        "numbered": lambda r, c, i: f"TW090_mural_v001.{i + 1:04d}.exr",
        "r01c01": lambda r, c, i: f"TW090_r{r + 1:02d}c{c + 1:02d}_v001.1001.exr",
        "from below": lambda r, c, i: f"TW090_x{c}_y{2 - r}_v001.1001.exr",
        "columns first": lambda r, c, i: f"TW090_{c + 1}x{r + 1}_v001.1001.exr",
        "folders": lambda r, c, i: f"tile_{r}_{c}/TW090_v001.1001.exr",
    }[habit]


@pytest.mark.parametrize(
    ("habit", "in_display", "overlap"),
    [
        ("by windows", True, 16), ("numbered", True, 16), ("r01c01", True, 0), ("from below", False, 20),
        ("columns first", False, 24), ("folders", False, 12), ("from below", False, 0),
    ],
)  # fmt: skip
def test_tiles_of_any_habit_become_the_picture_again(tmp_path, picture, habit, in_display, overlap):
    name = names(habit)
    for i, (row, col, box) in enumerate(boxes(3, 4, overlap)):
        write_tile(tmp_path / name(row, col, i), picture, box, in_display=in_display)
    tiles = found_in(tmp_path)
    assert (tiles.rows, tiles.cols, tiles.overlap) == (3, 4, (overlap, overlap)) and not tiles.findings
    joined = join(tiles, tiles.frames[0], str(tmp_path / "joined.exr"))
    got = planes_of(joined.path)
    light, z, ids = picture
    for i, letter in enumerate("RGB"):
        assert got[letter].dtype == np.float16 and np.array_equal(
            got[letter], light[..., i].astype(np.float16)
        )
    assert np.array_equal(got["Z"], z) and np.array_equal(got["id"], ids)


def test_where_tiles_differ_light_is_blended_and_data_is_one_tiles_own(tmp_path, picture):
    left, right = (plane.copy() for plane in (picture[1], picture[1] + 100))
    write_tile(tmp_path / "TW090_r1c1.exr", (picture[0], left, picture[2]), (0, 0, 260, HEIGHT))
    write_tile(tmp_path / "TW090_r1c2.exr", (picture[0], right, picture[2]), (220, 0, WIDTH, HEIGHT), gain=2)
    tiles = found_in(tmp_path)
    joined = planes_of(join(tiles, 0, str(tmp_path / "joined.exr")).path)
    # From one tile to the other the weight rises evenly over the 40 columns that both have.
    share = np.clip((np.arange(WIDTH) + 0.5 - 220) / 40, 0, 1)
    wanted = picture[0][..., 0] * (1 + share)
    assert np.allclose(joined["R"].astype(np.float32), wanted, rtol=1e-3)
    assert np.array_equal(joined["Z"][:, :240], left[:, :240])
    assert np.array_equal(joined["Z"][:, 240:], right[:, 240:]), "the seam of distances lies in the middle"
    even = planes_of(join(tiles, 0, str(tmp_path / "even.exr"), evens=True).path)
    is_lit = picture[0][..., 0] > 0.1
    ratio = even["R"].astype(np.float32)[is_lit] / picture[0][..., 0][is_lit]
    assert ratio.max() / ratio.min() < 1.005, "one exposure all over"


def test_faulty_tiles_are_named_with_their_place(tmp_path):
    faults = TileFaults(stops=(((0, 1), 0.35),), shifted=(((1, 2), 9),), missing=frozenset({(2, 0)}))
    render_mural(
        str(tmp_path / "in"), width=640, height=360, cols=3, rows=3, overlap=0.12, samples=1,
        scene=scenes.fog_yard, camera=scenes.fog_yard_camera, faults=faults,
    )  # fmt: skip
    tiles = found_in(tmp_path / "in")
    told = {finding.code: finding.what for finding in tiles.findings}
    assert "row 1, column 2 +0.35" in told["tile-exposure"]
    assert "repeats 19 px, where their windows have 28 px" in told["tile-overlap"]
    assert "row 3, column 1 of frame 1001" in told["tile-missing"]
    joined = join(tiles, 1001, str(tmp_path / "joined.exr"), evens=True)
    assert joined.holes == [(2, 0)] and joined.stops[0, 1] == pytest.approx(0.35, abs=0.01)
    # What every tile says alike is said of the picture; what one camera says otherwise is not.
    with OpenEXR.File(joined.path, separate_channels=True) as file:
        said = file.header()
        assert "worldToCamera" in said and said["drawstring:tilesMissing"] == "3,1"
        assert any(name.startswith("cryptomatte/") for name in said)
        ranks = file.channels()["CryptoObject00.R"].pixels
    known = {
        value
        for tile in (tmp_path / "in").iterdir()
        for value in np.unique(planes_of(tile)["CryptoObject00.R"])
    }
    assert set(np.unique(ranks)) <= known | {0.0}, "no name that was not there"


def test_a_tile_by_another_camera_is_told(tmp_path):
    moved = TileFaults(moved=frozenset({(1, 1)}))
    render_mural(str(tmp_path), width=400, height=224, cols=3, rows=3, samples=1, faults=moved)
    tiles = found_in(tmp_path)
    told = {finding.code: finding.what for finding in tiles.findings}
    assert told["tile-camera"].endswith("row 2, column 2.") and "row 2, column 2" in told["tile-broken"]
    joined = join(tiles, 1001, str(tmp_path / "joined.exr"))
    with OpenEXR.File(joined.path, separate_channels=True) as file:
        assert "worldToCamera" not in file.header(), "what tiles say differently is not said of the whole"


def test_what_only_looks_like_tiles_is_left_alone(tmp_path, picture):
    # Two passes cropped to what is in them, a picture beside its wide version, one lone tile.
    write_tile(tmp_path / "crop" / "TW091_lamp_v001.1001.exr", picture, (40, 20, 300, 200))
    write_tile(tmp_path / "crop" / "TW091_buoy_v001.1001.exr", picture, (100, 60, 360, 250))
    for name in ("TW092_4x3.exr", "TW092_16x9.exr"):
        write_tile(tmp_path / "ratio" / name, picture, (0, 0, 200, 150), in_display=False)
    write_tile(tmp_path / "lone" / "TW093_r1c1.exr", picture, (0, 0, 200, 150), in_display=False)
    assert not scan(str(tmp_path), roots=[str(tmp_path)]).tiles
    # What does look like them can be said to be none.
    for row, col, box in boxes(1, 2, 0):
        write_tile(tmp_path / "two" / f"TW094_r{row}c{col}_v001.1001.exr", picture, box, in_display=False)
    place = str(tmp_path / "two")
    pattern = scan(place, roots=[place]).tiles[0].pattern
    apart = scan(place, roots=[place], words={pattern: "apart"})
    assert not apart.tiles and len(apart.sequences) == 2


def test_tiles_that_can_t_be_joined_say_why(tmp_path, picture):
    for row, col, box in boxes(2, 2, 16):
        write_tile(tmp_path / f"TW090_r{row}c{col}_v001.1001.exr", picture, box)
    tiles = found_in(tmp_path)
    (tmp_path / "TW090_r1c1_v001.1001.exr").write_bytes(b"no picture")
    assert found_in(tmp_path).obstacle.code == "tile-unreadable"
    write_tile(tmp_path / "TW090_r1c1_v001.1001.exr", picture, (300, 100, WIDTH, HEIGHT), kind="float")
    assert found_in(tmp_path).obstacle.code == "tile-differs"
    with pytest.raises(SourceError, match="not 248 x 143 as the tile in row 2, column 2 was"):
        join(tiles, 1001, str(tmp_path / "out.exr"))
    assert not list(tmp_path.glob("*out*")), "nothing half-written is left"
    write_tile(tmp_path / "TW090_r01c01_v001.1001.exr", picture, (300, 100, WIDTH, HEIGHT))
    assert "tile-doubled" in {finding.code for finding in found_in(tmp_path).findings}


def test_one_infinite_pixel_and_a_dark_tile_do_not_mislead(tmp_path, picture):
    light = picture[0].copy()
    light[100, 130] = np.inf
    light[:135, :200] = 0
    light[200, 240] = np.nan
    for row, col, box in boxes(2, 2, 20):
        write_tile(tmp_path / f"TW090_r{row}c{col}_v001.1001.exr", (light, *picture[1:]), box)
    tiles = found_in(tmp_path)
    assert not tiles.findings and not tiles.is_uneven
    joined = planes_of(join(tiles, 1001, str(tmp_path / "joined.exr"), evens=True).path)
    assert np.array_equal(joined["R"], light[..., 0].astype(np.float16), equal_nan=True)


def test_a_torn_first_frame_in_a_window_of_its_own_stops_no_scan(tmp_path):
    """Its layout is not known; that it can't be read is told, and nothing else is asked of it."""
    plane = np.float16(np.random.default_rng(6).random((40, 60)))
    said = {"dataWindow": ((0, 10), (59, 49)), "displayWindow": ((0, 0), (79, 59))}
    for number in (1001, 1002, 1003):
        path = write_plain(tmp_path / f"TW010_v001.{number}.exr", dict.fromkeys("RGB", plane), **said)
        if number == 1001:
            path.write_bytes(path.read_bytes()[:300])
    (one,) = scan(str(tmp_path), roots=[str(tmp_path)]).candidates
    assert [number for number, fault in one.frames.items() if fault] == [1001]
