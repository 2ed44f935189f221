"""What of one frame is copied as it is packed: what the recipe allows, and what was counted of its files."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import replace

from drawstring.core.camera import Place
from drawstring.core.io.facts import FileFacts
from drawstring.core.pack.copying import Copied, PartPlace, copied_parts
from drawstring.core.pack.form import Also
from drawstring.core.pack.naming import bare_name
from drawstring.core.pack.packed_files import Taking
from drawstring.core.recipe import OutputPlan
from drawstring.runs.run_plan import FrameTask, RunPlan, SourceFile


def takings(
    outputs: OutputPlan, task: FrameTask, files: Mapping[int, FileFacts], place: Place, *,
    ranged: Collection[str] = (),
) -> dict[PartPlace, Taking]:  # fmt: skip
    """Give the parts of a frame that are copied, and where each comes from.

    Parameters
    ----------
    outputs : OutputPlan
    task : FrameTask
    files : mapping of source to FileFacts
        As they are now.
    place : Place
        Of what goes out.
    ranged : collection of str
        Passes whose values a profile asks of the written file: those are unpacked.
    """
    counted = {one.source: one for one in task.files}
    found: dict[PartPlace, Taking] = {}
    for where, told in copied_parts(outputs, files, place.window, place.display).items():
        if not isinstance(told, Copied):
            continue
        names = {bare_name(one.source) for one in outputs.channels if (one.of_pass, one.part) == where}
        source = counted[told.source]
        if names & set(ranged) or told.part >= len(source.packed):
            continue
        found[where] = Taking(source.path, told, source.packed[told.part])
    return found


def ranged(plan: RunPlan) -> set[str]:
    """Name the passes whose values a profile asks of the written file."""
    profile = plan.recipe.pack.profile
    return set(profile.ranges) if profile is not None else set()


def shows_passes(outputs: OutputPlan) -> bool:
    """Whether passes are shown beside the file, so that all of them are unpacked anyway."""
    return bool({Also.PICTURES, Also.LAYERS} & set(outputs.chains.recipe.pack.also))


def unseen(files: tuple[SourceFile, ...]) -> tuple[SourceFile, ...]:
    """Give a frame's files as if nobody had counted them: all is unpacked then."""
    return tuple(replace(one, packed=()) for one in files)
