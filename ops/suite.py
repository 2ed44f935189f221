"""The whole suite in two processes side by side: what computes, and what serves. Run by `make test`.

They share no database: each starts a PostgreSQL of its own. The demo frames both look at are made once.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

HOME = Path(__file__).resolve().parents[1]

GROUPS = {
    "pages and store": [
        "tests/web", "tests/store", "tests/test_house.py", "tests/test_keeping.py", "tests/test_shell.py",
        "tests/test_shell_arrivals.py",
    ],
    "core and runs": [
        "tests/core", "src/drawstring/core", "src/drawstring/standins", "tests/standins", "tests/runs",
        "tests/test_sixth_knot.py", "tests/test_words.py",
    ],
}  # fmt: skip


def main() -> int:
    """Run both groups; give the exit code."""
    forgotten = _forgotten()
    if forgotten:
        print(f"These tests belong to no group of ops/suite.py: {', '.join(forgotten)}.")
        return 1
    began = time.monotonic()
    with tempfile.TemporaryDirectory(prefix="drawstring-suite-") as place:
        demo = os.path.join(place, "sources")
        made = subprocess.run(
            [sys.executable, "-c", "import conftest, sys; conftest.render_demo(sys.argv[1])", demo],
            cwd=HOME, env={**os.environ, "PYTHONPATH": "ops:tests"},
        )  # fmt: skip
        if made.returncode:
            return 1
        print(f"Demo frames made ({time.monotonic() - began:.0f} s)", flush=True)
        # Every process that a test starts would compile the house anew where bytecode is not to be written.
        environment = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
        environment |= {"DRAWSTRING_TEST_DEMO": demo, "PYTHONPYCACHEPREFIX": os.path.join(place, "bytecode")}
        running = {}
        for name, paths in GROUPS.items():
            log = open(os.path.join(place, f"{name}.log"), "w+b")
            command = [sys.executable, "-m", "pytest", "-p", "no:cacheprovider", *paths, *sys.argv[1:]]
            running[name] = (
                log,
                subprocess.Popen(command, cwd=HOME, env=environment, stdout=log, stderr=subprocess.STDOUT),
            )
        codes = []
        for name, (log, process) in running.items():
            codes.append(process.wait())
            log.seek(0)
            print(f"\n== {name} ==\n{log.read().decode(errors='replace')}", flush=True)
            log.close()
    print(f"The suite took {time.monotonic() - began:.0f} s.")
    return max(codes)


def _forgotten() -> list[str]:
    """Name the test files that no group holds: none may be left out unnoticed."""
    held = [HOME / path for paths in GROUPS.values() for path in paths]
    files = sorted((HOME / "tests").rglob("test_*.py"))
    return [
        str(path.relative_to(HOME)) for path in files if not any(path.is_relative_to(one) for one in held)
    ]


if __name__ == "__main__":
    sys.exit(main())
