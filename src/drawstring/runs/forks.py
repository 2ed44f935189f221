"""A warm parent for processes that compute: forked in a moment with everything loaded, not in seconds.

Forking a process full of threads can lock up the child; a server of clean forks, which has loaded the house's
computation and does nothing else, can't (Python's `multiprocessing`, start method "forkserver").
"""

from __future__ import annotations

import multiprocessing
import os
from collections.abc import Sequence
from multiprocessing.context import BaseContext

METHOD = "forkserver"

READING = (
    "drawstring.runs.readers", "drawstring.runs.frame", "scipy.linalg", "scipy.optimize", "scipy.interpolate",
)  # fmt: skip
"""What processes that read files need, with what is otherwise loaded late."""

WORKING = ("distributed", "distributed.nanny", *READING, "drawstring.runs.measuring")
"""What workers need."""

_ALONE = {
    # Every process has one frame at a time: the cores are shared out by frames, not within one.
    "OMP_NUM_THREADS": "1",
    "OPENBLAS_NUM_THREADS": "1",
    # Memory asked back at once means that every frame pays again for the same pages (glibc, mallopt(3)).
    "MALLOC_TRIM_THRESHOLD_": str(1 << 30),
    "MALLOC_MMAP_THRESHOLD_": str(32 << 20),
}


def warm_parent(loaded: Sequence[str] = WORKING) -> BaseContext:
    """Give the context that forks from the warm parent; it is started with the first process.

    Parameters
    ----------
    loaded : sequence of str
        The modules that it loads; once it is started, it loads no more.
    """
    for name, value in _ALONE.items():
        os.environ.setdefault(name, value)
    context = multiprocessing.get_context(METHOD)
    context.set_forkserver_preload(list(loaded))
    return context
