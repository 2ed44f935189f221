"""A run planned: which frames, through which revision, into which new version. Nothing is computed yet."""

from __future__ import annotations

import os
import re
from collections.abc import Collection, Mapping, Sequence
from contextlib import nullcontext, suppress
from dataclasses import replace
from itertools import islice

from sqlalchemy import ARRAY, Integer, Text, cast, func, insert, literal, select
from sqlalchemy.orm import Session

from drawstring.core.errors import ConflictError, DrawstringError, OutputError, SettingError
from drawstring.core.io.sequences import gaps_between
from drawstring.core.pack.file_names import USUAL, USUAL_OF_PASSES, file_name
from drawstring.core.recipe import (
    KnotState,
    OutputPlan,
    available_results,
    fixed_results,
    is_sent,
    plan_outputs,
    result_named,
    upgraded,
)
from drawstring.core.recipe.counting import FACTS
from drawstring.runs.homes import asked_beside, files_beside
from drawstring.runs.run_plan import FrameTask, RunPlan, SourceFile
from drawstring.store import deliveries, recipes
from drawstring.store.ledger import HOLDS
from drawstring.store.measuring import FrameCounted, frames_counted
from drawstring.store.models import Frame, Run, RunFrame, Shot
from drawstring.store.standing import ShotStanding, standing, standings
from drawstring.store.storable import storable_text


def plan_run(session: Session, shot: Shot, *, output: str, by: str = "") -> Run:
    """Plan a run of a shot: a new version, a row for every frame.

    Parameters
    ----------
    output : str
        The folder below which packages go.

    Raises
    ------
    MissingError
        Nothing was accepted for the shot.
    ConflictError
        A finding stops it, no frame is in the range, or a run of it is under way.
    OutputError
        The version's folder can't be made.
    """
    (planned,) = plan_runs(session, [shot], output=output, by=by)
    if isinstance(planned, DrawstringError):
        raise planned
    return planned


def plan_runs(
    session: Session, shots: Sequence[Shot], *, output: str, by: str = ""
) -> list[Run | DrawstringError]:
    """Plan a run of each of several shots; one that is refused leaves the others planned.

    Parameters
    ----------
    output : str
        The folder below which packages go.

    Returns
    -------
    list
        In the shots' order: the run, or why there is none (see `plan_run`).
    """
    ids = [shot.id for shot in shots]
    recipes.take_turns(session, ids)
    usable = [shot for shot in shots if shot.delivery is not None]
    known = {how.shot.id: how for how in standings(session, usable)} if usable else {}
    whole = deliveries.whole_files(session, [deliveries.in_use(shot) for shot in usable])
    busy = {
        row.shot_id: row.id
        for row in session.execute(
            select(Run.shot_id, Run.id).where(Run.shot_id.in_(ids), Run.state.in_(HOLDS))
        )
    }
    used = select(Run.shot_id, func.max(Run.version)).where(Run.shot_id.in_(ids)).group_by(Run.shot_id)
    versions: dict[int, int] = {row[0]: row[1] for row in session.execute(used)}
    told: list[Run | DrawstringError] = []
    names: list[tuple[Run, list[int], list[str]]] = []
    try:
        for shot in shots:
            try:
                deliveries.in_use(shot)
                if shot.id in busy:
                    raise ConflictError(
                        f"Run {busy[shot.id]} of {shot.code} is under way or paused."
                        if busy[shot.id] else f"{shot.code} is named twice.",
                        where="run", why="Two runs would do the same work twice.",
                        remedy="Wait for it, or cancel it first.",
                    )  # fmt: skip
                how = known[shot.id]
                # A shot that nobody touched gets its first revision: not where it is refused after all.
                with session.begin_nested() if how.revision is None else nullcontext():
                    planned = _planned(
                        session, how, whole[deliveries.in_use(shot).id], versions.get(shot.id, 0), output, by
                    )
                busy[shot.id] = 0
                names.append(planned)
                told.append(planned[0])
            except DrawstringError as refusal:
                told.append(refusal)
        _write_down(session, names)
    except BaseException:
        # Nothing of them was planned: their versions are free.
        for run, _, _ in names:
            with suppress(OSError):
                os.rmdir(run.folder)
        raise
    return told


def _planned(
    session: Session, how: ShotStanding, whole: Mapping[int, Sequence[int]], used: int, output: str, by: str
) -> tuple[Run, list[int], list[str]]:
    """Plan one run: its row, which is not written yet, its folder, its frames and their files."""
    shot, delivery = how.shot, deliveries.in_use(how.shot)
    if how.stops:
        finding = how.stops[0]
        raise ConflictError(finding.what, where=finding.where, why=finding.why, remedy=finding.remedy)
    outputs = _run_outputs(how)
    numbers = _numbers_of(how, outputs, whole)
    revision = how.revision or recipes.settle(session, shot, "arrivals", by=by)
    version, folder = _new_folder(shot, output, used)
    run = Run(
        shot_id=shot.id, delivery_id=delivery.id, revision_id=revision.id, version=version, folder=folder,
        notes=notes_for(session, how, usable=numbers), by=by,
    )  # fmt: skip
    return run, numbers, file_names_of(how, numbers, version, outputs)


def _write_down(session: Session, planned: Sequence[tuple[Run, list[int], list[str]]]) -> None:
    """Write runs with a row for every frame, all of them at once: one by one takes several times as long."""
    session.add_all(run for run, _, _ in planned)
    session.flush()
    ids = [run.id for run, numbers, _ in planned for _ in numbers]
    every = [number for _, numbers, _ in planned for number in numbers]
    files = [storable_text(name) for _, _, names in planned for name in names]
    rows = (
        func.unnest(
            cast(literal(ids, ARRAY(Integer)), ARRAY(Integer)),
            cast(literal(every, ARRAY(Integer)), ARRAY(Integer)),
            cast(literal(files, ARRAY(Text)), ARRAY(Text)),
        )
        .table_valued("run_id", "number", "file_name")
        .render_derived()
    )
    session.execute(
        insert(RunFrame).from_select(
            ["run_id", "number", "file_name"], select(rows.c.run_id, rows.c.number, rows.c.file_name)
        )
    )


def file_names_of(
    how: ShotStanding, numbers: Sequence[int], version: int, outputs: OutputPlan | None = None
) -> list[str]:
    """Give the names of the frames' own files; where each pass has one, that of the first pass."""
    pack = how.recipe.pack
    outputs = outputs or _run_outputs(how)
    of_pass = next((one.of_pass for one in outputs.channels), "")
    pattern = pack.file_name or (USUAL_OF_PASSES if of_pass else USUAL)
    # Counted from the first frame that is asked for, also where that one is torn.
    first, _ = deliveries.asked_range(deliveries.in_use(how.shot), how.recipe.arrivals)
    moved = 0 if pack.start_frame is None else pack.start_frame - first
    out = [number + moved for number in numbers]
    digits = max(pack.padding, len(str(out[-1])))
    return [
        file_name(pattern, shot=how.shot.code, version=version, number=n, padding=digits, of_pass=of_pass)
        for n in out
    ]


def notes_for(session: Session, how: ShotStanding, *, usable: Collection[int] | None = None) -> list[str]:
    """Say what a run of the shot would leave out or do on old grounds.

    Parameters
    ----------
    usable : collection of int, optional
        The frames it would have, where they are known already.
    """
    notes = []
    possible = available_results(how.passes, how.recipe)
    for knot in how.knots:
        makes = [
            name
            for name in dict.fromkeys([*fixed_results(), *possible])
            if (one := result_named(name)).knot == knot.name
            and one.is_packed
            and is_sent(name, how.recipe)
            and (name in possible or not one.is_extra)
        ]
        if knot.state is KnotState.OPEN and makes:
            notes.append(f"{knot.title} is open: {', '.join(makes)} will not be in the package.")
        elif knot.state is KnotState.STALE and makes:
            notes.append(f"{knot.title} is stale: {knot.reason}.")
        beside = asked_beside(knot.name, how.recipe) if how.recipe.knot(knot.name).needed else ""
        if beside and not knot.is_taut:
            said = "will not be written" if knot.state is KnotState.OPEN else "are made on old grounds"
            notes.append(f"{knot.title} is {knot.state.value}: {beside} {said}.")
    gaps = _holes(session, how, usable)
    if gaps:
        numbers = (number for low, high in gaps for number in range(low, high + 1))
        told = ", ".join(str(number) for number in islice(numbers, 6))
        count = sum(high - low + 1 for low, high in gaps)
        more = f" and {count - 6:,} more" if count > 6 else ""
        notes.append(
            f"Frames {told}{more} did not arrive or can't be used: the package will have a hole there."
        )
    return notes


def _holes(session: Session, how: ShotStanding, usable: Collection[int] | None) -> list[tuple[int, int]]:
    """Give the runs of frames that are asked for and have not every file that the outputs need."""
    delivery = how.shot.delivery
    if delivery is None:
        return []
    first, last = deliveries.asked_range(delivery, how.recipe.arrivals)
    if usable is None:
        whole = deliveries.whole_files(session, [delivery])[delivery.id]
        usable = _usable(how, _run_outputs(how), whole)
    here = sorted(usable)
    # Runs, not numbers: a stray frame may lie millions away.
    return gaps_between([first - 1, *here, last + 1])


def plan_to_try(session: Session, shot: Shot, *, frames: int) -> tuple[RunPlan, list[FrameTask], int]:
    """Plan a few frames as a run would, first, last and between, without a run.

    Returns
    -------
    plan, tasks, total
        How many frames a run would have, with them.

    Raises
    ------
    MissingError, SettingError, ConflictError
        As `plan_run` does where nothing can be packed.
    """
    delivery = deliveries.in_use(shot)
    how = standing(session, shot)
    outputs = _run_outputs(how)
    whole = deliveries.whole_files(session, [delivery])[delivery.id]
    numbers = _numbers_of(how, outputs, whole)
    places = [round(i * (len(numbers) - 1) / max(1, frames - 1)) for i in range(frames)]
    chosen = [numbers[place] for place in dict.fromkeys(places)]
    names = dict(zip(numbers, file_names_of(how, numbers, 1, outputs), strict=True))
    files = deliveries.frames_of(session, delivery)
    revision = recipes.head(session, shot)
    plan = RunPlan(
        run_id=0, shot=shot.code, show=shot.show.code, version=1, folder="", scene_unit=shot.show.scene_unit,
        recipe=how.recipe, recipe_digest=revision.digest if revision else "",
        passes=tuple(how.passes), window=deliveries.window_of(delivery), frame_rate=shot.show.fps,
        source_version=delivery.version,
    )  # fmt: skip
    counted = frames_counted(delivery.measured(FACTS))
    tasks = [_task(n, files[n], names[n], counted) for n in chosen]
    return plan, tasks, len(numbers)


def plan_of(run: Run) -> RunPlan:
    """Give what every frame of a run needs, as plain data for the workers."""
    delivery, shot = run.delivery, run.shot
    recipe = upgraded(run.revision.recipe)
    return RunPlan(
        run_id=run.id,
        shot=shot.code,
        show=shot.show.code,
        version=run.version,
        folder=run.folder,
        scene_unit=shot.show.scene_unit,
        recipe=recipe,
        recipe_digest=run.revision.digest,
        passes=tuple(deliveries.passes_of(delivery)),
        window=deliveries.window_of(delivery),
        frame_rate=shot.show.fps,
        source_version=delivery.version,
    )


def tasks_of(session: Session, run: Run) -> list[FrameTask]:
    """Give the frames of a run that are still to be done."""
    query = (
        select(RunFrame)
        .where(RunFrame.run_id == run.id, RunFrame.state == "waiting")
        .order_by(RunFrame.number)
    )
    files = deliveries.frames_of(session, run.delivery)
    counted = frames_counted(run.delivery.measured(FACTS))
    return [
        _task(frame.number, files.get(frame.number, {}), frame.file_name, counted)
        for frame in session.scalars(query)
    ]


def _task(
    number: int, files: Mapping[int, Frame], file_name: str, counted: Mapping[int, FrameCounted]
) -> FrameTask:
    """Give a frame's task, with what was counted of its files."""
    told = counted.get(number)
    if told is None:
        return FrameTask(number, source_files(files), file_name)
    packed = tuple(
        replace(one, packed=told.packed.get(one.source, ())) for one in source_files(files)
    )  # fmt: skip
    return FrameTask(number, packed, file_name, told.odd)


def source_files(frames: Mapping[int, Frame]) -> tuple[SourceFile, ...]:
    """Give one frame's usable files as plain data for the workers."""
    return tuple(
        SourceFile(place, frame.path, frame.size_bytes, frame.mtime_ns)
        for place, frame in frames.items()
        if not frame.fault
    )


def _run_outputs(how: ShotStanding) -> OutputPlan:
    return plan_outputs(how.passes, how.recipe, settled_only=True)


def _numbers_of(how: ShotStanding, outputs: OutputPlan, whole: Mapping[int, Sequence[int]]) -> list[int]:
    """Give the frames that have every file which the outputs need, within the settled range."""
    delivery = deliveries.in_use(how.shot)
    if not outputs.channels:
        raise SettingError(
            "No channel goes out.", where="pack", why="The files would be empty.", remedy="Let a pass go out."
        )
    numbers = _usable(how, outputs, whole)
    if not numbers:
        first, last = deliveries.asked_range(delivery, how.recipe.arrivals)
        raise ConflictError(
            f"No frame between {first} and {last} has every pass that goes out.",
            where="arrivals.first",
            why="The package would be empty.",
            remedy=f"The delivery has {delivery.first} to {delivery.last}: widen the range, "
            "or leave a pass out.",
        )
    return numbers


def _usable(how: ShotStanding, outputs: OutputPlan, whole: Mapping[int, Sequence[int]]) -> list[int]:
    beside = [ref for one in files_beside(how.passes, how.recipe) for ref in one.inputs]
    needed = {ref.source for ref in (*outputs.inputs, *beside)}
    delivery = deliveries.in_use(how.shot)
    span = deliveries.asked_range(delivery, how.recipe.arrivals)
    return deliveries.usable_numbers(whole, needed, span)


def _new_folder(shot: Shot, output: str, used: int) -> tuple[int, str]:
    """Make the next version's folder; a version that is on disk or in the ledger is never used again."""
    place = os.path.join(output, shot.show.code, shot.code)
    try:
        os.makedirs(place, exist_ok=True)
        on_disk = [int(m[1]) for name in os.listdir(place) if (m := re.fullmatch(r"v(\d+)", name))]
        version = max([used, *on_disk], default=0) + 1
        folder = os.path.join(place, f"v{version:03d}")
        os.mkdir(folder)
    except OSError as error:
        raise OutputError(
            f"No new version can be made in {place}: {error.strerror}.",
            where=place,
            why="The package needs a folder of its own.",
            remedy="Open the folder for writing or free some space, then press run again.",
        ) from error
    return version, folder
