"""What one frame of a run is to become: everything a worker needs, as plain data.

A worker knows no database: it is given the source's identity, passes, recipe and names, and answers
with what it wrote and what it proved.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from drawstring.core.io.facts import Window
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
    """What the planes are read into, and the data window of what is written."""


@dataclass(frozen=True)
class SourceFile:
    """One file as it was accepted, and the source number by which channels name it."""

    source: int
    path: str
    size_bytes: int
    mtime_ns: int


@dataclass(frozen=True)
class FrameTask:
    """One frame: its files as they were accepted, and its name in the package."""

    number: int
    files: tuple[SourceFile, ...]
    file_name: str


@dataclass(frozen=True)
class FrameAnswer:
    """What became of a frame: proven, or a fault in words."""

    number: int
    size_bytes: int = 0
    seconds: float = 0.0
    checksum: str = ""
    proof: dict[str, Any] = field(default_factory=dict)
    fault: dict[str, str] = field(default_factory=dict)
    can_pass: bool = False
    """Whether trying again may help (a full disk, a folder that was closed)."""
