"""A mural of 16 tiles joined: memory of the process that does it, and time against reading and writing alone.

12,288 x 6,480, 4 half channels, tiles that overlap by 10 %, ZIP. The floor reads every tile once with the
library and writes the whole picture with it, both in one go, with as many threads.
"""

from __future__ import annotations

import os
import resource
import shutil
import subprocess
import sys
import tempfile
import time

import numpy as np
import OpenEXR
from floor import tell

from drawstring.core.arrivals import scan
from drawstring.core.io.pixels import use_threads
from drawstring.core.tiles.joining import join
from drawstring.standins.tidewrack.mural import tile_windows

WIDTH, HEIGHT = 12288, 6480


def main() -> None:
    folder = tempfile.mkdtemp(prefix="drawstring-tiles-")
    try:
        write_tiles(folder)
        command = [sys.executable, __file__]
        peak, joined = map(float, subprocess.check_output([*command, "join", folder]).split())
        floor = float(subprocess.check_output([*command, "floor", folder]))
        tell("16 tiles of 12,288 x 6,480 joined, GB", peak, "1.0")
        tell("16 tiles joined, against reading and writing", joined / floor, "0.7")
    finally:
        shutil.rmtree(folder)


def write_tiles(folder: str) -> None:
    random = np.random.default_rng(1)
    for (row, col), window in tile_windows(WIDTH, HEIGHT, 4, 4, 0.1).items():
        rows = np.linspace(0.2, 1, window.height, dtype=np.float32)[:, None]
        channels = {
            word: (rows + random.random((window.height, window.width), dtype=np.float32) * 0.02).astype(
                np.float16
            )
            for word in "RGBA"
        }
        header = {
            "compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage,
            "dataWindow": (np.int32([window.x_min, window.y_min]), np.int32([window.x_max, window.y_max])),
            "displayWindow": (np.int32([0, 0]), np.int32([WIDTH - 1, HEIGHT - 1])),
        }  # fmt: skip
        with OpenEXR.File(header, channels) as file:
            file.write(os.path.join(folder, f"TW090_r{row}c{col}_v001.1001.exr"))


def peak_gb() -> float:
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / (1 << 20)


def join_here(folder: str) -> None:
    use_threads(1)
    tiles = scan(folder, roots=[folder]).tiles[0]
    # Looking along the seams is another process's work; its memory does not count here.
    if os.fork() == 0:
        began = time.perf_counter()
        join(tiles, 1001, os.path.join(folder, "joined.exr"))
        print(peak_gb(), time.perf_counter() - began, flush=True)
        os._exit(0)
    os.wait()


def floor(folder: str) -> None:
    use_threads(1)
    with OpenEXR.File(os.path.join(folder, "joined.exr"), separate_channels=True) as file:
        channels = {name: channel.pixels for name, channel in file.channels().items()}
    began = time.perf_counter()
    for name in sorted(name for name in os.listdir(folder) if name.startswith("TW090_r")):
        with OpenEXR.File(os.path.join(folder, name), separate_channels=True) as file:
            file.channels()
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    with OpenEXR.File(header, channels) as file:
        file.write(os.path.join(folder, "floor.exr"))
    print(time.perf_counter() - began)


if __name__ == "__main__":
    if len(sys.argv) > 1:
        {"join": join_here, "floor": floor}[sys.argv[1]](sys.argv[2])
    else:
        main()
