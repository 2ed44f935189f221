"""One frame from source to proven file: read, computed, written, read back. Runs in a worker."""

from __future__ import annotations

import os
import time
from collections.abc import Iterable
from typing import Any

from drawstring.core.colour import LINEAR
from drawstring.core.depth import tally
from drawstring.core.errors import DrawstringError, OutputError, SourceError
from drawstring.core.io.facts import FileFacts, Window
from drawstring.core.io.frame import read_frame
from drawstring.core.io.headers import read_facts
from drawstring.core.io.pixels import use_threads
from drawstring.core.io.writing import LOSSY, final_name, put_exr
from drawstring.core.pack import header_of
from drawstring.core.passes import COLOUR_ROLES, Pass, PassStatistics, pass_statistics
from drawstring.core.recipe import compute, plan_outputs, space_of
from drawstring.core.recipe.results import depth_inputs, depth_planes
from drawstring.runs.plan import FrameAnswer, FrameTask, RunPlan, SourceFile
from drawstring.runs.proof import checksum, prove

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
    files = _opened(task, {ref.source for ref in outputs.inputs} | {0})
    facts = files[min(files)]
    pixels = read_frame(files, outputs.inputs, window=plan.window)
    stowed = compute(outputs, pixels, plan.passes, plan.recipe)
    written = {name: one.values for name, one in stowed.items()}
    part = facts.parts[0]
    settings = plan.recipe.pack
    is_lossy = settings.compression.value in LOSSY
    path = os.path.join(plan.folder, task.file_name)
    metadata = header_of(
        facts,
        shot=plan.shot,
        frame=task.number,
        version=plan.version,
        recipe_digest=plan.recipe_digest,
        scene_unit=plan.scene_unit,
        depth=plan.recipe.depth if "depth_normalised" in outputs.results else None,
        is_converted=_is_converted(plan, {channel.source for channel in outputs.channels}),
    )

    def proven(at: str) -> dict[str, Any]:
        proof = prove(at, written, data_window=plan.window, is_lossy=is_lossy)
        held = {name: one.held for name, one in stowed.items() if one.held}
        return proof | {"held_at_half_limit": held}

    if os.path.exists(path):
        return proven(path), os.path.getsize(path), checksum(path)
    with final_name(path) as unfinished:
        put_exr(
            unfinished,
            written,
            compression=settings.compression.value,
            data_window=plan.window,
            display_window=part.display_window,
            pixel_aspect=part.pixel_aspect,
            metadata=metadata,
            dwa_level=settings.dwa_level,
        )
        proof = proven(unfinished)
        digest, size = checksum(unfinished), os.path.getsize(unfinished)
    return proof, size, digest


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
    kind: str, number: int, files: tuple[SourceFile, ...], passes: tuple[Pass, ...], window: Window
) -> tuple[int, Any]:
    """Count one frame: its distances, or what its passes hold; a refusal is an answer, not an exception.

    Returns
    -------
    number, answer
        A `DepthTally` for kind "depth"; for "facts" a dict of a pass's place to `PassStatistics`; a dict of
        words when the frame is refused.
    """
    use_threads(1)
    try:
        here = {one.source: read_facts(one.path) for one in files}
        if kind == "depth":
            z, alpha = depth_planes(read_frame(here, depth_inputs(passes), window=window), passes)
            return number, tally(z, alpha)
        return number, _statistics(here, passes, window)
    except DrawstringError as error:
        return number, error.as_dict()


def _statistics(
    files: dict[int, FileFacts], passes: tuple[Pass, ...], window: Window
) -> dict[int, PassStatistics]:
    refs = [ref for one in passes for ref in one.channels if ref.source in files]
    pixels = read_frame(files, refs, window=window)
    return {
        place: pass_statistics(
            [pixels[ref] for ref in one.channels],
            has_alpha=one.role in COLOUR_ROLES and len(one.channels) == 4,
        )
        for place, one in enumerate(passes)
        if all(ref in pixels for ref in one.channels)
    }
