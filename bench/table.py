"""Run the benchmarks and print what they tell as a Markdown table, with the machine and the day.

Names of scripts may be given: `python bench/table.py run pages`. Without one, all are run that take minutes,
not hours.
"""

from __future__ import annotations

import os
import platform
import re
import subprocess
import sys
from datetime import date
from pathlib import Path

HERE = Path(__file__).parent
LONG = {"many", "million", "capacity"}
"""Run only when they are named."""

_LINE = re.compile(r"^(?P<what>.+?)\s+(?P<value>-?[\d.]+)\s+budget (?P<asked>.+)$")


def main() -> int:
    """Run them one after the other; give 1 when one of them failed."""
    every = sorted(path.stem.removeprefix("bench_") for path in HERE.glob("bench_*.py"))
    chosen = sys.argv[1:] or [name for name in every if name not in LONG]
    if odd := [name for name in chosen if name not in every]:
        print(f"There is no bench of {', '.join(odd)}. There are: {', '.join(every)}.", file=sys.stderr)
        return 2
    print(f"{date.today()}, {_machine()}\n\n| what | measured | asked |\n| --- | --- | --- |", flush=True)
    failed = []
    for name in chosen:
        told = subprocess.run(
            [sys.executable, str(HERE / f"bench_{name}.py")], capture_output=True, text=True, cwd=HERE.parent
        )
        for line in told.stdout.splitlines():
            if parts := _LINE.match(line):
                print(f"| {parts['what']} | {parts['value']} | {parts['asked']} |", flush=True)
            elif line.strip():
                print(f"| {line.strip()} | | |", flush=True)
        if told.returncode:
            failed.append(name)
            print(told.stderr[-2000:], file=sys.stderr)
    for name in failed:
        print(f"| bench_{name} | failed | - |")
    return 1 if failed else 0


def _machine() -> str:
    with open("/proc/cpuinfo") as file:
        names = [line.partition(":")[2].strip() for line in file if line.startswith("model name")]
    with open("/proc/meminfo") as file:
        memory = int(file.readline().split()[1]) / 2**20
    name = names[0] if names else platform.machine()
    return f"{name}, {os.cpu_count()} cores, {memory:.0f} GB, Python {platform.python_version()}"


if __name__ == "__main__":
    sys.exit(main())
