"""Pages and engine kept up side by side: either is started again when it dies, both end together.

The engine is a process of its own, so that neither a killed worker nor a restart of the pages stops a
run.
"""

from __future__ import annotations

import ctypes
import os
import signal
import subprocess
import sys
import time
from types import FrameType

from drawstring.installation import Installation

THREADS = 12
_PR_SET_PDEATHSIG = 1  # linux/prctl.h


def keep_up(installation: Installation) -> None:
    """Run both until told to stop.

    Parameters
    ----------
    installation : Installation
        Host and port to serve on; its environment is handed down.
    """
    commands = {
        "engine": [sys.executable, "-m", "drawstring.cli", "engine"],
        "pages": [
            sys.executable, "-m", "gunicorn", "--bind", f"{installation.host}:{installation.port}",
            "--workers", "1", "--worker-class", "gthread", "--threads", str(THREADS), "--timeout", "120",
            "--graceful-timeout", "5", "--access-logfile", "/dev/null", "--no-control-socket",
            "drawstring.web.app:create_served_app()",
        ],
    }  # fmt: skip
    running: dict[str, subprocess.Popen[bytes]] = {}
    stopping = False

    def stop(number: int, frame: FrameType | None) -> None:
        nonlocal stopping
        stopping = True

    signal.signal(signal.SIGTERM, stop)
    signal.signal(signal.SIGINT, stop)
    fell: dict[str, float] = {}
    while not stopping:
        for name, command in commands.items():
            process = running.get(name)
            if process is not None and process.poll() is None:
                continue
            if process is not None:
                print(f"The {name} ended with {process.returncode} and are started again.", flush=True)
                if time.monotonic() - fell.get(name, 0) < 5:
                    time.sleep(2)  # it falls at once: a little patience, or the log fills the disk
                fell[name] = time.monotonic()
            running[name] = subprocess.Popen(command, preexec_fn=_end_with_parent)
        time.sleep(0.3)
    for process in running.values():
        process.terminate()
    for process in running.values():
        try:
            process.wait(15)
        except subprocess.TimeoutExpired:
            process.kill()


def _end_with_parent() -> None:
    """Ask Linux to end this child when its parent is gone, also when that was killed."""
    try:
        ctypes.CDLL("libc.so.6", use_errno=True).prctl(_PR_SET_PDEATHSIG, signal.SIGTERM)
    except OSError:
        os.write(2, b"Not on Linux: end the children by hand if this process is killed.\n")
