"""Assembly in a run: parts counted over the frames, changed in the finished picture, proven on the files."""

import os

import numpy as np
import OpenEXR
import pytest
from makers import carry_out_here

from drawstring.core.camera import moment_of
from drawstring.core.chain import Work
from drawstring.core.errors import OutputError
from drawstring.core.io.frame import read_frame
from drawstring.core.recipe import compute, plan_outputs
from drawstring.runs.engine import Engine
from drawstring.runs.planning import plan_of, plan_run
from drawstring.runs.recomposing import recompose
from drawstring.store import deliveries, ledger, measuring, recipes
from drawstring.store.models import Run, Shot
from drawstring.store.standing import standing

LIGHTS = ("diffuse_direct", "diffuse_indirect", "specular_direct", "specular_indirect")


def planes_of(path: str) -> dict[str, np.ndarray]:
    with OpenEXR.File(str(path), separate_channels=True) as file:
        return {name: np.array(channel.pixels, np.float32) for name, channel in file.channels().items()}


def term(planes: dict[str, np.ndarray], name: str, letter: str) -> np.ndarray:
    lobe = name.partition("_")[0]
    return planes[f"{name}.{letter}"] * planes[f"{lobe}_albedo.{letter}"]


def codes(session, shot) -> set[str]:
    return {finding.code for finding in standing(session, shot).all_findings}


def test_a_changed_sum_is_packed_and_beauty_rebuilt_from_the_written_files(plan, finish, workers, sessions):
    number = plan()
    with sessions.begin() as session:
        run = session.get_one(Run, number)
        ledger.cancel(session, run)
        typed = {
            "assembly.needed": "yes", "assembly.terms.specular_direct.strength": "1",
            "assembly.terms.environment.on": "no", "assembly.sends_rest": "yes",
            "pack.beauty": "beside", "pack.diffuse_albedo.stored": "half",
        }  # fmt: skip
        recipes.set_values(session, run.shot, typed)
        for knot in ("assembly", "alpha", "depth"):
            recipes.settle(session, run.shot, knot)
        folder = os.path.dirname(os.path.dirname(os.path.dirname(run.folder)))
        number = plan_run(session, run.shot, output=folder).id
    run = finish(number, workers)
    assert (run.state, run.package.state) == ("done", "proven"), [frame.fault for frame in run.frames]
    for frame in run.frames:
        told = frame.proof["recomposed"]["beauty"]
        assert told["largest"] < 2e-3 and told["leaves"] < 0.02
        planes = planes_of(os.path.join(run.folder, frame.file_name))
        for letter in "RGB":
            parts = sum(term(planes, name, letter) for name in LIGHTS)
            parts += planes[f"emission.{letter}"] + planes[f"environment.{letter}"]
            # Whoever adds the packed parts up gets the packed beauty; what is left was sent as rest.
            np.testing.assert_allclose(parts + planes[f"rest.{letter}"], planes[letter], atol=2e-5)
            wanted = (
                planes[letter] + term(planes, "specular_direct", letter) - planes[f"environment.{letter}"]
            )
            np.testing.assert_allclose(planes[f"picture.{letter}"], wanted, atol=2e-5)
    # Another frame's file in this one's place is found out.
    with sessions.begin() as session:
        whole, frames = plan_of(session.get_one(Run, number)), run.frames
        files = deliveries.files_of(session, session.get_one(Run, number).delivery, frames[0].number)
    outputs = plan_outputs(whole.passes, whole.recipe, settled_only=True)
    pixels = read_frame(files, outputs.inputs, window=whole.window)
    at = moment_of(files, frame=frames[0].number, window=whole.window, scene_unit="m")
    other = {
        ("", "", name): plane
        for name, plane in planes_of(os.path.join(run.folder, frames[-1].file_name)).items()
    }
    with pytest.raises(OutputError, match="put together, are .* off the beauty"):
        recompose(compute(outputs, pixels, at), other, Work(pixels, at), outputs.chains)


def test_frames_are_counted_and_a_gap_is_a_finding_with_a_press(plan, finish, workers, sessions, database):
    number = plan()
    finish(number, workers)

    def count() -> None:
        def is_counted() -> bool:
            with sessions.begin() as session:
                return not measuring.waiting(session)

        Engine(database, workers).work(until=is_counted)

    count()
    with sessions.begin() as session:
        shot = session.query(Shot).one()
        counted = measuring.counted_for(shot.delivery.measured("assembly"))
        # Nobody took the knot up: three frames say whether it adds up, and it does.
        assert len(counted) == 3 and not [
            f for f in standing(session, shot).all_findings if f.code == "sum-off"
        ]
        typed = {"assembly.needed": "yes", "assembly.terms.specular_indirect.counts": "no"}
        recipes.set_values(session, shot, typed)
    count()
    with sessions.begin() as session:
        shot = session.query(Shot).one()
        measurement = shot.delivery.measured("assembly")
        assert len(measuring.counted_for(measurement)) == measurement.total == 6
        (finding,) = [f for f in standing(session, shot).all_findings if f.code == "sum-off"]
        assert "specular indirect is switched off" in finding.what and "6 of" not in finding.what
        recipes.set_values(session, shot, dict(finding.mends[0].values))
        assert recipes.current(session, shot).assembly.term("specular_indirect").counts
    count()
    with sessions.begin() as session:
        shot = session.query(Shot).one()
        assert "sum-off" not in codes(session, shot)
        before = shot.delivery.measured("assembly").id
        recipes.set_values(session, shot, {"assembly.terms.emission.strength": "2"})
        assert shot.delivery.measured("assembly").id == before, "what is done with the sum needs no new count"


def test_grain_is_measured_again_on_the_packed_file(plan, sessions):
    with sessions.begin() as session:
        run = session.get_one(Run, plan())
        ledger.cancel(session, run)
        for typed in (
            {"alpha.stack.add": "beauty", "pack.beauty": "beside", "pack.picture.stored": "half"},
            {"alpha.stack.add": "grain"},
            {"alpha.stack.2.change.by_light": "0,0.02", "alpha.stack.2.change.channels": "1 0.8 0.6"},
        ):
            recipes.set_values(session, run.shot, typed)
        for knot in ("alpha", "depth"):
            recipes.settle(session, run.shot, knot)
        folder = os.path.dirname(os.path.dirname(os.path.dirname(run.folder)))
        again = plan_run(session, run.shot, output=folder)
        carry_out_here(session, again)
        assert again.package.state == "proven", [frame.fault for frame in again.frames]
        told = [frame.proof["recomposed"]["grain"] for frame in again.frames]
        frame, path = again.frames[0], os.path.join(again.folder, again.frames[0].file_name)
    for grain in told:
        assert grain["measured_deviation"] == pytest.approx(grain["asked_deviation"], rel=0.05)
        assert grain["measured_size_px"] == pytest.approx(grain["asked_size_px"], rel=0.05)
    # By the file alone: picture less beauty is the grain, where the beauty covers its pixel.
    planes = planes_of(path)
    covered = planes["A"] == 1
    for letter, share in (("R", 1), ("G", 0.8), ("B", 0.6)):
        noise = (planes[f"picture.{letter}"] - planes[letter])[covered]
        assert noise.std() == pytest.approx(0.02 * share, rel=0.1), frame.number
    # A stack of grain alone: without it, nothing is there.
    with sessions.begin() as session:
        shot = session.get_one(Run, again.id).shot
        typed = {"alpha.stack.1.remove": "yes", "pack.beauty": "as arrived", "alpha.sends": "picture"}
        recipes.set_values(session, shot, typed | {"arrivals.last": str(frame.number)})
        for knot in ("arrivals", "alpha"):
            recipes.settle(session, shot, knot)
        alone = plan_run(session, shot, output=folder)
        carry_out_here(session, alone)
        assert alone.package.state == "proven", [row.fault for row in alone.frames]
        assert "grain" in alone.frames[0].proof["recomposed"]
