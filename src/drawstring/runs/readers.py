"""Decoding in other processes: a file that kills its decoder is refused, and everything else goes on.

A small pool of processes is kept. When one dies under a file, the pool is made anew and the file is
tried once more by itself; if it kills again, it is the file.
"""

from __future__ import annotations

import multiprocessing
import os
import threading
from collections.abc import Callable, Sequence
from concurrent.futures import CancelledError, Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from contextlib import suppress
from typing import TypeVar

from drawstring.core.arrivals.scan import Recognised, Sampling, Told, recognise_sampled, recognise_unseen
from drawstring.core.arrivals.survey import Survey, faulty, survey
from drawstring.core.errors import DrawstringError, SourceError
from drawstring.core.io.pixels import use_threads

Answer = TypeVar("Answer")

_CHUNK = 200


def _quiet(doing: str, done: int, total: int) -> None:
    pass


class Readers:
    """A pool of processes that decode.

    Parameters
    ----------
    workers : int
        Processes; each decodes with one thread.
    """

    def __init__(self, workers: int) -> None:
        self.workers = workers
        self._pool: ProcessPoolExecutor | None = None
        self._lock = threading.Lock()

    def read(self, path: str, task: Callable[..., Answer], *arguments: object) -> Answer:
        """Carry out a task on one file in another process and give its answer.

        Raises
        ------
        SourceError
            The file kills its decoder, or the task refuses it.
        """
        for _ in range(2):
            pool = self._get()
            try:
                return pool.submit(task, *arguments).result()
            except BrokenProcessPool:
                self._drop(pool)
        raise killer(path)

    def survey(self, paths: Sequence[str], told: Told = _quiet) -> Survey:
        """Read many headers at once (see `core.arrivals.survey`); a killer among them becomes a fault."""
        whole = Survey()
        chunks = [list(paths[i : i + _CHUNK]) for i in range(0, len(paths), _CHUNK)]
        pool = self._get()
        asked: list[tuple[list[str], Future[Survey] | None]] = []
        for chunk in chunks:
            try:
                asked.append((chunk, pool.submit(survey, chunk)))
            except BrokenProcessPool:
                asked.append((chunk, None))
        done = 0
        for chunk, future in asked:
            try:
                if future is None:
                    raise BrokenProcessPool
                whole.add(future.result())
            except (BrokenProcessPool, CancelledError):
                self._drop(pool)
                for path in chunk:
                    try:
                        whole.add(self.read(path, survey, [path]))
                    except SourceError as error:
                        whole.files[path] = faulty(path, error)
            done += len(chunk)
            told("reading headers", done, len(paths))
        return whole

    def recognise(self, samplings: Sequence[Sampling], told: Told = _quiet) -> list[Recognised | None]:
        """Recognise passes of many sequences; where frames kill the decoder, by their names alone.

        None where not even that is possible, as when files went away meanwhile.
        """
        pool = self._get()
        asked: list[Future[Recognised] | None] = []
        for one in samplings:
            try:
                asked.append(pool.submit(recognise_sampled, one))
            except BrokenProcessPool:
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
        for task in (recognise_sampled, recognise_unseen):
            with suppress(DrawstringError):
                return self.read(one.paths[0], task, one)
        return None

    def close(self) -> None:
        """End the processes."""
        with self._lock:
            if self._pool:
                self._pool.shutdown(cancel_futures=True)
            self._pool = None

    def _get(self) -> ProcessPoolExecutor:
        with self._lock:
            if self._pool is None:
                # Forking a process full of threads can lock up the child; a server of clean forks can't.
                context = multiprocessing.get_context("forkserver")
                context.set_forkserver_preload(["drawstring.runs.readers", "drawstring.runs.frame"])
                self._pool = ProcessPoolExecutor(
                    self.workers, mp_context=context, initializer=_begin, initargs=(os.getpid(),)
                )
            return self._pool

    def _drop(self, broken: ProcessPoolExecutor) -> None:
        with self._lock:
            if self._pool is broken:
                broken.shutdown(wait=False, cancel_futures=True)
                self._pool = None


def _begin(parent: int) -> None:
    use_threads(1)
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


def killer(path: str) -> SourceError:
    """Make the refusal of a file that kills whatever decodes it."""
    return SourceError(
        f"{os.path.basename(path)} stops the decoder dead.",
        where=path,
        why="It is damaged in a way that can't be read around; the frame is left out.",
        remedy="Render or copy this frame again and scan again; the other frames go on.",
    )
