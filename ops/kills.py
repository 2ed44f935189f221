"""A house that is killed again and again while it works: nothing that it said was done may be lost.

    .venv/bin/python ops/kills.py --kills 1000

Servers (pages and engine), scheduler, workers and the database are killed by chance from a seed, with -9, in
the midst of runs over a small demo show; whatever died is started again. In the end every run has to come to
its end: each frame proven, every package looked at again, nothing half-written left. Ends with 1 otherwise.
"""

from __future__ import annotations

import argparse
import os
import random
import signal
import subprocess
import sys
import tempfile
import time
from collections import Counter
from dataclasses import fields, replace
from pathlib import Path

import psutil
from sqlalchemy.orm import Session, sessionmaker

from drawstring.core.arrivals import scan
from drawstring.installation import Installation
from drawstring.local_postgres import LocalPostgres, free_port
from drawstring.runs.checking import check_package
from drawstring.runs.planning import plan_run
from drawstring.standins.tidewrack import render_show
from drawstring.store import deliveries, ledger, recipes, shows
from drawstring.store.database import DatabaseAway, connect, migrate, unit_of_work
from drawstring.store.models import Run, Shot

VICTIMS = ("server 1", "server 2", "scheduler", "worker 1", "worker 2", "database")


def _environment(installation: Installation) -> dict[str, str]:
    return {
        one.metadata["variable"]: str(getattr(installation, one.name))
        for one in fields(installation)
        if "variable" in one.metadata and getattr(installation, one.name) not in ("", 0)
    }


class House:
    """Everything that a studio would have running; whatever died is started again, as its keeper would."""

    away = 5.0

    def __init__(self, installation: Installation, place: Path) -> None:
        self.postgres = LocalPostgres(place / "data", free_port(), "not-a-secret")
        self.postgres.make()
        self.postgres.start()
        self.postgres.make_database("house")
        migrate(self.postgres.url("house"))
        port = free_port()
        self.installation = replace(
            installation, database_url=self.postgres.url("house"), scheduler=f"tcp://127.0.0.1:{port}"
        )
        dask = os.path.join(os.path.dirname(sys.executable), "dask")
        reach = ["--host", "127.0.0.1", "--no-dashboard"]
        worker = [dask, "worker", self.installation.scheduler, "--nworkers", "1", "--nthreads", "1", *reach]
        serve = [sys.executable, "-m", "drawstring.cli", "serve"]
        self._commands = {
            "scheduler": [dask, "scheduler", "--port", str(port), *reach],
            "worker 1": worker, "worker 2": worker, "server 1": serve, "server 2": serve,
        }  # fmt: skip
        self._ports = {"server 1": free_port(), "server 2": free_port()}
        self._place = place
        self._running: dict[str, subprocess.Popen[bytes]] = {}

    def keep_up(self) -> None:
        """Start what is not running."""
        if not self.postgres.is_running():
            self.postgres.start()
        for name, command in self._commands.items():
            if name not in self._running or self._running[name].poll() is not None:
                own = replace(self.installation, port=self._ports.get(name, 0))
                environment = {**os.environ, **_environment(own)}
                self._running[name] = subprocess.Popen(
                    command, env=environment, cwd=self._place,
                    stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
                )  # fmt: skip

    def kill(self, name: str) -> None:
        """Kill -9; the database stays away for `away` seconds."""
        if name == "database":
            number = int((self.postgres.folder / "postmaster.pid").read_text().split()[0])
            os.kill(number, signal.SIGKILL)
            while psutil.pid_exists(number) and self.postgres.is_running():
                time.sleep(0.05)
            time.sleep(self.away)
            return
        victims = [psutil.Process(self._running[name].pid)]
        victims += victims[0].children(recursive=True)
        for one in victims:
            one.kill()
        psutil.wait_procs(victims, timeout=20)
        self._running[name].wait(20)

    def close(self) -> None:
        """End everything."""
        for process in self._running.values():
            process.terminate()
        for process in self._running.values():
            try:
                process.wait(20)
            except subprocess.TimeoutExpired:
                process.kill()
        self.postgres.stop(at_once=True)


def plan_all(sessions: sessionmaker[Session], output: str) -> None:
    """Plan a run of every shot that has none under way."""
    with unit_of_work(sessions) as session:
        for shot in session.query(Shot):
            if all(run.state not in ledger.HOLDS for run in shot.runs):
                plan_run(session, shot, output=output)


def at_rest(sessions: sessionmaker[Session]) -> bool:
    """Whether all runs are at their end; frames that were given up are taken up again, as by hand."""
    try:
        with unit_of_work(sessions) as session:
            failed = [run for run in session.query(Run) if run.state == "failed"]
            for run in failed:
                ledger.go_on(session, run)
            return not ledger.under_way(session) and not failed
    except DatabaseAway:
        return False


def faults(sessions: sessionmaker[Session]) -> list[str]:
    """Look at every package again; give what is wrong."""
    found = []
    with sessions() as session:
        for run in session.query(Run):
            if (run.state, run.package and run.package.state) != ("done", "proven"):
                found.append(f"{run.folder} is {run.state}")
            elif not check_package(run.folder).is_proven:
                found.append(f"{run.folder} is not what was proven")
            left = [name for _, _, names in os.walk(run.folder) for name in names if ".unfinished" in name]
            found += [f"{run.folder} holds {name}" for name in left]
    return found


def main() -> int:
    """Run the campaign; give the exit code."""
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--kills", type=int, default=1000)
    parser.add_argument("--seed", type=int, default=5)
    parser.add_argument("--minutes", type=float, default=240, help="after which no more are made")
    asked = parser.parse_args()
    chance, counted, began = random.Random(asked.seed), Counter[str](), time.monotonic()
    with tempfile.TemporaryDirectory(prefix="drawstring-kills-") as temporary:
        place = Path(temporary)
        place.chmod(0o711)
        for _ in render_show(str(place / "sources" / "tidewrack"), width=192, height=108, frames=8):
            pass
        installation = Installation(
            var=str(place / "var"), roots=str(place / "sources"), output=str(place / "packages"),
            inbox_port=free_port(), feed_port=free_port(), workers=2,
        )  # fmt: skip
        house = House(installation, place)
        house.away = 1.0
        sessions = sessionmaker(connect(house.installation.database), expire_on_commit=False)
        try:
            with sessions.begin() as session:
                show = shows.make_show(session, "Tidewrack")
                for code in ("TW010", "TW020", "TW030", "TW040"):
                    folder = str(place / "sources" / "tidewrack" / code)
                    shot = shows.make_shot(session, show, code)
                    deliveries.accept(session, shot, scan(folder, roots=[installation.roots]).candidates[0])
                    recipes.set_values(session, shot, {"depth.near": "2", "depth.far": "90"})
                    recipes.settle(session, shot, "depth")
            house.keep_up()
            plan_all(sessions, installation.output)
            while counted.total() < asked.kills and time.monotonic() - began < 60 * asked.minutes:
                time.sleep(chance.uniform(0.1, 2.5))
                victim = chance.choice(VICTIMS)
                house.kill(victim)
                counted[victim] += 1
                house.keep_up()
                try:
                    plan_all(sessions, installation.output)
                except DatabaseAway:
                    continue
            until = time.monotonic() + 900
            while not at_rest(sessions) and time.monotonic() < until:
                house.keep_up()
                time.sleep(0.5)
            wrong = faults(sessions)
            until = time.monotonic() + 240
            while wrong and time.monotonic() < until:
                # What a worker left that was cut off is removed when nobody has written to it for a while.
                time.sleep(5)
                house.keep_up()
                wrong = faults(sessions)
            with sessions() as session:
                runs = session.query(Run).all()
                frames = sum(len(run.frames) for run in runs)
        finally:
            house.close()
    kills = ", ".join(f"{name} {count}" for name, count in sorted(counted.items()))
    print(f"{counted.total()} kills ({kills}) in {time.monotonic() - began:.0f} s")
    print(f"{len(runs)} runs, {frames} frames; wrong: {'; '.join(wrong) or 'nothing'}")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
