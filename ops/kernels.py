"""Have the compiled loops ready before somebody waits for them, or note which ones are needed.

Usage: python ops/kernels.py compile     compiles what `kernels.txt` lists and is not kept yet, by all cores
       python ops/kernels.py record      lists what is kept just now: after the suite, all that anybody calls
"""

from __future__ import annotations

import hashlib
import importlib
import os
import pickle
import sys
import time
from collections import defaultdict
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from contextlib import suppress
from importlib.metadata import version
from pathlib import Path
from typing import Any

LIST = Path(__file__).with_name("kernels.txt")
SOURCES = Path(__file__).resolve().parents[1] / "src"
READY = SOURCES / "drawstring" / "core" / "__pycache__" / "kernels-ready"
"""What the last look at all of them found."""


def listed() -> dict[str, list[tuple[str, str]]]:
    """Give the name and the types of each kernel in the list, by module."""
    kernels = defaultdict(list)
    for line in LIST.read_text().splitlines():
        module, name, types = line.split(" ", 2)
        kernels[module].append((name, types))
    return kernels


def compile_all() -> None:
    """Compile what is listed; what can't be is told, and compiled when it is called."""
    if READY.exists() and READY.read_text() == _state():
        return
    began = time.monotonic()
    modules = list(listed().items())
    with ProcessPoolExecutor(os.cpu_count()) as processes:
        made = sum(processes.map(_compile, *zip(*modules, strict=True)))
    if made:
        print(f"  {made} compiled loops are ready ({time.monotonic() - began:.0f} s)", flush=True)
    with suppress(OSError):  # it is looked at again next time
        READY.parent.mkdir(exist_ok=True)
        unfinished = READY.with_suffix(f".{os.getpid()}")
        unfinished.write_text(_state())
        unfinished.replace(READY)


def _state() -> str:
    """Tell what is compiled from, and what is kept: to look whether all is there takes seconds of work.

    Machine code is a processor's own: numba makes it anew for another one.
    """
    with open("/proc/cpuinfo") as file:
        processor = {line for line in file if line.startswith(("model name", "flags", "Features"))}
    files = [*SOURCES.rglob("*.py"), *SOURCES.rglob("__pycache__/*.nbc"), LIST]
    said = [
        f"{file} {file.stat().st_size} {file.stat().st_mtime_ns}" for file in sorted(files) if file.exists()
    ]
    return hashlib.sha256(repr((version("numba"), sorted(processor), said)).encode()).hexdigest()


def _compile(module: str, kernels: list[tuple[str, str]]) -> int:
    from numba.core.sigutils import normalize_signature

    made = 0
    for name, types in kernels:
        try:
            dispatcher = getattr(importlib.import_module(module), name).dispatcher
            before = sum(dispatcher.stats.cache_misses.values())
            dispatcher.compile(normalize_signature(types)[0])  # as a text, it would be kept under the text
        except Exception as error:
            print(f"  {module}.{name} is compiled when it is called: {error}", file=sys.stderr, flush=True)
            continue
        made += sum(dispatcher.stats.cache_misses.values()) - before
    return made


def record() -> None:
    """List the kernels that are kept beside their sources."""
    lines = set()
    for file in SOURCES.rglob("__pycache__/*.nbc"):
        key, _ = pickle.loads(file.read_bytes())
        package = ".".join(file.parent.parent.relative_to(SOURCES).parts)
        stem, name = file.name.split(".")[:2]
        types = list(_spelled(key[0]))
        if None not in types:
            lines.add(f"{package}.{stem} {name} ({', '.join(map(str, types))},)\n")
    # What renders the demo first: somebody waits for it.
    LIST.write_text("".join(sorted(lines, key=lambda line: ("standins" not in line, line))))
    print(f"{len(lines)} kernels are listed in {LIST.name}")


def _spelled(types: Any) -> Iterator[str | None]:
    """Give types as numba reads them in a signature; None for those that only kernels tell each other."""
    from numba import types as known

    for kind in types:
        if isinstance(kind, known.Array):
            mode = "" if kind.mutable else ", readonly=True"
            yield f'Array({next(_spelled([kind.dtype]))}, {kind.ndim}, "{kind.layout}"{mode})'
        elif isinstance(kind, known.BaseTuple):
            yield f"Tuple(({', '.join(str(part) for part in _spelled(kind.types))},))"
        elif isinstance(kind, known.Boolean):
            yield "boolean"
        else:
            yield (
                str(kind) if isinstance(kind, known.Number) and not isinstance(kind, known.Literal) else None
            )


if __name__ == "__main__":
    {"compile": compile_all, "record": record}[sys.argv[1]]()
