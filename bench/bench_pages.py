"""Pages and pictures of a served installation: a board of 200 shots, a setting tried out, an unseen HD frame.

Needs a PostgreSQL; takes the one of the tests' kind for itself.
"""

from __future__ import annotations

import shutil
import statistics
import sys
import tempfile
import time
from pathlib import Path

import OpenEXR
from floor import best, hd_frames, tell
from sqlalchemy.orm import sessionmaker

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "ops"))
from local_postgres import LocalPostgres, free_port, place_for  # noqa: E402

from drawstring.core.arrivals import scan  # noqa: E402
from drawstring.core.depth import tally  # noqa: E402
from drawstring.core.passes import pass_statistics  # noqa: E402
from drawstring.installation import Installation  # noqa: E402
from drawstring.store import deliveries, measuring, recipes, shows  # noqa: E402
from drawstring.store.database import connect, migrate  # noqa: E402
from drawstring.web.app import create_app  # noqa: E402


def main() -> None:
    place = Path(tempfile.mkdtemp(prefix="drawstring-bench-"))
    place.chmod(0o755)
    server = LocalPostgres(place_for(place / "data"), free_port(), "bench", is_lasting=False)
    server.make()
    server.start()
    server.make_database("bench")
    migrate(server.url("bench"))
    frames = hd_frames(4)
    small = hd_frames(200, half=7, size=(16, 24))
    try:
        app = create_app(
            Installation(var=str(place / "var"), roots=f"{frames}:{small}", database_url=server.url("bench")),
            TESTING=True,
        )
        client = app.test_client()
        fill(server.url("bench"), small, frames)
        client.get("/shows/Bench")
        tell(
            "board, 200 shots x 200 frames, ms", best(lambda: client.get("/shows/Bench"), 7) * 1000, "150 ms"
        )
        tell("bench page, ms", best(lambda: client.get("/shots/201/depth"), 7) * 1000, "150 ms")
        tell("the same at Arrivals, ms", best(lambda: client.get("/shots/7/arrivals"), 7) * 1000, "150 ms")
        tell(
            "findings of the show, ms", best(lambda: client.get("/shows/Bench/findings"), 7) * 1000, "150 ms"
        )
        pictures(client, frames)
        app.extensions["house"].readers.close()
    finally:
        server.stop()
        for folder in (place, frames, small):
            shutil.rmtree(folder, ignore_errors=True)


def fill(url: str, small: Path, frames: Path) -> None:
    """Accept 200 shots of 200 frames, and one of HD frames, all measured."""
    (plain,) = scan(str(small), roots=[str(small)]).candidates
    (large,) = scan(str(frames), roots=[str(frames)]).candidates
    import numpy as np

    counted = {n: tally(np.random.default_rng(n).gamma(3, 9, (60, 80)).astype(np.float32)) for n in (1, 2)}
    grey = pass_statistics([np.full((9, 16), 0.4, np.float32)], has_alpha=False)
    held = {number: {place: grey for place in range(4)} for number in range(1001, 1201)}
    with sessionmaker(connect(url)).begin() as session:
        show = shows.make_show(session, "Bench")
        for number in range(201):
            shot = shows.make_shot(session, show, f"B{number:03d}")
            deliveries.accept(session, shot, plain if number < 200 else large)
            measuring.finish(shot.delivery.measured("depth"), counted, {})
            measuring.finish(shot.delivery.measured("facts"), held, {})
            recipes.set_values(session, shot, {"depth.near": "3", "depth.far": "60"})
            recipes.settle(session, shot, "depth")


def pictures(client, frames: Path) -> None:
    base = "/shots/201/frames"
    client.get(f"{base}/1001/pixels/depth_normalised?level=1")
    taken = []
    for i in range(40):
        began = time.perf_counter()
        client.get(f"{base}/1001/pixels/depth_normalised?level=1&depth.near={3 + i / 50}")
        taken.append((time.perf_counter() - began) * 1000)
    tell("a setting tried out, HD at half size, median ms", statistics.median(taken), "100 ms")
    tell("the same, 95th percentile ms", statistics.quantiles(taken, n=20)[-1], "200 ms")

    def library() -> None:
        with OpenEXR.File(str(frames / "bench.1002.exr"), separate_channels=True) as file:
            file.channels()

    floor = best(library, 2)
    began = time.perf_counter()
    client.get(f"{base}/1003/pixels/beauty?level=1")
    ours = time.perf_counter() - began
    tell(
        "first picture of an unseen HD frame / (1.2 read + 0.15 s)",
        ours / (1.2 * floor + 0.15),
        "1.00 or less",
    )


if __name__ == "__main__":
    main()
