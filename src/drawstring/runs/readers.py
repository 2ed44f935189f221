"""Decoding in other processes: a file that kills, stalls or bloats its decoder is refused.

A small pool of processes is kept. When one dies under a file, the file is tried once more in a process of its
own; if it dies again, it is the file. A process that works on one file for too long is ended by its own
clock, and its memory may grow by so much beyond what it has when it is warm: a header can promise anything.
"""

from __future__ import annotations

import os
import resource
import signal
import sys
import threading
from collections.abc import Callable, Sequence
from concurrent.futures import CancelledError, Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from contextlib import suppress
from functools import partial
from typing import Any, TypeVar

from drawstring.core.arrivals.adding_up import Recognised
from drawstring.core.arrivals.scan import Sampling, Told, recognise_sampled, recognise_unseen
from drawstring.core.arrivals.survey import Survey, faulty, survey
from drawstring.core.errors import DrawstringError, SourceError
from drawstring.core.io.pixels import use_threads
from drawstring.core.tiles.placing import lay_out
from drawstring.core.tiles.sets import RawSet
from drawstring.core.tiles.tile_set import TileSet
from drawstring.runs.forks import READING, warm_parent
from drawstring.runs.handing import clear_away, hand_over, taken

Answer = TypeVar("Answer")

_CHUNK = 1000
"""So many headers at most are asked for at once: with fewer, who reads would wait for who asks."""
HEADER_S = 5.0
"""For how long one header may be read."""
FRAMES_S = 60.0
"""For how long a few frames may be decoded."""
TILES_S = 600.0
"""For how long the seams of one picture in tiles may be looked at."""
_LETS_GO = sys.version_info >= (3, 11, 5)
"""Whether this Python stops writing to processes that are gone by itself."""

GROWTH_MB = 1536
"""By how much a process may grow while it decodes."""


def _quiet(doing: str, done: int, total: int) -> None:
    pass


class Readers:
    """A pool of processes that decode.

    Parameters
    ----------
    workers : int
        Processes; each decodes with one thread.
    growth_mb : int
        By how much a process may grow beyond what it holds when it is warm; 0 for without limit.
    """

    def __init__(self, workers: int, *, growth_mb: int = GROWTH_MB) -> None:
        self.workers, self.growth_mb = workers, growth_mb
        self._pool: ProcessPoolExecutor | None = None
        self._lock = threading.Lock()

    def warm(self) -> None:
        """Have the processes come up before anybody waits for one."""
        with suppress(BrokenProcessPool, RuntimeError):
            pool = self._get()
            for asked in [pool.submit(os.getpid) for _ in range(self.workers)]:
                asked.result()

    def read(
        self,
        path: str,
        task: Callable[..., Answer],
        *arguments: object,
        limit_s: float = FRAMES_S,
        growth_mb: int | None = None,
    ) -> Answer:
        """Carry out a task on one file in another process and give its answer.

        Parameters
        ----------
        limit_s : float
            For how long it may take.
        growth_mb : int, optional
            For a task of our own that needs more memory than a decoder does: it gets a process to itself.

        Raises
        ------
        SourceError
            The file kills its decoder, holds it up, needs too much memory, or the task refuses it.
        """
        if growth_mb is None:
            pool = self._get()
            try:
                return _asked(pool, path, limit_s, task, *arguments)
            except (BrokenProcessPool, CancelledError):
                self._drop(pool)
            except RuntimeError as error:
                # Another thread has dropped the pool between our asking for it and our using it.
                if "after shutdown" not in str(error):
                    raise
        own = self._make(1, self.growth_mb if growth_mb is None else growth_mb)
        try:
            return _asked(own, path, limit_s, task, *arguments)
        except BrokenProcessPool:
            raise killer(path) from None
        finally:
            own.shutdown(wait=False)

    def survey(self, paths: Sequence[str], told: Told = _quiet) -> Callable[[], Survey]:
        """Begin to read many headers at once; what is given waits for what they say.

        A file that kills who reads it becomes a fault. See `core.arrivals.survey`.
        """
        size = min(_CHUNK, max(20, len(paths) // (4 * self.workers)))
        chunks = [list(paths[i : i + size]) for i in range(0, len(paths), size)]
        pool = self._get()
        asked: list[tuple[list[str], Future[Survey] | None]] = []
        for chunk in chunks:
            try:
                asked.append((chunk, pool.submit(survey_watched, chunk)))
            except (BrokenProcessPool, RuntimeError):
                asked.append((chunk, None))
        return partial(self._surveyed, pool, asked, told)

    def _surveyed(
        self, pool: ProcessPoolExecutor, asked: list[tuple[list[str], Future[Survey] | None]], told: Told
    ) -> Survey:
        whole, done, total = Survey(), 0, sum(len(chunk) for chunk, _ in asked)
        for chunk, future in asked:
            try:
                if future is None:
                    raise BrokenProcessPool
                whole.add(future.result())
            except (BrokenProcessPool, CancelledError):
                self._drop(pool)
                self._survey_one_by_one(chunk, whole)
            done += len(chunk)
            told("reading headers", done, total)
        return whole

    def _survey_one_by_one(self, paths: Sequence[str], whole: Survey) -> None:
        """Read headers in a process of their own: whoever it dies under is the one."""
        own = self._make(1, self.growth_mb)
        for path in paths:
            try:
                whole.add(own.submit(survey_watched, [path]).result())
            except BrokenProcessPool:
                whole.files[path] = faulty(path, killer(path))
                own.shutdown(wait=False)
                own = self._make(1, self.growth_mb)
        own.shutdown(wait=False)

    def recognise(self, samplings: Sequence[Sampling], told: Told = _quiet) -> list[Recognised | None]:
        """Recognise passes of many sequences; where frames kill the decoder, by their names alone.

        None where not even that is possible, as when files went away meanwhile.
        """
        pool = self._get()
        asked: list[Future[Recognised] | None] = []
        for one in samplings:
            try:
                asked.append(pool.submit(guarded, one.paths[0], FRAMES_S, recognise_sampled, one))
            except (BrokenProcessPool, RuntimeError):
                asked.append(None)
        found: list[Recognised | None] = []
        for i, (one, future) in enumerate(zip(samplings, asked, strict=True), 1):
            try:
                if future is None:
                    raise BrokenProcessPool
                found.append(future.result())
            except DrawstringError:
                found.append(self._by_itself(one))
            except (BrokenProcessPool, CancelledError):
                self._drop(pool)
                found.append(self._by_itself(one))
            told("recognising passes", i, len(samplings))
        return found

    def _by_itself(self, one: Sampling) -> Recognised | None:
        try:
            return self.read(one.paths[0], recognise_sampled, one)
        except DrawstringError as refusal:
            try:
                unseen = self.read(one.paths[0], recognise_unseen, one)
            except DrawstringError:
                return None
            # Which of the sampled frames it was is found when all of them are counted.
            unseen.faults.setdefault(one.paths[0], refusal.what)
            return unseen

    def lay_out(self, raw: RawSet) -> TileSet:
        """Lay tiles out (see `core.tiles.placing`) in a process of its own: it holds the rims of all of them.

        Raises
        ------
        SourceError
            A tile kills its decoder.
        """
        return self.read(raw.paths[0], lay_out, raw, limit_s=TILES_S, growth_mb=2 * self.growth_mb)

    def close(self) -> None:
        """End the processes."""
        with self._lock:
            if self._pool:
                self._pool.shutdown(cancel_futures=True)
            self._pool = None

    def _get(self) -> ProcessPoolExecutor:
        with self._lock:
            if self._pool is None:
                self._pool = self._make(self.workers, self.growth_mb)
            return self._pool

    def _make(self, workers: int, growth_mb: int) -> ProcessPoolExecutor:
        clear_away()
        return ProcessPoolExecutor(
            workers, mp_context=warm_parent(READING), initializer=_begin, initargs=(os.getpid(), growth_mb)
        )

    def _drop(self, broken: ProcessPoolExecutor) -> None:
        with self._lock:
            if self._pool is broken:
                _end_broken(broken)
                self._pool = None


def _end_broken(pool: ProcessPoolExecutor) -> None:
    """End a pool of which a process died.

    Python before 3.11.5, as Debian 12 has it, goes on writing to processes that are gone, and then never ends
    itself (CPython's issue 94777): without a reader it can't. Later ones close it themselves, and it must not
    be closed twice: its number may be another file's by then.
    """
    queue = getattr(pool, "_call_queue", None)
    pool.shutdown(wait=False, cancel_futures=True)
    if queue is not None and not _LETS_GO:
        with suppress(OSError):
            queue._reader.close()


def _asked(
    pool: ProcessPoolExecutor, path: str, limit_s: float, task: Callable[..., Answer], *arguments: object
) -> Answer:
    """Have a task carried out, and take its answer."""
    handed = pool.submit(_handing, os.getpid(), path, limit_s, task, *arguments).result()
    try:
        answer: Answer = taken(handed)
    except FileNotFoundError:
        return pool.submit(guarded, path, limit_s, task, *arguments).result()
    return answer


def _handing(asker: int, path: str, limit_s: float, task: Callable[..., object], *arguments: object) -> Any:
    return hand_over(guarded(path, limit_s, task, *arguments), asker)


def guarded(path: str, limit_s: float, task: Callable[..., Answer], *arguments: object) -> Answer:
    """Carry out a task on a file so that whatever goes wrong is a refusal of that file.

    Raises
    ------
    SourceError
        The task did not succeed, for whatever reason; its own refusals pass as they are.
    """
    signal.setitimer(signal.ITIMER_REAL, limit_s)  # its signal is left as it is: it ends the process
    try:
        return task(*arguments)
    except DrawstringError:
        raise
    except MemoryError as error:
        raise _bloats(path) from error
    except Exception as error:
        # The libraries that decode raise whatever they like; all of it is about this file.
        raise _breaks(path, error) from error
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)


def survey_watched(paths: list[str]) -> Survey:
    """Read headers, each within its time; see `core.arrivals.survey`."""
    try:
        return survey(paths, begin=lambda path: signal.setitimer(signal.ITIMER_REAL, HEADER_S))
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)


def _begin(parent: int, growth_mb: int) -> None:
    use_threads(1)
    if growth_mb:
        _, most = resource.getrlimit(resource.RLIMIT_DATA)
        resource.setrlimit(resource.RLIMIT_DATA, (_held_bytes() + (growth_mb << 20), most))
    threading.Thread(target=_end_with, args=(parent,), daemon=True).start()


def _end_with(parent: int) -> None:
    """End this process when the one that uses it is gone, also when that was killed."""
    import time

    while True:
        time.sleep(2)
        try:
            os.kill(parent, 0)
        except ProcessLookupError:
            os._exit(0)


def _held_bytes() -> int:
    """Give what this process holds for data, as its limit counts it (proc(5), VmData)."""
    with open("/proc/self/status") as file:
        line = next(line for line in file if line.startswith("VmData:"))
    return int(line.split()[1]) << 10


def _bloats(path: str) -> SourceError:
    return SourceError(
        f"{os.path.basename(path)} takes more memory than one file may.",
        where=path,
        why="A broken header can promise anything, and would take all of the machine.",
        remedy="Check the file in the renderer. If it is truly this large, set DRAWSTRING_READER_MB higher.",
    )


def _breaks(path: str, error: Exception) -> SourceError:
    said = str(error)[:200] or "no reason given"
    return SourceError(
        f"{os.path.basename(path)} can't be read: {type(error).__name__}: {said}.",
        where=path,
        why="Packed as it is, the shot would carry a torn frame.",
        remedy="Render or copy this frame again and scan again; the other frames go on.",
    )


def killer(path: str) -> SourceError:
    """Make the refusal of a file that kills whatever decodes it."""
    return SourceError(
        f"{os.path.basename(path)} stops the decoder dead.",
        where=path,
        why="It is damaged in a way that can't be read around; the frame is left out.",
        remedy="Render or copy this frame again and scan again; the other frames go on.",
    )
