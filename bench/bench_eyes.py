"""Eyes on the bench: an HD pair in the well at half size, the second eye, and a run that packs pairs."""

from __future__ import annotations

import statistics
import time
from pathlib import Path

import numpy as np
import OpenEXR
import OpenImageIO as oiio
from flask.testing import FlaskClient
from floor import best, tell
from serving import pair_served
from sqlalchemy.orm import sessionmaker

from drawstring.core.io.pixels import use_threads
from drawstring.runs.frame import carry_out
from drawstring.runs.planning import plan_of, plan_run, tasks_of
from drawstring.store import recipes, shows
from drawstring.store.database import connect

FRAME = 1002


def main() -> None:
    with pair_served() as (app, url, number, folder):
        timings(app.test_client(), number)
        with sessionmaker(connect(url)).begin() as session:
            shot = shows.shot_by_id(session, number)
            recipes.set_values(session, shot, {"eyes.deliver": "side by side", "depth.needed": "no"})
            recipes.settle(session, shot, "eyes")
            run = plan_run(session, shot, output=str(folder / "out"))
            packing(plan_of(run), tasks_of(session, run)[0], folder)


def timings(client: FlaskClient, number: int) -> None:
    base = f"/shots/{number}/frames/{FRAME}/pixels"
    made = "eyes.came=one eye&eyes.convergence=4"
    for name, tried, budget in (
        ("eye_right", lambda i: f"eyes.shift={i}", "100 ms"),
        ("eye_right", lambda i: f"eyes.mend_turn={i / 50}&eyes.mend_down=2", "100 ms"),
        ("anaglyph", lambda i: f"eyes.shift={i}", "50 ms"),
        ("parallax", lambda i: f"eyes.shift={i}", "100 ms"),
        ("eye_right", lambda i: f"{made}&eyes.interaxial={0.05 + i / 500}", "100 ms"),
        ("eye_left", lambda i: f"eyes.is_round=yes&eyes.yaw={i}", "100 ms"),
    ):
        client.get(f"{base}/{name}?level=1&{tried(99)}")
        taken = []
        for i in range(20):
            began = time.perf_counter()
            assert client.get(f"{base}/{name}?level=1&{tried(i)}").status_code == 200
            taken.append((time.perf_counter() - began) * 1000)
        tell(f"{name} ({tried(1)[:44]}), half of HD, median ms", statistics.median(taken), budget)


def packing(plan, task, folder: Path) -> None:
    """Time a frame of a run that packs an HD pair, 92 channels, and the pair side by side."""
    use_threads(1)
    count = iter(range(1001, 1099))

    def ours() -> None:
        answer = carry_out(plan, type(task)(task.number, task.files, f"TW040_v001.{next(count)}.exr"))
        assert answer.checksum, answer.fault

    def bare() -> None:
        eyes = []
        for one in task.files:
            with OpenEXR.File(one.path, separate_channels=True) as file:
                eyes.append({name: channel.pixels for name, channel in file.channels().items()})
        both = dict(eyes[0]) | {f"right.{name}": plane for name, plane in eyes[1].items()}
        beside = {name: np.concatenate([eyes[0][name], eyes[1][name]], axis=1) for name in eyes[0]}
        for name, channels in (("main", both), ("beside", beside)):
            path = f"{folder}/bare_{name}.exr"
            with OpenEXR.File(
                {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}, channels
            ) as file:
                file.write(path)
            source = oiio.ImageInput.open(path)
            source.read_image(0, 0, 0, source.spec().nchannels, "float")
            source.close()

    tell("run of an HD pair and it side by side: floor / ours", best(bare, 2) / best(ours, 2), "0.85")


if __name__ == "__main__":
    main()
