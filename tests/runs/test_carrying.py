"""Large frames are packed band by band: the same files and proofs as of frames that are held whole."""

import os
import tracemalloc

import numpy as np
import OpenEXR
import pytest
from makers import same_bits

from drawstring.core.arrivals import scan
from drawstring.core.depth import DepthSettings
from drawstring.core.errors import OutputError
from drawstring.core.io import ChannelRef, read_facts
from drawstring.core.io.facts import Window
from drawstring.core.io.taking_over import put_with_taken
from drawstring.core.io.writing import PartToWrite
from drawstring.core.pack import PackSettings
from drawstring.core.pack import carried as carried_module
from drawstring.core.pack.carried import BAND, carry
from drawstring.core.pack.form import Parts
from drawstring.core.passes import recognise
from drawstring.core.recipe import Recipe, change
from drawstring.runs import carrying
from drawstring.runs.frame import carry_out
from drawstring.runs.proof import prove
from drawstring.runs.run_plan import FrameTask, RunPlan, SourceFile

H, W = 2 * BAND + 37, 83
RNG = np.random.default_rng(7)


def planes() -> dict[str, np.ndarray]:
    """Give channels of every type, with values that no picture should hold in each band."""
    light = np.float16(RNG.random((H, W)))
    light[[3, BAND + 3, H - 1], 5] = np.nan, np.inf, -0.5
    ids = RNG.integers(0, 2**32, (H, W), np.uint32)
    depth = np.float32(2 + 60 * RNG.random((H, W)))
    return {
        "R": light, "G": np.float16(RNG.random((H, W))), "B": light[::-1].copy(),
        "A": np.ones((H, W), np.float16), "depth.Z": depth, "uCryptoObject.id": ids,
        "albedo.R": light, "albedo.G": light * 2, "albedo.B": light[:, ::-1].copy(),
        "pref.x": np.float32(-depth), "pref.y": depth, "pref.z": depth,
    }  # fmt: skip


def by_library(path, how, *, parts=False, window=(0, 0)):
    """Write as renderers do: in lines or tiles, from below, in one part or a part for each layer."""
    header = {"compression": getattr(OpenEXR, f"{how.split()[0]}_COMPRESSION"), "type": OpenEXR.scanlineimage}
    (left, top), shown = window, ((0, 0), (W - 1, H - 1))
    corners = {"dataWindow": ((left, top), (left + W - 1, top + H - 1)), "displayWindow": shown}
    if "tiled" in how:
        tiles = OpenEXR.TileDescription()
        tiles.xSize = tiles.ySize = 32
        header |= {"type": OpenEXR.tiledimage, "tiles": tiles}
    if "upwards" in how:
        header["lineOrder"] = OpenEXR.DECREASING_Y
    layers: dict[str, dict] = {}
    for name, plane in planes().items():
        layers.setdefault(name.rpartition(".")[0] if parts else "", {})[name] = plane
    written = [
        OpenEXR.Part({**header, **corners}, inside, layer or "main") for layer, inside in layers.items()
    ]
    with OpenEXR.File(written) as file:
        file.write(str(path))
    return str(path)


def pack(folder, path, recipe, *, packed=(), name="A_v001.0001.exr"):
    facts = read_facts(path)
    window = facts.parts[0].data_window
    plan = RunPlan(1, "A", "B", 1, str(folder), "m", recipe, "d", tuple(recognise(facts)), window)
    source = SourceFile(0, path, facts.size_bytes, facts.mtime_ns, packed)
    return carry_out(plan, FrameTask(1, (source,), name))


def both_ways(monkeypatch, folder, path, recipe, **how):
    """Pack a frame held whole and by bands; give both answers."""
    answers = []
    for name, worth in (("whole", 1 << 60), ("banded", 0)):
        monkeypatch.setattr(carrying, "WORTH", worth)
        monkeypatch.setattr(carrying, "WORTH_TWICE", worth)
        into = folder / name
        into.mkdir(parents=True)
        answers.append(pack(into, path, recipe, **how))
    return answers


def carries(answer) -> int:
    said = next(step["says"] for step in answer.log if "computed" in step["says"])
    return int(said.split("; ")[1].split()[0]) if "by bands" in said else 0


SETTLED = DepthSettings(near=2, far=62, settled_on="x")


@pytest.mark.parametrize(
    ("came", "goes", "parts"),
    [
        ("ZIP", "zip", False), ("ZIPS", "piz", True), ("NO", "zips", False), ("ZIP tiled", "zip", True),
        ("ZIP upwards", "none", False), ("PIZ", "zip", False), ("ZIP", "rle", True), ("ZIPS", "dwaa", False),
    ],
)  # fmt: skip
def test_a_frame_packed_by_bands_is_the_one_that_was_held_whole(monkeypatch, tmp_path, came, goes, parts):
    path = by_library(tmp_path / "came.exr", came, parts=parts)
    for layout, depth in ((Parts.ONE, DepthSettings()), (Parts.PASSES, SETTLED), (Parts.CAME, SETTLED)):
        recipe = Recipe(depth=depth, pack=PackSettings(compression=goes, parts=layout))
        whole, banded = both_ways(monkeypatch, tmp_path / layout.name, path, recipe)
        assert whole.checksum and whole.checksum == banded.checksum, (whole.fault, banded.fault)
        assert whole.proof == banded.proof and carries(whole) == 0 and whole.proof["odd_values"]
        expected = came != "PIZ" and goes in ("zip", "zips", "none", "piz")
        assert (carries(banded) > 6) is (expected and (layout is not Parts.PASSES or parts)), banded.log


@pytest.mark.parametrize(
    ("settings", "by_bands"),
    [
        ({}, 12), ({"pack.depth.stored": "half"}, 11), ({"pack.diffuse_albedo.goes": "no"}, 9),
        ({"pack.alpha": "straight"}, 8), ({"pack.reach": "what is covered"}, 0),
        ({"pack.tiling": "tiles of 64"}, 0), ({"pack.line_order": "bottom line first"}, 0),
        ({"pack.also": "pass_pictures"}, 0), ({"pack.constants": "holdout.V = 1"}, 12),
    ],
)  # fmt: skip
def test_what_is_asked_of_the_package_decides_what_is_carried(monkeypatch, tmp_path, settings, by_bands):
    path = by_library(tmp_path / "came.exr", "ZIP")
    recipe = change(Recipe(), settings, scene_unit="m")
    whole, banded = both_ways(monkeypatch, tmp_path, path, recipe)
    assert (whole.checksum, whole.proof) == (banded.checksum, banded.proof) and whole.checksum, whole.fault
    assert carries(banded) == by_bands, banded.log


def test_other_windows_and_pictures_of_other_sizes_are_put_together_whole(monkeypatch, tmp_path):
    for window in ((0, 0), (-4, 9)):
        path = by_library(tmp_path / f"came{window[0]}.exr", "ZIPS", window=window)
        whole, banded = both_ways(monkeypatch, tmp_path / f"to{window[0]}", path, Recipe())
        assert whole.checksum == banded.checksum != "" and carries(banded) == 12


@pytest.mark.parametrize(
    ("settings", "by_bands"),
    [
        ({}, True), ({"pack__files": "a file for each pass"}, False), ({"pack__parts": "as it came"}, True),
        ({"depth__mist__add": "haze", "depth__mist__1__depth": "50"}, True),
    ],
)  # fmt: skip
def test_packages_are_the_same_by_bands(monkeypatch, tmp_path, sources, packed, settings, by_bands):
    folder = tmp_path / "TW010"
    folder.mkdir()
    for path in sorted((sources / "tidewrack" / "TW010").rglob("*.exr"))[:2]:
        with OpenEXR.File(str(path), separate_channels=True) as file:
            header = {**file.header(), "compression": OpenEXR.ZIPS_COMPRESSION}
            with OpenEXR.File(header, {n: c.pixels for n, c in file.channels().items()}) as copy:
                copy.write(str(folder / path.name))
    (came,) = scan(str(folder), roots=[str(tmp_path)]).candidates
    runs = []
    for worth in (1 << 60, 0):
        monkeypatch.setattr(carrying, "WORTH", worth)
        monkeypatch.setattr(carrying, "WORTH_TWICE", worth)
        runs.append(packed(of=came, **({} if runs else settings)))  # they stay
    whole, banded = runs
    assert whole.state == banded.state == "done" and same_bits(whole.folder, banded.folder)
    proofs = [[{**row.proof, "beside": 0} for row in run.frames] for run in runs]
    assert proofs[0] == proofs[1]
    assert all("by bands" in str(row.log) for row in banded.frames) is by_bands, banded.frames[0].log


def test_no_more_than_a_band_is_held(monkeypatch, tmp_path):
    monkeypatch.setattr(carrying, "WORTH", 0)
    wide, high, layers = 640, 1280, "abcdefghijkl"
    here = {f"{layer}.{c}": np.float16(RNG.random((high, wide))) for layer in layers for c in "RGB"}
    window = Window(0, 0, wide - 1, high - 1)
    put_with_taken(str(tmp_path / "came.exr"), [PartToWrite(here, "zip", window)], display_window=window)
    size = sum(plane.nbytes for plane in here.values())
    del here
    tracemalloc.start()
    answer = pack(tmp_path, str(tmp_path / "came.exr"), Recipe())
    _, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert answer.checksum and carries(answer) == 3 * len(layers)
    assert peak < size / 4


def test_what_is_damaged_or_changes_meanwhile_is_told_and_leaves_nothing(monkeypatch, tmp_path):
    path = by_library(tmp_path / "came.exr", "ZIP")
    whole = open(path, "rb").read()
    middle = len(whole) // 2
    (tmp_path / "cut.exr").write_bytes(whole[:middle] + b"\0" * 3000 + whole[middle + 3000 :])
    held, banded = both_ways(monkeypatch, tmp_path / "cut", str(tmp_path / "cut.exr"), Recipe())
    assert "cut.exr can't be decoded" in held.fault["what"] and "decoded" in banded.fault["what"]
    assert held.fault["remedy"] == banded.fault["remedy"] and "index" not in held.fault["what"]
    real = carried_module.read_channels

    def touched(*arguments, **named):
        os.utime(path, ns=(1, 1))
        return real(*arguments, **named)

    monkeypatch.setattr(carried_module, "read_channels", touched)
    (tmp_path / "to").mkdir()
    answer = pack(tmp_path / "to", path, Recipe())
    assert "has changed since it was accepted" in answer.fault["what"]
    assert not any(files for _, _, files in os.walk(tmp_path / "to"))
    assert not any(files for _, _, files in os.walk(tmp_path / "cut"))


def test_a_file_that_was_there_is_proven_and_one_with_other_values_is_not(monkeypatch, tmp_path):
    path = by_library(tmp_path / "came.exr", "ZIP")
    _, first = both_ways(monkeypatch, tmp_path, path, Recipe())
    again = pack(tmp_path / "banded", path, Recipe())
    assert again.checksum == first.checksum and again.proof == first.proof and "was there" in str(again.log)
    # Whoever reads all rows in their order knows the digest; a file that holds something else is told by it.
    facts = read_facts(path)
    refs = [ChannelRef(0, channel.name) for channel in facts.parts[0].channels]
    for changed in refs:
        carried = {ref.name: plane for ref, plane in carry(facts, refs).items()}
        written = {name: np.asarray(plane).copy() for name, plane in carried.items()}
        written[changed.name].view(np.uint8)[H - 2, 7] ^= 1
        window = facts.parts[0].data_window
        odd = str(tmp_path / f"{changed.name}.exr")
        put_with_taken(odd, [PartToWrite(written, "zip", window)], display_window=window)
        for _ in range(2):  # once without the digests, once with them
            with pytest.raises(OutputError, match=f"{changed.name} came back different"):
                prove(odd, [PartToWrite(carried, "zip", window)])
            assert all(plane.odd for plane in carried.values())
            assert {plane.digest for plane in carried.values()} != {None}
