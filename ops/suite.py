"""The code looked over, and the whole suite in three processes: what serves, what runs, what computes.

Run by `make test`.

They share no database: each starts a PostgreSQL of its own, and has a copy of the demo frames, made once.
Runs and pages wait for other processes, or for a clock, a fifth of their time: what only computes fills it.
A test that hangs fails by itself after a while; a group that hangs for good is made to say where, then ended.
"""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from house import stand_back

HOME = Path(__file__).resolve().parents[1]

TEST_LIMIT_S, GROUP_LIMIT_S, LAST_WORDS_S = 400, 2700, 20
"""For a test, for a group, and for telling where a hanging group stands."""

GROUPS = {
    "pages": [
        "tests/web", "tests/store", "tests/test_shell_arrivals.py", "tests/test_keeping.py",
        "tests/test_house.py",
    ],
    "runs": ["tests/runs", "tests/test_shell.py", "tests/test_sixth_knot.py", "tests/test_words.py"],
    "core": ["tests/core", "src/drawstring/core", "src/drawstring/standins", "tests/standins"],
}  # fmt: skip

STANDS_BACK = {"core": 10}
"""How far a group stands back, as `nice(1)` counts: what only computes takes what the others leave."""


def main() -> int:
    """Run all groups; give the exit code."""
    forgotten = _forgotten()
    if forgotten:
        print(f"These tests belong to no group of ops/suite.py: {', '.join(forgotten)}.")
        return 1
    began = time.monotonic()
    with tempfile.TemporaryDirectory(prefix="drawstring-suite-") as place:
        demo = os.path.join(place, "sources")
        looked = os.path.join(place, "lint.log")
        with open(looked, "wb") as log:
            lint = subprocess.Popen(
                ["make", "--no-print-directory", "lint"], cwd=HOME, stdout=log, stderr=subprocess.STDOUT
            )
        # All groups, and whatever they start, would compile the same loops each for itself.
        subprocess.run([sys.executable, "ops/kernels.py", "compile"], cwd=HOME)
        made = subprocess.run(
            [sys.executable, "-c", "import conftest, sys; conftest.render_demo(sys.argv[1])", demo],
            cwd=HOME, env={**os.environ, "PYTHONPATH": "ops:tests"},
        )  # fmt: skip
        if made.returncode or lint.poll():
            lint.wait()
            print(Path(looked).read_text(), flush=True)
            return 1
        print(f"Demo frames made ({time.monotonic() - began:.0f} s)", flush=True)
        # Bytecode that a test's processes would make anew is kept; what is installed has its own already.
        environment = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
        # Small systems of equations keep a second thread waiting, which takes a core from the other group.
        environment |= {"OPENBLAS_NUM_THREADS": "1", "OMP_NUM_THREADS": "1"}
        running = {}
        for name, paths in GROUPS.items():
            log = open(os.path.join(place, f"{name}.log"), "w+b")
            # A test may take a frame away for a while: never under another group's eyes.
            own = shutil.copytree(demo, os.path.join(place, name, "sources"))
            command = [
                "nice", "-n", str(STANDS_BACK.get(name, 0)), sys.executable, "-m", "pytest",
                "-p", "no:cacheprovider", f"--timeout={TEST_LIMIT_S}", *paths, *sys.argv[1:],
            ]  # fmt: skip
            process = subprocess.Popen(
                command, cwd=HOME, env=environment | {"DRAWSTRING_TEST_DEMO": own},
                stdout=log, stderr=subprocess.STDOUT, start_new_session=True,
            )  # fmt: skip
            stand_back(process.pid, STANDS_BACK.get(name, 0))
            running[name] = log, process
        codes = []
        for name, (log, process) in running.items():
            codes.append(_ended(process, GROUP_LIMIT_S - (time.monotonic() - began)))
            log.seek(0)
            print(f"\n== {name} ==\n{log.read().decode(errors='replace')}", flush=True)
            log.close()
        codes.append(lint.wait())
        print(f"\n== The code looked over ==\n{Path(looked).read_text()}", flush=True)
    print(f"The suite took {time.monotonic() - began:.0f} s.")
    return max(codes)


def _ended(process: subprocess.Popen[bytes], seconds: float) -> int:
    """Wait for a group; one that takes too long writes where each of its threads stands, then goes."""
    try:
        return process.wait(max(seconds, 1))
    except subprocess.TimeoutExpired:
        process.send_signal(signal.SIGABRT)  # pytest's fault handler answers with every thread's calls
    try:
        process.wait(LAST_WORDS_S)
    except subprocess.TimeoutExpired:
        pass
    try:
        os.killpg(process.pid, signal.SIGKILL)
    except ProcessLookupError:
        pass
    process.wait()
    return 1


def _forgotten() -> list[str]:
    """Name the test files that no group holds: none may be left out unnoticed."""
    held = [HOME / path for paths in GROUPS.values() for path in paths]
    files = sorted((HOME / "tests").rglob("test_*.py"))
    return [
        str(path.relative_to(HOME)) for path in files if not any(path.is_relative_to(one) for one in held)
    ]


if __name__ == "__main__":
    sys.exit(main())
