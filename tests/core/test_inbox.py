"""What is handed in: hostile archives leave nothing behind, honest ones arrive whole."""

import io
import os
import stat
import time
import zipfile

import pytest
from hypothesis import given
from hypothesis import strategies as st

from drawstring.core.arrivals.inbox import safe_name, safe_path, unpack
from drawstring.core.errors import ConflictError, MissingError, SettingError, SourceError
from drawstring.runs.inbox import announce, append, batch_folder, find_upload, forget, remove_leftovers

HONEST = {
    "TW010/fog.0001.exr": b"one",
    "TW010/fog.0002.exr": b"two" * 400,
    "notes.txt": b"no",
    "._x.exr": b"y",
}


def receive(folder: str, name: str, data: bytes, *, piece: int = 1 << 20) -> list[str]:
    """Hand a file in, piece by piece."""
    upload, names = announce(folder, name, len(data)), []
    for at in range(0, max(1, len(data)), piece):
        upload, names = append(folder, upload.number, at, io.BytesIO(data[at : at + piece]))
    return names


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
    "a bomb": (archive({"bomb.exr": b"\0" * (4 << 20)}), "grow 200 times"),
    "a bomb in many pieces": (
        archive({f"bomb.{i:04d}.exr": b"\0" * 1_000_000 for i in range(8)}),
        "grow 200 times",
    ),
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
        receive(str(folder), "yard.zip", data)
    assert refusal.value.what.startswith("yard.zip") and refusal.value.remedy
    assert list(folder.iterdir()) == [], "neither a piece nor a note"
    assert not (tmp_path / "out.exr").exists()


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
    names = receive(folder, "yard.zip", data, piece=7)
    assert names == ["yard/TW010/fog.0001.exr", "yard/TW010/fog.0002.exr"]
    assert (tmp_path / "inbox/Tidewrack/20261124-101500/yard/TW010/fog.0002.exr").read_bytes() == b"two" * 400
    assert receive(folder, "../a.0001.exr", b"first", piece=2) == ["a.0001.exr"]
    with pytest.raises(ConflictError, match="handed in already"):
        receive(folder, "a.0001.exr", b"other")
    with pytest.raises(ConflictError, match="handed in already"):
        receive(folder, "yard.zip", data)
    with pytest.raises(SourceError, match=r"has 9,000,000,000 bytes"):
        announce(folder, "c.0001.exr", 9_000_000_000)
    left = sorted(name for name in os.listdir(folder) if not name.startswith("."))
    assert left == ["a.0001.exr", "yard"]
    assert open(os.path.join(folder, "a.0001.exr"), "rb").read() == b"first"


def test_a_file_that_was_cut_off_goes_on_where_it_stopped_and_nowhere_else(tmp_path):
    folder = str(tmp_path / "b")
    number = announce(folder, "Nacht/Übergang/霧.0001.exr", 9).number
    append(folder, number, 0, io.BytesIO(b"fog"))
    assert find_upload(folder, number).offset == 3
    for wrong in (0, 2, 4, 9):
        with pytest.raises(ConflictError, match="goes on at 3"):
            append(folder, number, wrong, io.BytesIO(b"x"))
    with pytest.raises(SourceError, match="larger than the 9 bytes"):
        append(folder, number, 3, io.BytesIO(b"too much of it"))
    assert find_upload(folder, number).offset == 3, "nothing of a refused piece is kept"
    upload, names = append(folder, number, 3, io.BytesIO(b" rolls"))
    assert names == ["Nacht/Übergang/霧.0001.exr"] and upload.offset == 9
    assert (tmp_path / "b" / names[0]).read_bytes() == b"fog rolls"
    assert find_upload(folder, number).offset == 9, "who did not hear the answer asks again"


def test_what_nobody_goes_on_with_is_removed_after_a_day_and_nothing_else(tmp_path):
    folder = batch_folder(str(tmp_path), "Tidewrack", "20261124-101500")
    old, new = announce(folder, "old.0001.exr", 9).number, announce(folder, "new.0001.exr", 9).number
    receive(folder, "whole.0001.exr", b"whole")
    given_up = announce(folder, "given-up.0001.exr", 9).number
    forget(folder, given_up)
    day_ago = time.time() - 25 * 3600
    for path in tmp_path.rglob(f"*{old}*"):
        os.utime(path, (day_ago, day_ago))
    os.utime(os.path.join(folder, "whole.0001.exr"), (day_ago, day_ago))
    assert remove_leftovers(str(tmp_path)) == 2 and find_upload(folder, new).size == 9
    for number in (old, given_up, "../whole", "0" * 32):
        with pytest.raises(MissingError, match="not known here any more"):
            find_upload(folder, number)
    assert os.path.exists(os.path.join(folder, "whole.0001.exr"))


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
    path = os.path.normpath(os.path.join("/in", safe_path(f"{name}/{name}.exr")))
    assert path.startswith("/in/") and "/." not in path
    assert os.path.basename(safe) == safe and not safe.startswith(".") and "\0" not in safe
