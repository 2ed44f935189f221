"""Work on shots: measuring, running, proving."""

from __future__ import annotations

import os
import sys

import click
from sqlalchemy.orm import Session

from drawstring.cli.common import as_json, main, me, opened, say
from drawstring.cli.waiting import wait_for
from drawstring.core.errors import MissingError, SourceError
from drawstring.core.units import say_length
from drawstring.installation import Installation
from drawstring.runs import planning
from drawstring.runs.checking import check_package
from drawstring.runs.estimate import try_frames
from drawstring.store import deliveries, ledger, measuring, recipes, shows
from drawstring.store.depth import measured
from drawstring.store.models import Delivery, Run
from drawstring.store.telling import run_data


@main.command("measure")
@click.argument("shot")
@click.option("--take", is_flag=True, help="Take the measured ends as near and far, and settle.")
@as_json
@click.pass_obj
def measure(installation: Installation, shot: str, take: bool, wants_json: bool) -> None:
    """Measure SHOT's depth over all its frames (at once, where that was not done yet)."""
    with opened(installation) as session:
        found = shows.find_shot(session, shot)
        delivery = deliveries.in_use(found)
        measuring.ask(session, delivery, recipes.current(session, found))
        if measured.measurement_of(delivery) is None:
            raise MissingError(
                f"{shot} has no depth pass.", where="depth", remedy="Ask the renderer for depth."
            )
        number = delivery.id
    wait_for(installation, lambda session: _measured(session, number))
    with opened(installation) as session:
        one = shows.find_shot(session, shot)
        note = measured.measurement_of(deliveries.in_use(one))
        tally = measured.whole_tally(session, one.delivery)
        if tally is None:
            raise SourceError(note.note if note else "Nothing was measured.", where=shot)
        unit = one.show.scene_unit
        if take:
            ends = {"depth.near": float(tally.nearest), "depth.far": float(tally.furthest)}
            recipes.set_values(session, one, ends, by=me())
            recipes.settle(session, one, "depth", by=me())
        data = {
            "shot": one.code,
            "unit": unit,
            "nearest": tally.nearest,
            "furthest": tally.furthest,
            "percentiles": {str(p): tally.percentile(p) for p in (1, 5, 50, 95, 99)},
            "nothing": tally.nothing / tally.pixels,
        }
    say(data, wants_json, lambda: f"{say_length(tally.nearest, unit)} to {say_length(tally.furthest, unit)}")


def _measured(session: Session, delivery_id: int) -> tuple[bool, int, int]:
    measurement = measured.measurement_of(session.get_one(Delivery, delivery_id))
    if measurement is None:
        return True, 0, 0
    return measurement.state in ("done", "failed"), measurement.done, measurement.total


@main.command("run")
@click.argument("shot", nargs=-1, required=True)
@as_json
@click.pass_obj
def run(installation: Installation, shot: tuple[str, ...], wants_json: bool) -> None:
    """Run every frame of SHOT (or several) into a new package, and wait for it."""
    with opened(installation) as session:
        planned = [
            planning.plan_run(
                session, shows.find_shot(session, one), output=installation.output_folder, by=me()
            )
            for one in shot
        ]
        numbers = [one.id for one in planned]
    for number in numbers:
        wait_for(installation, lambda session, number=number: _ran(session, number))  # type: ignore[misc]
    with opened(installation) as session:
        data = [run_data(session, session.get_one(Run, number)) for number in numbers]
    say(
        {"runs": data},
        wants_json,
        lambda: "\n".join(
            f"{d['shot']} v{d['version']:03d}: {d['proven']} of {d['frames']} frames proven, {d['folder']}"
            + "".join(f"\n  {note}" for note in d["notes"])
            for d in data
        ),
    )
    # A hole that was there before is told, and in the manifest; what was to be done is done.
    if any(d["state"] != "done" or d["proven"] < d["frames"] for d in data):
        sys.exit(1)


def _ran(session: Session, run_id: int) -> tuple[bool, int, int]:
    one = session.get_one(Run, run_id)
    counted = ledger.progress(session, [one])[run_id]
    return one.state not in ledger.UNDER_WAY, counted.total - counted.left, counted.total


@main.command("estimate")
@click.argument("shot")
@click.option("--frames", default=3, help="How many frames are packed to see.")
@as_json
@click.pass_obj
def estimate(installation: Installation, shot: str, frames: int, wants_json: bool) -> None:
    """Pack a few frames of SHOT, throw them away, and tell what a run would come to."""
    with opened(installation) as session:
        plan, tasks, total = planning.plan_to_try(
            session, shows.find_shot(session, shot), frames=max(1, frames)
        )
    found = try_frames(plan, tasks, os.path.join(installation.var, "tries"))
    data = found.of_run(total, workers=installation.worker_count)
    say(
        data,
        wants_json,
        lambda: (
            f"{total} frames, {data['bytes'] / 1e6:,.0f} MB, about {data['seconds'] / 60:.1f} minutes; "
            f"{found.equal} of {found.channels} channels come back bit by bit."
        ),
    )


@main.command("prove")
@click.argument("package")
@as_json
@click.pass_obj
def prove(installation: Installation, package: str, wants_json: bool) -> None:
    """Tell whether the files of a PACKAGE (a folder, or its number) are what was proven."""
    folder = package
    if package.isdigit():
        with opened(installation) as session:
            folder = ledger.find_package(session, int(package)).folder
    with click.progressbar(length=1, label="Checking", file=sys.stderr) as bar:

        def told(done: int, total: int) -> None:
            bar.length = total
            bar.update(1)

        check = check_package(folder, on_file=told)
    say(
        check.as_dict(),
        wants_json,
        lambda: (
            f"{check.checked} files match the proof."
            if check.is_proven
            else "\n".join(
                [f"{name} {fault}." for name, fault in check.faults.items()]
                + [f"Frame {number} is missing." for number in check.missing]
            )
        ),
    )
    if not check.is_proven:
        sys.exit(1)
