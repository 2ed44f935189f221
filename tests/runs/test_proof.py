"""The proof: equal means equal bit by bit, and every way of being different is found."""

import numpy as np
import pytest
from makers import write_plain

from drawstring.core.errors import OutputError
from drawstring.core.io import Window
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
    proof = prove(path, written, data_window=WINDOW, is_lossy=False)
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
        prove(path, meant, data_window=WINDOW, is_lossy=False)
    stated = prove(path, meant, data_window=WINDOW, is_lossy=True)
    assert stated["equal"] >= 4


def test_other_channels_windows_and_torn_files_are_no_proof(tmp_path):
    written = planes()
    path = tmp_path / "a.exr"
    write_plain(path, written)
    with pytest.raises(OutputError, match="its channels differ: Z"):
        prove(str(path), {n: p for n, p in written.items() if n != "Z"}, data_window=WINDOW, is_lossy=False)
    with pytest.raises(OutputError, match="data window is another one"):
        prove(str(path), written, data_window=Window(1, 0, W, H - 1), is_lossy=False)
    before = checksum(str(path))
    path.write_bytes(path.read_bytes()[:900])
    assert checksum(str(path)) != before
    with pytest.raises(OutputError, match="can't be"):
        prove(str(path), written, data_window=WINDOW, is_lossy=False)


def test_lossy_differences_are_stated_as_large_as_they_are(tmp_path):
    written = {"R": RNG.random((H, W)).astype(np.float16)}
    path = str(write_plain(tmp_path / "a.exr", written))
    meant = {"R": written["R"].copy()}
    meant["R"][BLOCK + 1, 2] += np.float16(0.25)
    stated = prove(path, meant, data_window=WINDOW, is_lossy=True)
    true = abs(float(meant["R"][BLOCK + 1, 2]) - float(written["R"][BLOCK + 1, 2]))
    assert stated["largest_difference"] == {"R": pytest.approx(true)} and stated["equal"] == 0
