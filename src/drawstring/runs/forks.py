"""A warm parent for processes that compute: forked in a moment with everything loaded, not in seconds.

Forking a process full of threads can lock up the child; a server of clean forks, which has loaded the house's
computation and does nothing else, can't (Python's `multiprocessing`, start method "forkserver"). Where a
process has loaded most of it already and has no thread beside its own, the server is a copy of it.
"""

from __future__ import annotations

import ctypes
import multiprocessing
import os
import signal
import sys
import threading
from collections.abc import Sequence
from contextlib import suppress
from multiprocessing import forkserver, resource_tracker, util
from multiprocessing.context import BaseContext
from typing import Any, NoReturn

from drawstring.core.loaded import keep_loaded

METHOD = "forkserver"

READING = (
    "drawstring.runs.readers", "drawstring.runs.frame", "drawstring.runs.warm", "scipy.linalg",
    "scipy.optimize", "scipy.interpolate",
)  # fmt: skip
"""What processes that read files need, with what is otherwise loaded late."""

WORKING = ("distributed", "distributed.nanny", *READING, "drawstring.runs.measuring")
"""What workers need."""

ONE_THREAD = {"OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1"}
"""Every process has one frame at a time: the cores are shared out by frames, not within one."""

_TRIM, _MMAP = 1 << 30, 32 << 20
"""Memory asked back at once means that every frame pays again for the same pages (glibc, mallopt(3))."""

_M_TRIM, _M_MMAP, _M_ARENAS = -1, -3, -8
"""As `malloc.h` numbers them."""

ALONE = {**ONE_THREAD, "MALLOC_TRIM_THRESHOLD_": str(_TRIM), "MALLOC_MMAP_THRESHOLD_": str(_MMAP)}
"""The environment of what computes: it counts when a process begins, and not for one that runs."""

_BEGAN_WITH = dict(os.environ)


def warm_parent(loaded: Sequence[str] = WORKING) -> BaseContext:
    """Give the context that forks from the warm parent; it is started with the first process.

    Parameters
    ----------
    loaded : sequence of str
        The modules that it loads; once it is started, it loads no more.
    """
    for name, value in ALONE.items():
        os.environ.setdefault(name, value)
    context = multiprocessing.get_context(METHOD)
    context.set_forkserver_preload(list(loaded))
    return context


def begin_alone() -> None:
    """Begin this process anew where its libraries would begin with several threads each; called first."""
    if ONE_THREAD.keys() - os.environ.keys():
        environment = {**ONE_THREAD, **os.environ}
        os.execve(sys.executable, [sys.executable, *sys.orig_argv[1:]], environment)


def start_warm_parent(loaded: Sequence[str] = WORKING) -> None:
    """Start the warm parent now, as a copy of this process where that can be; else it loads all anew.

    Parameters
    ----------
    loaded : sequence of str
        See `warm_parent`; what this process has loaded is there already.
    """
    warm_parent(loaded)
    # A process of its own: it must not be a copy.
    resource_tracker.ensure_running()
    started = util.spawnv_passfds

    def copy(path: bytes, args: Any, passfds: Sequence[int]) -> int:
        if len(passfds) != 2:  # later Pythons hand down more
            return int(started(path, args, passfds))
        keep_loaded()  # what both have stays shared
        number = os.fork()
        if not number:
            _serve(passfds[0], passfds[1], list(loaded))
        return number

    if not _can_be_copied():
        forkserver.ensure_running()
        return
    util.spawnv_passfds = copy
    try:
        forkserver.ensure_running()
    finally:
        util.spawnv_passfds = started


def keep_memory(trim: int, arenas: int = 0) -> None:
    """Have this process keep what it gives back of its memory, as it will want as much in a moment.

    Does nothing where the C library is another one than glibc.

    Parameters
    ----------
    trim : int
        How much it may keep at the end of a heap, in bytes.
    arenas : int
        How many heaps its threads share, if it is called while there is one thread; 0 for as many as the
        library likes.
    """
    with suppress(OSError, AttributeError):
        library = ctypes.CDLL("libc.so.6")
        for setting, value in ((_M_TRIM, trim), (_M_MMAP, _MMAP), (_M_ARENAS, arenas)):
            if value:
                library.mallopt(setting, value)


def is_single() -> bool:
    """Whether this process has one thread, those of libraries counted: else a copy of it may lock up."""
    return threading.active_count() == 1 and len(os.listdir("/proc/self/task")) == 1


def _can_be_copied() -> bool:
    """Whether this process has one thread, and its libraries began with one each."""
    return is_single() and not ONE_THREAD.keys() - _BEGAN_WITH.keys() and sys.version_info < (3, 14)


def _serve(listener: int, alive: int, loaded: list[str]) -> NoReturn:
    """Be the server of forks, and nothing else of what this is a copy of."""
    try:
        for number in (signal.SIGTERM, signal.SIGINT):
            signal.signal(number, signal.SIG_DFL)
        for first, last in ((3, min(listener, alive)), (min(listener, alive) + 1, max(listener, alive))):
            os.closerange(first, last)
        os.closerange(max(listener, alive) + 1, os.sysconf("SC_OPEN_MAX"))
        keep_memory(_TRIM)
        # They belong to the process that this was: its lock is held just now.
        forkserver._forkserver._lock = threading.Lock()  # type: ignore[attr-defined]
        tracker = resource_tracker._resource_tracker
        tracker._fd = tracker._pid = None  # type: ignore[attr-defined]
        forkserver.main(listener, alive, loaded)
    finally:
        os._exit(0)
