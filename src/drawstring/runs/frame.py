"""One frame from source to proven file: read, computed, written, read back. Runs in a worker."""

from __future__ import annotations

import os
from collections.abc import Callable, Collection, Iterable, Mapping
from dataclasses import replace
from functools import partial
from typing import Any

from drawstring.core.arrays import Stored
from drawstring.core.camera import moment_of
from drawstring.core.chain import Work
from drawstring.core.errors import DrawstringError, OutputError, SourceError
from drawstring.core.io.facts import FileFacts, Window
from drawstring.core.io.frame import read_frame
from drawstring.core.io.headers import read_facts
from drawstring.core.io.packed import NotAsCountedError
from drawstring.core.io.pixels import use_threads
from drawstring.core.pack import header_of
from drawstring.core.pack.carried import counted_odd
from drawstring.core.pack.copying import PartPlace
from drawstring.core.pack.layout import CONSTANT, OutputChannel
from drawstring.core.pack.loose_files import loose_files
from drawstring.core.pack.odd import Counts, together
from drawstring.core.pack.packed_files import Taking, compression_of_forms, packed_files
from drawstring.core.pack.storing import Stowed
from drawstring.core.passes import COLOUR_ROLES, LIT_ROLES, Role
from drawstring.core.recipe import OutputPlan, compute, plan_outputs, result_named
from drawstring.core.recipe.homes import header_by_knots, view_header
from drawstring.core.recipe.spaces import is_in_working_space
from drawstring.runs.carrying import carried
from drawstring.runs.copying import ranged, shows_passes, takings, unseen
from drawstring.runs.forms import write_forms
from drawstring.runs.frame_files import FrameFiles
from drawstring.runs.frame_log import FrameLog, count_of, memory_peak, worker_name
from drawstring.runs.frame_writing import FrameWriter
from drawstring.runs.homes import FrameMade, check_frame, files_beside
from drawstring.runs.proof import ReadBack
from drawstring.runs.recomposing import Back, asked_back, recompose
from drawstring.runs.run_plan import FrameAnswer, FrameTask, RunPlan

__all__ = ["carry_out"]


def carry_out(plan: RunPlan, task: FrameTask) -> FrameAnswer:
    """Make, write and prove one frame; a refusal is an answer, not an exception.

    The file gets its final name only after it was proven. One that is there already (from before a
    crash) is proven again and taken over when it holds just what would be written, else refused.

    Parameters
    ----------
    plan : RunPlan
    task : FrameTask
    """
    # One frame to a process: the cores are shared out by frames, not within one.
    use_threads(1)
    log = FrameLog()
    try:
        try:
            proof, size, digest = _make(plan, task, log)
        except NotAsCountedError as error:
            # Damaged since it was counted, perhaps; unpacking tells, and says so in its own words.
            log.note(f"{error.what} All is unpacked")
            proof, size, digest = _make(plan, replace(task, files=unseen(task.files)), log)
        answer = FrameAnswer(task.number, size, log.seconds, digest, proof)
    except DrawstringError as error:
        log.note(error.what)
        can_pass = isinstance(error, OutputError)
        answer = FrameAnswer(task.number, seconds=log.seconds, fault=error.as_dict(), can_pass=can_pass)
    return replace(answer, log=tuple(log.steps), worker=worker_name(), memory_bytes=memory_peak())


def _make(plan: RunPlan, task: FrameTask, log: FrameLog) -> tuple[dict[str, Any], int, str]:
    outputs = plan_outputs(plan.passes, plan.recipe, settled_only=True)
    beside = files_beside(plan.passes, plan.recipe)
    files = _opened(task, {ref.source for ref in outputs.inputs} | {0})
    facts = files[min(files)]
    at = moment_of(files, frame=task.number, window=plan.window, scene_unit=plan.scene_unit)
    place = outputs.chains.goes_out(at).place
    assert place is not None
    taken = takings(outputs, task, files, place, ranged=ranged(plan))
    # What is copied is read only where something else takes it.
    asked = asked_back(outputs.channels, outputs.chains)
    unpacked = [one for one in outputs.channels if one in asked or (one.of_pass, one.part) not in taken]
    needed = [ref for one in beside for ref in one.inputs]
    bands = carried(outputs, unpacked, files, place, kept=asked, read=needed)
    computed = replace(outputs, channels=tuple(one for one in unpacked if one not in bands))
    reading = outputs if shows_passes(outputs) else computed
    wanted = list(dict.fromkeys([*reading.inputs, *needed]))
    files |= _opened(task, {ref.source for ref in wanted} - set(files))
    pixels = read_frame(files, wanted, window=plan.window)
    log.note(f"read {count_of(wanted, 'channel')} of {count_of(files, 'file')}")
    made = compute(computed, pixels, at, (place.window.height, place.window.width))
    stowed = {one: made[one] if one in made else bands[one] for one in unpacked}
    also = f"; {len(bands)} are read, packed and proven by bands" if bands else ""
    log.note(f"computed {count_of(made, 'channel')}{also}")
    check_frame(FrameMade(plan, task.file_name, stowed, pixels, at))
    header = _header(plan, task, facts, outputs)
    part = replace(facts.parts[0], display_window=place.display, pixel_aspect=place.pixel_aspect)
    with FrameFiles(plan.folder, task.file_name) as into:
        told = write_forms(
            [
                *(file for one in beside for file in one.files(pixels, at)),
                *loose_files(outputs, pixels, at),
            ],
            into=into,
            file_name=plan.plain_name(task),
            recipe=plan.recipe,
            metadata=header,
            pixel_aspect=place.pixel_aspect,
            compression=compression_of_forms(outputs.channels, plan.recipe.pack),
        )
        if told:
            log.note(f"wrote and proved {count_of(told, 'file')} beside")
        metadata = {key: value for key, value in header.items() if key not in ("view", "multiView")}
        writer = FrameWriter(plan, into, outputs, part, metadata, log)

        def put_together(back: Back) -> Mapping[str, Any]:
            return recompose(stowed, back, Work(pixels, at), outputs.chains)

        camera_of = partial(view_header, chains=outputs.chains, at=at)
        own = _write_own(writer, task, stowed, told, put_together, camera_of, place.window, taken)
        # What is read by bands is read for longer: none of it may have come from another file.
        _opened(task, {one.ref.source for one in bands if one.ref is not None})
    told_of_values = {
        "held_at_half_limit": {one.name: stowed[one].held for one in stowed if stowed[one].held},
        "rounded": {one.name: stowed[one].rounded for one in stowed if stowed[one].rounded},
    }
    copied = {one.source for one in outputs.channels if (one.of_pass, one.part) in taken}
    if odd := _odd_values(stowed, plan, {name: task.odd[name] for name in copied if name in task.odd}):
        told_of_values["odd_values"] = odd
    return own["proof"] | told_of_values | ({"beside": told} if told else {}), own["bytes"], own["checksum"]


def _odd_values(
    stowed: Mapping[OutputChannel, Stowed], plan: RunPlan, counted: Mapping[str, Counts]
) -> dict[str, dict[str, int]]:
    """Count what no picture should hold, by pass; a distance may be infinite, a direction negative.

    Of passes that are copied it was counted when they arrived.
    """
    roles = {one.name: one.role for one in plan.passes}
    by_source: dict[str, list[Counts]] = {}
    for channel, one in stowed.items():
        if channel.source == CONSTANT or channel.source in counted:
            continue
        by_source.setdefault(channel.source, []).append(counted_odd(one.values))
    found = {}
    seen = {source: together(several) for source, several in by_source.items()} | dict(counted)
    for source, numbers in seen.items():
        role = roles.get(source)
        counts = dict(zip(("nan", "infinite", "negative"), numbers, strict=True))
        if role in (Role.DEPTH, Role.POSITION) or (role is None and not result_named(source).is_light):
            counts["infinite"] = 0
        if role not in LIT_ROLES and (role is not None or not result_named(source).is_light):
            counts["negative"] = 0
        if any(counts.values()):
            found[source] = {kind: count for kind, count in counts.items() if count}
    return found


def _write_own(
    writer: FrameWriter,
    task: FrameTask,
    stowed: Mapping[OutputChannel, Stowed],
    told: list[dict[str, Any]],
    put_together: Callable[[Back], Mapping[str, Any]],
    camera_of: Callable[[str], Mapping[str, Any]],
    window: Window,
    taken: Mapping[PartPlace, Taking],
) -> dict[str, Any]:
    """Write the frame's file, after those of single passes, which are added to `told`."""
    plan, part = writer.plan, writer.source
    channels = writer.outputs.channels
    packed = packed_files(
        channels,
        stowed,
        plan.recipe.pack,
        window=window,
        display=part.display_window,
        default_view=next((one.view for one in plan.passes if "." not in one.name and one.view), ""),
        data=_of_data({channel.source for channel in channels}, plan),
        camera_of=camera_of,
        taken=taken,
    )
    names = {of_pass: plan.name_of(task, of_pass) for of_pass in packed}
    asked = asked_back(channels, writer.outputs.chains)
    copied = [one for one in asked if (one.of_pass, one.part) in taken]
    wanted = {
        of_pass: {(c.part, c.name) for c in asked if c.of_pass == of_pass and c not in copied}
        for of_pass in packed
    }
    # What was copied is proven to be the same bytes as these values were unpacked from.
    back: dict[tuple[str, str, str], Stored] = {
        (one.of_pass, one.part, one.name): stowed[one].values for one in copied
    }

    def keep(of_pass: str, look: ReadBack) -> dict[str, Any]:
        back.update({(of_pass, part, name): plane for (part, name), plane in look.planes.items()})
        return {}

    for of_pass, parts in packed.items():
        if names[of_pass] != task.file_name:
            name = names[of_pass]
            told.append(writer.write(name, parts, told, wanted=wanted[of_pass], also=partial(keep, of_pass)))
    main = next(of_pass for of_pass in packed if names[of_pass] == task.file_name)

    def recomposed(look: ReadBack) -> dict[str, Any]:
        made = put_together(back | {(main, *place): plane for place, plane in look.planes.items()})
        return {"recomposed": made} if made else {}

    return writer.write(task.file_name, packed[main], told, wanted=wanted[main], also=recomposed)


def _of_data(sources: Collection[str], plan: RunPlan) -> set[str]:
    """Give those passes and results that hold no colour."""
    roles = {one.name: one.role for one in plan.passes}
    return {
        name
        for name in sources
        if name != CONSTANT
        and (roles[name] not in COLOUR_ROLES if name in roles else not result_named(name).is_light)
    }


def _header(plan: RunPlan, task: FrameTask, facts: FileFacts, outputs: OutputPlan) -> dict[str, Any]:
    pack, profile = plan.recipe.pack, plan.recipe.pack.profile
    return header_of(
        facts,
        shot=plan.shot,
        frame=task.number,
        version=plan.version,
        recipe_digest=plan.recipe_digest,
        scene_unit=plan.scene_unit,
        management=plan.recipe.arrivals.management,
        by_knots=header_by_knots(plan.recipe, outputs.results, task.number),
        is_converted=_is_converted(plan, {channel.source for channel in outputs.channels}),
        alpha=pack.alpha.value,
        profile=f"{profile.name} v{profile.version}" if profile else "",
        frame_rate=plan.frame_rate,
        source_version=plan.source_version,
    )


def _is_converted(plan: RunPlan, going: set[str]) -> bool:
    return any(not is_in_working_space(one, plan.recipe) for one in plan.passes if one.name in going)


def _opened(task: FrameTask, sources: Iterable[int]) -> dict[int, FileFacts]:
    """Read the facts of a frame's files, refusing those that have changed since they were accepted."""
    files: dict[int, FileFacts] = {}
    wanted = set(sources)
    for one in task.files:
        if one.source not in wanted:
            continue
        facts = read_facts(one.path)
        if (facts.size_bytes, facts.mtime_ns) != (one.size_bytes, one.mtime_ns):
            raise SourceError(
                f"{os.path.basename(one.path)} has changed since it was accepted.",
                where=f"frame {task.number}",
                why="The package would mix two deliveries.",
                remedy="Scan the folder again, accept the newer delivery and start a new run.",
            )
        files[one.source] = facts
    return files
