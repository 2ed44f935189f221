"""Scans under trouble: a killed reader, a database that goes away, files that vanish, an engine that died."""

import itertools
import os
import shutil
import threading

import pytest
from makers import wait_for

from drawstring.core.arrivals.survey import survey
from drawstring.runs import readers as readers_module
from drawstring.runs import scanning as scanning_module
from drawstring.runs.readers import Readers
from drawstring.runs.scanning import Scanning, carry_out_scan
from drawstring.store import scans, shows
from drawstring.store.database import DatabaseAway
from drawstring.store.models import ScanRow


@pytest.fixture
def readers():
    """Two reader processes."""
    made = Readers(2)
    yield made
    made.close()


@pytest.fixture
def asked(sessions, copied):
    """A scan of the copied fog shot that waits; its number."""
    with sessions.begin() as session:
        show = shows.make_show(session, "Tidewrack")
        return scans.ask(session, show, str(copied)).id


def deadly_survey(paths):
    """Stand for a library that one file's header kills."""
    if any("1012" in path for path in paths):
        os._exit(11)
    return survey(paths)


def test_a_file_that_kills_the_header_reader_becomes_a_finding(
    monkeypatch, sessions, asked, readers, copied, tmp_path
):
    monkeypatch.setattr(readers_module, "survey_watched", deadly_survey)
    carry_out_scan(sessions, asked, readers, [str(tmp_path)])
    with sessions() as session:
        (one,) = scans.found(session, session.get(ScanRow, asked)).candidates
        assert one.members[0].unreadable == [1012] and len(one.members[0].usable) == 5
        (told,) = [f for f in one.findings if f.code == "frame-unreadable"]
        assert (
            "stops the decoder dead" in told.what and told.frame == 1012 and "Render or copy" in told.remedy
        )


def test_progress_may_be_lost_while_the_database_is_away_what_was_found_is_not(
    monkeypatch, sessions, asked, readers, tmp_path
):
    real, calls = scanning_module.unit_of_work, []

    def sometimes_away(factory):
        calls.append(1)
        if 1 < len(calls) < 4:  # progress; the first call begins the scan, the last writes the result
            raise DatabaseAway("The database can't be reached just now.")
        return real(factory)

    monkeypatch.setattr(scanning_module, "unit_of_work", sometimes_away)
    monkeypatch.setattr(scanning_module, "TELL_S", 0.0)
    carry_out_scan(sessions, asked, readers, [str(tmp_path)])
    with sessions() as session:
        row = session.get(ScanRow, asked)
        assert (row.state, row.fault, len(calls) > 4) == ("done", {}, True)
        assert len(scans.found(session, row).candidates[0].passes) == 15


def test_files_that_vanish_while_they_are_scanned_are_told_one_by_one(
    monkeypatch, sessions, asked, readers, copied, tmp_path
):
    real = readers.survey

    def vanish(paths, told):
        for path in paths[:2]:
            os.unlink(path)
        return real(paths, told)

    monkeypatch.setattr(readers, "survey", vanish)
    carry_out_scan(sessions, asked, readers, [str(tmp_path)])
    with sessions() as session:
        (one,) = scans.found(session, session.get(ScanRow, asked)).candidates
        assert one.members[0].unreadable == [1010, 1011] and len(one.passes) == 15
        assert {"can't be opened" in fault for fault in one.frames.values() if fault} == {True}


def test_a_sequence_that_goes_away_half_way_is_told_and_others_are_found(
    monkeypatch, sessions, asked, readers, copied, tmp_path
):
    for number in range(1010, 1016):
        shutil.copy(copied / f"TW010_main_v001.{number}.exr", copied / f"TW015_main_v001.{number}.exr")
    real = readers.recognise

    def vanish(samplings, told):
        for path in [path for one in samplings for path in one.paths if "TW010" in path]:
            os.unlink(path)
        return real(samplings, told)

    monkeypatch.setattr(readers, "recognise", vanish)
    carry_out_scan(sessions, asked, readers, [str(tmp_path)])
    with sessions() as session:
        found = scans.found(session, session.get(ScanRow, asked))
    (told,) = [one for one in found.findings if one.code == "files-went-away"]
    assert "TW010_main_v001" in told.what and "scan again" in told.remedy
    assert {one.shot: len(one.passes) for one in found.candidates}["TW015"] == 15


def test_a_scan_that_breaks_is_answered_and_does_not_hold_up_the_next(
    monkeypatch, sessions, asked, readers, copied, tmp_path
):
    def broken(paths, told):
        raise RuntimeError("out of order")

    monkeypatch.setattr(readers, "survey", broken)
    carry_out_scan(sessions, asked, readers, [str(tmp_path)])
    with sessions() as session:
        row = session.get(ScanRow, asked)
        assert row.state == "failed" and "RuntimeError: out of order" in row.fault["what"]
        assert scans.waiting(session) == []


def test_a_scan_that_an_engine_left_behind_is_done_by_the_next(sessions, asked, tmp_path):
    with sessions.begin() as session:
        session.get(ScanRow, asked).state = "scanning"  # as a killed engine leaves it
    scanning = Scanning(sessions, Readers(1), [str(tmp_path)], look_s=60)
    try:
        scanning.step()

        def state() -> str:
            with sessions() as session:
                return session.get(ScanRow, asked).state

        wait_for(lambda: state() == "done")
        scanning.step()
        with sessions() as session:
            assert scans.waiting(session) == []
    finally:
        scanning.close()


def test_a_folder_that_is_still_written_to_is_left_alone(monkeypatch, sessions, copied, tmp_path):
    with sessions.begin() as session:
        show = shows.make_show(session, "Tidewrack")
        scans.watch(session, show, str(copied))
    done: list[int] = []
    monkeypatch.setattr(scanning_module, "carry_out_scan", lambda s, number, *_, **__: done.append(number))
    listing_of, looks, is_writing = scanning_module.listing_of, itertools.count(), threading.Event()

    def listed_while_written(folder: str) -> str:
        """List the folder as a render does that wrote another file since the look before."""
        look = next(looks)
        if is_writing.is_set():
            (copied / f"growing.{look:04d}.exr").write_bytes(b"x" * look)
        return listing_of(folder)

    monkeypatch.setattr(scanning_module, "listing_of", listed_while_written)
    monkeypatch.setattr(scanning_module, "FILLING_S", 3600.0)  # on no machine do twenty looks take so long
    is_writing.set()
    scanning = Scanning(sessions, Readers(1), [str(tmp_path)], look_s=0.0)

    def asked_for() -> int:
        with sessions() as session:
            return session.query(ScanRow).count()

    try:
        wait_for(lambda: scanning.step() or (copied / "growing.0019.exr").exists())
        assert asked_for() == 0, "a render that is writing must not be scanned"
        is_writing.clear()
        wait_for(lambda: scanning.step() or asked_for() == 1)
    finally:
        scanning.close()


def test_scans_go_one_after_the_other_and_pages_see_them_wait(sessions, readers, copied, tmp_path):
    with sessions.begin() as session:
        show = shows.make_show(session, "Tidewrack")
        numbers = [scans.ask(session, show, str(folder)).id for folder in (copied, copied.parent)]
        assert [row.id for row in scans.waiting(session)] == numbers
    scanning = Scanning(sessions, readers, [str(tmp_path)], look_s=60)
    seen = set()

    def over() -> bool:
        scanning.step()
        with sessions() as session:
            states = tuple(session.get(ScanRow, number).state for number in numbers)
        seen.add(states)
        return states == ("done", "done")

    wait_for(over)
    assert not any(states == ("scanning", "scanning") for states in seen)
    with sessions() as session:
        both = [scans.found(session, session.get(ScanRow, number)) for number in numbers]
        assert [len(one.candidates) for one in both] == [1, 1] and both[0].folder != both[1].folder
