"""Assembly: an HD frame's sum held against its beauty, and contributions changed in the well."""

from __future__ import annotations

import shutil
import statistics
import tempfile
import time
from pathlib import Path

import numpy as np
import OpenEXR
from flask.testing import FlaskClient
from floor import best, tell
from serving import served
from sqlalchemy.orm import sessionmaker

from drawstring.core.arrivals import scan
from drawstring.core.camera import Place
from drawstring.core.colour.grade import GradeSettings, graded
from drawstring.core.colour.match import MatchBy, matched
from drawstring.core.finishing.grain import GrainSettings, grained
from drawstring.core.io.facts import Window
from drawstring.core.recipe import Recipe, change
from drawstring.runs.measuring import measure_frame
from drawstring.runs.run_plan import SourceFile
from drawstring.standins.tidewrack import SHOTS, render_show
from drawstring.store import deliveries, recipes, shows
from drawstring.store.database import connect

FRAME = 1002


def main() -> None:
    folder = Path(tempfile.mkdtemp(prefix="drawstring-assembly-"))
    lamps = tuple(shot for shot in SHOTS if shot.code == "TW080")
    for _ in render_show(str(folder), shots=lamps, width=1920, height=1080, frames=2):
        pass
    try:
        with served([folder]) as (app, url):
            (found,) = scan(str(folder), roots=[str(folder)]).candidates
            with sessionmaker(connect(url)).begin() as session:
                shot = shows.make_shot(session, shows.make_show(session, "Bench"), "TW080")
                deliveries.accept(session, shot, found)
                recipes.set_values(session, shot, {"assembly.needed": "yes"})
                number = shot.id
                passes = tuple(deliveries.passes_of(shot.delivery))
                files = deliveries.files_of(session, shot.delivery, FRAME)
                path = files[0].path
            counting(path, passes)
            timings(app.test_client(), number)
        pictures()
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def counting(path: str, passes: tuple) -> None:
    """Time a frame's count against the bare library's read of the whole file."""

    def read() -> None:
        with OpenEXR.File(path, separate_channels=True) as file:
            for channel in file.channels().values():
                _ = channel.pixels.sum()

    recipe = change(Recipe(), {"assembly.needed": "yes"}, scene_unit="m")
    files, window = (SourceFile(0, path, 0, 0),), Window(0, 0, 1919, 1079)

    def count() -> None:
        told = measure_frame("assembly", FRAME, files, passes, window, recipe)[1]
        assert told[""]["residual"]["beyond"] < 0.01, told

    count()
    tell("a frame's residual, to the library's read of its file", best(read) / best(count), "0.8")


def timings(client: FlaskClient, number: int) -> None:
    base = f"/shots/{number}/frames/{FRAME}/pixels"
    for name, tried in (
        ("beauty_assembled", lambda i: f"assembly.terms.diffuse_direct.strength={i / 10}"),
        ("beauty_assembled", lambda i: f"assembly.grade.exposure={i / 10}"),
        ("term_specular_direct", lambda i: f"assembly.terms.specular_direct.tint=1 {i / 20} 1"),
    ):
        client.get(f"{base}/{name}?level=1&{tried(99)}")
        taken = []
        for i in range(1, 21):
            began = time.perf_counter()
            assert client.get(f"{base}/{name}?level=1&{tried(i)}").status_code == 200
            taken.append((time.perf_counter() - began) * 1000)
        tell(f"{name} tried out ({tried(1)}), HD at half size, ms", statistics.median(taken), "50 ms")


def pictures() -> None:
    """Time what is done to pictures in memory: matching, colour, grain."""
    rng = np.random.default_rng(1)
    whole = rng.random((1080, 1920, 4)).astype(np.float32)
    window = Window(0, 0, 1919, 1079)
    tell(
        "matching two HD pictures, ms",
        1000 * best(lambda: matched(whole, whole * 1.2, MatchBy.SPREAD)),
        "300 ms",
    )
    half = np.ascontiguousarray(whole[::2, ::2])
    grade = GradeSettings(exposure=0.5, contrast=1.2, saturation=0.8)
    tell("colour of half an HD picture, ms", 1000 * best(lambda: graded(half, grade, threads=2)), "50 ms")
    grain = GrainSettings()
    frames = iter(range(1000))
    laid = best(lambda: grained(whole, grain, Place(window, window), frame=next(frames), eye=0))
    tell("grain laid on an HD picture, ms", 1000 * laid, "none")


if __name__ == "__main__":
    main()
