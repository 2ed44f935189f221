"""Pages and engine kept up side by side: either is started again when it dies, both end together.

The engine is a process of its own, so that neither a killed worker nor a restart of the pages stops a
run. The PostgreSQL that the house keeps for itself is brought back, too; one of somebody else's is
waited for.
"""

from __future__ import annotations

import ctypes
import os
import signal
import subprocess
import sys
import time
from functools import partial
from types import FrameType

from drawstring.installation import Installation
from drawstring.local_postgres import Trouble, is_taken, kept_database
from drawstring.runs.forks import ONE_THREAD

_PR_SET_PDEATHSIG = 1  # linux/prctl.h

STANDS_BACK = {"engine": 5}
"""How far, as `nice(1)` counts: whoever looks at a picture goes before workers, which get a quarter of a core
where pages and their readers want all of it.
"""


def keep_up(installation: Installation) -> None:
    """Run both until told to stop.

    Parameters
    ----------
    installation : Installation
        Host and port to serve on; its environment is handed down.
    """
    commands = {
        "engine": [sys.executable, "-m", "drawstring.cli", "engine"],
        "pages": [sys.executable, "-m", "drawstring.web.serve"],
    }
    running: dict[str, subprocess.Popen[bytes]] = {}
    stopping = False

    def stop(number: int, frame: FrameType | None) -> None:
        nonlocal stopping
        stopping = True

    signal.signal(signal.SIGTERM, stop)
    signal.signal(signal.SIGINT, stop)
    fell: dict[str, float] = {}
    own = OwnDatabase(installation)
    while not stopping:
        own.look_after()
        for name, command in commands.items():
            process = running.get(name)
            if process is not None and process.poll() is None:
                continue
            if process is not None:
                print(f"The {name} ended with {process.returncode} and are started again.", flush=True)
                if time.monotonic() - fell.get(name, 0) < 5:
                    time.sleep(2)  # it falls at once: a little patience, or the log fills the disk
                fell[name] = time.monotonic()
            running[name] = subprocess.Popen(
                command,
                env={**ONE_THREAD, **os.environ},
                preexec_fn=partial(_begin, STANDS_BACK.get(name, 0)),
            )
        time.sleep(0.3)
    for process in running.values():
        process.terminate()
    for process in running.values():
        try:
            process.wait(15)
        except subprocess.TimeoutExpired:
            process.kill()


class OwnDatabase:
    """Brings the house's own PostgreSQL back when it has died.

    Parameters
    ----------
    installation : Installation
        Of one that names a database of somebody else's, nothing is done.
    """

    def __init__(self, installation: Installation) -> None:
        self._kept = None if installation.database_url else kept_database(installation)
        self._look_at = 0.0

    def look_after(self) -> None:
        """Start it, where it does not answer; every few seconds at most, and with patience where it can't."""
        if self._kept is None or time.monotonic() < self._look_at:
            return
        self._look_at = time.monotonic() + 2
        if is_taken(self._kept.port):
            return
        print("The database does not answer and is started again.", flush=True)
        try:
            self._kept.start()
        except Trouble as trouble:
            print(f"It did not start: {trouble}", flush=True)
            self._look_at = time.monotonic() + 20


def _begin(nice: int) -> None:
    """Stand back by so much; have Linux end this child when its parent is gone, also when that was killed."""
    os.nice(nice)
    try:
        ctypes.CDLL("libc.so.6", use_errno=True).prctl(_PR_SET_PDEATHSIG, signal.SIGTERM)
    except OSError:
        os.write(2, b"Not on Linux: end the children by hand if this process is killed.\n")
