"""What is handed in: hostile archives leave nothing behind, honest ones arrive whole."""

import io
import os
import stat
import zipfile

import pytest
from hypothesis import given
from hypothesis import strategies as st

from drawstring.core.arrivals.inbox import safe_name, unpack
from drawstring.core.errors import ConflictError, SettingError, SourceError
from drawstring.runs.inbox import batch_folder, receive

HONEST = {
    "TW010/fog.0001.exr": b"one",
    "TW010/fog.0002.exr": b"two" * 400,
    "notes.txt": b"no",
    "._x.exr": b"y",
}


def archive(members: dict[str, bytes], *, compression: int = zipfile.ZIP_DEFLATED) -> bytes:
    data = io.BytesIO()
    with zipfile.ZipFile(data, "w", compression) as packed:
        for name, content in members.items():
            packed.writestr(zipfile.ZipInfo(name) if name.startswith("/") else name, content)
    return data.getvalue()


def linked() -> bytes:
    data = io.BytesIO()
    with zipfile.ZipFile(data, "w") as packed:
        link = zipfile.ZipInfo("fog.0001.exr")
        link.external_attr = (stat.S_IFLNK | 0o777) << 16
        packed.writestr(link, "/etc/passwd")
    return data.getvalue()


def lying() -> bytes:
    """Make an archive whose table says that a file is small when it is not."""
    whole = bytearray(archive({"fog.0001.exr": b"\0" * 40_000}))
    for mark, at in ((b"PK\x01\x02", 24), (b"PK\x03\x04", 22)):
        place = whole.index(mark) + at
        whole[place : place + 4] = (7).to_bytes(4, "little")
    return bytes(whole)


def spoilt() -> bytes:
    """Make an archive whose packed bytes are no packed bytes."""
    whole = bytearray(archive({"fog.0001.exr": b"fog" * 400}))
    whole[30 + len("fog.0001.exr")] = 0xFF  # RFC 1951: block type 3 is reserved
    return bytes(whole)


HOSTILE = {
    "a way up": (archive({"../out.exr": b"x"}), "outside its folder"),
    "a way up in the middle": (archive({"a/../../out.exr": b"x"}), "outside its folder"),
    "an absolute name": (archive({"/tmp/out.exr": b"x"}), "outside its folder"),
    "another system's way": (archive({"..\\out.exr": b"x"}), "outside its folder"),
    "a drive": (archive({"C:\\out.exr": b"x"}), "outside its folder"),
    "a link": (linked(), "holds a link"),
    "a bomb": (archive({"bomb.exr": b"\0" * (4 << 20)}), "grows 200 times"),
    "a lie": (lying(), "can't be unpacked|than is allowed"),
    "spoilt bytes": (spoilt(), "can't be unpacked"),
    "nothing": (archive({"notes.txt": b"x"}), "holds no picture"),
    "no archive": (b"PK nonsense", "can't be unpacked"),
    "a cut": (archive(HONEST)[:-30], "can't be unpacked"),
}


@pytest.mark.parametrize("name", HOSTILE)
def test_a_hostile_archive_leaves_nothing_behind(tmp_path, name):
    data, words = HOSTILE[name]
    folder = tmp_path / "inbox" / "b"
    with pytest.raises(SourceError, match=words) as refusal:
        receive(str(folder), "yard.zip", io.BytesIO(data), len(data))
    assert refusal.value.what.startswith("yard.zip") and refusal.value.remedy
    assert list(folder.iterdir()) == [] and not (tmp_path / "out.exr").exists()


def test_bounds_are_counted_while_unpacking(tmp_path):
    path = tmp_path / "a.zip"
    path.write_bytes(archive({f"f.{i:04d}.exr": os.urandom(1000) for i in range(9)}))
    with pytest.raises(SourceError, match="holds 9 files; up to 8"):
        unpack(str(path), str(tmp_path / "x"), max_files=8)
    with pytest.raises(SourceError, match="more than is allowed"):
        unpack(str(path), str(tmp_path / "y"), max_bytes=5000)


def test_honest_files_arrive_whole_and_are_never_overwritten(tmp_path):
    folder = batch_folder(str(tmp_path), "Tidewrack", "20261124-101500")
    data = archive(HONEST)
    names = receive(folder, "C:\\jobs\\yard.zip", io.BytesIO(data), len(data))
    assert names == ["yard/._x.exr", "yard/TW010/fog.0001.exr", "yard/TW010/fog.0002.exr"]
    assert (tmp_path / "inbox/Tidewrack/20261124-101500/yard/TW010/fog.0002.exr").read_bytes() == b"two" * 400
    assert receive(folder, "../a.0001.exr", io.BytesIO(b"first"), 5) == ["a.0001.exr"]
    with pytest.raises(ConflictError, match="handed in already"):
        receive(folder, "a.0001.exr", io.BytesIO(b"other"), 5)
    with pytest.raises(ConflictError, match="handed in already"):
        receive(folder, "yard.zip", io.BytesIO(data), len(data))
    with pytest.raises(SourceError, match="cut short after 3 of 9"):
        receive(folder, "b.0001.exr", io.BytesIO(b"bit"), 9)
    with pytest.raises(SourceError, match=r"has 9,000,000,000 bytes"):
        receive(folder, "c.0001.exr", io.BytesIO(b""), 9_000_000_000)
    left = sorted(os.listdir(folder))
    assert (
        left == ["a.0001.exr", "yard"] and open(os.path.join(folder, "a.0001.exr"), "rb").read() == b"first"
    )


@pytest.mark.parametrize("batch", ["", "..", "a/b", "20261124", "20261124-101500/..", "x" * 40])
def test_a_batch_can_not_name_another_folder(batch):
    with pytest.raises(SettingError, match="is no hand-in"):
        batch_folder("/in", "Tidewrack", batch)


@given(st.text(max_size=60))
def test_no_name_leads_to_another_folder(name):
    try:
        safe = safe_name(f"{name}.exr")
    except SourceError:
        return
    assert os.path.basename(safe) == safe and not safe.startswith(".") and "\0" not in safe
