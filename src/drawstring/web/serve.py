"""The pages' process: requests are read by one thread, and only whole ones are handed to those that answer.

So a browser that stalls in the middle of a request holds up nobody, however many of it there are. Run as
`python -m drawstring.web.serve`.
"""

from __future__ import annotations

import gc
import logging
import signal
import sys
import threading
import time
from io import BytesIO
from types import FrameType
from typing import Any

from waitress.adjustments import Adjustments
from waitress.buffers import ReadOnlyFileBasedBuffer
from waitress.channel import HTTPChannel
from waitress.server import TcpWSGIServer

from drawstring.cli.standing_by import stand_by
from drawstring.installation import Installation, read_installation
from drawstring.runs.forks import READING, keep_memory, start_warm_parent

THREADS = 12
HEADER_S = 20.0
"""For how long a request's head may take to come, however busily it drips."""
IDLE_S = 60
"""For how long a connection may say nothing: between requests, and within one."""
LARGEST_BODY = 72 << 20
"""Of one request; files that are handed in come in pieces of up to 64 MB."""
LARGEST_HEAD = 64 << 10
CONNECTIONS = 2000
LENT_BYTES = range(1 << 18, 10 << 20)
"""Bodies of these sizes are sent from where they lie; larger ones wait in a file for a slow browser."""
SENT_BYTES = 1 << 19
"""At a time: what the system does not take at once would be copied again for the next."""
KEPT_BYTES, HEAPS = 128 << 20, 2
"""Of memory: a picture's is kept for the next one, which would pay for it anew; few heaps, so that little
of it lies idle.

Measured with 24 pictures of HD at half size that are seen first, four asked for at a time: 14-16 ms of this
process to each instead of 20-22, and 343 MB held at the end instead of 413.
"""


class Connection(HTTPChannel):
    """A browser's connection, which knows since when a request is on its way."""

    begun = 0.0
    sendbuf_len: int

    def __init__(self, *arguments: Any, **named: Any) -> None:
        super().__init__(*arguments, **named)
        self.sendbuf_len = min(self.sendbuf_len, SENT_BYTES)

    def write_soon(self, data: Any) -> int:
        """Send a part of an answer: a picture without copying it first."""
        if isinstance(data, bytes) and len(data) in LENT_BYTES:
            lent = ReadOnlyFileBasedBuffer(BytesIO(data))
            lent.prepare()
            data = lent
        return int(super().write_soon(data))

    def received(self, data: bytes) -> bool:
        """Take what came."""
        if self.request is None:
            self.begun = time.time()
        return bool(super().received(data))

    def drips(self, now: float) -> bool:
        """Whether its request's head has been on its way for too long."""
        request = self.request
        return request is not None and not request.headers_finished and now - self.begun > HEADER_S


class PageServer(TcpWSGIServer):
    """A server that ends connections which hold it up."""

    channel_class = Connection

    def maintenance(self, now: float) -> None:
        """End connections that have been idle, or on their way with a head, for too long."""
        super().maintenance(now)
        for connection in list(self.active_channels.values()):
            if connection.drips(now):
                connection.will_close = True


def make_server(application: Any, installation: Installation) -> PageServer:
    """Make the server of an application; it listens when this returns."""
    adjustments = Adjustments(
        host=installation.host,
        port=installation.port,
        threads=THREADS,
        connection_limit=CONNECTIONS,
        channel_timeout=IDLE_S,
        cleanup_interval=2,
        asyncore_use_poll=True,
        max_request_header_size=LARGEST_HEAD,
        max_request_body_size=LARGEST_BODY,
        backlog=1024,
        clear_untrusted_proxy_headers=True,
        ident=None,
        recv_bytes=1 << 16,
        outbuf_overflow=LENT_BYTES.stop,
    )
    return PageServer(application, adj=adjustments, sockinfo=adjustments.listen[0])


def main() -> None:
    """Serve the installation's pages until told to stop."""
    logging.basicConfig(level=logging.WARNING)
    logging.getLogger("waitress.queue").setLevel(logging.ERROR)  # a page asks for twenty pictures at once
    installation = read_installation()
    gc.disable()  # all that is loaded now stays: nothing in it is garbage
    from drawstring.web.app import create_served_app

    # While there is no other thread.
    start_warm_parent(READING)
    keep_memory(KEPT_BYTES, HEAPS)
    stand_by(installation)
    application = create_served_app(installation)
    gc.enable()
    server = make_server(application, installation)
    # Whoever opens the first picture should not wait for readers to come up.
    warming = application.extensions["house"].readers.warm
    threading.Thread(target=warming, name="warming", daemon=True).start()

    def stop(number: int, frame: FrameType | None) -> None:
        sys.exit(0)

    signal.signal(signal.SIGTERM, stop)
    signal.signal(signal.SIGINT, stop)
    server.run()


if __name__ == "__main__":
    main()
