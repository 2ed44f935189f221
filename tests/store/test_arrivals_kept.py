"""Arrivals kept: deliveries of several files, gone back to; corrections remembered; findings put away."""

import json
import shutil

import numpy as np
import pytest

from drawstring.core.arrivals import scan
from drawstring.core.errors import ConflictError, MissingError, SettingError
from drawstring.core.passes import entry
from drawstring.core.recipe import KnotState
from drawstring.runs.measuring import measure_frame
from drawstring.runs.planning import plan_run, source_files, tasks_of
from drawstring.standins.tidewrack import make_faults
from drawstring.store import correcting, deliveries, dismissals, measuring, recipes, scans, shows
from drawstring.store.facts import scan_from_json, scan_to_json
from drawstring.store.models import ScanRow
from drawstring.store.standing import standing


@pytest.fixture(scope="session")
def root(tmp_path_factory):
    """A root with the folder of faults in it. Not to be changed."""
    root = tmp_path_factory.mktemp("faulty")
    make_faults(str(root / "faults"), width=96, height=54)
    return root


@pytest.fixture
def found(root):
    """The folder of faults as it was scanned."""
    return scan("faults", roots=[str(root)], fps=24)


@pytest.fixture
def show(session):
    """A show."""
    return shows.make_show(session, "Tidewrack")


@pytest.fixture
def accepted(session, show, found):
    """Accept a candidate by its shot's code; give the shot."""

    def accept(code: str, version: int | None = None):
        one = next(c for c in found.candidates if c.shot == code and version in (None, c.version))
        shot = next((s for s in show.shots if s.code == code), None) or shows.make_shot(session, show, code)
        deliveries.accept(session, shot, one)
        session.expire_all()
        return shot

    return accept


def count(session, delivery, kind="facts"):
    """Count a delivery's frames here, as the engine's workers do."""
    passes, window = tuple(deliveries.passes_of(delivery)), deliveries.window_of(delivery)
    frames = deliveries.frames_of(session, delivery)
    done = dict(measure_frame(kind, n, source_files(files), passes, window) for n, files in frames.items())
    measuring.finish(delivery.measured(kind), done, {})
    session.flush()


def test_a_scan_comes_back_from_json_as_it_was(found):
    back = scan_from_json(json.loads(json.dumps(scan_to_json(found))), fps=24)
    for one, again in zip(found.candidates, back.candidates, strict=True):
        assert (again.key, again.passes, again.frames) == (one.key, one.passes, one.frames)
        assert (again.window, again.views) == (one.window, one.views)
        assert [m.meaning for m in again.members] == [m.meaning for m in one.members]
    assert sorted(f.fact for f in back.findings) == sorted(f.fact for f in found.findings)


def test_a_file_to_each_pass_is_one_delivery_whose_frames_know_what_they_lack(session, accepted):
    shot = accepted("TW110")
    delivery = shot.delivery
    assert len(delivery.members) == 10 and (delivery.first, delivery.last, delivery.usable) == (1001, 1010, 5)
    states = {cell.number: (cell.state, cell.note) for cell in deliveries.frame_cells(session, delivery)}
    assert states[1001] == ("here", "") and states[1004][0] == "partial"
    assert "without TW110_beauty_v001.####.exr" in states[1004][1] and "empty" in states[1003][1]
    files = deliveries.files_of(session, delivery, 1003)
    assert len(files) == 9, "the empty normals are left out, the rest is here"
    with pytest.raises(MissingError, match="Frame 999 did not arrive"):
        deliveries.files_of(session, delivery, 999)
    # A run takes the frames that have what goes out; without depth and normals there are more of them.
    run = plan_run(session, shot, output=str(shot.id))
    assert [task.number for task in tasks_of(session, run)] == [1001, 1002, 1005, 1007, 1008]
    run.state = "cancelled"
    recipes.set_values(session, shot, {"pack.depth.goes": "no", "pack.normal.goes": "no"})
    run = plan_run(session, shot, output=str(shot.id))
    assert [task.number for task in tasks_of(session, run)] == [
        1001,
        1002,
        1003,
        1005,
        1006,
        1007,
        1008,
        1009,
        1010,
    ]
    shutil.rmtree(str(shot.id))


def test_a_newer_version_keeps_the_recipe_says_what_differs_and_can_be_gone_back_from(
    session, show, root, found, report, candidate
):
    shot = shows.make_shot(session, show, "TW080")
    deliveries.accept(session, shot, candidate)
    recipes.set_values(session, shot, {"depth.near": "2", "depth.far": "9"})
    recipes.settle(session, shot, "depth")
    row = scans.ask(session, show, str(root / "faults"))
    assert scans.ask(session, show, str(root / "faults")) is row and scans.waiting(session) == [row]
    with pytest.raises(ConflictError, match="is waiting"):
        scans.found(session, row)
    row.result, row.state = scan_to_json(found), "done"
    session.flush()
    newer = scans.newer_versions(session, show)[shot.id]
    assert (newer.version, newer.key) == (2, "TW080~2")
    first = shot.delivery
    scans.accept(session, row, newer.key, shot)
    session.expire_all()
    assert scans.newer_versions(session, show) == {}
    how = standing(session, shot)
    depth = next(knot for knot in how.knots if knot.name == "depth")
    assert depth.state is KnotState.STALE and how.recipe.depth.near == 2
    assert "v002 was accepted since: the picture is 96 x 54, was 192 x 108" in depth.reason
    assert "object_matte, occlusion are gone" in shot.delivery.differences
    deliveries.use(session, shot, deliveries.of_shot(shot, first.id))
    session.expire_all()
    depth = next(knot for knot in standing(session, shot).knots if knot.name == "depth")
    assert shot.delivery.id == first.id and depth.state is KnotState.SETTLED
    with pytest.raises(MissingError, match="has no delivery"):
        deliveries.of_shot(shot, 10**6)
    with pytest.raises(MissingError, match="There is no TW999 v1"):
        scans.candidate(session, row, "TW999~1")


def test_counted_frames_become_findings_and_follow_corrected_names(session, accepted):
    shot = accepted("TW110")
    count(session, shot.delivery)
    told = {finding.code: finding for finding in standing(session, shot).findings["arrivals"]}
    assert told["pass-black"].pass_name == "emission" and told["pass-nan"].frame == 1007
    assert told["frame-stands-out"].frame == 1006 and "diffuse_indirect" in told["frame-stands-out"].what
    assert set(told["pass-doubled"].what.split()[:3:2]) == {"diffuse_direct", "specular_direct"}
    counted = measuring.counted_of(shot.delivery.measured("facts"))
    assert set(counted) == set(range(1001, 1011)) and "beauty" not in counted[1004]
    correcting.correct_role(session, shot.delivery, "emission", "bloom")
    session.expire_all()
    told = {finding.code: finding for finding in standing(session, shot).findings["arrivals"]}
    assert told["pass-black"].pass_name == "bloom"
    assert "bloom" in measuring.counted_of(shot.delivery.measured("facts"))[1001]


def test_a_correction_is_remembered_for_the_whole_show(session, show, accepted):
    shot = accepted("TW160")
    told = [entry("word", "streaks", "specular_indirect")]
    effects = correcting.effects(session, show, told)
    assert [(e.shot, e.layer, e.before, e.after) for e in effects] == [
        ("TW160", "rust_streaks", "other (rust_streaks)", "specular indirect")
    ]
    assert correcting.dictionary_of(show) == [], "looking changes nothing"
    correcting.remember(session, show, told)
    correcting.remember(session, show, [entry("word", "Streaks", "reflection")])
    session.expire_all()
    names = {one.layer: one.name for one in deliveries.passes_of(shot.delivery)}
    assert names["rust_streaks"] == "reflection" and len(show.entries) == 1
    # What a person said about one pass itself goes before the dictionary.
    correcting.correct_role(session, shot.delivery, "reflection", "sheen")
    correcting.remember(session, show, [entry("whole name", "rust_streaks", "mist")])
    assert {one.layer: one.name for one in deliveries.passes_of(shot.delivery)}["rust_streaks"] == "sheen"
    correcting.forget(session, show, show.entries[0].id)
    assert len(show.entries) == 1
    with pytest.raises(MissingError, match="has no line"):
        correcting.forget(session, show, 10**6)


def test_the_other_twin_can_be_chosen(session, accepted):
    shot = accepted("TW160")
    correcting.choose_twin(session, shot.delivery, "beauty_noisy")
    passes = {one.layer: one for one in deliveries.passes_of(shot.delivery)}
    assert (passes["beauty_noisy"].name, passes["beauty_denoised"].name) == ("beauty", "beauty_noisy")
    assert passes["beauty_denoised"].twin_of == "beauty" and passes["beauty_noisy"].twin_of == ""
    with pytest.raises(SettingError, match="no twin"):
        correcting.choose_twin(session, shot.delivery, "beauty")


def test_a_finding_is_put_away_with_a_reason_and_comes_back_when_its_fact_changes(session, accepted):
    shot = accepted("TW110")
    finding = next(f for f in standing(session, shot).all_findings if f.code == "frame-missing")
    with pytest.raises(SettingError, match="with a reason"):
        dismissals.dismiss(session, shot, finding.fact, "  ")
    dismissals.dismiss(session, shot, finding.fact, "1004 is not in the cut", by="tests")
    how = standing(session, shot)
    assert finding not in how.all_findings and how.dismissed[0][1].reason == "1004 is not in the cut"
    with pytest.raises(MissingError, match="not there any more"):
        dismissals.dismiss(session, shot, finding.fact, "again")
    shot.delivery.findings = [
        {**f, "what": f["what"].replace("1004", "1004 to 1005")} for f in shot.delivery.findings
    ]
    shot.delivery.accepted_at = shot.made_at
    session.flush()
    assert "frame-missing" in {f.code for f in standing(session, shot).all_findings}, "another fact"
    dismissals.bring_back(session, shot, finding.fact)
    assert not standing(session, shot).dismissed
    recipes.set_values(session, shot, {"pack.normal.layer": "beauty2", "pack.shadow.layer": "normal2"})
    recipes.set_values(session, shot, {"pack.shadow.layer": "occlusion"})
    stopping = standing(session, shot).stops[0]
    with pytest.raises(ConflictError, match="can't be dismissed"):
        dismissals.dismiss(session, shot, stopping.fact, "never mind")


def test_old_scans_make_room_and_patterns_are_checked(session, show):
    for i in range(scans.KEPT + 5):
        row = scans.ask(session, show, f"/in/{i}")
        row.state = "done"
        session.flush()
    assert session.query(ScanRow).count() <= scans.KEPT + 1
    assert scans.recent(session, show)[0].folder == f"/in/{scans.KEPT + 4}"
    scans.set_patterns(session, show, ["{shot}_{pass}.{frame}", "", " {shot}.{frame} "])
    assert show.patterns == ["{shot}_{pass}.{frame}", "{shot}.{frame}"]
    with pytest.raises(SettingError, match="no {shot}"):
        scans.set_patterns(session, show, ["{shot}.{frame}", "{pass}.{frame}"])
    assert len(show.patterns) == 2


def test_display_values_are_undone_before_anything_is_computed(session, accepted):
    from makers import as_read

    from drawstring.core.io.frame import read_frame

    shot = accepted("TW130")
    delivery = shot.delivery
    passes = deliveries.passes_of(delivery)
    beauty = next(one for one in passes if one.name == "beauty")
    files = deliveries.files_of(session, delivery, 1002)
    pixels = read_frame(files, beauty.channels, window=deliveries.window_of(delivery))
    code = pixels[beauty.channels[0]]
    wanted = np.where(code <= 0.04045, code / 12.92, ((code + 0.055) / 1.055) ** 2.4)
    read = as_read(beauty, pixels, recipes.current(session, shot))
    np.testing.assert_allclose(read[..., 0], wanted, rtol=3e-4, atol=1e-6)
    np.testing.assert_array_equal(read[..., 3], pixels[beauty.channels[3]], "alpha is no colour")
    recipes.set_values(session, shot, {"arrivals.spaces.beauty": "linear"})
    plain = as_read(beauty, pixels, recipes.current(session, shot))
    alpha = pixels[beauty.channels[3]]
    np.testing.assert_array_equal(plain[..., 0], code * alpha, "PNG keeps colours straight")
    with pytest.raises(SettingError, match="no colour space"):
        recipes.set_values(session, shot, {"arrivals.spaces.beauty": "sepia"})
