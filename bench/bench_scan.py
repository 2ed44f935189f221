"""Scanning 10,000 small frames against opening just their headers, with as many processes."""

from __future__ import annotations

import multiprocessing
import os
import shutil
import time
from concurrent.futures import ProcessPoolExecutor

import OpenEXR
from floor import hd_frames, paths_in, tell

from drawstring.core.arrivals import scan
from drawstring.runs.readers import Readers

COUNT = 10_000


def headers(paths: list[str]) -> int:
    return sum(len(OpenEXR.File(path, header_only=True).parts) for path in paths)


def main() -> None:
    folder = hd_frames(1, size=(64, 96))
    first = paths_in(folder)[0]
    for number in range(2, COUNT + 1):
        shutil.copyfile(first, folder / f"bench.{1000 + number}.exr")
    paths, workers = paths_in(folder), os.cpu_count() or 1
    readers = Readers(workers)
    readers.survey(paths[:workers])()  # both pools are warm
    with ProcessPoolExecutor(workers, mp_context=multiprocessing.get_context("forkserver")) as pool:
        chunks = [paths[i : i + 200] for i in range(0, len(paths), 200)]
        list(pool.map(headers, chunks[:workers]))
        floor, ours = [], []
        for _ in range(8):
            began = time.perf_counter()
            list(pool.map(headers, chunks))
            floor.append(time.perf_counter() - began)
            began = time.perf_counter()
            scan(str(folder), roots=[str(folder)], surveyor=readers.survey, recogniser=readers.recognise)
            ours.append(time.perf_counter() - began)
    readers.close()
    tell(f"scan of {COUNT:,} frames: floor / ours", min(floor) / min(ours), "0.80")
    shutil.rmtree(folder)


if __name__ == "__main__":
    main()
