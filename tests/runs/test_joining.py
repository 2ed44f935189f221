"""Tiles joined beside the frames: gone on with, stopped, refused in words; then scanned and accepted."""

import os
from pathlib import Path

import pytest

from drawstring.core.arrivals import scan
from drawstring.core.errors import ConflictError
from drawstring.runs.joining import carry_out_joining, frame_path
from drawstring.runs.readers import Readers
from drawstring.runs.scanning import carry_out_scan
from drawstring.standins.tidewrack.mural import TileFaults, render_mural
from drawstring.store import deliveries, filling, joinings, scans, shows
from drawstring.store.models import Joining


@pytest.fixture(scope="module")
def readers():
    made = Readers(1)
    yield made
    made.close()


@pytest.fixture
def mural(tmp_path):
    """Six tiles of a small mural, two frames of them."""
    folder = tmp_path / "in"
    render_mural(str(folder), width=192, height=108, cols=3, rows=2, samples=1)
    for path in list(folder.iterdir()):
        os.link(path, folder / path.name.replace("1001", "1002"))
    return folder


def asked(sessions, folder: Path, **how) -> int:
    with sessions.begin() as session:
        try:
            show = shows.find_show(session, "Tidewrack")
        except Exception:
            show = shows.make_show(session, "Tidewrack")
        tiles = scan(str(folder), roots=[str(folder)]).tiles[0]
        return joinings.ask(session, show, tiles, root=str(folder.parent), **how).id


def test_joined_frames_are_scanned_and_become_a_shot(sessions, readers, mural):
    number = asked(sessions, mural)
    assert asked(sessions, mural) == number, "what is under way is not asked for twice"
    with sessions.begin() as session:
        row = filling.find(session, Joining, number)
        # An engine died after the first frame: that one is whole, and is left as it is.
        tiles = scan(str(mural), roots=[str(mural)]).tiles[0]
        there = Path(frame_path(row.folder, tiles, 1001))
        there.parent.mkdir(parents=True)
        there.write_bytes(b"whole")
        (there.parent / ".unfinished-abcdef12-x.exr").write_bytes(b"half")
    carry_out_joining(sessions, number, readers)
    assert there.read_bytes() == b"whole" and not list(there.parent.glob(".*"))
    there.unlink()
    os.link(frame_path(str(there.parent), tiles, 1002), there)
    with sessions.begin() as session:
        row = filling.find(session, Joining, number)
        assert (row.state, row.done) == ("done", 2)
        scan_id = row.scan_id
    carry_out_scan(sessions, scan_id, readers, [str(mural.parent)])
    with sessions.begin() as session:
        show = shows.find_show(session, "Tidewrack")
        found = scans.found(session, scans.find(session, scan_id))
        shot = shows.make_shot(session, show, "TW090")
        delivery = deliveries.accept(session, shot, found.candidates[0])
        assert found.candidates[0].shot == "TW090" and delivery.usable == 2
        assert found.candidates[0].window == (0, 0, 191, 107)


def test_what_can_t_be_joined_is_refused_or_ends_in_words(sessions, readers, mural, tmp_path):
    lacking = tmp_path / "lacking"
    render_mural(
        str(lacking), width=192, height=108, cols=3, rows=2, samples=1,
        faults=TileFaults(missing=frozenset({(1, 1)})),
    )  # fmt: skip
    with pytest.raises(ConflictError, match="missing of 1 of 1 frames"):
        asked(sessions, lacking)
    number = asked(sessions, lacking, with_holes=True, evens=True)
    carry_out_joining(sessions, number, readers)
    damaged = asked(sessions, mural)
    victim = mural / "TW090_main_r01c02_v001.1002.exr"
    victim.unlink()
    victim.write_bytes(b"no picture any more")
    carry_out_joining(sessions, damaged, readers)
    with sessions.begin() as session:
        assert filling.find(session, Joining, number).state == "done"
        row = filling.find(session, Joining, damaged)
        assert row.state == "failed" and victim.name in row.fault["what"] and row.fault["remedy"]
        assert [path.name[-8:] for path in Path(row.folder).iterdir()] == ["1001.exr"], "whole frames stay"
        with pytest.raises(ConflictError, match="failed already"):
            filling.stop(session, row)
    stopped = asked(sessions, lacking, with_holes=True)
    with sessions.begin() as session:
        filling.stop(session, filling.find(session, Joining, stopped))
    carry_out_joining(sessions, stopped, readers)
    with sessions.begin() as session:
        assert filling.find(session, Joining, stopped).state == "stopped"
