"""A million frames asked for in one press: five thousand shots of two hundred, planned in bounded memory."""

from __future__ import annotations

import shutil
import sys
import threading
import time

from bench_pages import fill
from floor import hd_frames, memory_mb, tell
from serving import served
from sqlalchemy import func, select
from sqlalchemy.orm import sessionmaker

from drawstring.store import shows
from drawstring.store.database import connect
from drawstring.store.models import RunFrame

SHOTS = int(sys.argv[1]) if len(sys.argv) > 1 else 5000


class Watched:
    """The memory of this process while something is done."""

    def __init__(self) -> None:
        self.most = memory_mb()
        self._over = threading.Event()

    def __enter__(self) -> Watched:
        self._watching = threading.Thread(target=self._watch)
        self._watching.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._over.set()
        self._watching.join()

    def _watch(self) -> None:
        while not self._over.wait(0.05):
            self.most = max(self.most, memory_mb())


def main() -> None:
    """Plan a tenth of them, then the rest; what the rest takes more is what grows."""
    frames, small = hd_frames(2, half=3, size=(90, 160)), hd_frames(200, half=7, size=(16, 24))
    try:
        with served([frames, small]) as (app, url):
            client = app.test_client()
            fill(url, small, frames, shots=SHOTS, ran=0)
            client.get("/shows/Bench")
            sessions = sessionmaker(connect(url))
            with sessions() as session:
                free = [shot.id for shot in shows.find_show(session, "Bench").shots][:SHOTS]
            for asked in (free[: SHOTS // 10], free[SHOTS // 10 :]):
                before, began = memory_mb(), time.perf_counter()
                with Watched() as watched:
                    client.post("/shows/Bench/runs", data={"shot": asked})
                words = f"{len(asked) * 200:,} frames planned in one press"
                tell(f"{words}, s for 100,000", (time.perf_counter() - began) / len(asked) * 500, "-")
                tell(f"{words}, memory that it took at most, MB", watched.most - before, "-")
            with sessions() as session:
                print(f"{session.scalar(select(func.count(RunFrame.number))):,} frames wait in the ledger")
    finally:
        for folder in (frames, small):
            shutil.rmtree(folder, ignore_errors=True)


if __name__ == "__main__":
    main()
