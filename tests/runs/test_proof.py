"""The proof: equal means equal bit by bit, and every way of being different is found."""

import subprocess
import sys

import numpy as np
import OpenEXR
import pytest
from makers import write_plain

from drawstring.core.errors import OutputError
from drawstring.core.io import Window
from drawstring.core.io.writing import PartToWrite, put_parts
from drawstring.core.pack.form import Compression, is_lossy
from drawstring.runs.proof import BLOCK, checksum, prove

RNG = np.random.default_rng(5)
H, W = 2 * BLOCK + 5, 33
WINDOW = Window(0, 0, W - 1, H - 1)


def planes() -> dict[str, np.ndarray]:
    z = RNG.gamma(2, 9, (H, W)).astype(np.float32)
    z[3, 4], z[60, 1], z[5, 5] = np.nan, np.inf, -0.0
    return {
        "A": np.ones((H, W), np.float16),
        "R": RNG.random((H, W)).astype(np.float16),
        "Z": z,
        "id": RNG.integers(0, 2**32, (H, W), dtype=np.uint32),
        "n.X": RNG.normal(size=(H, W)).astype(np.float16),
    }


@pytest.mark.parametrize(
    "names", [["A", "R"], ["A", "R", "Z"], ["A", "Z", "n.X", "R"], ["A", "R", "Z", "id", "n.X"]]
)
def test_what_came_back_equal_is_proven_whatever_the_types(tmp_path, names):
    written = {name: plane for name, plane in planes().items() if name in names}
    path = str(write_plain(tmp_path / "a.exr", written))
    proof = prove(path, [PartToWrite(written, "zip", WINDOW)])
    assert (proof["channels"], proof["equal"], proof["largest_difference"]) == (len(names), len(names), {})


@pytest.mark.parametrize(
    ("name", "row", "value"),
    [("R", H - 1, 0.123), ("Z", 0, 1e-30), ("id", BLOCK, 7), ("Z", 5, 0.0), ("A", BLOCK - 1, np.nan)],
    ids=["last row", "tiny", "whole number", "minus zero", "nan"],
)
def test_a_single_changed_value_is_found(tmp_path, name, row, value):
    written = planes()
    path = str(write_plain(tmp_path / "a.exr", written))
    meant = {n: plane.copy() for n, plane in written.items()}
    meant[name][row, 5] = value
    with pytest.raises(OutputError, match=f"{name} came back different"):
        prove(path, [PartToWrite(meant, "zip", WINDOW)])
    if name == "id":
        with pytest.raises(OutputError, match="id came back different"):
            prove(path, [PartToWrite(meant, "lj2k", WINDOW)])
        return
    stated = prove(path, [PartToWrite(meant, "lj2k", WINDOW)])
    assert stated["equal"] == 4 and set(stated["largest_difference"]) == {name}
    # A NaN for a number is told as such; a sign of 0 is no difference in size, but one in bits.
    assert stated.get("not_numbers") == ({name: 1} if np.isnan(value) else None)
    apart = (
        0
        if value == 0.0 or np.isnan(value)
        else abs(float(written[name][row, 5]) - float(meant[name][row, 5]))
    )
    assert stated["largest_difference"][name] == pytest.approx(apart)


def test_other_channels_windows_and_torn_files_are_no_proof(tmp_path):
    written = planes()
    path = tmp_path / "a.exr"
    write_plain(path, written)
    with pytest.raises(OutputError, match="its channels differ: Z"):
        prove(str(path), [PartToWrite({n: p for n, p in written.items() if n != "Z"}, "zip", WINDOW)])
    with pytest.raises(OutputError, match="data window is another one"):
        prove(str(path), [PartToWrite(written, "zip", Window(1, 0, W, H - 1))])
    with pytest.raises(OutputError, match="part b is not there"):
        prove(str(path), [PartToWrite(written, "zip", WINDOW), PartToWrite(written, "zip", WINDOW, "b")])
    before = checksum(str(path))
    path.write_bytes(path.read_bytes()[:900])
    assert checksum(str(path)) != before
    with pytest.raises(OutputError, match="can't be"):
        prove(str(path), [PartToWrite(written, "zip", WINDOW)])


def test_lossy_differences_are_stated_as_large_as_they_are(tmp_path):
    written = {"R": RNG.random((H, W)).astype(np.float16)}
    path = str(write_plain(tmp_path / "a.exr", written))
    meant = {"R": written["R"].copy()}
    meant["R"][BLOCK + 1, 2] += np.float16(0.25)
    stated = prove(path, [PartToWrite(meant, "dwaa", WINDOW)])
    true = abs(float(meant["R"][BLOCK + 1, 2]) - float(written["R"][BLOCK + 1, 2]))
    assert stated["largest_difference"] == {"R": pytest.approx(true)} and stated["equal"] == 0


@pytest.mark.parametrize("compression", Compression)
@pytest.mark.parametrize("tile", [0, 64])
def test_every_form_of_a_part_is_written_and_proven_by_the_other_reader(tmp_path, compression, tile):
    whole, small = planes(), Window(4, 2, 20, 11)
    whole["R"][:] = np.linspace(0, 1, W)  # what lossy kinds are made for
    del whole["id"]
    parts = [
        PartToWrite(whole, compression.value, WINDOW, "main", tile, {"view": "left"}),
        PartToWrite({"Z": whole["Z"][2:12, 4:21]}, "zip", small, "cut"),
    ]
    path = str(tmp_path / "a.exr")
    put_parts(path, parts, display_window=WINDOW, metadata={"comments": "two"})
    proof = prove(path, parts)
    free = {
        f"main/{name}"
        for name, plane in whole.items()
        if is_lossy(compression, {2: "half", 4: "float"}[plane.itemsize], name)
    }
    assert proof["channels"] == 5 and set(proof["largest_difference"]) <= free
    with OpenEXR.File(path) as file:
        assert [part.name() for part in file.parts] == ["main", "cut"]
        assert file.parts[0].header["compression"].name.lower() in (
            f"{compression}_compression",
            "no_compression",
        )
        assert ("tiles" in file.parts[0].header) is bool(tile)
        window = file.parts[1].header["dataWindow"]
        assert [*window[0], *window[1]] == list(small)
        np.testing.assert_array_equal(file.parts[1].channels["Z"].pixels, whole["Z"][2:12, 4:21])
    changed = {**whole, "A": whole["A"] * np.float16(0.5), "Z": np.nan_to_num(whole["Z"]) + 1}
    with pytest.raises(OutputError, match="came back"):
        prove(path, [parts[0], PartToWrite({"Z": changed["Z"][2:12, 4:21]}, "zip", small, "cut")])
    if compression is Compression.PXR24:
        with pytest.raises(OutputError, match="further off than pxr24 explains"):
            prove(
                path,
                [
                    PartToWrite({**whole, "Z": whole["Z"] * np.float32(1.001)}, "pxr24", WINDOW, "main"),
                    parts[1],
                ],
            )


def test_workers_load_no_database():
    """What computes a frame is loaded by workers anywhere, where there is none and memory is for pictures."""
    asked = (
        "import sys; import drawstring.runs.frame, drawstring.runs.measuring, drawstring.runs.readers;"
        "from drawstring.runs.homes import files_beside; from drawstring.core.recipe import Recipe;"
        "files_beside((), Recipe()); print(sorted({'sqlalchemy', 'flask', 'distributed'} & set(sys.modules)))"
    )
    assert subprocess.run([sys.executable, "-c", asked], capture_output=True, text=True).stdout == "[]\n"
