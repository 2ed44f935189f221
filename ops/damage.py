"""A campaign of damaged files: thousands are scanned and counted, each is answered by words about itself.

    .venv/bin/python ops/damage.py --files 20000

Whole pictures of nine kinds are written by other libraries than ours, spoiled by chance from a seed,
laid beside whole ones, scanned by readers as the engine uses them, and counted as a worker does. Told
are: what came to a stop, who was refused and how, the longest answer and the largest process. Ends with
1 when a whole file was refused or one of the damaged ones stopped anything.
"""

from __future__ import annotations

import argparse
import os
import random
import shutil
import struct
import sys
import tempfile
import threading
import time
from collections import Counter
from collections.abc import Callable, Iterator
from pathlib import Path

import cv2
import numpy as np
import OpenEXR
import psutil

SIDE = 48


def _light(seed: int, channels: int = 3) -> np.ndarray:
    noise = np.random.default_rng(seed).random((SIDE, SIDE + 16, channels), np.float32)
    ramp = np.linspace(0, 1, SIDE + 16, dtype=np.float32)[None, :, None]
    return (0.6 * ramp + 0.4 * noise).astype(np.float32)


def _exr(path: Path, seed: int, compression: object, kind: object = OpenEXR.scanlineimage) -> None:
    light = _light(seed, 4)
    channels = {name: light[..., i].astype(np.float16) for i, name in enumerate("RGBA")}
    channels["Z"] = (2 + 50 * light[..., 0]).astype(np.float32)
    header: dict[str, object] = {"compression": compression, "type": kind, "framesPerSecond": 24.0}
    if kind == OpenEXR.tiledimage:
        tiles = OpenEXR.TileDescription()
        tiles.xSize = tiles.ySize = 16
        header["tiles"] = tiles
    with OpenEXR.File(header, channels) as file:
        file.write(str(path))


def _parts(path: Path, seed: int) -> None:
    light = _light(seed)
    parts = [
        OpenEXR.Part({"compression": way, "type": OpenEXR.scanlineimage}, {"RGB": light.copy()}, name)
        for name, way in (("left", OpenEXR.PIZ_COMPRESSION), ("right", OpenEXR.DWAA_COMPRESSION))
    ]
    with OpenEXR.File(parts) as file:
        file.write(str(path))


def _codes(path: Path, seed: int, kind: type = np.uint8, channels: int = 3) -> None:
    top = np.iinfo(kind).max
    cv2.imwrite(str(path), np.round(_light(seed, channels) * top).astype(kind))


def _dpx(path: Path, seed: int) -> None:
    """Write a DPX of 10 bits, filled words, by hand (SMPTE ST 268-1)."""
    height, width = SIDE, SIDE + 16
    head = bytearray(2048)
    head[0:4], head[8:16] = b"SDPX", b"V2.0\0\0\0\0"
    struct.pack_into(">I", head, 4, 2048)
    struct.pack_into(">I", head, 16, 2048 + 4 * width * height)
    struct.pack_into(">IIIII", head, 20, 1, 1664, 384, 0, 0)
    struct.pack_into(">HHII", head, 768, 0, 1, width, height)
    struct.pack_into(">IIfIfBBBBHHIII", head, 780, 0, 0, 0, 1023, 2.0, 50, 2, 2, 10, 1, 0, 2048, 0, 0)
    codes = np.round(_light(seed) * 1023).astype(">u4")
    words = (codes[..., 0] << 22 | codes[..., 1] << 12 | codes[..., 2] << 2).astype(">u4")
    path.write_bytes(bytes(head) + words.tobytes())


KINDS: dict[str, tuple[str, Callable[[Path, int], object]]] = {
    "zip": (".exr", lambda path, seed: _exr(path, seed, OpenEXR.ZIP_COMPRESSION)),
    "tiles": (".exr", lambda path, seed: _exr(path, seed, OpenEXR.PIZ_COMPRESSION, OpenEXR.tiledimage)),
    "parts": (".exr", _parts),
    "png": (".png", lambda path, seed: _codes(path, seed, np.uint16, 4)),
    "tiff": (".tif", lambda path, seed: _codes(path, seed, np.uint16)),
    "jpeg": (".jpg", _codes),
    "hdr": (".hdr", lambda path, seed: cv2.imwrite(str(path), _light(seed))),
    "dpx": (".dpx", _dpx),
    "webp": (".webp", _codes),
}
"""What is written, by what it is called here: an ending, and what writes a whole one from a seed."""


def spoiled(whole: bytes, chance: random.Random) -> bytes:
    """Give a file's bytes damaged in one of the ways that disks, copies and bad writers damage them."""
    data = bytearray(whole)
    way = chance.randrange(8)
    head = min(len(data), 400)
    if way == 0:  # cut short
        return bytes(data[: chance.randrange(len(data))])
    if way == 1:  # bits that fell over, in the head
        for _ in range(chance.randint(1, 6)):
            data[chance.randrange(head)] ^= 1 << chance.randrange(8)
    elif way == 2:  # ... anywhere
        for _ in range(chance.randint(1, 20)):
            data[chance.randrange(len(data))] ^= 1 << chance.randrange(8)
    elif way == 3:  # a number that was never meant
        at = chance.randrange(max(1, head - 4))
        odd = chance.choice([0, 1, -1, 2**31 - 1, -(2**31), 65536, 0x7F800000, 0x7FC00000])
        data[at : at + 4] = struct.pack("<i", odd)
    elif way == 4:  # a block of zeros, as a full disk leaves it
        at = chance.randrange(len(data))
        size = min(len(data) - at, chance.randint(1, 4096))
        data[at : at + size] = bytes(size)
    elif way == 5:  # noise
        at = chance.randrange(len(data))
        size = min(len(data) - at, chance.randint(1, 512))
        data[at : at + size] = chance.randbytes(size)
    elif way == 6:  # something left out, so that all after it lies elsewhere
        at = chance.randrange(len(data))
        del data[at : at + chance.randint(1, 64)]
    else:  # something said twice
        at = chance.randrange(len(data))
        data[at:at] = data[at : at + chance.randint(1, 64)]
    return bytes(data)


def lay_out(folder: Path, *, files: int, seed: int) -> tuple[list[Path], list[Path]]:
    """Write whole and damaged files into a folder, a sequence of each kind; give both lists.

    Parameters
    ----------
    files : int
        How many damaged ones, over all kinds.
    """
    chance = random.Random(seed)
    good: list[Path] = []
    bad: list[Path] = []
    for kind, (ending, write) in KINDS.items():
        folder.mkdir(parents=True, exist_ok=True)
        for number in range(1, 4):
            path = folder / f"{kind}-whole.{number:04d}{ending}"
            write(path, seed + number)
            good.append(path)
        whole = good[-1].read_bytes()
        for number in range(1, files // len(KINDS) + 1):
            path = folder / f"{kind}-damaged.{number:05d}{ending}"
            path.write_bytes(spoiled(whole, chance))
            bad.append(path)
    return good, bad


class Largest:
    """Watches how much memory this process's children take, each by itself."""

    def __init__(self) -> None:
        self.bytes, self._stop = 0, threading.Event()
        threading.Thread(target=self._watch, daemon=True).start()

    def _watch(self) -> None:
        while not self._stop.wait(0.05):
            for child in psutil.Process().children(recursive=True):
                try:
                    self.bytes = max(self.bytes, child.memory_info().rss)
                except psutil.Error:
                    continue

    def close(self) -> None:
        """Stop watching."""
        self._stop.set()


def campaign(folder: Path, *, files: int, seed: int, workers: int = 2) -> Iterator[str]:
    """Carry it out; give lines that tell of it, the last one its verdict."""
    from drawstring.core.arrivals import scan
    from drawstring.core.errors import DrawstringError
    from drawstring.core.io.headers import read_facts
    from drawstring.runs.measuring import measure_frame
    from drawstring.runs.readers import Readers
    from drawstring.runs.run_plan import SourceFile

    good, bad = lay_out(folder, files=files, seed=seed)
    yield f"{len(good)} whole and {len(bad)} damaged files of {len(KINDS)} kinds"
    readers, largest = Readers(workers), Largest()
    began = time.monotonic()
    found = scan(str(folder), roots=[str(folder)], surveyor=readers.survey, recogniser=readers.recognise)
    yield f"scanned in {time.monotonic() - began:.1f} s"
    said = {frame.path: frame.fault for report in found.sequences for frame in report.frames}
    refused = [str(path) for path in good if said.get(str(path), "not told of")]
    silent = [str(path) for path in bad if str(path) not in said]
    faults = Counter(
        " ".join(fault.split()[1:6]) for path, fault in said.items() if fault and "damaged" in path
    )
    yield f"{sum(faults.values())} damaged files refused by their headers or first pixels"
    # What looks whole is decoded as a worker does, in a reader of its own so that what it kills is seen.
    passes = {frame.path: report.passes for report in found.sequences for frame in report.frames}
    longest, counted, odd = 0.0, 0, 0
    for path in bad:
        if said.get(str(path)):
            continue
        since = time.monotonic()
        try:
            facts = readers.read(str(path), read_facts, str(path))
            source = SourceFile(0, str(path), facts.size_bytes, facts.mtime_ns)
            _, answer = readers.read(
                str(path), measure_frame, "facts", 1, (source,), tuple(passes[str(path)]), facts.window
            )
            odd += isinstance(answer, dict) and "what" in answer
            counted += 1
        except DrawstringError as error:
            faults[" ".join(error.what.split()[1:6])] += 1
        longest = max(longest, time.monotonic() - since)
    readers.close()
    largest.close()
    yield f"{counted} could be decoded all the same ({odd} of them not counted, with a reason)"
    yield f"longest answer {longest:.1f} s, largest process {largest.bytes / 1e6:,.0f} MB"
    for words, count in faults.most_common(12):
        yield f"  {count:6d}  … {words} …"
    stops = len(refused) + len(silent)
    yield f"{stops} stops" + (f": {(refused + silent)[:5]}" if stops else "")


def main() -> None:
    """Carry a campaign out in a folder of its own."""
    asked = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    asked.add_argument("--files", type=int, default=2000)
    asked.add_argument("--seed", type=int, default=1)
    given = asked.parse_args()
    place = tempfile.mkdtemp(prefix="drawstring-damage-")
    try:
        last = ""
        for last in campaign(Path(place), files=given.files, seed=given.seed, workers=os.cpu_count() or 1):
            print(last, flush=True)
    finally:
        shutil.rmtree(place, ignore_errors=True)
    sys.exit(0 if last.startswith("0 stops") else 1)


if __name__ == "__main__":
    main()
