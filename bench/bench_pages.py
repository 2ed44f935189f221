"""Pages and pictures of a served installation: a board of 200 shots, a setting tried out, an unseen HD frame.

Needs a PostgreSQL; takes the one of the tests' kind for itself.
"""

from __future__ import annotations

import shutil
import statistics
import time
from pathlib import Path

import OpenEXR
from floor import best, hd_frames, tell
from serving import served
from sqlalchemy import insert
from sqlalchemy.orm import sessionmaker

from drawstring.core.arrivals import scan
from drawstring.core.depth import FrameDistances, tally
from drawstring.core.passes import pass_statistics
from drawstring.store import deliveries, measuring, recipes, shows
from drawstring.store.database import connect
from drawstring.store.models import Run, RunFrame, now


def main() -> None:
    frames = hd_frames(4)
    small = hd_frames(200, half=7, size=(16, 24))
    try:
        with served([frames, small]) as (app, url):
            client = app.test_client()
            fill(url, small, frames)
            client.get("/shows/Bench")
            for words, address in (
                ("board, 200 shots x 200 frames, ms", "/shows/Bench"),
                ("bench page, ms", "/shots/201/depth"),
                ("the same at Alpha, ms", "/shots/201/alpha"),
                ("the same at Arrivals, ms", "/shots/7/arrivals"),
                ("findings of the show, ms", "/shows/Bench/findings"),
                ("runs of 200 shots x 200 frames, ms", "/shows/Bench/runs"),
                ("one run of 200 frames, ms", "/runs/7"),
            ):
                tell(words, best(lambda address=address: client.get(address), 7) * 1000, "150 ms")
            pictures(client, frames)
    finally:
        for folder in (frames, small):
            shutil.rmtree(folder, ignore_errors=True)


def fill(url: str, small: Path, frames: Path, *, shots: int = 200, ran: int = 1800) -> None:
    """Accept shots of 200 frames and one of HD, all measured; those after the first so many never ran."""
    (plain,) = scan(str(small), roots=[str(small)]).candidates
    (large,) = scan(str(frames), roots=[str(frames)]).candidates
    import numpy as np

    counted = {
        n: FrameDistances(tally(np.random.default_rng(n).gamma(3, 9, (60, 80)).astype(np.float32)))
        for n in (1, 2)
    }
    grey = pass_statistics([np.full((9, 16), 0.4, np.float32)], has_alpha=False)
    held = {number: {place: grey for place in range(4)} for number in range(1001, 1201)}
    with sessionmaker(connect(url)).begin() as session:
        show = shows.make_show(session, "Bench")
        for number in range(shots + 1):
            shot = shows.make_shot(session, show, f"B{number:03d}")
            deliveries.accept(session, shot, plain if number < shots else large)
            measuring.finish(shot.delivery.measured("depth"), counted, {})
            measuring.finish(shot.delivery.measured("facts"), held, {})
            recipes.set_values(session, shot, {"depth.near": "3", "depth.far": "60"})
            revision = recipes.settle(session, shot, "depth")
            if number >= ran:
                continue
            run = Run(
                shot_id=shot.id, delivery_id=shot.delivery_id, revision_id=revision.id, version=1, folder="x"
            )
            session.add(run)
            session.flush()
            # A night half-way: what is done, four at work, what waits.
            done = 200 if number < 98 else 50 * (number - 98) if number < 102 else 0
            run.state = "done" if done == 200 else "running" if done else "waiting"
            run.ended_at = now() if done == 200 else None
            states = ["proven"] * done + ["waiting"] * (200 - done)
            session.execute(
                insert(RunFrame),
                [
                    {
                        "run_id": run.id,
                        "number": 1001 + i,
                        "file_name": f"{i}",
                        "state": state,
                        "checksum": "x",
                    }
                    for i, state in enumerate(states)
                ],
            )


def pictures(client, frames: Path) -> None:
    base = "/shots/201/frames"
    client.get(f"{base}/1001/pixels/depth_normalised?level=1")
    taken = []
    for i in range(40):
        began = time.perf_counter()
        client.get(f"{base}/1001/pixels/depth_normalised?level=1&depth.near={3 + i / 50}")
        taken.append((time.perf_counter() - began) * 1000)
    tell("a setting tried out, HD at half size, median ms", statistics.median(taken), "15 ms")
    tell("the same, 95th percentile ms", statistics.quantiles(taken, n=20)[-1], "200 ms")

    for name, tried, budget in (
        ("beauty_mist", "depth.mist.add=x&depth.mist.1.start=", "40 ms"),
        ("picture", "framing.needed=yes&framing.size=HD&framing.whole.right=", "50 ms"),
        (
            "picture",
            "framing.needed=yes&framing.lens.bends=scene&framing.lens.k=-0.07&framing.whole.right=",
            "100 ms",
        ),
        ("beauty_focus", "depth.focus.on=yes&depth.focus.by=largest+radius&depth.focus.distance=", "80 ms"),
    ):
        client.get(f"{base}/1001/pixels/{name}?level=1&{tried}4")
        taken = []
        for i in range(20):
            began = time.perf_counter()
            assert client.get(f"{base}/1001/pixels/{name}?level=1&{tried}{5 + i / 2}").status_code == 200
            taken.append((time.perf_counter() - began) * 1000)
        tell(f"{name} tried out, HD at half size, median ms", statistics.median(taken), budget)

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
