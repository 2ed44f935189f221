"""Pictures handed from one process to another in shared memory: a pipe copies them four times.

Measured: four halves of HD at half size, 4 MB, take 15 ms of both processes together through a pipe, and 4 ms
so. What lies in shared memory lies there for a moment only: others on the machine have little of it.
"""

from __future__ import annotations

import errno
import os
import pickle
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from itertools import count
from pathlib import Path
from typing import Any

import numpy as np

FOLDER = Path("/dev/shm")
"""Where files are memory (Linux, tmpfs); elsewhere all goes through the pipe."""

WORTH_BYTES = 64 << 10
"""Arrays from this size on; smaller ones go with what else there is to say."""

LEFT_S = 60
"""What lies about for this long, with nobody left to take it, is taken away."""

_PREFIX = "drawstring-"
_numbers = count()


@dataclass(frozen=True)
class Handed:
    """An answer whose large arrays lie in a file of shared memory.

    Attributes
    ----------
    said : bytes
        The answer, pickled without them (PEP 574).
    path : str
    sizes : tuple of int
        In bytes, in their order.
    """

    said: bytes
    path: str
    sizes: tuple[int, ...]


def hand_over(answer: Any, taker: int) -> Any:
    """Lay an answer's large arrays into shared memory, if there is room.

    Parameters
    ----------
    answer : object
    taker : int
        The process that will take it: what it leaves is taken away when it is gone.

    Returns
    -------
    Handed, or the answer itself
        Itself where nothing of it is large, or memory can't be shared.
    """
    large: list[memoryview] = []

    def is_small(buffer: pickle.PickleBuffer) -> bool:
        with suppress(BufferError):
            if (raw := buffer.raw()).nbytes >= WORTH_BYTES:
                large.append(raw)
                return False
        return True

    said = pickle.dumps(answer, protocol=5, buffer_callback=is_small)
    if not large:
        return answer
    path = str(FOLDER / f"{_PREFIX}{taker}-{os.getpid()}-{next(_numbers)}")
    try:
        with _made(path) as file:
            # Without room, writing to a page that was promised ends a process; asking first only fails.
            os.posix_fallocate(file, 0, sum(raw.nbytes for raw in large))
            with open(file, "wb", closefd=False) as writing:
                for raw in large:
                    writing.write(raw)
    except OSError:
        return answer
    return Handed(said, path, tuple(raw.nbytes for raw in large))


@contextmanager
def _made(path: str) -> Iterator[int]:
    """Give a new file that nobody else may read; it is gone if anything fails."""
    file = os.open(path, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o600)
    try:
        yield file
    except BaseException:
        os.unlink(path)
        raise
    finally:
        os.close(file)


def taken(answer: Any) -> Any:
    """Give an answer as it was before it was handed over; shared memory is free again.

    Raises
    ------
    FileNotFoundError
        Somebody else has taken it away, or cut it: systems clear shared memory when their user logs out.
    """
    if not isinstance(answer, Handed):
        return answer
    arrays = [np.empty(size, np.uint8) for size in answer.sizes]
    with open(answer.path, "rb") as file:
        os.unlink(answer.path)
        for each in arrays:
            if file.readinto(each.data) != each.size:
                raise FileNotFoundError(errno.ENOENT, "cut short", answer.path)
    return pickle.loads(answer.said, buffers=arrays)


def clear_away() -> None:
    """Take away what nobody will take: its maker or its taker ended in between."""
    for path in FOLDER.glob(f"{_PREFIX}*-*-*"):
        with suppress(OSError, ValueError):
            taker, maker, _ = map(int, path.name.removeprefix(_PREFIX).split("-"))
            is_old = time.time() - path.stat().st_mtime > LEFT_S
            if is_old and not (_is_there(taker) and _is_there(maker)):
                path.unlink()


def _is_there(process: int) -> bool:
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        return True
    return True
