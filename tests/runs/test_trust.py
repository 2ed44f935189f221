"""One file never stops the rest: odd values, damaged files, hungry files, refused statements, strangers."""

import json
import logging
import socket
import struct
import subprocess
import sys
import time
import zlib
from pathlib import Path

import numpy as np
import OpenEXR
import psutil
import pytest
from damage import KINDS, Largest, lay_out
from distributed import Client
from makers import write_plain
from sqlalchemy import text
from sqlalchemy.exc import DataError, OperationalError

from drawstring.core.arrivals import scan
from drawstring.core.arrivals.scan import sample_pixels
from drawstring.core.errors import ConflictError, SettingError, SourceError
from drawstring.core.io import limits
from drawstring.core.io.facts import ChannelRef
from drawstring.core.io.headers import read_facts
from drawstring.core.passes import Role
from drawstring.installation import read_installation
from drawstring.runs import measurements
from drawstring.runs.engine import Engine
from drawstring.runs.measuring import measure_frame
from drawstring.runs.readers import Readers
from drawstring.runs.run_plan import SourceFile
from drawstring.runs.scanning import carry_out_scan
from drawstring.store import deliveries, ledger, measuring, scans, shows
from drawstring.store.database import DatabaseAway, is_away, unit_of_work
from drawstring.store.models import Measurement, Run, ScanRow, Shot
from drawstring.store.standing import standing


@pytest.fixture
def readers():
    """Two reader processes."""
    made = Readers(2)
    yield made
    made.close()


ODD = np.float32([np.inf, -np.inf, np.nan, 3.4e38, -1, 0])


def odd_frames(folder: Path, *, count: int = 3) -> Path:
    """Write what renderers do write: pixels and header values that are no numbers."""
    folder.mkdir(parents=True)
    light = np.random.default_rng(3).random((40, 60, 4), np.float32)
    for number in range(1, count + 1):
        picture = light * (1 + 0.01 * number)
        picture[5, :6, 0] = ODD
        picture[:, :20, 3] = 0
        depth = np.float32(4 + 20 * light[..., 1])
        depth[7, :6] = ODD
        write_plain(
            folder / f"TW777_v001.{number:04d}.exr",
            {"RGBA": picture, "Z": depth},
            worldToCamera=np.full((4, 4), np.nan, np.float32),
            chromaticities=(np.inf, 0.33, 0.3, 0.6, 0.15, 0.06, 0.3127, 0.329),
            comments="made\0up", pixelAspectRatio=1.0, gain=float("inf"), ratios=np.float32([np.nan, 1, 2]),
        )  # fmt: skip
    return folder


def counted(sessions, shot_id: int) -> bool:
    with sessions() as session:
        shot = session.get_one(Shot, shot_id)
        return all(one.state in ("done", "failed") for one in shot.delivery.measurements)


def test_numbers_that_are_none_are_scanned_accepted_and_counted_by_the_engine(
    database, sessions, workers, readers, tmp_path
):
    odd_frames(tmp_path / "TW777")
    with sessions.begin() as session:
        show = shows.make_show(session, "Tidewrack")
        asked = scans.ask(session, show, str(tmp_path / "TW777")).id
    carry_out_scan(sessions, asked, readers, [str(tmp_path)])
    with sessions.begin() as session:
        row = session.get_one(ScanRow, asked)
        assert row.state == "done", row.fault
        (key,) = [one.key for one in scans.found(session, row).candidates]
        shot = shows.make_shot(session, row.show, "TW777")
        scans.accept(session, row, key, shot)
        number = shot.id
        told = {one.code: one for one in scans.found(session, row).findings}
    assert "worldToCamera" in told["header-odd"].what and "chromaticities" in told["header-odd"].what
    until = time.monotonic() + 60
    Engine(database, workers).work(until=lambda: counted(sessions, number) or time.monotonic() > until)
    with sessions() as session:
        shot = session.get_one(Shot, number)
        assert {one.kind: one.state for one in shot.delivery.measurements} == {
            "facts": "done",
            "depth": "done",
        }
        how = standing(session, shot)
        assert how.counting == "" and {"pass-nan"} <= {one.code for one in how.all_findings}
        kept = shot.delivery.members[0].facts["parts"][0]["metadata"]
        assert "worldToCamera" not in kept and "\0" not in json.dumps(kept)


def test_a_statement_that_is_refused_sets_its_own_work_aside_and_is_told(
    monkeypatch, caplog, database, sessions, workers, candidate
):
    """As when a fact has a form that no door was built for."""
    with sessions.begin() as session:
        show = shows.make_show(session, "Tidewrack")
        bad, good = (shows.make_shot(session, show, code) for code in ("TW010", "TW020"))
        for shot in (bad, good):
            deliveries.accept(session, shot, candidate)
        refused = bad.delivery.measured("facts").id
        numbers = bad.id, good.id
    real = measuring.finish

    def refuse(measurement, *rest, **options):
        if measurement.id == refused:
            from sqlalchemy.orm import object_session

            object_session(measurement).execute(text("SELECT 'nan'::float8::int"))
        real(measurement, *rest, **options)

    monkeypatch.setattr(measuring, "finish", refuse)
    monkeypatch.setattr(measurements, "AGAIN_S", 0.1)
    until = time.monotonic() + 120
    with caplog.at_level(logging.CRITICAL):
        Engine(database, workers).work(
            until=lambda: all(counted(sessions, one) for one in numbers) or time.monotonic() > until
        )
    with sessions() as session:
        first, second = (standing(session, session.get_one(Shot, one)) for one in numbers)
        row = session.get_one(Measurement, refused)
        assert (row.state, row.failures) == ("failed", measuring.TRIES)
        assert first.counting == "counting: set aside" and second.counting == ""
        (told,) = [one for one in first.all_findings if one.code == "frames-set-aside"]
        assert "could not be counted" in told.what and "nothing wrong in them can be found" in told.why
        assert not [one for one in second.all_findings if one.code == "frames-set-aside"]


def test_a_run_whose_plan_breaks_is_set_aside_and_the_next_one_is_done(
    monkeypatch, caplog, database, sessions, workers, plan, finish
):
    from drawstring.runs import engine

    broken, whole = plan(code="TW010"), plan(code="TW020")
    real = engine.plan_of
    monkeypatch.setattr(
        engine, "plan_of", lambda run: real(run) if run.id != broken else {}["no such thing in a recipe"]
    )
    monkeypatch.setattr(engine, "RESTS_S", 0.05)
    with caplog.at_level(logging.CRITICAL):
        assert finish(whole, workers).state == "done"
        run = finish(broken, workers)
    assert (run.state, run.failures) == ("failed", engine.TRIES)
    assert {frame.state for frame in run.frames} == {"failed"} and "KeyError" in run.frames[0].fault["what"]
    with sessions.begin() as session:
        monkeypatch.setattr(engine, "plan_of", real)
        ledger.go_on(session, session.get_one(Run, broken))
    assert finish(broken, workers).state == "done", "mended, it goes on"


@pytest.mark.parametrize(
    ("statement", "kind"),
    [
        ("SELECT 99999999999::int4", SettingError), ("SELECT 'nan'::float8::int", SettingError),
        ("INSERT INTO shots (show_id, code, title, made_at) VALUES (7, 'TW1', '', now())", ConflictError),
        ("SELECT pg_terminate_backend(pg_backend_pid())", DatabaseAway),
    ],
)  # fmt: skip
def test_what_a_database_answers_is_told_apart(sessions, statement, kind):
    with pytest.raises(kind) as refusal, unit_of_work(sessions) as session:
        session.execute(text(statement))
    assert refusal.value.remedy and is_away(refusal.value) is (kind is DatabaseAway)
    assert not is_away(DataError("", None, Exception())) and is_away(OperationalError("", None, Exception()))


def test_a_few_hundred_damaged_files_among_whole_ones(sessions, readers, tmp_path):
    """Whatever chance did to them: the whole ones arrive, every other is told of, nothing stops."""
    good, bad = lay_out(tmp_path / "night", files=60 * len(KINDS), seed=20261127)
    with sessions.begin() as session:
        show = shows.make_show(session, "Tidewrack")
        asked = scans.ask(session, show, str(tmp_path / "night")).id
    carry_out_scan(sessions, asked, readers, [str(tmp_path)])
    with sessions() as session:
        row = session.get_one(ScanRow, asked)
        assert row.state == "done", row.fault
        found = scans.found(session, row)
    frames = {frame.path: (frame, report) for report in found.sequences for frame in report.frames}
    assert set(frames) == {str(path) for path in (*good, *bad)}
    assert not [path for path in good if frames[str(path)][0].fault]
    told = [one.what for one in found.findings if one.code in ("frame-unreadable", "frame-odd")]
    refused = [frames[str(path)][0] for path in bad if frames[str(path)][0].fault]
    assert len(refused) > 100 and len(told) >= len(refused)
    answers = 0
    for path in bad:
        frame, report = frames[str(path)]
        if frame.fault:
            continue
        try:
            facts = readers.read(str(path), read_facts, str(path))
            source = (SourceFile(0, str(path), facts.size_bytes, facts.mtime_ns),)
            _, answer = readers.read(
                str(path), measure_frame, "facts", 1, source, tuple(report.passes), facts.window
            )
            assert answer == {} or "what" in answer or all(isinstance(place, int) for place in answer)
        except SourceError as refusal:
            assert path.name in refusal.what and refusal.remedy
        answers += 1
    assert answers + len(refused) == len(bad)


def hungry(path: Path, *, side: int, channels: int) -> Path:
    """Write a small file that unpacks to a large one: the same packed lines again and again (ZIP, half)."""
    names = [f"c{i:03d}" for i in range(channels)]
    entries = b"".join(n.encode() + b"\0" + struct.pack("<iB3xii", 1, 0, 1, 1) for n in names) + b"\0"

    def attribute(name: str, kind: str, data: bytes) -> bytes:
        return f"{name}\0{kind}\0".encode() + struct.pack("<i", len(data)) + data

    box = struct.pack("<4i", 0, 0, side - 1, side - 1)
    head = struct.pack("<ii", 20000630, 2) + b"".join(
        (
            attribute("channels", "chlist", entries), attribute("compression", "compression", b"\3"),
            attribute("dataWindow", "box2i", box), attribute("displayWindow", "box2i", box),
            attribute("lineOrder", "lineOrder", b"\0"),
            attribute("pixelAspectRatio", "float", struct.pack("<f", 1)),
            attribute("screenWindowCenter", "v2f", struct.pack("<2f", 0, 0)),
            attribute("screenWindowWidth", "float", struct.pack("<f", 1)), b"\0",
        )
    )  # fmt: skip
    block = zlib.compress(bytes(16 * side * channels * 2), 9)
    count = side // 16
    first = len(head) + 8 * count
    table = b"".join(struct.pack("<Q", first + i * (8 + len(block))) for i in range(count))
    with open(path, "wb") as file:
        file.write(head + table)
        for i in range(count):
            file.write(struct.pack("<ii", 16 * i, len(block)) + block)
    return path


def test_a_small_file_that_unpacks_to_gigabytes_is_looked_at_in_bounds(readers, tmp_path):
    path = hungry(tmp_path / "mural.0001.exr", side=8192, channels=12)
    assert path.stat().st_size < 5e6, "12 planes of 8,192 x 8,192: 3.2 GB as they are computed with"
    largest = Largest()
    found = scan(str(tmp_path), roots=[str(tmp_path)], surveyor=readers.survey, recogniser=readers.recognise)
    largest.close()
    (report,) = found.sequences
    assert len(report.passes) >= 1 and not report.unreadable and largest.bytes < 1.2e9
    monster = hungry(tmp_path / "monster.0001.exr", side=16384, channels=64)
    with pytest.raises(SourceError, match="68,719,476,736 bytes unpacked"):
        read_facts(str(monster))


def hoard(megabytes: int) -> int:
    return len(np.ones(megabytes << 20, np.uint8))


def stall() -> None:
    while True:
        pass


FAULTS = {
    "index": IndexError(), "key": KeyError("x"), "memory": MemoryError(), "division": ZeroDivisionError(),
    "recursion": RecursionError(), "decoding": UnicodeDecodeError("utf-8", b"", 0, 1, "odd"),
}  # fmt: skip


def fail(kind: str) -> None:
    raise FAULTS[kind]


def test_whatever_a_task_does_to_its_reader_is_a_refusal_of_its_file(readers):
    for kind in FAULTS:
        with pytest.raises(SourceError, match=r"fog\.0001\.exr") as refusal:
            readers.read("fog.0001.exr", fail, kind)
        assert refusal.value.remedy
    with pytest.raises(SourceError, match="more memory than one file may") as refusal:
        readers.read("fog.0001.exr", hoard, 2048)
    assert "DRAWSTRING_READER_MB" in refusal.value.remedy
    with pytest.raises(SourceError, match="stops the decoder dead"):
        readers.read("fog.0001.exr", stall, limit_s=0.3)
    assert readers.read("fog.0001.exr", hoard, 64) == 64 << 20, "all others go on"


def test_large_frames_are_counted_in_bands_as_they_are_whole(monkeypatch, tmp_path):
    rng = np.random.default_rng(5)
    light = rng.normal(0.5, 0.4, (300, 200, 4)).astype(np.float16)
    light[211, 17, 1] = np.nan
    ids = rng.integers(0, 2**32, (300, 200), np.uint32)
    for name, header in (("lines", {}), ("tiles", {"type": OpenEXR.tiledimage})):
        if header:
            header["tiles"] = OpenEXR.TileDescription()
            header["tiles"].xSize, header["tiles"].ySize = 64, 32
        path = str(write_plain(tmp_path / f"{name}.0001.exr", {"RGBA": light, "id": ids}, **header))
        facts = read_facts(path)
        passes = tuple(scan(str(tmp_path), roots=[str(tmp_path)]).candidates[0].passes)
        source = (SourceFile(0, path, facts.size_bytes, facts.mtime_ns),)
        _, whole = measure_frame("facts", 1, source, passes, facts.window)
        seen = sample_pixels(path)
        with monkeypatch.context() as small:
            small.setattr(limits, "WHOLE_BYTES", 150_000)
            _, bands = measure_frame("facts", 1, source, passes, facts.window)
            thinned = sample_pixels(path)
        assert set(bands) == set(whole) and {one.role for one in passes} >= {Role.BEAUTY}
        for place, one in whole.items():
            same = ("low", "high", "nan", "infinite", "negative", "values", "odd")
            assert [getattr(bands[place], name) for name in same] == [getattr(one, name) for name in same]
            assert bands[place].mean == pytest.approx(one.mean, rel=1e-4)
        assert set(thinned) == set(seen) and all(
            np.array_equal(thinned[ref], seen[ref], equal_nan=ref.name != "id") for ref in seen
        )
        assert thinned[ChannelRef(0, "id")].dtype == np.uint32


def test_a_damaged_chunk_in_a_frame_that_is_looked_at_is_that_frames_fault(readers, tmp_path):
    light = np.float32(np.indices((64, 64)).sum(0)[..., None] * [1, 2, 3])
    for number in range(1, 5):
        write_plain(tmp_path / f"TW010.{number:04d}.exr", {"RGB": light})
    torn = bytearray((tmp_path / "TW010.0002.exr").read_bytes())
    torn[-300:-200] = bytes(100)
    (tmp_path / "TW010.0002.exr").write_bytes(torn)
    found = scan(str(tmp_path), roots=[str(tmp_path)], surveyor=readers.survey, recogniser=readers.recognise)
    (report,) = found.sequences
    assert report.unreadable == [2] and len(report.passes) == 1
    assert [one.frame for one in found.findings if one.code == "frame-unreadable"] == [2]


def test_strangers_can_not_have_the_cluster_run_anything(workers):
    client = workers()
    address = client.scheduler.address
    assert address.startswith("tls://127.0.0.1")
    port = int(address.rpartition(":")[2])
    with pytest.raises((OSError, ValueError, TypeError)):
        Client(f"tcp://127.0.0.1:{port}", timeout="2s", set_as_default=False)
    # Nothing in the process tree answers a stranger's HTTP with a page.
    ours = {psutil.Process().pid, *(child.pid for child in psutil.Process().children(recursive=True))}
    ports = {
        one.laddr.port for one in psutil.net_connections("tcp")
        if one.pid in ours and one.status == psutil.CONN_LISTEN
    }  # fmt: skip
    for other in ports:
        with socket.create_connection(("127.0.0.1", other), timeout=2) as line:
            line.settimeout(2)
            line.sendall(b"GET /info/main/workers.html HTTP/1.0\r\nHost: 127.0.0.1\r\n\r\n")
            try:
                assert b" 200 " not in line.recv(200)
            except (TimeoutError, ConnectionError):
                continue  # TLS or a pipe: no HTTP at all
    client.close()


def test_a_scheduler_elsewhere_is_reached_by_certificates_only(tmp_path):
    pem = tmp_path / "one.pem"
    pem.write_text("")
    files = {
        f"DRAWSTRING_SCHEDULER_{name}": str(pem) for name in ("CA", "CERTIFICATE", "KEY")
    }  # fmt: skip
    for address in ("tcp://10.0.0.5:8786", "tls://10.0.0.5:8786", "10.0.0.5:8786"):
        with pytest.raises(SettingError, match="which others can reach, without certificates"):
            read_installation({"DRAWSTRING_SCHEDULER": address})
    with pytest.raises(SettingError, match="which others can reach"):
        read_installation({"DRAWSTRING_SCHEDULER": "tcp://10.0.0.5:8786", **files})
    with pytest.raises(SettingError, match="is not there"):
        read_installation({"DRAWSTRING_SCHEDULER_CA": str(pem)})
    given = read_installation({"DRAWSTRING_SCHEDULER": "tls://10.0.0.5:8786", **files})
    assert given.scheduler_files == (str(pem),) * 3
    assert read_installation({"DRAWSTRING_SCHEDULER": "tcp://127.0.0.1:8786"}).scheduler_files is None


BULKY = """
import os
import signal
import threading
from contextlib import suppress

from drawstring.core.errors import SourceError
from drawstring.runs.readers import Readers


def die(bulk):
    os.kill(os.getpid(), signal.SIGKILL)


def ask(readers):
    with suppress(SourceError):
        readers.read("fog.0001.exr", die, bytes(1 << 20))


if __name__ == "__main__":
    readers = Readers(2)
    threads = [threading.Thread(target=ask, args=(readers,)) for _ in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
"""


def test_a_house_whose_readers_died_under_much_to_read_still_ends(tmp_path):
    """Python before 3.11.5 waits for ever at its end, for a queue that nobody reads."""
    script = tmp_path / "bulky.py"
    script.write_text(BULKY)
    assert subprocess.run([sys.executable, str(script)], timeout=120).returncode == 0
