"""Runs from delivery to proven package, and what may go wrong on the way."""

import os
import shutil
import subprocess
import sys
import time

import numpy as np
import OpenImageIO as oiio
import psutil
import pytest
from distributed import Client, LocalCluster
from makers import FRAMES, carry_out_here, environment_of, validate_manifest, wait_for

from drawstring.core.arrivals import scan
from drawstring.core.errors import ConflictError, MissingError, OutputError
from drawstring.core.io.sequences import MOST_MISSING
from drawstring.runs import planning
from drawstring.runs.checking import check_package
from drawstring.runs.engine import Engine
from drawstring.runs.proof import checksum
from drawstring.runs.readers import Readers
from drawstring.store import deliveries, ledger, measuring, recipes, shows
from drawstring.store.depth.measured import whole_tally
from drawstring.store.models import Run, RunFrame, Shot


def planes_of(path: str) -> dict[str, np.ndarray]:
    """Read a file with the reader that is not ours, in float64."""
    source = oiio.ImageInput.open(path)
    names = source.spec().channelnames
    pixels = np.asarray(source.read_image(0, 0, 0, len(names), "float"), np.float64)
    source.close()
    return {name: pixels[..., i] for i, name in enumerate(names)}


@pytest.mark.parametrize(
    ("settings", "formula"),
    [
        ({"depth__mapping": "linear"}, lambda z: 1 - (z - 4.8) / (90 - 4.8)),
        ({"depth__mapping": "reciprocal", "depth__white_is": "far"},
         lambda z: (1 / z - 1 / 4.8) / (1 / 90 - 1 / 4.8)),
        ({"pack__depth_normalised__stored": "half"}, lambda z: 1 - (z - 4.8) / (90 - 4.8)),
    ],
    ids=["linear", "reciprocal", "half"],
)  # fmt: skip
def test_the_packed_depth_is_the_closed_form_of_the_source(plan, finish, workers, report, settings, formula):
    settings = {name.replace("__", ".", 1) if name.count("__") == 1 else name.replace("__", "."): value
                for name, value in settings.items()}  # fmt: skip
    run = finish(plan(**{name.replace(".", "__"): value for name, value in settings.items()}), workers)
    assert (run.state, run.package.state) == ("done", "proven")
    for frame in run.frames:
        source = planes_of(next(f.path for f in report.frames if f.number == frame.number))
        packed = planes_of(os.path.join(run.folder, frame.file_name))
        z = source["depth.Z"]
        with np.errstate(divide="ignore"):
            wanted = np.clip(formula(np.where(np.isfinite(z), z, 90)), 0, 1)
        got = packed["depth_normalised.V"]
        if "pack.depth_normalised.stored" in settings:
            # Half keeps eleven bits: rounding loses at most half of the last one.
            assert np.abs(got - wanted).max() <= 2**-12 + 2**-25
            assert np.array_equal(got, got.astype(np.float16))
        else:
            assert np.abs(got - wanted).max() <= np.spacing(np.float32(1)) / 2
        for name, plane in source.items():
            assert np.array_equal(packed[name.replace("_colour.", "_albedo.")], plane, equal_nan=True), name


def test_a_package_tells_what_made_it_and_what_was_proven(plan, finish, workers):
    run = finish(plan(), workers)
    manifest = validate_manifest(run.folder)
    assert manifest["missing"] == [] and manifest["recipe"]["digest"] == run.revision.digest
    assert [frame["number"] for frame in manifest["frames"]] == [frame.number for frame in run.frames]
    for frame in manifest["frames"]:
        path = os.path.join(run.folder, frame["file"])
        assert frame["checksum"] == checksum(path) and frame["bytes"] == os.path.getsize(path)
        assert frame["proof"]["equal"] == frame["proof"]["channels"] == len(manifest["channels"])
    attributes = oiio.ImageInput.open(path).spec()
    assert attributes.getattribute("drawstring.recipe") == run.revision.digest
    assert attributes.getattribute("drawstring.depth.far") == pytest.approx(90)
    assert attributes.getattribute("sceneUnit") == "m" and attributes.getattribute("worldToCamera")
    wait_for(lambda: os.path.exists(os.path.join(run.folder, "checksums.xxh128")))
    assert sorted(os.listdir(run.folder)) == sorted(
        [f.file_name for f in run.frames] + ["checksums.xxh128", "manifest.json", "report.html"]
    )


def test_each_run_is_a_new_version_and_the_same_settings_make_the_same_bits(plan, finish, workers):
    first, second = finish(plan(), workers), finish(plan(), workers)
    assert (first.version, second.version) == (1, 2) and first.folder != second.folder
    for a, b in zip(first.frames, second.frames, strict=True):
        one, two = (planes_of(os.path.join(r.folder, f.file_name)) for r, f in ((first, a), (second, b)))
        assert all(np.array_equal(one[n], two[n], equal_nan=True) for n in one)


def test_lossy_packages_state_how_much_was_lost(plan, finish, workers):
    left_out = {f"pack__{n}__goes": False for n in ("position", "object_matte")}
    run = finish(plan(pack__compression="dwaa", **left_out), workers)
    assert run.package.state == "proven"
    lost = run.frames[0].proof["largest_difference"]
    assert lost and all(0 < value for value in lost.values())
    assert run.frames[0].proof["equal"] + len(lost) == run.frames[0].proof["channels"]


def test_a_tampered_package_is_found_out(plan, finish, workers):
    run = finish(plan(), workers)
    assert check_package(run.folder).is_proven
    names = [frame.file_name for frame in run.frames]
    os.unlink(os.path.join(run.folder, names[0]))
    with open(os.path.join(run.folder, names[1]), "r+b") as file:
        file.seek(-9, os.SEEK_END)
        byte = file.read(1)
        file.seek(-9, os.SEEK_END)
        file.write(bytes([byte[0] ^ 255]))
    with open(os.path.join(run.folder, names[2]), "r+b") as file:
        file.truncate(2000)
    faults = check_package(run.folder).faults
    assert faults[names[0]] == "is not there" and "another checksum" in faults[names[1]]
    assert "2,000 bytes instead of" in faults[names[2]] and len(faults) == 3
    with pytest.raises(MissingError, match="holds no manifest"):
        check_package(os.path.dirname(run.folder))


def test_torn_missing_and_changed_sources_leave_the_rest_going(
    plan, finish, workers, sessions, copied, tmp_path
):
    names = sorted(path.name for path in copied.iterdir())
    (copied / names[1]).unlink()
    # The first one: a hole at the end of a shot is a hole, too.
    torn = copied / names[0]
    torn.write_bytes(torn.read_bytes()[:30_000])
    (found,) = scan(str(copied), roots=[str(tmp_path)]).candidates
    number = plan(of=found, pack__start_frame="1")
    changed = copied / names[4]
    changed.write_bytes((copied / names[3]).read_bytes())
    first, last = found.members[0].frames[0].number, found.members[0].frames[-1].number
    run = finish(number, workers)
    assert run.state == "failed" and run.package.state == "incomplete"
    states = {frame.number: frame.state for frame in run.frames}
    assert sorted(states.values()) == ["failed"] + ["proven"] * (FRAMES - 3)
    fault = next(frame.fault for frame in run.frames if frame.state == "failed")
    assert "has changed since it was accepted" in fault["what"] and fault["remedy"]
    assert f"Frames {first}, {first + 1} did not arrive or can't be used" in run.notes[0]
    assert [frame.file_name for frame in run.frames][0] == "TW010_v001.0003.exr", "counted from the torn one"
    assert validate_manifest(run.folder)["missing"] == [first, first + 1, last - 1]
    check = check_package(run.folder)
    assert not check.is_proven and len(check.missing) == 3 and not check.faults


def test_a_stray_number_far_away_is_told_in_a_moment(plan, sessions, copied, tmp_path):
    names = sorted(copied.iterdir())
    names[-1].rename(copied / names[-1].name.replace(".1015.", ".912345678."))
    (found,) = scan(str(copied), roots=[str(tmp_path)]).candidates
    with sessions.begin() as session:
        run = session.get_one(Run, plan(of=found))
        carry_out_here(session, run)
        assert run.package.state == "incomplete" and len(run.package.missing) == MOST_MISSING
        told = "Frames 1015, 1016, 1017, 1018, 1019, 1020 and 912,344,657 more did not arrive"
        assert run.notes[0].startswith(told)


def test_a_closed_folder_fails_in_words_and_going_on_does_only_what_is_missing(
    plan, finish, workers, sessions, monkeypatch
):
    monkeypatch.setattr("drawstring.runs.engine.TRIES", 1)
    number = plan()
    with sessions.begin() as session:
        run = session.get_one(Run, number)
        # A folder in the place of the third frame's file can't be overwritten by anybody, not even root.
        blocked = os.path.join(run.folder, run.frames[2].file_name)
    os.mkdir(blocked)
    run = finish(number, workers)
    assert [s for s in {frame.number: frame.state for frame in run.frames}.values()].count("failed") == 1
    assert os.path.exists(os.path.join(run.folder, "manifest.incomplete.json"))
    before = {f.file_name: os.stat(os.path.join(run.folder, f.file_name)).st_mtime_ns
              for f in run.frames if f.state == "proven"}  # fmt: skip
    os.rmdir(blocked)
    with sessions.begin() as session:
        ledger.go_on(session, ledger.find_run(session, number))
    run = finish(number, workers)
    assert (run.state, run.package.state) == ("done", "proven")
    for name, changed_at in before.items():
        assert os.stat(os.path.join(run.folder, name)).st_mtime_ns == changed_at
    assert sorted(n for n in os.listdir(run.folder) if n.startswith("manifest")) == ["manifest.json"]
    with sessions.begin() as session, pytest.raises(ConflictError, match="is complete"):
        ledger.go_on(session, ledger.find_run(session, number))


def test_a_cancelled_run_keeps_what_is_proven_and_can_go_on(plan, finish, workers, sessions, database):
    number = plan()
    engine = Engine(database, workers)

    def some_proven() -> bool:
        with sessions.begin() as session:
            run = ledger.find_run(session, number)
            if any(frame.state == "proven" for frame in run.frames) and run.state == "running":
                ledger.cancel(session, run)
            return run.state == "cancelled"

    engine.work(until=some_proven)
    with sessions.begin() as session:
        with pytest.raises(ConflictError, match="is cancelled already"):
            ledger.cancel(session, ledger.find_run(session, number))
        ledger.go_on(session, ledger.find_run(session, number))
    assert finish(number, workers).package.state == "proven"


def test_what_a_worker_left_that_was_cut_off_is_removed_after_its_run(
    plan, finish, workers, sessions, database
):
    number = plan()
    folder = finish(number, workers).folder
    old, fresh = (os.path.join(folder, f".unfinished-{age}-TW010_v001.1010.exr") for age in ("old", "fresh"))
    for path in (old, fresh):
        with open(path, "wb") as file:
            file.write(b"half")
    os.utime(old, (time.time() - 300, time.time() - 300))
    whole = sorted(name for name in os.listdir(folder) if not name.startswith("."))
    engine = Engine(database, workers)
    engine.work(until=lambda: not os.path.exists(old))
    # Somebody may still be writing what is young, and nothing else is touched.
    assert os.path.exists(fresh)
    assert set(whole) <= set(os.listdir(folder))


def test_what_can_not_be_run_is_refused_beforehand(plan, sessions, tmp_path):
    number = plan()
    with pytest.raises(ConflictError, match=f"Run {number} of TW010 is under way"):
        plan()
    with sessions.begin() as session:
        ledger.cancel(session, ledger.find_run(session, number))
    with pytest.raises(ConflictError, match="would both be written"):
        plan(pack__normal__layer="position")
    with pytest.raises(ConflictError, match="Nothing lies between near and far"):
        with sessions.begin() as session:
            shot = shows.find_shot(session, "TW010")
            recipes.undo(session, shot)
            recipes.set_values(
                session, shot, {"pack.normal.layer": "", "depth.near": "4000", "depth.far": "9000"}
            )
            from drawstring.core.depth import FrameDistances, tally

            measuring.finish(
                shot.delivery.measured("depth"), {1: FrameDistances(tally(np.float32([[2, 9]])))}, {}
            )
            session.flush()
            from drawstring.runs.planning import plan_run

            plan_run(session, shot, output=str(tmp_path))
    blocked = tmp_path / "file"
    blocked.write_text("")
    with pytest.raises(OutputError, match="No new version can be made"):
        plan(code="TW020", output=str(blocked))


def test_several_runs_are_planned_together_or_leave_nothing_behind(
    sessions, candidate, tmp_path, monkeypatch
):
    output = tmp_path / "packages"
    with sessions.begin() as session:
        show = shows.make_show(session, "Tidewrack")
        made = [shows.make_shot(session, show, f"TW0{n}0") for n in (1, 2, 3)]
        for shot in made[:2]:
            deliveries.accept(session, shot, candidate)
            recipes.set_values(session, shot, {"depth.needed": "no"})
    with pytest.raises(ZeroDivisionError), monkeypatch.context() as patched, sessions.begin() as session:
        patched.setattr(planning, "_write_down", lambda *about: 1 // 0)
        planning.plan_runs(session, [session.get_one(Shot, made[0].id)], output=str(output))
    assert not os.listdir(output / "Tidewrack" / "TW010"), "its version is free again"
    with sessions.begin() as session:
        asked = [session.get_one(Shot, shot.id) for shot in (*made, made[0])]
        first, second, bare, again = planning.plan_runs(session, asked, output=str(output))
        assert isinstance(bare, MissingError) and "named twice" in str(again)
        for run in (first, second):
            rows = session.query(RunFrame).filter_by(run_id=run.id).order_by(RunFrame.number).all()
            assert [row.number for row in rows] == list(range(1010, 1010 + FRAMES)) and run.version == 1
            assert all(f"{row.number}" in row.file_name and run.shot.code in row.file_name for row in rows)


def test_a_killed_worker_costs_nothing_but_time(plan, finish, sessions):
    with LocalCluster(
        n_workers=2, threads_per_worker=1, dashboard_address="127.0.0.1:0", silence_logs=50
    ) as local:
        number = plan()
        parents = {w.pid for w in local.workers.values()}
        killed = []

        def client() -> Client:
            made = Client(local, set_as_default=False)
            victim = min(parents)
            os.kill(victim, 9)
            killed.append(victim)
            return made

        run = finish(number, client)
        told = [frame.fault for frame in run.frames if frame.state == "failed"]
        assert killed and (run.state, run.package.state) == ("done", "proven"), told
        assert check_package(run.folder).is_proven
        assert not [n for n in os.listdir(run.folder) if n.startswith(".unfinished")]


def test_a_killed_engine_is_followed_by_one_that_goes_on_with_what_is_missing(plan, installation, sessions):
    number = plan()
    command = [sys.executable, "-m", "drawstring.cli", "engine"]

    def state() -> tuple[str, int]:
        with sessions.begin() as session:
            run = session.get_one(Run, number)
            return run.state, ledger.progress(session, [run])[number].proven

    engine = subprocess.Popen(command, env=environment_of(installation))
    try:
        wait_for(lambda: state()[1] >= 1)
        children = psutil.Process(engine.pid).children(recursive=True)
        engine.kill()
        engine.wait()
        psutil.wait_procs(children, timeout=20)
        left = state()
        assert left[0] == "running" and 1 <= left[1] <= FRAMES
        engine = subprocess.Popen(command, env=environment_of(installation))
        wait_for(lambda: state()[0] == "done")
    finally:
        engine.terminate()
        engine.wait(30)
    with sessions.begin() as session:
        run = session.get_one(Run, number)
        assert run.package.state == "proven" and check_package(run.folder).is_proven
        attempts = session.query(RunFrame.attempts).filter_by(run_id=number).all()
        assert sum(a for (a,) in attempts) == FRAMES, "no proven frame was done twice"


def test_a_second_engine_waits_until_the_first_is_gone(database, workers):
    first, second = Engine(database, workers), Engine(database, workers)
    assert first.is_leading() and not second.is_leading()
    first.close()
    wait_for(second.is_leading)  # the database notices a closed connection in its own time
    second.close()


def test_a_database_that_goes_away_for_a_while_is_waited_out(postgres, plan, finish, workers, sessions):
    number = plan()
    postgres.stop()
    try:
        from drawstring.store.database import DatabaseAway, unit_of_work

        with (
            pytest.raises(DatabaseAway, match="can't be reached just now"),
            unit_of_work(sessions) as session,
        ):
            session.get(Run, number)
    finally:
        postgres.start()
    assert finish(number, workers).package.state == "proven"


def test_measuring_streams_over_all_frames(plan, finish, workers, sessions, report):
    finish(plan(), workers)
    with sessions.begin() as session:
        shot = shows.find_shot(session, "TW010")
        measurement = shot.delivery.measured("depth")
        whole = whole_tally(session, shot.delivery)
        assert (measurement.state, measurement.done) == ("done", FRAMES)
        z = np.concatenate([planes_of(f.path)["depth.Z"].ravel() for f in report.frames])
        seen = np.sort(z[np.isfinite(z)])
        # The ends are distances of whole pixels: none that the edge of something else is mixed into.
        assert whole.seen == seen.size and {whole.nearest, whole.furthest} <= set(seen.tolist())
        assert seen[0] <= whole.nearest <= 1.1 * seen[0] and 0.9 * seen[-1] <= whole.furthest <= seen[-1]
        assert whole.percentile(50) == pytest.approx(seen[seen.size // 2], rel=1e-3)
        assert set(measurement.frames) == {str(f.number) for f in report.frames}


def die(path: str) -> None:
    """Stand for a decoder that a file kills."""
    if "deadly" in path:
        os._exit(11)


def test_a_file_that_kills_its_decoder_is_refused_and_the_next_is_read(copied):
    readers = Readers(1)
    try:
        from drawstring.core.errors import SourceError

        with pytest.raises(SourceError, match="deadly.exr stops the decoder dead"):
            readers.read("deadly.exr", die, "deadly.exr")
        assert readers.read("tame.exr", die, "tame.exr") is None
        paths = sorted(str(path) for path in copied.iterdir())
        assert set(readers.survey(paths)().files) == set(paths)
    finally:
        readers.close()


def test_scans_refuse_what_lies_outside_and_tell_what_is_missing(copied, tmp_path):
    root = str(copied.parent)
    from drawstring.core.errors import SourceError

    outside = tmp_path / "outside"
    shutil.copytree(copied, outside)
    (copied.parent / "link").symlink_to(outside)
    (copied / "linked.1001.exr").symlink_to(sorted(outside.iterdir())[0])
    for folder in (str(outside), "../outside", f"{root}/../outside", "link", "/etc", ""):
        with pytest.raises(SourceError, match="does not lie below an allowed folder"):
            scan(folder, roots=[root])
    with pytest.raises(MissingError, match="There is no folder"):
        scan("nowhere", roots=[root])
    (copied.parent / "empty").mkdir()
    assert [f.code for f in scan("empty", roots=[root]).findings] == ["folder-empty"]
    names = sorted(p for p in copied.iterdir() if not p.is_symlink())
    names[2].unlink()
    names[3].write_bytes(b"")
    found = scan("fog", roots=[root])
    codes = {one.code for one in found.findings}
    assert {"frame-missing", "frame-unreadable", "link-outside"} <= codes
    (report,) = found.sequences
    assert len(report.missing) == 1 and len(report.unreadable) == 1
