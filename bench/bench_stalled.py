"""Pages while a hundred connections stall: silent, within a head, within a body, dripping byte by byte."""

from __future__ import annotations

import socket
import statistics
import tempfile
import threading
import time
from dataclasses import replace
from pathlib import Path

import httpx
from floor import tell
from serving import served
from sqlalchemy.orm import sessionmaker

from drawstring.installation import Installation
from drawstring.local_postgres import free_port
from drawstring.store import shows
from drawstring.store.database import connect
from drawstring.web.serve import make_server

STALLED = 100
HEAD = b"POST /inbox/files HTTP/1.1\r\nHost: 127.0.0.1\r\n"


def main() -> None:
    with served([Path(tempfile.mkdtemp())]) as (app, url):
        with sessionmaker(connect(url)).begin() as session:
            shows.make_show(session, "Bench")
        port = free_port()
        server = make_server(app, replace(Installation(), port=port))
        threading.Thread(target=server.run, daemon=True).start()
        page = f"http://127.0.0.1:{port}/?show=Bench"
        with httpx.Client() as client:
            status = client.get(page, follow_redirects=True).status_code
            assert status == 200, status
            _time("nobody stalls", client, page)
            kinds = {
                "silent": b"",
                "within a head": HEAD,
                "within a body": HEAD + b"Content-Length: 50000000\r\n\r\nabc",
                "dripping": HEAD,
            }
            for name, begun in kinds.items():
                stalled = [socket.create_connection(("127.0.0.1", port)) for _ in range(STALLED)]
                for one in stalled:
                    one.sendall(begun)
                ended = threading.Event()
                if name == "dripping":
                    threading.Thread(target=_drip, args=(stalled, ended), daemon=True).start()
                time.sleep(0.5)
                _time(name, client, page)
                ended.set()
                for one in stalled:
                    one.close()


def _drip(stalled: list[socket.socket], ended: threading.Event) -> None:
    while not ended.wait(0.2):
        for one in stalled:
            try:
                one.sendall(b"X")
            except OSError:
                continue


def _time(name: str, client: httpx.Client, page: str) -> None:
    taken = []
    for _ in range(40):
        began = time.perf_counter()
        assert client.get(page, follow_redirects=True).status_code == 200
        taken.append((time.perf_counter() - began) * 1000)
    worst = sorted(taken)[37]
    tell(f"board with {STALLED} connections {name}, median ms", statistics.median(taken), "200 ms")
    tell(f"board with {STALLED} connections {name}, 95 % ms", worst, "200 ms")


if __name__ == "__main__":
    main()
