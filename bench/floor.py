"""What the benchmarks share: HD frames made once, and timing by the best of several goes."""

from __future__ import annotations

import atexit
import os
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import OpenEXR

WIDTH, HEIGHT = 1920, 1080


@atexit.register
def _end() -> None:
    """End without the libraries' own farewells, which would hide the lines."""
    sys.stdout.flush()
    if "drawstring" in sys.modules:
        os._exit(1 if getattr(sys, "last_value", None) else 0)


def best(task: Callable[[], object], times: int = 3) -> float:
    """Give the least seconds that a task took."""
    taken = []
    for _ in range(times):
        began = time.perf_counter()
        task()
        taken.append(time.perf_counter() - began)
    return min(taken)


def share_of(floor: Callable[[], object], ours: Callable[[], object], times: int = 4) -> float:
    """Give the floor's least seconds over ours, each in turn: a slow minute of the machine slows both."""
    pairs = [(best(floor, 1), best(ours, 1)) for _ in range(times)]
    return min(bare for bare, _ in pairs) / min(own for _, own in pairs)


def tell(name: str, ratio: float, budget: str) -> None:
    """Print one line: what, its ratio or time, its budget."""
    print(f"{name:<56} {ratio:6.2f}   budget {budget}", flush=True)


def hd_frames(count: int, *, half: int = 31, compression: str = "ZIP", size=(HEIGHT, WIDTH)) -> Path:
    """Make a folder of frames: `half` half channels of grainy gradients, and depth as float."""
    folder = Path(tempfile.mkdtemp(prefix="drawstring-bench-"))
    rng = np.random.default_rng(3)
    rows, cols = np.mgrid[: size[0], : size[1]].astype(np.float32)
    base = (0.2 + 0.3 * np.sin(cols / 190) * np.cos(rows / 130)).astype(np.float32)
    names = ["R", "G", "B", "A"] + [f"layer{i:02d}.{c}" for i in range(9) for c in "RGB"]
    for number in range(count):
        noise = rng.normal(0, 0.02, size).astype(np.float32)
        channels = {
            n: (base * (1 + i / 40) + np.roll(noise, i)).astype(np.float16)
            for i, n in enumerate(names[:half])
        }
        channels["depth.Z"] = (4 + 80 * rows / size[0] + noise).astype(np.float32)
        header = {
            "compression": getattr(OpenEXR, f"{compression}_COMPRESSION"),
            "type": OpenEXR.scanlineimage,
        }
        with OpenEXR.File(header, channels) as file:
            file.write(str(folder / f"bench.{1001 + number}.exr"))
    return folder


def memory_mb() -> float:
    """Give what this process holds just now, in MB."""
    with open("/proc/self/status") as file:
        line = next(line for line in file if line.startswith("VmRSS:"))
    return int(line.split()[1]) / 1024


def paths_in(folder: Path) -> list[str]:
    """List a folder's frames."""
    return sorted(os.path.join(folder, name) for name in os.listdir(folder) if name.endswith(".exr"))
