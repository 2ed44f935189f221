"""One frame from source to proven file: read, computed, written, read back. Runs in a worker."""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from drawstring.core.camera import Moment, moment_of
from drawstring.core.colour import LINEAR
from drawstring.core.depth import DepthSettings, FrameDistances, Held, along_of, tally
from drawstring.core.errors import ConflictError, DrawstringError, OutputError, SourceError
from drawstring.core.io.facts import FileFacts, PartFacts, Window
from drawstring.core.io.frame import read_frame
from drawstring.core.io.headers import read_facts
from drawstring.core.io.pixels import use_threads
from drawstring.core.io.writing import PartToWrite, final_name, put_parts
from drawstring.core.pack import header_of
from drawstring.core.pack.profile import Profile
from drawstring.core.passes import COLOUR_ROLES, Pass, PassStatistics, Role, pass_statistics
from drawstring.core.recipe import OutputPlan, compute, plan_outputs, space_of
from drawstring.core.recipe.eye_forms import form_files, form_inputs
from drawstring.core.recipe.loose_files import loose_files
from drawstring.core.recipe.packed_files import compression_of_forms, packed_files
from drawstring.core.recipe.profile_checks import check_written
from drawstring.core.recipe.sources import (
    depth_inputs,
    depth_pass,
    of_view,
    other_views,
    pass_of,
    read_distances,
)
from drawstring.core.recipe.told import told_of
from drawstring.core.recipe.told_eyes import told_eyes
from drawstring.runs.forms import make_folder, write_forms
from drawstring.runs.plan import FrameAnswer, FrameTask, RunPlan, SourceFile
from drawstring.runs.proof import checksum, prove
from drawstring.runs.recomposing import recompose

__all__ = ["carry_out", "measure_frame"]


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
    began = time.monotonic()
    try:
        proof, size, digest = _make(plan, task)
    except DrawstringError as error:
        can_pass = isinstance(error, OutputError)
        return FrameAnswer(
            task.number, seconds=time.monotonic() - began, fault=error.as_dict(), can_pass=can_pass
        )
    return FrameAnswer(task.number, size, time.monotonic() - began, digest, proof)


def _make(plan: RunPlan, task: FrameTask) -> tuple[dict[str, Any], int, str]:
    outputs = plan_outputs(plan.passes, plan.recipe, settled_only=True)
    beside = form_inputs(plan.passes, plan.recipe)
    wanted = list(dict.fromkeys([*outputs.inputs, *beside]))
    files = _opened(task, {ref.source for ref in wanted} | {0})
    facts = files[min(files)]
    pixels = read_frame(files, wanted, window=plan.window)
    at = moment_of(files, frame=task.number, window=plan.window, scene_unit=plan.scene_unit)
    stowed = compute(outputs, pixels, plan.passes, plan.recipe, at)
    part = facts.parts[0]
    pack = plan.recipe.pack
    profile = pack.profile
    metadata = header_of(
        facts,
        shot=plan.shot,
        frame=task.number,
        version=plan.version,
        recipe_digest=plan.recipe_digest,
        scene_unit=plan.scene_unit,
        depth=plan.recipe.depth if outputs.results else None,
        made=outputs.results,
        mattes=[one.name for one in plan.recipe.alpha.mattes],
        read_as={name: kind.value for name, kind in plan.recipe.alpha.kinds.items()},
        is_converted=_is_converted(plan, {channel.source for channel in outputs.channels}),
        alpha=pack.alpha.value,
        profile=f"{profile.name} v{profile.version}" if profile else "",
        frame_rate=plan.frame_rate,
        source_version=plan.source_version,
    )
    # Forms first: what is there of a frame without its own file is taken over when it is made again.
    told = write_forms(
        [
            *(form_files(pixels, plan.passes, plan.recipe, at) if beside else []),
            *loose_files(outputs, pixels, plan.passes, plan.recipe, at),
        ],
        folder=plan.folder,
        file_name=plan.plain_name(task),
        recipe=plan.recipe,
        metadata=metadata,
        pixel_aspect=part.pixel_aspect,
        compression=compression_of_forms(outputs.channels, pack),
    )
    packed = packed_files(
        stowed,
        pack,
        window=plan.window,
        display=part.display_window,
        default_view=next((one.view for one in plan.passes if "." not in one.name and one.view), ""),
    )
    names = {of_pass: plan.name_of(task, of_pass) for of_pass in packed}
    metadata = {key: value for key, value in metadata.items() if key not in ("view", "multiView")}
    for of_pass, parts in packed.items():
        if names[of_pass] != task.file_name:
            told.append(_write(plan, names[of_pass], parts, metadata, part, outputs, told))
    main = next(parts for of_pass, parts in packed.items() if names[of_pass] == task.file_name)
    paths = {of_pass: os.path.join(plan.folder, name) for of_pass, name in names.items()}

    def put_together(unfinished: str) -> dict[str, Any]:
        mine = {of_pass: unfinished for of_pass in paths if names[of_pass] == task.file_name}
        made = recompose(stowed, {**paths, **mine}, pixels, plan.passes, plan.recipe, at)
        return {"recomposed": made} if made else {}

    own = _write(plan, task.file_name, main, metadata, part, outputs, told, also=put_together)
    held = {one.name: stowed[one].held for one in stowed if stowed[one].held}
    rounded = {one.name: stowed[one].rounded for one in stowed if stowed[one].rounded}
    proof = (
        own["proof"] | {"held_at_half_limit": held, "rounded": rounded} | ({"beside": told} if told else {})
    )
    return proof, own["bytes"], own["checksum"]


def _write(
    plan: RunPlan,
    name: str,
    parts: Sequence[PartToWrite],
    metadata: Mapping[str, Any],
    source: PartFacts,
    outputs: OutputPlan,
    others: Sequence[Mapping[str, Any]],
    *,
    also: Callable[[str], dict[str, Any]] = lambda path: {},
) -> dict[str, Any]:
    """Write and prove one file; one that is there already is proven again and taken over."""
    path = os.path.join(plan.folder, name)
    if os.path.exists(path):
        proof = prove(path, parts) | also(path)
        return {"file": name, "bytes": os.path.getsize(path), "checksum": checksum(path), "proof": proof}
    make_folder(os.path.dirname(path))
    with final_name(path) as unfinished:
        put_parts(
            unfinished,
            parts,
            display_window=source.display_window,
            pixel_aspect=source.pixel_aspect,
            metadata=metadata,
            dwa_level=plan.recipe.pack.dwa_level,
        )
        proof = prove(unfinished, parts) | also(unfinished)
        digest, size = checksum(unfinished), os.path.getsize(unfinished)
        profile = plan.recipe.pack.profile
        if profile is not None:
            before = sum(int(other["bytes"]) for other in others)
            _as_asked(profile, name, read_facts(unfinished), outputs, before)
    return {"file": name, "bytes": size, "checksum": digest, "proof": proof}


def _as_asked(profile: Profile, name: str, facts: FileFacts, outputs: OutputPlan, before: int) -> None:
    """Refuse a written file that is not as the profile asks, before it gets its final name."""
    odd = check_written(profile, facts, outputs.channels, with_others=before)
    if odd:
        raise ConflictError(
            f"{name} is not as “{profile.name}” asks: {'; '.join(odd)}.", where=name,
            why="Downstream would send it back.", remedy="Change what is packed, or choose another profile.",
        )  # fmt: skip


def _is_converted(plan: RunPlan, going: set[str]) -> bool:
    return any(space_of(one, plan.recipe) != LINEAR for one in plan.passes if one.name in going)


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


def measure_frame(
    kind: str,
    number: int,
    files: tuple[SourceFile, ...],
    passes: tuple[Pass, ...],
    window: Window,
    depth: DepthSettings | None = None,
    scene_unit: str = "m",
    is_looked_at: bool = False,
) -> tuple[int, Any]:
    """Count one frame: its distances, or what its passes hold; a refusal is an answer, not an exception.

    Parameters
    ----------
    depth : DepthSettings, optional
        For kind "depth": how the pass's numbers are read.
    is_looked_at : bool
        Whether it is asked, too, what takes longer: along which line distances were measured, whether two
        renders line up.

    Returns
    -------
    number, answer
        `FrameDistances` for kind "depth"; for "facts" a dict of a pass's place to `PassStatistics`; a dict of
        words when the frame is refused.
    """
    use_threads(1)
    try:
        here = {one.source: read_facts(one.path) for one in files}
        if kind == "depth":
            at = moment_of(here, frame=number, window=window, scene_unit=scene_unit)
            return number, _distances(here, passes, depth or DepthSettings(), at, is_looked_at=is_looked_at)
        at = moment_of(here, frame=number, window=window, scene_unit=scene_unit)
        return number, _statistics(here, passes, window, at, is_looked_at=is_looked_at)
    except DrawstringError as error:
        return number, error.as_dict()


def _distances(
    files: dict[int, FileFacts],
    passes: tuple[Pass, ...],
    depth: DepthSettings,
    at: Moment,
    *,
    is_looked_at: bool,
) -> FrameDistances:
    assert at.place is not None
    views = {view: of_view(passes, view) for view in other_views(passes)}
    measured = {"": of_view(passes, "")} | {v: own for v, own in views.items() if depth_pass(own) is not None}
    position = pass_of(Role.POSITION, measured[""]) if is_looked_at else None
    refs = [ref for own in measured.values() for ref in depth_inputs(own) if ref.source in files]
    refs += position.channels[:3] if position else ()
    pixels = read_frame(files, list(dict.fromkeys(refs)), window=at.place.window)
    tallies = {}
    for view, own in measured.items():
        if all(ref in pixels for ref in depth_inputs(own)):
            read = read_distances(pixels, own, depth, at, repair=False)
            tallies[view] = tally(read.z, nothing=read.nothing)
    along = None
    if is_looked_at and depth.arrived.holds is Held.DISTANCES:
        # The numbers as they came, in scene units: what they were taken for does not matter here.
        plain = depth.model_copy(update={"along": depth.arrived.along})
        read = read_distances(pixels, measured[""], plain, at, repair=False)
        points = [np.asarray(pixels[ref], np.float32) for ref in position.channels[:3]] if position else []
        point = (points[0], points[1], points[2]) if len(points) == 3 else None
        along = along_of(read.z, read.nothing, read.camera, at.place, point)
    return FrameDistances(tallies.pop(""), tallies, along)


def _statistics(
    files: dict[int, FileFacts], passes: tuple[Pass, ...], window: Window, at: Moment, *, is_looked_at: bool
) -> dict[int, PassStatistics]:
    refs = [ref for one in passes for ref in one.channels if ref.source in files]
    pixels = read_frame(files, refs, window=window)
    told = told_of(passes, pixels, is_looked_at=is_looked_at)
    beauty = pass_of(Role.BEAUTY, of_view(passes, ""))
    eyes = told_eyes(passes, pixels, at, is_looked_at=is_looked_at) if beauty else {}
    if beauty and eyes:
        told[beauty.name] = told.get(beauty.name, {}) | {"eyes": eyes}
    return {
        place: replace(
            pass_statistics(
                [pixels[ref] for ref in one.channels],
                has_alpha=one.role in COLOUR_ROLES and len(one.channels) == 4,
            ),
            told=told.get(one.name, {}),
        )
        for place, one in enumerate(passes)
        if all(ref in pixels for ref in one.channels)
    }
