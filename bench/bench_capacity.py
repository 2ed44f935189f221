"""How much one house can feed: ledger, scheduler and proof bookkeeping, with frames that do nothing.

Eight worker processes on this machine with sixteen threads each, whatever its cores: as many frames fly as
with 128 workers. It is about what the house itself costs, not about what frames would; what follows from it
is reckoned in `docs/capacity.md`.
"""

from __future__ import annotations

import os
import shutil
import sys
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent))
os.environ["PYTHONPATH"] = str(Path(__file__).parent)
from bench_pages import fill  # noqa: E402
from capacity_frame import idle_frame  # noqa: E402
from distributed import Client, LocalCluster  # noqa: E402
from floor import hd_frames, memory_mb, tell  # noqa: E402
from serving import served  # noqa: E402
from sqlalchemy import text  # noqa: E402
from sqlalchemy.orm import sessionmaker  # noqa: E402

from drawstring.runs import engine as engines  # noqa: E402
from drawstring.runs.planning import plan_run  # noqa: E402
from drawstring.store import ledger, shows  # noqa: E402
from drawstring.store.database import connect  # noqa: E402
from drawstring.store.models import Run  # noqa: E402

FRAMES = int(sys.argv[1]) if len(sys.argv) > 1 else 100_000
SHOTS, WORKERS, THREADS = 50, 8, 16


def main() -> None:
    frames, small = hd_frames(1, half=3, size=(90, 160)), hd_frames(200, half=7, size=(16, 24))
    engines.carry_out = idle_frame
    # There is no picture to report of.
    engines.Engine._report = lambda *about: None  # type: ignore[method-assign]
    try:
        with (
            served([frames, small]) as (_, url),
            LocalCluster(
                n_workers=WORKERS, threads_per_worker=THREADS, processes=True, dashboard_address=None
            ) as cluster,
        ):
            fill(url, small, frames, shots=SHOTS)
            sessions = sessionmaker(connect(url), expire_on_commit=False)
            with sessions.begin() as session:
                session.execute(text("DELETE FROM runs"))
            engine = engines.Engine(connect(url), lambda: Client(cluster))
            _run(engine, sessions, frames, 2_000)  # everything is loaded
            before, began, spent = memory_mb(), time.perf_counter(), _database_s(sessions)
            done = _run(engine, sessions, frames, FRAMES)
            seconds = time.perf_counter() - began
            tell("frames kept in the ledger and proven on paper, a second", done / seconds, "-")
            tell("database busy, ms a frame", (_database_s(sessions) - spent) / done * 1000, "-")
            tell(f"memory of the engine after {done:,} frames, MB", memory_mb(), "-")
            tell("of which it had before the first of them, MB", before, "-")
            engine.close()
    finally:
        for folder in (frames, small):
            shutil.rmtree(folder, ignore_errors=True)


def _run(engine: engines.Engine, sessions: sessionmaker, frames: Path, count: int) -> int:
    """Plan runs of all shots again and again until so many frames are done."""
    done = 0
    while done < count:
        with sessions.begin() as session:
            for shot in shows.find_show(session, "Bench").shots[:SHOTS]:
                plan_run(session, shot, output=str(frames / "out"))
        while _is_busy(sessions):
            engine.step()
            time.sleep(0.02)
        with sessions() as session:
            done = session.query(Run).count() * 200 - (2_000 if count > 2_000 else 0)
    return done


def _is_busy(sessions: sessionmaker) -> bool:
    with sessions() as session:
        return bool(ledger.under_way(session))


def _database_s(sessions: sessionmaker) -> float:
    """Give the processor time of the database's processes so far, in seconds."""
    ticks = 0
    for number in filter(str.isdigit, os.listdir("/proc")):
        try:
            with open(f"/proc/{number}/stat") as file:
                fields = file.read().rpartition(") ")[2].split()
            with open(f"/proc/{number}/comm") as file:
                if file.read().strip() == "postgres":
                    ticks += int(fields[11]) + int(fields[12])
        except OSError:
            continue
    return ticks / os.sysconf("SC_CLK_TCK")


if __name__ == "__main__":
    main()
