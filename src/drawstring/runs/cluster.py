"""Where frames are computed: a Dask cluster on this machine, or any by its scheduler's address."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager

import dask
from distributed import Client, LocalCluster


@contextmanager
def cluster(*, scheduler: str = "", workers: int = 1) -> Iterator[Callable[[], Client]]:
    """Give a maker of clients; a local cluster ends with the block.

    Parameters
    ----------
    scheduler : str
        Address of a running scheduler, such as `tcp://10.0.0.5:8786`; empty: one of our own.
    workers : int
        Processes of our own cluster, one frame at a time each.
    """
    dask.config.set(
        {
            # A frame that has killed three workers is left out; the rest goes on.
            "distributed.scheduler.allowed-failures": 2,
            "distributed.worker.daemon": False,
            "distributed.comm.timeouts.connect": "10s",
            # Dask asks for memory to be given back at once, which for pictures means that every frame
            # pays again for the same pages; the workers keep it instead (glibc mallopt(3)).
            "distributed.nanny.pre-spawn-environ.MALLOC_TRIM_THRESHOLD_": 1 << 30,
            "distributed.nanny.pre-spawn-environ.MALLOC_MMAP_THRESHOLD_": 32 << 20,
        }
    )
    if scheduler:
        yield lambda: Client(scheduler, set_as_default=False)
        return
    with LocalCluster(
        n_workers=workers,
        threads_per_worker=1,
        processes=True,
        host="127.0.0.1",
        dashboard_address="127.0.0.1:0",
        silence_logs=40,
    ) as local:
        yield lambda: Client(local, set_as_default=False)
