"""Alpha on the bench: an HD buoy on white ground, its well at half size, and things picked by click."""

from __future__ import annotations

import shutil
import statistics
import tempfile
import time
from pathlib import Path

from flask.testing import FlaskClient
from floor import tell
from serving import served
from sqlalchemy.orm import sessionmaker

from drawstring.core.arrivals import scan
from drawstring.standins.tidewrack import SHOTS, render_show
from drawstring.store import deliveries, recipes, shows
from drawstring.store.database import connect

FRAME = 1002


def main() -> None:
    folder = Path(tempfile.mkdtemp(prefix="drawstring-alpha-"))
    white = tuple(shot for shot in SHOTS if shot.code == "TW030")
    for _ in render_show(str(folder), shots=white, width=1920, height=1080, frames=2):
        pass
    try:
        with served([folder]) as (app, url):
            (found,) = scan(str(folder), roots=[str(folder)]).candidates
            with sessionmaker(connect(url)).begin() as session:
                shot = shows.make_shot(session, shows.make_show(session, "Bench"), "TW030")
                deliveries.accept(session, shot, found)
                for name, value in white[0].settled:
                    recipes.set_values(session, shot, {name: value})
                number = shot.id
            timings(app.test_client(), number)
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def timings(client: FlaskClient, number: int) -> None:
    base = f"/shots/{number}/frames/{FRAME}/pixels"
    for name, tried in (
        ("over_ground", lambda i: f"alpha.over={'white' if i % 2 else 'grey'}"),
        ("matte_chain", lambda i: f"alpha.mattes.1.grow={i / 10}"),
        ("shadow_multiply", lambda i: f"alpha.shadow.floor={i / 100}&alpha.shadow.quiet=0"),
        ("shadow_multiply", lambda i: f"alpha.shadow.floor={i / 100}"),
        ("stack", lambda i: f"alpha.stack.2.amount={i / 20}"),
    ):
        client.get(f"{base}/{name}?level=1")
        taken = []
        for i in range(20):
            began = time.perf_counter()
            assert client.get(f"{base}/{name}?level=1&{tried(i)}").status_code == 200
            taken.append((time.perf_counter() - began) * 1000)
        said = f"{name} tried out ({tried(1)})"
        tell(f"{said}, HD at half size, median ms", statistics.median(taken), "100 ms")
    taken = []
    for i in range(20):
        data = {"setting": "alpha.mattes.1.things", "frame": FRAME, "x": 900 + i, "y": 560}
        began = time.perf_counter()
        assert client.post(f"/shots/{number}/alpha/pick", data=data).status_code == 200
        taken.append((time.perf_counter() - began) * 1000)
    tell("a thing picked by click, page and all, median ms", statistics.median(taken), "50 ms")


if __name__ == "__main__":
    main()
