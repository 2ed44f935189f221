"""What breaks on the way takes nothing down with it: workers killed, a full disk, a jumping clock."""

import errno
import os
import random
import subprocess
import threading
import time
from contextlib import suppress
from datetime import timedelta
from pathlib import Path

import psutil
import pytest
from makers import FRAMES, same_bits

from drawstring.core.errors import OutputError
from drawstring.runs.checking import check_package
from drawstring.runs.cluster import cluster
from drawstring.runs.frame_files import FrameFiles
from drawstring.store import ledger
from drawstring.store.models import Run, RunFrame, now

KILLS = 50


def nothing_half_written(folder: str) -> bool:
    return not [name for _, _, names in os.walk(folder) for name in names if name.startswith(".unfinished")]


def is_forked(process: psutil.Process) -> bool:
    """Whether a process was forked from the warm parent, and is not that parent."""
    return all("forkserver" in " ".join(one.cmdline()) for one in (process, process.parent()))


def test_workers_killed_at_random_moments_lose_nothing(plan, finish, workers, sessions):
    undisturbed = finish(plan(), workers)
    chance, killed, over = random.Random(7), [], threading.Event()
    others = {one.pid for one in psutil.Process().children(recursive=True)}
    with cluster(workers=2) as own:

        def kill() -> None:
            while not over.is_set() and len(killed) < KILLS:
                time.sleep(chance.uniform(0.05, 0.8))
                # Some die while they start; most at work, however slow a machine is to start them.
                is_at_work = chance.random() < 0.9
                while is_at_work and not own.up() and not over.is_set():
                    time.sleep(0.1)
                mine = [one for one in psutil.Process().children(recursive=True) if one.pid not in others]
                with suppress(psutil.NoSuchProcess):
                    mine = [one for one in mine if is_forked(one)]
                    if mine:
                        victim = chance.choice(mine)
                        victim.kill()
                        killed.append(victim.pid)

        killer = threading.Thread(target=kill)
        killer.start()
        number = plan()
        try:
            for _ in range(60):
                run = finish(number, own, seconds=240)
                if run.state == "done" and len(killed) >= KILLS:
                    break
                # A frame whose workers died three times is put aside in words; going on takes it up again.
                for frame in run.frames:
                    assert frame.state == "proven" or "stops the decoder dead" in frame.fault["what"]
                if run.state == "done":
                    number = plan()
                else:
                    with sessions.begin() as session:
                        ledger.go_on(session, session.get_one(Run, number))
        finally:
            over.set()
            killer.join()
    assert len(killed) == KILLS and run.package.state == "proven"
    assert check_package(run.folder).is_proven and nothing_half_written(run.folder)
    assert same_bits(run.folder, undisturbed.folder)


@pytest.fixture
def small_disk(tmp_path):
    """A file system of its own that is soon full; give its folder and a way to make it larger."""
    if os.geteuid() != 0:
        pytest.skip("only root may mount a file system")
    place = tmp_path / "disk"
    place.mkdir()
    subprocess.run(["mount", "-t", "tmpfs", "-o", "size=3m", "tmpfs", str(place)], check=True)

    def enlarge() -> None:
        subprocess.run(["mount", "-o", "remount,size=200m", str(place)], check=True)

    yield str(place), enlarge
    subprocess.run(["umount", "-l", str(place)], check=True)


def test_a_full_disk_is_said_and_going_on_does_only_what_is_missing(
    small_disk, plan, finish, workers, sessions
):
    place, enlarge = small_disk
    undisturbed = finish(plan(), workers)
    number = plan(output=place)
    run = finish(number, workers)
    states = [frame.state for frame in run.frames]
    assert run.state == "failed" and set(states) == {"proven", "failed"}, states
    for frame in run.frames:
        if frame.state == "failed":
            assert "disk is full" in frame.fault["what"] and "Free some space" in frame.fault["remedy"]
            assert frame.attempts == 3, "what may pass is tried again"
    assert nothing_half_written(run.folder)
    assert len([name for name in os.listdir(run.folder) if name.endswith(".exr")]) == states.count("proven")
    before = {f.number: f.ended_at for f in run.frames if f.state == "proven"}
    enlarge()
    with sessions.begin() as session:
        ledger.go_on(session, session.get_one(Run, number))
    run = finish(number, workers)
    assert run.package.state == "proven" and check_package(run.folder).is_proven
    assert {f.number: f.ended_at for f in run.frames if f.number in before} == before
    assert same_bits(run.folder, undisturbed.folder)


def test_a_disk_that_refuses_while_a_file_is_read_back_keeps_it_without_a_name(tmp_path, monkeypatch):
    """A disk says only once that something was lost: whoever is told must not keep it to himself."""
    told = []

    def refuse_once(_: int) -> None:
        told.append(threading.current_thread())
        if len(told) == 1:
            raise OSError(errno.EIO, "Input/output error")

    monkeypatch.setattr(os, "fsync", refuse_once)
    for refused in (True, False):
        with suppress(OutputError), FrameFiles(str(tmp_path), "a.exr") as files:
            Path(files.begin("a.exr")).write_bytes(b"pixels")
            files.flush("a.exr")
        assert os.listdir(tmp_path) == ([] if refused else ["a.exr"])
    assert told[0] is not threading.current_thread(), "nobody waits for the disk who has something to compute"


def test_a_clock_that_jumps_changes_what_is_told_and_nothing_else(plan, finish, workers, sessions):
    run = finish(plan(), workers)
    for jump in (timedelta(hours=-3), timedelta(days=2)):
        with sessions.begin() as session:
            for row in session.query(RunFrame).filter_by(run_id=run.id):
                row.ended_at = now() + jump
            told = ledger.progress(session, [session.get_one(Run, run.id)])[run.id]
        assert told.proven == FRAMES and told.rate >= 0 and told.seconds_left is None
    again = finish(plan(), workers)
    assert (again.state, again.version) == ("done", 2) and same_bits(again.folder, run.folder)
