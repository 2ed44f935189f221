"""Where frames are computed: a Dask cluster on this machine, or any by its scheduler's address.

Whoever reaches a scheduler can have its workers run anything. Our own cluster therefore talks TLS only, with
credentials made for it and kept in memory, so that other accounts of the machine can't join; one
elsewhere is reached by certificates that the installation names.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass

import dask
from distributed import Client, LocalCluster
from distributed.security import Security
from distributed.utils import get_mp_context

from drawstring.runs.forks import METHOD, warm_parent


@dataclass(frozen=True)
class Certificates:
    """By what a scheduler elsewhere and this house know each other: paths of PEM files."""

    authority: str
    certificate: str
    key: str


@contextmanager
def cluster(
    *, scheduler: str = "", workers: int = 1, certificates: Certificates | None = None
) -> Iterator[Callable[[], Client]]:
    """Give a maker of clients; a local cluster ends with the block.

    Parameters
    ----------
    scheduler : str
        Address of a running scheduler, such as `tls://10.0.0.5:8786`; empty: one of our own.
    workers : int
        Processes of our own cluster, one frame at a time each.
    certificates : Certificates, optional
        For a scheduler that talks TLS.
    """
    dask.config.set(
        {
            # A frame that has killed three workers is left out; the rest goes on.
            "distributed.scheduler.allowed-failures": 2,
            "distributed.worker.daemon": False,
            "distributed.comm.timeouts.connect": "10s",
            # Nothing of the house needs the status pages of scheduler and workers; none are served.
            "distributed.scheduler.http.routes": [],
            "distributed.worker.http.routes": [],
            "distributed.worker.multiprocessing-method": METHOD,
            # Nobody reads what they note of themselves, a hundred times a second, also while they rest.
            "distributed.worker.profile.enabled": False,
            "distributed.admin.tick.interval": "1s",
            "distributed.admin.system-monitor.interval": "5s",
            "distributed.admin.system-monitor.gil.enabled": False,
        }
    )
    get_mp_context()  # loads what Dask would have loaded beforehand; ours is asked for after it
    warm_parent()
    if scheduler:
        security = _known_by(certificates) if certificates else None
        yield lambda: _connect(scheduler, security)
        return
    own = OwnWorkers(workers)
    try:
        yield own
    finally:
        own.close()


def _known_by(certificates: Certificates) -> Security:
    return Security(
        require_encryption=True,
        tls_ca_file=certificates.authority,
        tls_client_cert=certificates.certificate,
        tls_client_key=certificates.key,
    )


def _connect(scheduler: str | LocalCluster, security: Security | None = None) -> Client:
    try:
        return Client(scheduler, set_as_default=False, security=security)
    except AssertionError as error:
        # What it tells all clients in that very moment comes with its greeting; Dask takes it for a fault.
        raise RuntimeError("the scheduler told more than its greeting") from error
    except ImportError as error:
        raise RuntimeError(f"the scheduler has other versions of what both need: {error}") from error


class OwnWorkers:
    """A cluster of processes on this machine, called for a client, and made anew when workers stay away.

    A worker that dies is followed by another one; but one that dies while it starts is given up by Dask, and
    a machine where that happened twice would wait for ever.

    Parameters
    ----------
    workers : int
    patience_s : float
        For how long workers may be missing.
    """

    def __init__(self, workers: int, *, patience_s: float = 15.0) -> None:
        self._workers, self._patience_s = workers, patience_s
        self._short_since: float | None = None
        self._local: LocalCluster | None = self._begin()

    def __call__(self) -> Client:
        """Make a client; of a new cluster where the old one is gone.

        Raises
        ------
        RuntimeError
            No worker comes up just now, or the scheduler can't be talked to.
        """
        if self._local is None:
            self._local = self._begin()
        return _connect(self._local)

    def look_after(self) -> None:
        """Make the cluster anew where workers have been missing for too long.

        Raises
        ------
        RuntimeError
            It was ended: clients of it are of no use any more, and the next one gets a new cluster.
        """
        if self.up() >= self._workers:
            self._short_since = None
            return
        if self._short_since is None:
            self._short_since = time.monotonic()
        if time.monotonic() - self._short_since < self._patience_s:
            return
        self.close()
        self._short_since = None
        raise RuntimeError("workers stayed away; new ones are called for")

    def up(self) -> int:
        """Count the workers that have started and can be given frames."""
        scheduler = self._local.scheduler if self._local is not None else None
        return len(scheduler.workers) if scheduler is not None else 0

    def close(self) -> None:
        """End the cluster."""
        if self._local is not None:
            with suppress(OSError, RuntimeError, TimeoutError):
                self._local.close(timeout=10)
        self._local = None

    def _begin(self) -> LocalCluster:
        return LocalCluster(
            n_workers=self._workers,
            threads_per_worker=1,
            processes=True,
            host="127.0.0.1",
            security=Security.temporary(),
            dashboard_address="127.0.0.1:0",
            silence_logs=40,
        )
