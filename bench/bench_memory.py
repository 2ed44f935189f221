"""Memory of a worker that packs a 4K frame of 32 half channels with ZIP: the highest it ever had."""

from __future__ import annotations

import shutil
import subprocess
import sys
import tempfile

import numpy as np
import OpenEXR
from floor import tell

from drawstring.core.io import read_facts
from drawstring.core.io.pixels import use_threads
from drawstring.core.pack import PackSettings
from drawstring.core.passes import recognise
from drawstring.core.recipe import Recipe
from drawstring.runs.frame import carry_out
from drawstring.runs.run_plan import FrameTask, RunPlan, SourceFile

WIDTH, HEIGHT = 3840, 2160


def main() -> None:
    folder = tempfile.mkdtemp(prefix="drawstring-memory-")
    try:
        write_source(f"{folder}/source.exr")
        # In a process of its own: what made the source must not count.
        command = [sys.executable, __file__, folder]
        tell("worker, 4K, 32 half channels, GB", float(subprocess.check_output(command)), "0.8")
    finally:
        shutil.rmtree(folder)


def write_source(path: str) -> None:
    random = np.random.default_rng(1)
    rows = np.linspace(0, 1, HEIGHT, dtype=np.float32)[:, None]
    channels = {}
    for layer in ("", *(f"light_{i}." for i in range(9))):
        for word in "RGB":
            grain = random.random((HEIGHT, WIDTH), dtype=np.float32) * 0.02
            channels[f"{layer}{word}"] = (rows + grain).astype(np.float16)
    channels["A"] = np.ones((HEIGHT, WIDTH), np.float16)
    channels["occlusion.V"] = channels["R"]
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    with OpenEXR.File(header, channels) as file:
        file.write(path)


def pack(folder: str) -> None:
    use_threads(1)
    path = f"{folder}/source.exr"
    facts = read_facts(path)
    plan = RunPlan(
        1, "A", "B", 1, folder, "m", Recipe(pack=PackSettings()), "d", tuple(recognise(facts)), facts.window
    )
    source = SourceFile(0, path, facts.size_bytes, facts.mtime_ns)
    answer = carry_out(plan, FrameTask(1, (source,), "A_v001.0001.exr"))
    assert answer.checksum, answer.fault
    # Not `getrusage`: that begins with what the parent held.
    with open("/proc/self/status") as file:
        peak = next(line for line in file if line.startswith("VmHWM:"))
    print(int(peak.split()[1]) / 1e6)


if __name__ == "__main__":
    pack(sys.argv[1]) if len(sys.argv) > 1 else main()
