"""Bring the house up and down: database, tables, demo show, pages and engine. Run by `make`."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
import urllib.request
from contextlib import suppress
from pathlib import Path

from drawstring.core.errors import DrawstringError
from drawstring.installation import Installation, read_installation
from drawstring.local_postgres import Trouble, is_taken, kept_database, refuse, timed

HOME = Path(__file__).resolve().parents[1]


def start(installation: Installation) -> None:
    """Bring up what is not up yet, say what is done and how long it took, and print the address."""
    began = time.monotonic()
    var = Path(installation.var)
    try:
        for folder in (var, var / "log", var / "run", Path(installation.output_folder)):
            folder.mkdir(parents=True, exist_ok=True)
        Path(installation.root_list[0]).mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise Trouble(
            f"{error.filename} can't be made: {error.strerror}. Open it for writing, or set DRAWSTRING_VAR "
            "to a folder of yours."
        ) from error
    address = installation.address
    served = _living(var / "run" / "serve.pid")
    if not served and is_taken(installation.port):
        raise Trouble(
            f"Port {installation.port} is taken by another program. Set DRAWSTRING_PORT to a free one "
            "and start again."
        )
    start_database(installation)
    shell = [sys.executable, "-m", "drawstring.cli"]
    since = time.monotonic()
    _run([*shell, "migrate"])
    timed("Tables are in today's form", since)
    since = time.monotonic()
    _run([*shell, "demo", "--first"])
    timed("The first shot of the demo show “Tidewrack” is there", since)
    if not installation.client_inboxes:
        _keep_inbox(installation, var, shell)
    if not installation.feeds:
        _keep_feed(installation, var, shell)
    if not served:
        since = time.monotonic()
        # Else pages and engine would both compile them, while the first picture is waited for.
        _run([sys.executable, "-m", "drawstring.runs.warm"])
        process = _begin(var, "serve", [*shell, "serve"])
        _await_page(address, process, var / "log" / "serve.log")
        timed("Pages and engine are up", since)
    if not _living(var / "run" / "kernels.pid"):
        # Nobody should wait for a loop to be compiled who moves a slider for the first time.
        _begin(var, "kernels", [sys.executable, "ops/kernels.py", "compile"], nice=19)
    # As in life: shots come in one after the other, while people work on those that are there.
    if not _living(var / "run" / "demo.pid"):
        # Whoever looks at a picture goes first.
        _begin(var, "demo", [*shell, "demo"], nice=15)
        print("  The other shots are rendered behind it and arrive on the board", flush=True)
    print(f"\nDrawstring is ready ({time.monotonic() - began:.0f} s): {address}", flush=True)


def start_database(installation: Installation) -> None:
    """Bring up the database that this installation keeps, where it keeps one."""
    if installation.database_url:
        return
    since = time.monotonic()
    kept = kept_database(installation)
    made = kept.make()
    kept.start()
    kept.make_database("drawstring")
    timed("Database made and started" if made else "Database is up", since)


def _keep_inbox(installation: Installation, var: Path, shell: list[str]) -> None:
    """Start the made-up client's inbox, where hand-off can be tried out."""
    if _living(var / "run" / "inbox.pid"):
        return
    if is_taken(installation.inbox_port):
        raise Trouble(
            f"Port {installation.inbox_port} is taken by another program. Set DRAWSTRING_INBOX_PORT to a "
            "free one and start again."
        )
    port = str(installation.inbox_port)
    _begin(var, "inbox", [*shell, "client-inbox", str(var / "client-inbox"), "--port", port])
    print(f"  The made-up client's inbox listens on port {port}", flush=True)


def _keep_feed(installation: Installation, var: Path, shell: list[str]) -> None:
    """Start the stand-in renderer's feed, where a running renderer can be tried out."""
    if _living(var / "run" / "feed.pid"):
        return
    if is_taken(installation.feed_port):
        raise Trouble(
            f"Port {installation.feed_port} is taken by another program. Set DRAWSTRING_FEED_PORT to a "
            "free one and start again."
        )
    port = str(installation.feed_port)
    _begin(var, "feed", [*shell, "renderer", "feed", "--port", port])
    print(f"  The stand-in renderer's feed listens on port {port}", flush=True)


def _begin(var: Path, name: str, command: list[str], *, nice: int = 0) -> subprocess.Popen[bytes]:
    """Begin a lasting process with a log and a pid file, as the first of a session of its own."""
    log = open(var / "log" / f"{name}.log", "ab")
    process = subprocess.Popen(
        ["nice", "-n", str(nice), *command],
        stdout=log, stderr=log, stdin=subprocess.DEVNULL, start_new_session=True, cwd=HOME,
    )  # fmt: skip
    stand_back(process.pid, nice)
    (var / "run" / f"{name}.pid").write_text(str(process.pid))
    return process


def stand_back(pid: int, nice: int) -> None:
    """Have the whole session of a process stand back behind others.

    Where Linux shares the cores out by session (sched(7), autogroups), `nice` counts only within one.
    """
    if nice:
        with suppress(OSError):  # this Linux knows no such thing
            Path(f"/proc/{pid}/autogroup").write_text(str(nice))


def stop(installation: Installation) -> None:
    """End pages, engine, inbox and database, where they run."""
    ends = {
        "demo": "The demo's renderer is down",
        "kernels": "What compiles ahead is down",
        "serve": "Pages and engine are down",
        "inbox": "The client's inbox is down",
        "feed": "The stand-in renderer's feed is down",
    }
    for name, says in ends.items():
        pid_file = Path(installation.var) / "run" / f"{name}.pid"
        pid = _living(pid_file)
        if pid:
            os.kill(pid, signal.SIGTERM)
            for _ in range(100):
                if not _living(pid_file):
                    break
                time.sleep(0.2)
            _end_group(pid)
            print(f"  {says}", flush=True)
        pid_file.unlink(missing_ok=True)
    if not installation.database_url:
        kept = kept_database(installation)
        if kept.is_running():
            kept.stop()
            print("  Database is down", flush=True)


def _end_group(pid: int) -> None:
    """End what a process left behind that it had begun: each was begun as the first of a group of its own."""
    with suppress(ProcessLookupError, PermissionError):
        os.killpg(pid, signal.SIGKILL)


def _living(pid_file: Path) -> int | None:
    """Give a pid file's process if it is alive and one that is begun here.

    A killed start may have left any number: somebody else's, who has this folder open, too.
    """
    try:
        pid = int(pid_file.read_text())
        words = Path(f"/proc/{pid}/cmdline").read_bytes()
        state = Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[0]
    except (OSError, ValueError):
        return None
    is_ours = b"drawstring.cli" in words or b"ops/kernels.py" in words
    return pid if is_ours and state != "Z" else None


def _run(command: list[str]) -> None:
    done = subprocess.run(command, cwd=HOME)
    if done.returncode:
        raise Trouble(f"“{' '.join(command[2:])}” did not succeed; its words are above.")


def _await_page(address: str, process: subprocess.Popen[bytes], log: Path) -> None:
    for _ in range(300):
        try:
            with urllib.request.urlopen(address + "alive", timeout=2):
                return
        except OSError:
            if process.poll() is not None:
                raise Trouble(f"The pages did not come up. Their last words are in {log}.") from None
            time.sleep(0.2)
    raise Trouble(f"The pages did not answer within a minute. Their last words are in {log}.")


if __name__ == "__main__":
    try:
        {"start": start, "stop": stop, "database": start_database}[sys.argv[1]](read_installation())
    except (Trouble, DrawstringError) as trouble:
        refuse(trouble)
