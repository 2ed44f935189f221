"""Scans beside the frames: done by the engine, watched folders noticed, several files packed into one."""

import os
import shutil
import time

import numpy as np
import OpenEXR
import pytest
from makers import write_plain

from drawstring.core.arrivals.scan import recognise_sampled
from drawstring.core.errors import SourceError
from drawstring.runs.engine import Engine
from drawstring.runs.planning import plan_run
from drawstring.runs.readers import Readers
from drawstring.runs.scanning import Scanning, carry_out_scan, listing_of
from drawstring.standins.tidewrack import make_faults
from drawstring.store import deliveries, recipes, scans, shows
from drawstring.store.models import Run, ScanRow


@pytest.fixture
def readers():
    """One reader process."""
    made = Readers(1)
    yield made
    made.close()


@pytest.fixture
def show_id(sessions):
    """A committed show's number."""
    with sessions.begin() as session:
        return shows.make_show(session, "Tidewrack").id


def test_a_scan_is_done_in_other_processes_and_written_down(sessions, show_id, readers, copied, tmp_path):
    sorted(copied.iterdir())[2].write_bytes(b"")
    with sessions.begin() as session:
        show = session.get(shows.Show, show_id)
        numbers = [scans.ask(session, show, str(folder)).id for folder in (copied, tmp_path / "gone")]
    for number in numbers:
        carry_out_scan(sessions, number, readers, [str(tmp_path)])
    with sessions() as session:
        row, gone = (session.get(ScanRow, number) for number in numbers)
        (one,) = scans.found(session, row).candidates
        assert (row.state, one.shot, len(one.passes)) == ("done", "TW010", 15)
        assert [frame.number for frame in one.members[0].usable] == [1010, 1011, 1013, 1014, 1015]
        assert gone.state == "failed" and "There is no folder" in gone.fault["what"]


def test_the_engine_scans_what_waits_and_a_watched_folder_when_it_has_come_to_rest(
    database, sessions, show_id, workers, readers, copied, tmp_path
):
    with sessions.begin() as session:
        show = session.get(shows.Show, show_id)
        scans.watch(session, show, str(copied))
    scanning = Scanning(sessions, readers, [str(tmp_path)], look_s=0.3)
    seen: list[tuple[int, int]] = []

    def over() -> bool:
        with sessions() as session:
            done = session.query(ScanRow).filter_by(state="done").order_by(ScanRow.id).all()
            if len(done) == 1 and not seen:
                seen.append((len(done), len(scans.found(session, done[0]).candidates)))
                (copied / "TW010_main_v002.1010.exr").write_bytes(sorted(copied.iterdir())[0].read_bytes())
            return len(done) == 2

    until = time.monotonic() + 60
    Engine(database, workers, scanning=scanning).work(until=lambda: over() or time.monotonic() > until)
    with sessions() as session:
        rows = session.query(ScanRow).order_by(ScanRow.id).all()
        assert [row.state for row in rows] == ["done", "done"] and seen == [(1, 1)]
        assert {one.version for one in scans.found(session, rows[1]).candidates} == {1, 2}
        show = session.get(shows.Show, show_id)
        assert show.watched[0].listing == listing_of(str(copied))
        scans.unwatch(session, show, str(copied))
        assert show.watched == [] and listing_of(str(tmp_path / "nowhere")) == ""


def die_or_recognise(sampling):
    """Stand for a decoder that a sequence's pixels kill, though its headers are fine."""
    if sampling.is_seen and "deadly" in sampling.paths[0]:
        os._exit(11)
    return recognise_sampled(sampling)


def test_a_sequence_that_kills_the_decoder_is_known_by_its_names(monkeypatch, readers, tmp_path):
    from drawstring.core.arrivals.scan import Sampling
    from drawstring.runs import readers as module

    monkeypatch.setattr(module, "recognise_sampled", die_or_recognise)
    plane = np.random.default_rng(1).random((9, 9)).astype(np.float32)
    paths = [
        str(write_plain(tmp_path / f"{name}.exr", {"depth.Z": plane + 1})) for name in ("deadly", "tame")
    ]
    told: list[tuple[int, int]] = []
    found = readers.recognise(
        [Sampling((path,), "", "", ()) for path in paths],
        lambda doing, done, total: told.append((done, total)),
    )
    assert [one.passes[0].name for one in found] == ["depth", "depth"] and told == [(1, 2), (2, 2)]
    assert "agree" not in found[0].passes[0].reason and "agree" in found[1].passes[0].reason
    with pytest.raises(SourceError, match="stops the decoder dead"):
        readers.read("deadly", os._exit, 3)


def test_a_file_to_each_pass_is_packed_into_one_proven_file(sessions, show_id, workers, finish, tmp_path):
    make_faults(str(tmp_path / "faults"), width=96, height=54)
    from drawstring.core.arrivals import scan

    candidates = {one.shot: one for one in scan("faults", roots=[str(tmp_path)], fps=24).candidates}
    with sessions.begin() as session:
        shot = shows.make_shot(session, session.get(shows.Show, show_id), "TW110")
        deliveries.accept(session, shot, candidates["TW110"])
        recipes.set_values(session, shot, {"depth.near": "2", "depth.far": "60"})
        recipes.settle(session, shot, "depth")
        number = plan_run(session, shot, output=str(tmp_path / "packages")).id
    run: Run = finish(number, workers)
    assert (run.state, [frame.number for frame in run.frames]) == ("done", [1001, 1002, 1005, 1007, 1008])
    folder = tmp_path / "faults" / "TW110" / "v001"
    packed = OpenEXR.File(
        os.path.join(run.folder, run.frames[2].file_name), separate_channels=True
    ).channels()
    for name, (file, channel) in {
        "G": ("beauty", "G"), "depth.Z": ("zdepth", "Z"), "normal.Y": ("normals", "G"),
        "occlusion.V": ("ao", "V"),
    }.items():  # fmt: skip
        source = OpenEXR.File(str(folder / f"TW110_{file}_v001.1005.exr"), separate_channels=True).channels()
        np.testing.assert_array_equal(packed[name].pixels, source[channel].pixels)
    z = (
        OpenEXR.File(str(folder / "TW110_zdepth_v001.1005.exr"), separate_channels=True)
        .channels()["Z"]
        .pixels
    )
    wanted = np.where(z < 1e9, 1 - np.clip((z.astype(np.float64) - 2) / 58, 0, 1), 0).astype(np.float32)
    np.testing.assert_array_equal(packed["depth_normalised.V"].pixels, wanted)
    with sessions() as session:
        shot = shows.find_shot(session, "TW110")
        assert {one.kind for one in shot.delivery.measurements} == {"depth", "facts", "assembly"}


def test_source_files_that_changed_or_vanished_stop_their_frame_alone(
    sessions, show_id, workers, finish, tmp_path
):
    make_faults(str(tmp_path / "faults"), width=96, height=54)
    from drawstring.core.arrivals import scan

    found = scan("faults/TW120", roots=[str(tmp_path)], fps=24).candidates[0]
    with sessions.begin() as session:
        shot = shows.make_shot(session, session.get(shows.Show, show_id), "TW120")
        deliveries.accept(session, shot, found)
        number = plan_run(session, shot, output=str(tmp_path / "packages")).id
    folder = tmp_path / "faults" / "TW120" / "v002"
    os.unlink(folder / "TW120_R_depth_v002.1001.exr")
    shutil.copy(folder / "TW120_L_beauty_v002.1002.exr", folder / "TW120_L_beauty_v002.1003.exr")
    run: Run = finish(number, workers)
    faults = {frame.number: frame.fault["what"] for frame in run.frames if frame.state == "failed"}
    assert "can't be opened" in faults.pop(1001) and "has changed since" in faults.pop(1003) and not faults
    assert run.package.state == "incomplete" and len(run.frames) == 8


def test_converted_colours_are_packed_in_the_working_space_and_say_so(
    sessions, show_id, workers, finish, tmp_path
):
    make_faults(str(tmp_path / "faults"), width=96, height=54)
    from drawstring.core.arrivals import scan
    from drawstring.core.colour import to_working

    (found,) = scan("faults/TW140", roots=[str(tmp_path)], fps=24).candidates
    with sessions.begin() as session:
        shot = shows.make_shot(session, session.get(shows.Show, show_id), "TW140")
        deliveries.accept(session, shot, found)
        numbers = [plan_run(session, shot, output=str(tmp_path / "packages")).id]
    runs = [finish(numbers[0], workers)]
    with sessions.begin() as session:
        shot = shows.find_shot(session, "TW140")
        beauty = {f"arrivals.spaces.{one.name}": "linear" for one in found.passes if one.space != "linear"}
        recipes.set_values(session, shot, beauty)
        numbers.append(plan_run(session, shot, output=str(tmp_path / "packages")).id)
    runs.append(finish(numbers[1], workers))
    source = OpenEXR.File(
        str(tmp_path / "faults/TW140/v001/TW140_main_v001.1002.exr"), separate_channels=True
    ).channels()
    colours = np.stack([source[letter].pixels for letter in "RGB"], axis=-1).astype(np.float32)
    for run, wanted, primaries in zip(
        runs, (to_working(colours, "ACEScg"), colours), ((0.64, 0.33), (0.713, 0.293)), strict=True
    ):
        file = OpenEXR.File(
            os.path.join(run.folder, f"TW140_v{run.version:03d}.1002.exr"), separate_channels=True
        )
        packed = np.stack([file.channels()[letter].pixels for letter in "RGB"], axis=-1)
        np.testing.assert_allclose(packed, wanted, rtol=1e-6, atol=1e-6)
        assert file.header()["chromaticities"][:2] == pytest.approx(primaries, abs=1e-4)
