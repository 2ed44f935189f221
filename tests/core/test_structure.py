"""Structures of many kinds: chunk tables walked, layers split, sequences reported, headers kept."""

import json
import os
from fractions import Fraction
from pathlib import Path

import numpy as np
import OpenEXR
import OpenImageIO as oiio
import pytest
from makers import write_plain

from drawstring.core.arrivals import scan, survey
from drawstring.core.arrivals.report import STRAY
from drawstring.core.depth import DepthSettings
from drawstring.core.errors import SourceError
from drawstring.core.io import ChannelRef, read_channels, read_facts
from drawstring.core.io.chunks import Shapes, walk
from drawstring.core.io.writing import write_exr
from drawstring.core.pack import header_of
from drawstring.core.passes import Role, recognise
from drawstring.core.passes.layers import layers_of
from drawstring.core.recipe import Recipe
from drawstring.core.recipe.homes import header_by_knots
from drawstring.store.facts import facts_from_json, facts_to_json

RNG = np.random.default_rng(11)
PICTURE = RNG.random((75, 61, 4)).astype(np.float32)


def write_oiio(path, *, tile=0, compression="zip", order="increasingY", kind="float"):
    """Write with the library that ours does not write with."""
    spec = oiio.ImageSpec(PICTURE.shape[1], PICTURE.shape[0], 4, kind)
    spec.attribute("compression", compression)
    spec.attribute("openexr:lineOrder", order)
    if tile:
        spec.tile_width = spec.tile_height = tile
    out = oiio.ImageOutput.create(str(path))
    assert out.open(str(path), spec) and out.write_image(PICTURE) and out.close()
    return path


@pytest.mark.parametrize("compression", ["none", "rle", "zips", "zip", "piz", "pxr24", "b44", "dwaa", "dwab"])
@pytest.mark.parametrize(("tile", "order"), [(0, "increasingY"), (16, "increasingY"), (16, "randomY")])
def test_whole_files_of_every_form_are_whole_and_cut_ones_are_not(tmp_path, compression, tile, order):
    kind = "half" if compression == "b44" else "float"
    path = write_oiio(tmp_path / "a.exr", tile=tile, compression=compression, order=order, kind=kind)
    assert walk(str(path)).fault is None
    assert walk(str(path)).channel_types == ({"A": kind, "B": kind, "G": kind, "R": kind},)
    data = path.read_bytes()
    for share in (0.2, 0.6, 0.97):
        path.write_bytes(data[: int(len(data) * share)])
        assert walk(str(path)).fault


def test_lines_written_upwards_are_no_fault(tmp_path):
    header = {"lineOrder": OpenEXR.DECREASING_Y}
    planes = {"Z": PICTURE[..., 0].copy(), "R": PICTURE[..., 1].astype(np.float16)}
    path = str(write_plain(tmp_path / "up.exr", planes, **header))
    assert walk(path).fault is None
    # Small tiles of noise and of nothing: what follows the table reads like any number, 0 included.
    tiles = OpenEXR.TileDescription()
    tiles.xSize = tiles.ySize = 16
    noise = np.where(np.arange(90)[:, None] < 45, RNG.random((90, 130)), 0).astype(np.float32)
    tiled = {**header, "type": OpenEXR.tiledimage, "tiles": tiles, "compression": OpenEXR.NO_COMPRESSION}
    path = str(write_plain(tmp_path / "up_tiled.exr", {"Y": noise}, **tiled))
    assert walk(path).fault is None
    (tmp_path / "cut.exr").write_bytes(Path(path).read_bytes()[:-9])
    assert "ends early" in walk(str(tmp_path / "cut.exr")).fault
    path = str(tmp_path / "up.exr")
    np.testing.assert_array_equal(read_channels(path, [ChannelRef(0, "Z")])[ChannelRef(0, "Z")], planes["Z"])


def test_parts_that_are_cut_are_found(tmp_path):
    parts = [
        OpenEXR.Part({"type": OpenEXR.scanlineimage}, {"R": PICTURE[..., i].copy()}, f"part{i}")
        for i in range(3)
    ]
    path = tmp_path / "parts.exr"
    with OpenEXR.File(parts) as file:
        file.write(str(path))
    assert walk(str(path)).fault is None and len(walk(str(path)).channel_types) == 3
    data = path.read_bytes()
    # The first part is whole and is read; the others are told. Nothing is whole in a shorter one.
    path.write_bytes(data[: len(data) // 2])
    torn = walk(str(path))
    assert torn.fault is None and set(torn.unfinished) == {1, 2} and "ends early" in torn.unfinished[1]
    facts = read_facts(str(path))
    assert [len(part.channels) for part in facts.parts] == [1, 0, 0]
    name = facts.parts[0].channels[0].name
    plane = read_channels(str(path), [ChannelRef(0, name)])[ChannelRef(0, name)]
    np.testing.assert_array_equal(plane, PICTURE[..., 0])
    path.write_bytes(data[: len(data) // 5])
    assert "ends early" in walk(str(path)).fault


@pytest.mark.parametrize("form", ["lines", "tiles", "parts", "long"])
def test_a_header_that_is_known_is_never_taken_for_another(tmp_path, form):
    path = tmp_path / "a.exr"
    if form == "parts":
        parts = [
            OpenEXR.Part({"owner": f"crew {i}"}, {"R": PICTURE[..., i].copy()}, f"part{i}") for i in range(3)
        ]
        with OpenEXR.File(parts) as file:
            file.write(str(path))
    else:
        write_oiio(path, tile=16 if form == "tiles" else 0)
    if form == "long":
        write_plain(path, {"Z": PICTURE[..., 0].copy()}, manifest="tidewrack " * 9000)
    whole = path.read_bytes()
    other = tmp_path / "b.exr"
    other.write_bytes(whole)

    def told(*, known):
        shapes = Shapes()
        before = walk(str(path), shapes) if known else None
        here = walk(str(other), shapes)
        same = before is not None and here.structure is before.structure
        return (here.fault, here.structure, here.channel_lists, here.unfinished, here.deep), same

    assert told(known=True)[1]
    # Of a file that differs in one byte, what is known of the first must hide nothing.
    begin = len(whole) - 12_000 if form == "long" else whole.index(b"chlist\0")
    with open(other, "r+b", buffering=0) as file:
        for spot in (*range(12), *range(max(12, begin - 24), min(begin + 600, len(whole) - 1))):
            for value in {0, whole[spot] ^ 1} - {whole[spot]}:
                os.pwrite(file.fileno(), bytes([value]), spot)
                assert told(known=True)[0] == told(known=False)[0], (spot, value)
            os.pwrite(file.fileno(), whole[spot : spot + 1], spot)
    # A value that means nothing to the structure may be another of its length.
    if form in ("parts", "long"):
        other.write_bytes(whole.replace(b"crew 1", b"crew 9").replace(b"wrack ", b"wreck "))
        assert told(known=True)[1]


def test_a_part_that_was_never_finished_leaves_the_others_to_be_taken(tmp_path):
    folder = tmp_path / "TW080" / "v001"
    folder.mkdir(parents=True)
    for number in (1001, 1002, 1003):
        beauty = {name: PICTURE[..., i].copy() for i, name in enumerate("RGBA")}
        parts = [
            OpenEXR.Part({"type": OpenEXR.scanlineimage}, beauty, "beauty"),
            OpenEXR.Part({"type": OpenEXR.scanlineimage}, {"Z": PICTURE[..., 0].copy()}, "depth"),
        ]
        path = folder / f"TW080_main_v001.{number}.exr"
        with OpenEXR.File(parts) as file:
            file.write(str(path))
    path.write_bytes(path.read_bytes()[:-3000])
    here = scan(str(tmp_path), roots=[str(tmp_path)]).candidates[0]
    assert here.frames[1001] == here.frames[1002] == "" and here.frames[1003] and not here.obstacle
    for other in (1001, 1002):
        damaged = folder / f"TW080_main_v001.{other}.exr"
        damaged.write_bytes(damaged.read_bytes()[:-3000])
    here = scan(str(tmp_path), roots=[str(tmp_path)]).candidates[0]
    assert not any(here.frames.values()) and [one.role for one in here.passes][0] is Role.BEAUTY
    assert any(f.code == "part-unfinished" and "depth" in f.what for f in here.findings)


def test_deep_data_and_damaged_headers_are_called_what_they_are(tmp_path):
    spec = oiio.ImageSpec(4, 4, 5, "float")
    spec.channelnames, spec.deep = ("R", "G", "B", "A", "Z"), True
    deep = oiio.DeepData()
    deep.init(16, 5, oiio.TypeFloat, spec.channelnames)
    deep.set_samples(3, 2)
    out = oiio.ImageOutput.create(str(tmp_path / "deep.exr"))
    assert out.open(str(tmp_path / "deep.exr"), spec) and out.write_deep_image(deep) and out.close()
    whole = (tmp_path / "deep.exr").read_bytes()
    for size in (len(whole), len(whole) - 20):
        (tmp_path / "deep.exr").write_bytes(whole[:size])
        with pytest.raises(SourceError, match="deep data"):
            read_facts(str(tmp_path / "deep.exr"))
    flat = write_oiio(tmp_path / "flat.exr").read_bytes()
    (tmp_path / "cut.exr").write_bytes(flat[:60])
    assert walk(str(tmp_path / "cut.exr")).fault == "ends within its header"
    at = flat.index(b"compression\0compression\0") + len(b"compression\0compression\0")
    (tmp_path / "long.exr").write_bytes(flat[:at] + b"\xff\xff\xff\x7f" + flat[at + 4 :])
    assert "damaged header" in walk(str(tmp_path / "long.exr")).fault


@pytest.mark.parametrize(
    ("channels", "layers"),
    [
        (["R", "G", "B", "A"], {"": "RGBA"}),
        (["diffuse.B", "diffuse.G", "diffuse.R"], {"diffuse": "RGB"}),
        (["n.x", "n.y", "n.z"], {"n": "xyz"}),
        (["spec.red", "spec.green", "spec.blue"], {"spec": ["red", "green", "blue"]}),
        (["pos_x", "pos_y", "pos_z"], {"pos": "xyz"}),
        (["Z"], {"Z": "Z"}),
        (["depth.V", "R", "G", "B"], {"depth": "V", "": "RGB"}),
        (["view.layer.R", "view.layer.G"], {"view.layer": "RG"}),
    ],
)
def test_channels_are_gathered_into_layers_in_the_order_people_expect(tmp_path, channels, layers):
    plane = PICTURE[..., 0].copy()
    path = write_plain(tmp_path / "a.exr", dict.fromkeys(channels, plane))
    found = {layer.name: list(layer.suffixes) for layer in layers_of(read_facts(str(path)))}
    assert found == {name: list(suffixes) for name, suffixes in layers.items()}


def test_views_of_a_multi_part_file_keep_their_passes_apart(tmp_path):
    parts = [
        OpenEXR.Part(
            {"type": OpenEXR.scanlineimage, "view": view},
            {c: PICTURE[..., i].copy() for i, c in enumerate("RGB")},
            f"rgb.{view}",
        )
        for view in ("left", "right")
    ]
    path = str(tmp_path / "stereo.exr")
    with OpenEXR.File(parts) as file:
        file.write(path)
    passes = recognise(read_facts(path))
    assert [one.view for one in passes] == ["left", "right"]
    assert all(len(one.channels) == 3 for one in passes)


def test_odd_frames_are_used_when_nothing_is_missing_and_left_out_otherwise(tmp_path):
    folder = tmp_path / "TW300_v007"
    folder.mkdir()
    usual = {"R": PICTURE[..., 0].copy(), "depth.Z": PICTURE[..., 1].copy() * 9 + 1}
    for number in range(1, 7):
        write_plain(folder / f"TW300.{number:04d}.exr", usual)
    write_plain(folder / "TW300.0003.exr", usual, compression=OpenEXR.PIZ_COMPRESSION)
    write_plain(folder / "TW300.0004.exr", {"R": usual["R"]})
    write_plain(folder / "TW300.0005.exr", {name: plane[:50].copy() for name, plane in usual.items()})
    (folder / "notes.txt").write_text("nothing")
    (folder / "proof.png").write_bytes(b"png")
    found = scan(str(folder), roots=[str(tmp_path)])
    report, torn = found.sequences
    assert torn.unreadable == [0] and torn.is_still
    assert (report.code, report.version, report.unreadable) == ("TW300", 7, [4, 5])
    said = {one.what for one in found.findings if one.code == "frame-odd"}
    assert any("Frame 3" in what and "piz instead of zip" in what for what in said)
    assert any("Frame 4" in what and "has no depth.Z" in what for what in said)
    assert any("Frame 5" in what and "data window" in what for what in said)
    assert "Files that are no pictures were left out: 1 .txt." in [one.what for one in found.findings]
    assert found.as_dict()["sequences"][0]["unreadable"] == [4, 5]


def test_a_stray_number_far_away_is_one_finding(tmp_path):
    for number in (1, 2, 5, 3 + STRAY * 2):
        write_plain(tmp_path / f"a.{number:04d}.exr", {"R": PICTURE[..., 0].copy()})
    found = [
        one for one in scan(str(tmp_path), roots=[str(tmp_path)]).findings if one.code == "frame-missing"
    ]
    assert [one.what for one in found] == [
        "Frames 3 to 4 did not arrive.",
        f"Frames 6 to {2 + STRAY * 2} did not arrive.",
    ]
    assert "check the padding" not in found[0].remedy and "check the padding" in found[1].remedy


def test_a_survey_reads_each_layout_once_and_tells_files_apart(tmp_path):
    same = [
        write_plain(tmp_path / f"a.{i}.exr", {"R": PICTURE[..., 0].copy()}, note=f"take {i}")
        for i in range(4)
    ]
    other = write_plain(tmp_path / "b.1.exr", {"R": PICTURE[..., 0].astype(np.float16)})
    found = survey(map(str, [*same, other]))
    assert len(found.facts) == 2
    assert len({found.files[str(path)].layout for path in same}) == 1
    assert all(found.files[str(path)].size_bytes == path.stat().st_size for path in same)


def test_headers_keep_what_the_source_said_and_add_what_was_done(tmp_path):
    source = str(
        write_plain(
            tmp_path / "a.exr", {"R": PICTURE[..., 0].copy()}, owner="the yard", nearClip=0.1,
            worldToCamera=np.eye(4, dtype=np.float32),
        )
    )  # fmt: skip
    made = header_of(
        read_facts(source), shot="TW010", frame=7, version=3, recipe_digest="abc", scene_unit="m",
        by_knots=header_by_knots(Recipe(depth=DepthSettings(near=1, far=9)), ["depth_normalised"], 7),
    )  # fmt: skip
    assert made["owner"] == "the yard" and made["nearClip"] == pytest.approx(0.1)
    assert np.asarray(made["worldToCamera"]).shape == (4, 4)
    assert (made["drawstring.frame"], made["drawstring.depth.far"]) == (7, 9.0)
    without = header_of(
        read_facts(source),
        shot="A",
        frame=1,
        version=1,
        recipe_digest="",
        scene_unit="m",
        by_knots=header_by_knots(Recipe(), [], 1),
    )
    assert not any(name.startswith("drawstring.depth") for name in without)


def test_attributes_of_every_type_come_out_as_they_came(tmp_path):
    """What is neither text nor a plain number, read by the format's own library before and after."""
    film, clock = OpenEXR.KeyCode(), OpenEXR.TimeCode()
    film.filmMfcCode, film.filmType, film.prefix, film.count = 12, 34, 567890, 1234
    film.perfOffset, film.perfsPerFrame, film.perfsPerCount = 3, 4, 64
    clock.hours, clock.minutes, clock.seconds, clock.frame, clock.userData = 10, 58, 59, 28, 0x1234
    clock.dropFrame = clock.colorFrame = clock.bgf1 = True
    given = {
        "framesPerSecond": Fraction(30000, 1001), "keyCode": film, "timeCode": clock,
        "passes": ["beauty", "depth"], "tilesOfIt": np.int32([3, 5]), "cell": np.int32([1, 2, 3]),
        "exactPlace": np.float64([0.1, 0.2, 0.3]), "weights": [0.5, 0.25, 0.125, 1.0, 2.0],
        "eight": [float(i) for i in range(8)], "part": (np.int32([1, 2]), np.int32([30, 40])),
        "turn": np.arange(9, dtype=np.float64).reshape(3, 3), "envmap": OpenEXR.ENVMAP_LATLONG,
    }  # fmt: skip
    source = str(write_plain(tmp_path / "a.exr", {"R": PICTURE[..., 0].copy()}, **given))
    facts = facts_from_json(json.loads(json.dumps(facts_to_json(read_facts(source)))))
    made = header_of(
        facts, shot="TW010", frame=1001, version=1, recipe_digest="", scene_unit="m",
        frame_rate=29.97,
    )  # fmt: skip
    write_exr(
        str(tmp_path / "b.exr"), {"R": PICTURE[..., 0].copy()}, compression="zip",
        data_window=facts.window, display_window=facts.window, metadata=made,
    )  # fmt: skip
    before, after = (
        OpenEXR.File(str(tmp_path / name), header_only=True).header() for name in ("a.exr", "b.exr")
    )
    for name in given:
        assert type(before[name]) is type(after[name]), name
        if isinstance(before[name], np.ndarray):
            assert before[name].dtype == after[name].dtype, name
        assert repr(before[name]) == repr(after[name]), name
    assert after["timeCode"].userData == 0x1234 and after["framesPerSecond"] == Fraction(30000, 1001)


def test_roles_have_a_sentence_each():
    assert all(role.value == role.value.lower() for role in Role)


def test_a_chunk_table_without_an_end_is_a_fault_and_costs_little(tmp_path):
    path = write_plain(tmp_path / "a.exr", {"Y": PICTURE[..., 0].copy()})
    whole = path.read_bytes()
    # The first chunk is said to lie at the end of a long file of zeros: nothing says where the table ends.
    header_end = next(i for i in range(len(whole)) if _is_table(whole, i))
    size = 40_000_000
    path.write_bytes((whole[:header_end] + size.to_bytes(8, "little")).ljust(size, b"\0"))
    assert "chunk table that can't be right" in walk(str(path)).fault


def _is_table(data: bytes, at: int) -> bool:
    """Whether the table of a file of zip chunks begins here: its first entry points behind its last."""
    chunks = -(-PICTURE.shape[0] // 16)
    return int.from_bytes(data[at : at + 8], "little") == at + 8 * chunks
