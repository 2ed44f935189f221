"""Answers handed over in shared memory: the same bits, nothing left about; the pipe without room."""

import errno
import os
import pickle
import time

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra import numpy as arrays

from drawstring.core.io.facts import ChannelRef
from drawstring.runs import handing
from drawstring.runs.handing import WORTH_BYTES, Handed, clear_away, hand_over, taken
from drawstring.runs.readers import Readers

LARGE = WORTH_BYTES // 2


@pytest.fixture
def folder(tmp_path, monkeypatch):
    monkeypatch.setattr(handing, "FOLDER", tmp_path)
    return tmp_path


@given(
    st.lists(
        arrays.arrays(
            st.sampled_from([np.uint8, np.float16, np.uint32, np.float32]),
            st.sampled_from([(0, 3), (4, 5), (LARGE, 1), (3, LARGE), (2, LARGE, 4)]),
            fill=st.sampled_from([0, 1, 200]),
        ),
        max_size=4,
    )
)
def test_whatever_is_handed_over_comes_as_it_was(planes):
    # Every bit, also of a NaN that says something; as it lies, and turned so that it lies in no one piece.
    answer = {ChannelRef(0, f"c{i}"): plane.T if i % 2 else plane for i, plane in enumerate(planes)}
    over = hand_over(answer, os.getpid())
    assert isinstance(over, Handed) is any(plane.nbytes >= WORTH_BYTES for plane in planes)
    again = taken(pickle.loads(pickle.dumps(over)))
    assert list(again) == list(answer)
    for ref, plane in answer.items():
        assert again[ref].dtype == plane.dtype and again[ref].tobytes() == plane.tobytes()
        assert again[ref].shape == plane.shape and again[ref].flags.writeable


def test_nothing_lies_about_once_it_is_taken_and_no_other_user_may_look(folder):
    halves = np.full((64, LARGE), 0x7E01, np.uint16).view(np.float16)
    over = hand_over([halves, "and more"], os.getpid())
    (lies,) = folder.iterdir()
    assert lies.stat().st_size == halves.nbytes and lies.stat().st_mode & 0o777 == 0o600
    plane, words = taken(over)
    assert plane.tobytes() == halves.tobytes() and words == "and more" and not list(folder.iterdir())


def test_without_room_the_answer_goes_through_the_pipe(folder, monkeypatch):
    def full(*_):
        raise OSError(errno.ENOSPC, "no room")

    plane = np.ones((8, LARGE), np.float16)
    monkeypatch.setattr(os, "posix_fallocate", full)
    assert hand_over(plane, os.getpid()) is plane and not list(folder.iterdir())
    monkeypatch.undo()
    monkeypatch.setattr(handing, "FOLDER", folder / "nowhere")
    assert hand_over(plane, os.getpid()) is plane


def test_what_nobody_will_take_is_taken_away(folder):
    gone = os.fork()
    if not gone:
        os._exit(0)
    os.waitpid(gone, 0)
    here, long_ago = os.getpid(), time.time() - 3600
    names = [f"drawstring-{taker}-{maker}-{i}" for i, (taker, maker) in enumerate(
        [(gone, here), (here, gone), (here, here), (gone, gone)]
    )]  # fmt: skip
    for name in [*names, "drawstring-what-is-it", "somebody-else"]:
        (folder / name).write_bytes(b"\0")
        os.utime(folder / name, (long_ago, long_ago))
    os.utime(folder / names[3])  # just made: whoever asked may still be about to take it
    clear_away()
    assert {path.name for path in folder.iterdir()} == {*names[2:], "drawstring-what-is-it", "somebody-else"}


@pytest.mark.parametrize("spoil", [os.unlink, lambda path: os.truncate(path, 100)])
def test_what_was_cleared_or_cut_before_it_was_taken_is_asked_for_again(monkeypatch, spoil):
    def spoilt(answer):
        if isinstance(answer, Handed):
            spoil(answer.path)
        return taken(answer)

    monkeypatch.setattr("drawstring.runs.readers.taken", spoilt)
    readers = Readers(1)
    try:
        plane, _ = readers.read("a file", _plane_and_process, 7)
        assert plane.shape == (4, LARGE) and (plane == 7).all()
    finally:
        readers.close()


def _plane_and_process(value):
    return np.full((4, LARGE), value, np.float32), os.getpid()


def test_readers_answer_so_and_leave_nothing_behind():
    readers = Readers(2)
    try:
        before = set(handing.FOLDER.glob("drawstring-*"))
        for value in range(40):
            plane, process = readers.read("a file", _plane_and_process, value)
            assert process != os.getpid() and plane.shape == (4, LARGE) and (plane == value).all()
        assert set(handing.FOLDER.glob("drawstring-*")) <= before
    finally:
        readers.close()
