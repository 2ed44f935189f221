"""What a package would come to: a few frames really packed and proven, then thrown away."""

from __future__ import annotations

import os
import shutil
import tempfile
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from drawstring.core.errors import ConflictError
from drawstring.core.recipe import plan_outputs
from drawstring.runs.frame import carry_out
from drawstring.runs.run_plan import FrameAnswer, FrameTask, RunPlan

TRY_S = 900.0
"""For how long frames may be tried."""


@dataclass(frozen=True)
class Estimate:
    """What some frames came to.

    Attributes
    ----------
    frames : int
        How many were packed.
    frame_bytes : int
        A frame on average, all its files.
    frame_seconds : float
        One worker's time for a frame: reading, computing, writing, reading back.
    parts : dict
        Bytes of a frame on average by file.
    lost : dict
        Largest difference by channel, by rounding and by compression, in the pass's units.
    equal, channels : int
        Channels that came back bit by bit, of all.
    """

    frames: int
    frame_bytes: int
    frame_seconds: float
    parts: Mapping[str, int]
    lost: Mapping[str, float]
    equal: int
    channels: int

    def of_run(self, frames: int, *, workers: int) -> dict[str, Any]:
        """Tell what a run of so many frames would come to, as plain data."""
        return {
            "frames": frames, "frame_bytes": self.frame_bytes, "bytes": self.frame_bytes * frames,
            "seconds": self.frame_seconds * frames / workers, "lost": dict(self.lost),
            "equal": self.equal, "channels": self.channels,
        }  # fmt: skip


def try_frames(plan: RunPlan, tasks: Sequence[FrameTask], place: str) -> Estimate:
    """Pack frames into a folder that is removed again, and tell what they came to.

    Parameters
    ----------
    plan : RunPlan
    tasks : sequence of FrameTask
    place : str
        A folder with room for one frame.

    Raises
    ------
    ConflictError
        A frame can't be packed; in the words of what hinders it.
    """
    os.makedirs(place, exist_ok=True)
    answers: list[FrameAnswer] = []
    for task in tasks:
        folder = tempfile.mkdtemp(prefix="estimate-", dir=place)
        try:
            answer = carry_out(replace(plan, folder=folder), task)
        finally:
            shutil.rmtree(folder, ignore_errors=True)
        if answer.fault:
            fault = answer.fault
            raise ConflictError(
                fault["what"], where=fault.get("where", ""), why=fault.get("why", ""),
                remedy=fault.get("remedy", ""),
            )  # fmt: skip
        answers.append(answer)
    return _estimate(plan, tasks, answers)


def _estimate(plan: RunPlan, tasks: Sequence[FrameTask], answers: Sequence[FrameAnswer]) -> Estimate:
    parts: dict[str, int] = {}
    lost: dict[str, float] = {}
    units = {channel.name: channel.source for channel in plan_outputs(plan.passes, plan.recipe).channels}
    for task, answer in zip(tasks, answers, strict=True):
        files = [(task.file_name, answer.size_bytes)]
        files += [(one["file"], one["bytes"]) for one in answer.proof.get("beside", [])]
        for name, size in files:
            kind = name.replace(f".{task.file_name.rsplit('.', 2)[1]}.", ".####.")
            parts[kind] = parts.get(kind, 0) + size
        for kind_of_loss in ("rounded", "largest_difference"):
            for name, most in answer.proof.get(kind_of_loss, {}).items():
                bare = name.rpartition("/")[2]
                if bare in units:
                    lost[bare] = max(lost.get(bare, 0.0), most)
    count = len(answers)
    return Estimate(
        count,
        sum(parts.values()) // count,
        sum(answer.seconds for answer in answers) / count,
        {name: size // count for name, size in parts.items()},
        lost,
        sum(answer.proof["equal"] for answer in answers) // count,
        sum(answer.proof["channels"] for answer in answers) // count,
    )
