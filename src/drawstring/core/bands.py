"""Rows of a picture shared out among threads, for kernels that run without Python's lock."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

ROWS = 24
"""In a band: enough to be worth a call, few enough that threads end together."""


def in_bands(task: Callable[[int, int], object], rows: int, threads: int, *, size: int = ROWS) -> None:
    """Call a task with the first row and one past the last of every band; return when all are done."""
    if threads <= 1:
        task(0, rows)
        return
    # Four bands to a thread at most: handing one out takes as long as some rows.
    size = max(size, -(-rows // (4 * threads)))
    with ThreadPoolExecutor(threads) as pool:
        for done in [pool.submit(task, first, min(first + size, rows)) for first in range(0, rows, size)]:
            done.result()
