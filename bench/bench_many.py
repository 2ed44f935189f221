"""Two thousand shots of two hundred frames: board, findings, runs, hand-off; a night planned in one press."""

from __future__ import annotations

import shutil
import sys
import time

from bench_pages import fill
from floor import best, hd_frames, tell
from serving import served
from sqlalchemy.orm import sessionmaker

from drawstring.store import shows
from drawstring.store.database import connect
from drawstring.store.models import Run

SHOTS = int(sys.argv[1]) if len(sys.argv) > 1 else 2000


def main() -> None:
    frames, small = hd_frames(2, half=3, size=(90, 160)), hd_frames(200, half=7, size=(16, 24))
    try:
        with served([frames, small]) as (app, url):
            client = app.test_client()
            began = time.perf_counter()
            fill(url, small, frames, shots=SHOTS)
            print(
                f"{SHOTS:,} shots of 200 frames were made in {time.perf_counter() - began:.0f} s", flush=True
            )
            client.get("/shows/Bench")
            for words, address in (
                ("board", "/shows/Bench"),
                ("board, searched", "/shows/Bench?q=B01"),
                ("board, those with findings", "/shows/Bench?which=findings"),
                ("board, its last page", "/shows/Bench?page=9999"),
                ("findings", "/shows/Bench/findings"),
                ("runs", "/shows/Bench/runs"),
                ("hand-off", "/shows/Bench/packages"),
            ):
                client.get(address)
                spent = best(lambda address=address: client.get(address), 5) * 1000
                tell(f"{words}, {SHOTS:,} shots x 200 frames, ms", spent, "100")
            with sessionmaker(connect(url)).begin() as session:
                free = [shot.id for shot in shows.find_show(session, "Bench").shots if not shot.runs][:100]
            began = time.perf_counter()
            client.post("/shows/Bench/runs", data={"shot": free})
            spent = time.perf_counter() - began
            with sessionmaker(connect(url)).begin() as session:
                made = session.query(Run).filter(Run.shot_id.in_(free)).count()
            tell(f"{made} runs planned in one press, s", spent, "2")
    finally:
        for folder in (frames, small):
            shutil.rmtree(folder, ignore_errors=True)


if __name__ == "__main__":
    main()
