"""What was done to a frame, step by step, in words and seconds; what the process held while it did it."""

from __future__ import annotations

import os
import resource
import socket
import time
from collections.abc import Sized
from dataclasses import dataclass, field
from typing import Any


@dataclass
class FrameLog:
    """The steps of one try at one frame."""

    began: float = field(default_factory=time.monotonic)
    steps: list[dict[str, Any]] = field(default_factory=list)

    def note(self, says: str) -> None:
        """Note a step that was just done."""
        self.steps.append({"at": round(self.seconds, 3), "says": says})

    @property
    def seconds(self) -> float:
        """Seconds since the try began."""
        return time.monotonic() - self.began


def count_of(some: Sized | int, noun: str) -> str:
    """Write a count with its noun."""
    count = some if isinstance(some, int) else len(some)
    return f"{count:,} {noun}{'' if count == 1 else 's'}"


def worker_name() -> str:
    """Name this process: host and process number."""
    return f"{socket.gethostname()}:{os.getpid()}"[:120]


def memory_peak() -> int:
    """Give the most memory this process has held so far, in bytes (getrusage(2): kilobytes on Linux)."""
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024
