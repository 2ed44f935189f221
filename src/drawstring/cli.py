"""Drawstring from a shell: the same services as the pages, in plain text or JSON.

Exit codes: 0 done; 1 something is not proven; 2 wrong call; 3 a setting is refused; 4 a source can't be
used; 5 something is missing; 6 something holds the place; 7 nothing can be written; 8 the database is away.
"""

from __future__ import annotations

import json
import os
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

import click
from sqlalchemy import text
from sqlalchemy.orm import Session, sessionmaker

from drawstring import __version__
from drawstring.core.arrivals import Scan, scan
from drawstring.core.arrivals.report import SequenceReport
from drawstring.core.errors import (
    ConflictError,
    DrawstringError,
    MissingError,
    OutputError,
    SettingError,
    SeveralSettingErrors,
    SourceError,
)
from drawstring.core.units import say_length
from drawstring.installation import Installation, read_installation
from drawstring.runs import planning
from drawstring.runs.checking import check_package
from drawstring.runs.cluster import cluster
from drawstring.runs.engine import ENGINE_LOCK, Engine
from drawstring.runs.readers import Readers
from drawstring.store import deliveries, ledger, measuring, recipes, shows
from drawstring.store.database import DatabaseAway, connect, migrate, unit_of_work
from drawstring.store.models import Run, Show
from drawstring.store.standing import standing

EXIT_CODES: tuple[tuple[type[DrawstringError], int], ...] = (
    (SettingError, 3),
    (SourceError, 4),
    (MissingError, 5),
    (ConflictError, 6),
    (OutputError, 7),
    (DatabaseAway, 8),
    (DrawstringError, 1),
)

as_json = click.option("--json", "wants_json", is_flag=True, help="Print one JSON object.")


class Shell(click.Group):
    """Turns refusals into words and exit codes, in one place for all commands."""

    def invoke(self, ctx: click.Context) -> Any:
        """Carry out a command."""
        try:
            return super().invoke(ctx)
        except DrawstringError as error:
            refusals = error.refusals if isinstance(error, SeveralSettingErrors) else [error]
            if "--json" in sys.argv:
                click.echo(json.dumps({"errors": [one.as_dict() for one in refusals]}, indent=2))
            for one in refusals:
                click.echo(f"{one.where}: {one}" if one.where else str(one), err=True)
            ctx.exit(next(code for kind, code in EXIT_CODES if isinstance(error, kind)))


@click.group(cls=Shell)
@click.version_option(__version__)
@click.pass_context
def main(ctx: click.Context) -> None:
    """From a folder of renders to a proven package."""
    ctx.obj = read_installation()


@contextmanager
def opened(installation: Installation) -> Iterator[Session]:
    """Open one unit of work on the installation's database."""
    with unit_of_work(sessionmaker(connect(installation.database), expire_on_commit=False)) as session:
        yield session


def say(data: Any, wants_json: bool, words: Callable[[], str]) -> None:
    """Print data as JSON, or as words."""
    click.echo(json.dumps(data, indent=2, default=str) if wants_json else words())


def scanned(installation: Installation, folder: str) -> Scan:
    """Scan with other processes doing the decoding."""
    readers = Readers(installation.worker_count)
    try:
        where = folder if os.path.isabs(folder) or not os.path.exists(folder) else os.path.abspath(folder)
        return scan(
            where,
            roots=installation.root_list,
            surveyor=readers.survey,
            sampler=readers.sample,  # type: ignore[arg-type]
        )
    finally:
        readers.close()


@main.command("scan")
@click.argument("folder")
@as_json
@click.pass_obj
def scan_command(installation: Installation, folder: str, wants_json: bool) -> None:
    """Tell what lies in FOLDER and below: sequences, passes, gaps and faults."""
    found = scanned(installation, folder)
    say(found.as_dict(), wants_json, lambda: "\n".join(_scan_words(found)))


def _scan_words(found: Scan) -> Iterator[str]:
    for report in found.sequences:
        size = report.display_window
        yield f"{report.pattern}  {report.first}-{report.last}" + (
            f"  {size.width} x {size.height}" if size else "  unreadable"
        )
        for one in report.passes:
            yield f"    {one.name:<20} {one.confidence:4.0%}  {one.reason}"
    for finding in found.findings:
        yield f"{finding.severity}: {finding.what} ({finding.where})\n    {finding.why} {finding.remedy}"


@main.group("show")
def show_group() -> None:
    """Make and list shows."""


@show_group.command("make")
@click.argument("code")
@click.option("--title", default="", help="What people call it.")
@click.option("--fps", default=24.0, help="Frames a second.")
@click.option("--unit", default="m", help="Unit of its scenes: mm, cm, m, km, in, ft.")
@as_json
@click.pass_obj
def make_show(
    installation: Installation, code: str, title: str, fps: float, unit: str, wants_json: bool
) -> None:
    """Make a show with a CODE that can be a folder name."""
    with opened(installation) as session:
        show = shows.make_show(session, code, title=title, fps=fps, scene_unit=unit)
        data = _show_data(show)
    say(data, wants_json, lambda: f"Made show {code}.")


@show_group.command("list")
@as_json
@click.pass_obj
def list_shows(installation: Installation, wants_json: bool) -> None:
    """List the shows."""
    with opened(installation) as session:
        data = [_show_data(show) for show in session.query(Show).order_by(Show.code)]
    say(
        {"shows": data},
        wants_json,
        lambda: (
            "\n".join(f"{d['code']:<16} {d['shots']} shots, {d['fps']:g} fps, {d['unit']}" for d in data)
            or "No show yet. Make one: drawstring show make CODE"
        ),
    )


def _show_data(show: Show) -> dict[str, Any]:
    return {
        "code": show.code,
        "title": show.title,
        "fps": show.fps,
        "unit": show.scene_unit,
        "shots": len(show.shots),
    }


@main.group("shot")
def shot_group() -> None:
    """Accept deliveries and see how shots stand."""


@shot_group.command("accept")
@click.argument("shot")
@click.argument("folder")
@click.option("--pattern", default="", help="Which sequence, where the folder holds several.")
@click.option("--title", default="", help="What people call the shot.")
@as_json
@click.pass_obj
def accept_shot(
    installation: Installation, shot: str, folder: str, pattern: str, title: str, wants_json: bool
) -> None:
    """Accept the sequence in FOLDER as the delivery of SHOT (SHOW/CODE; made if it is new)."""
    report = _one_sequence(scanned(installation, folder), pattern)
    show_code, _, code = shot.rpartition("/")
    with opened(installation) as session:
        try:
            one = shows.find_shot(session, code, show=show_code)
        except MissingError:
            if not show_code:
                raise
            one = shows.make_shot(session, shows.find_show(session, show_code), code, title=title)
        deliveries.accept(session, one, report, by=_me())
        session.expire_all()
        data = _shot_data(session, one)
    say(data, wants_json, lambda: f"Accepted {report.pattern} for {code}: {data['frames']} frames.")


def _one_sequence(found: Scan, pattern: str) -> SequenceReport:
    reports = [r for r in found.sequences if not pattern or r.pattern == pattern]
    if len(reports) == 1:
        return reports[0]
    names = ", ".join(report.pattern for report in found.sequences) or "none"
    raise ConflictError(
        f"{len(reports)} sequences fit.", where=found.folder, why="A shot takes one.",
        remedy=f"Name it with --pattern. There are: {names}.",
    )  # fmt: skip


@shot_group.command("list")
@click.argument("show")
@as_json
@click.pass_obj
def list_shots(installation: Installation, show: str, wants_json: bool) -> None:
    """List the shots of SHOW with their cords."""
    with opened(installation) as session:
        data = [_shot_data(session, shot) for shot in shows.find_show(session, show).shots]
    say({"shots": data}, wants_json, lambda: "\n".join(map(_shot_words, data)) or "No shot yet.")


@shot_group.command("info")
@click.argument("shot")
@as_json
@click.pass_obj
def shot_info(installation: Installation, shot: str, wants_json: bool) -> None:
    """Tell how SHOT stands: its cord, findings and settings."""
    with opened(installation) as session:
        data = _shot_data(session, shows.find_shot(session, shot))
    say(
        data,
        wants_json,
        lambda: "\n".join(
            [_shot_words(data)]
            + [
                f"{finding['severity']}: {finding['what']} {finding['remedy']}"
                for finding in data["findings"]
            ]
        ),
    )


def _shot_data(session: Session, shot: Any) -> dict[str, Any]:
    how = standing(session, shot)
    return {
        "show": shot.show.code,
        "shot": shot.code,
        "title": shot.title,
        "frames": how.frames,
        "passes": [one.name for one in how.passes],
        "revision": how.revision.number if how.revision else 0,
        "recipe": how.recipe.as_dict(),
        "cord": [
            {"knot": knot.name, "state": knot.state.value, "says": knot.summary} for knot in how.knots
        ],
        "findings": [finding.as_dict() for finding in how.all_findings],
    }  # fmt: skip


def _shot_words(data: dict[str, Any]) -> str:
    knots = "  ".join(f"{knot['knot']}: {knot['says']} ({knot['state']})" for knot in data["cord"])
    return f"{data['show']}/{data['shot']}  revision {data['revision']}  {knots}"


@main.command("set")
@click.argument("shot")
@click.argument("values", nargs=-1, required=True, metavar="NAME=VALUE...")
@click.option("--open", "stays_open", is_flag=True, help="Leave the knots open instead of settling them.")
@as_json
@click.pass_obj
def set_values(
    installation: Installation, shot: str, values: tuple[str, ...], stays_open: bool, wants_json: bool
) -> None:
    """Change settings of SHOT by dotted name (depth.near=4.2) and settle the knots they belong to."""
    odd = [value for value in values if "=" not in value]
    if odd:
        raise click.UsageError(f"“{odd[0]}” is not NAME=VALUE.")
    typed = dict(value.split("=", 1) for value in values)
    with opened(installation) as session:
        one = shows.find_shot(session, shot)
        recipes.set_values(session, one, typed, by=_me())
        if not stays_open and one.sequence:
            for knot in dict.fromkeys(name.partition(".")[0] for name in typed):
                recipes.settle(session, one, knot, by=_me())
        data = _shot_data(session, one)
    say(data, wants_json, lambda: _shot_words(data))


@main.command("settle")
@click.argument("shot")
@click.argument("knot")
@as_json
@click.pass_obj
def settle(installation: Installation, shot: str, knot: str, wants_json: bool) -> None:
    """Settle a KNOT of SHOT as it is."""
    with opened(installation) as session:
        one = shows.find_shot(session, shot)
        recipes.settle(session, one, knot, by=_me())
        data = _shot_data(session, one)
    say(data, wants_json, lambda: _shot_words(data))


@main.command("undo")
@click.argument("shot")
@as_json
@click.pass_obj
def undo(installation: Installation, shot: str, wants_json: bool) -> None:
    """Go back one revision of SHOT's recipe."""
    with opened(installation) as session:
        one = shows.find_shot(session, shot)
        recipes.undo(session, one, by=_me())
        data = _shot_data(session, one)
    say(data, wants_json, lambda: _shot_words(data))


@main.command("measure")
@click.argument("shot")
@click.option("--take", is_flag=True, help="Take the measured ends as near and far, and settle.")
@as_json
@click.pass_obj
def measure(installation: Installation, shot: str, take: bool, wants_json: bool) -> None:
    """Measure SHOT's depth over all its frames (at once, where that was not done yet)."""
    with opened(installation) as session:
        sequence = deliveries.in_use(shows.find_shot(session, shot))
        deliveries.ask_for_measurement(session, sequence)
        if sequence.measurement is None:
            raise MissingError(
                f"{shot} has no depth pass.", where="depth", remedy="Ask the renderer for depth."
            )
        number = sequence.id
    _await(installation, lambda session: _measured(session, number))
    with opened(installation) as session:
        one = shows.find_shot(session, shot)
        tally = measuring.whole_tally(session, deliveries.in_use(one).measurement)
        if tally is None:
            note = deliveries.in_use(one).measurement
            raise SourceError(note.note if note else "Nothing was measured.", where=shot)
        unit = one.show.scene_unit
        if take:
            ends = {"depth.near": float(tally.nearest), "depth.far": float(tally.furthest)}
            recipes.set_values(session, one, ends, by=_me())
            recipes.settle(session, one, "depth", by=_me())
        data = {
            "shot": one.code,
            "unit": unit,
            "nearest": tally.nearest,
            "furthest": tally.furthest,
            "percentiles": {str(p): tally.percentile(p) for p in (1, 5, 50, 95, 99)},
            "nothing": tally.nothing / tally.pixels,
        }
    say(data, wants_json, lambda: f"{say_length(tally.nearest, unit)} to {say_length(tally.furthest, unit)}")


def _measured(session: Session, sequence_id: int) -> tuple[bool, int, int]:
    from drawstring.store.models import Sequence

    measurement = session.get_one(Sequence, sequence_id).measurement
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
                session, shows.find_shot(session, one), output=installation.output_folder, by=_me()
            )
            for one in shot
        ]
        numbers = [one.id for one in planned]
    for number in numbers:
        _await(installation, lambda session, number=number: _ran(session, number))  # type: ignore[misc]
    with opened(installation) as session:
        data = [_run_data(session, session.get_one(Run, number)) for number in numbers]
    say(
        {"runs": data},
        wants_json,
        lambda: "\n".join(
            f"{d['shot']} v{d['version']:03d}: {d['proven']} of {d['frames']} frames proven, {d['folder']}"
            for d in data
        ),
    )
    if any(d["state"] != "done" or d["package"] != "proven" for d in data):
        sys.exit(1)


def _ran(session: Session, run_id: int) -> tuple[bool, int, int]:
    one = session.get_one(Run, run_id)
    counted = ledger.progress(session, [one])[run_id]
    return one.state not in ledger.UNDER_WAY, counted.total - counted.left, counted.total


def _run_data(session: Session, one: Run) -> dict[str, Any]:
    counted = ledger.progress(session, [one])[one.id]
    return {
        "run": one.id,
        "shot": one.shot.code,
        "version": one.version,
        "state": one.state,
        "package": one.package.state if one.package else None,
        "package_id": one.package.id if one.package else None,
        "folder": one.folder,
        "frames": counted.total,
        "proven": counted.proven,
        "failed": {str(f.number): f.fault for f in one.frames if f.state == "failed"},
        "notes": one.notes,
    }


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
            f"{check.checked} files hold what was proven."
            if check.is_proven
            else "\n".join(
                [f"{name} {fault}." for name, fault in check.faults.items()]
                + [f"Frame {number} is missing." for number in check.missing]
            )
        ),
    )
    if not check.is_proven:
        sys.exit(1)


def _await(installation: Installation, look: Callable[[Session], tuple[bool, int, int]]) -> None:
    """Wait for work in the ledger, with a progress bar; do it here when no engine is running."""
    database = connect(installation.database)
    sessions = sessionmaker(database, expire_on_commit=False)
    with click.progressbar(length=1, label="Working", file=sys.stderr, show_pos=True) as bar:

        def is_over() -> bool:
            with unit_of_work(sessions) as session:
                over, done, total = look(session)
            bar.length = max(1, total)
            bar.update(done - bar.pos)
            return over

        while not is_over():
            if _engine_runs(database):
                time.sleep(0.5)
                continue
            with cluster(scheduler=installation.scheduler, workers=installation.worker_count) as client:
                Engine(database, client).work(until=is_over)


def _engine_runs(database: Any) -> bool:
    """Whether an engine leads just now."""
    with database.connect() as connection:
        free = connection.execute(text(f"SELECT pg_try_advisory_lock({ENGINE_LOCK})")).scalar()
        if free:
            connection.execute(text(f"SELECT pg_advisory_unlock({ENGINE_LOCK})"))
        connection.commit()
    return not free


@main.command("engine")
@click.pass_obj
def engine(installation: Installation) -> None:
    """Work off what waits in the ledger, until stopped."""
    import signal

    stopped = False

    def stop(*_: object) -> None:
        nonlocal stopped
        stopped = True

    signal.signal(signal.SIGTERM, stop)
    signal.signal(signal.SIGINT, stop)
    with cluster(scheduler=installation.scheduler, workers=installation.worker_count) as client:
        Engine(connect(installation.database), client).work(until=lambda: stopped)


@main.command("serve")
@click.pass_obj
def serve(installation: Installation) -> None:
    """Serve the pages and keep an engine working, until stopped; either is started again when it dies."""
    from drawstring.serving import keep_up

    keep_up(installation)


@main.command("migrate")
@click.pass_obj
def migrate_command(installation: Installation) -> None:
    """Bring the database's tables to today's form."""
    migrate(installation.database)


@main.command("demo")
@click.option("--width", default=960, help="Of the frames, in pixels.")
@click.option("--frames", default=24, help="Of each shot.")
@click.pass_obj
def demo(installation: Installation, width: int, frames: int) -> None:
    """Render the demo show with the stand-in renderer and accept its shots, where that was not done yet."""
    from drawstring.standins.tidewrack import FPS, SHOTS, render_show

    folder = os.path.join(installation.root_list[0], "tidewrack")
    with click.progressbar(length=1, label="  Rendering the demo show", show_pos=True) as bar:
        for done, total in render_show(folder, width=width, height=width * 9 // 16, frames=frames):
            bar.length = total
            bar.update(done - bar.pos)
    found = scanned(installation, folder)
    by_code = {report.code: report for report in found.sequences}
    with opened(installation) as session:
        try:
            show = shows.find_show(session, "Tidewrack")
        except MissingError:
            show = shows.make_show(session, "Tidewrack", title="Tidewrack", fps=FPS)
        have = {shot.code for shot in show.shots}
        for one in SHOTS:
            if one.code not in have:
                shot = shows.make_shot(session, show, one.code, title=one.title)
                deliveries.accept(session, shot, by_code[one.code], by="demo")
                for name, value in one.settled.items():
                    recipes.set_values(session, shot, {name: value}, by="demo")
                for knot in {name.partition(".")[0] for name in one.settled}:
                    recipes.settle(session, shot, knot, by="demo")


def _me() -> str:
    return os.environ.get("USER") or os.environ.get("LOGNAME") or "shell"


if __name__ == "__main__":
    main()
