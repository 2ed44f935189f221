"""What one frame of a run is to become: everything a worker needs, as plain data.

A worker knows no database: it is given the source's identity, passes, recipe and names, and answers
with what it wrote and what it proved.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from drawstring.core.io.facts import Window
from drawstring.core.pack.file_names import USUAL, USUAL_OF_PASSES, file_name
from drawstring.core.passes import Pass
from drawstring.core.recipe import Recipe


@dataclass(frozen=True)
class RunPlan:
    """What is the same for every frame of a run; sent to each worker once."""

    run_id: int
    shot: str
    show: str
    version: int
    folder: str
    scene_unit: str
    recipe: Recipe
    recipe_digest: str
    passes: tuple[Pass, ...]
    window: Window
    """What the planes are read into; what is written reaches as far as the Pack knot says."""

    frame_rate: float = 0.0
    source_version: int = 0

    def name_of(self, task: FrameTask, of_pass: str = "") -> str:
        """Name a frame's file: its own, or that of a pass where each has one."""
        pack = self.recipe.pack
        usual = USUAL_OF_PASSES if of_pass else USUAL
        return file_name(
            pack.file_name or usual, shot=self.shot, version=self.version, number=task.number_out,
            padding=max(pack.padding, _digits(task.file_name)), of_pass=of_pass,
        )  # fmt: skip

    def plain_name(self, task: FrameTask) -> str:
        """Name a frame without regard to passes: what forms beside it are called after."""
        return file_name(
            USUAL, shot=self.shot, version=self.version, number=task.number_out,
            padding=max(self.recipe.pack.padding, _digits(task.file_name)),
        )  # fmt: skip


def _digits(name: str) -> int:
    return len(name.rsplit(".", 2)[1])


@dataclass(frozen=True)
class SourceFile:
    """One file as it was accepted, and the source number by which channels name it."""

    source: int
    path: str
    size_bytes: int
    mtime_ns: int
    packed: tuple[str, ...] = ()
    """A digest of each part's packed pixels, from when they were counted; none before that."""


@dataclass(frozen=True)
class FrameTask:
    """One frame: its files as they were accepted, and its name in the package."""

    number: int
    files: tuple[SourceFile, ...]
    file_name: str
    odd: Mapping[str, tuple[int, int, int]] = field(default_factory=dict)
    """Values that are NaN, infinite and below 0, by pass, as they were counted: where there are any."""

    @property
    def number_out(self) -> int:
        """The number in its files' names, which may begin elsewhere than the source's."""
        return int(self.file_name.rsplit(".", 2)[1])


@dataclass(frozen=True)
class FrameAnswer:
    """What became of a frame: proven, or a fault in words."""

    number: int
    size_bytes: int = 0
    seconds: float = 0.0
    checksum: str = ""
    proof: dict[str, Any] = field(default_factory=dict)
    fault: dict[str, str] = field(default_factory=dict)
    log: tuple[dict[str, Any], ...] = ()
    """Its steps: `at` in seconds, `says`."""
    worker: str = ""
    memory_bytes: int = 0
    """The most its process had held until then."""
    can_pass: bool = False
    """Whether trying again may help (a full disk, a folder that was closed)."""
