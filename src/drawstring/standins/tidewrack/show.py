"""The demo show's shots and their rendering: frames spread over processes, whole files only."""

from __future__ import annotations

import multiprocessing
import os
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor, as_completed
from dataclasses import dataclass, field, replace

import numpy as np

from drawstring.core.io.pixels import use_threads
from drawstring.core.io.writing import remove_unfinished
from drawstring.standins.renderer import Camera, Scene, View, render, write_frame
from drawstring.standins.tidewrack import scenes

FPS = 24.0
WIDTH, HEIGHT = 960, 540


@dataclass(frozen=True)
class DemoShot:
    """One shot of the demo show."""

    code: str
    title: str
    first: int
    frames: int
    scene: Callable[[], Scene]
    camera: Callable[[float], Camera]
    nothing: float
    settled: dict[str, str] = field(default_factory=dict, hash=False)
    """What is settled from the start, by dotted name."""

    @property
    def folder(self) -> str:
        """Its folder below the show's."""
        return f"{self.code}/v001"

    def name(self, number: int) -> str:
        """Give the file name of a frame."""
        return f"{self.code}_main_v001.{number:04d}.exr"


SHOTS = (
    DemoShot("TW010", "Fog over the yard", 1010, 24, scenes.fog_yard, scenes.fog_yard_camera, np.inf),
    DemoShot(
        "TW080",
        "Lamp on the bench",
        1001,
        24,
        scenes.lamp_bench,
        scenes.lamp_bench_camera,
        1e10,
        {"depth.near": "1.1 m", "depth.far": "3.4 m"},
    ),
)


def render_show(
    folder: str,
    *,
    shots: tuple[DemoShot, ...] = SHOTS,
    width: int = WIDTH,
    height: int = HEIGHT,
    samples: int = 2,
    frames: int | None = None,
    workers: int | None = None,
) -> Iterator[tuple[int, int]]:
    """Render what is missing of the show; yield how many frames are there, of how many.

    Parameters
    ----------
    folder : str
        Where the shots' folders go; frames that are there already are left alone.
    width, height, samples : int
        Size, and samples along one side of a pixel.
    frames : int, optional
        Of each shot, where fewer than usual are wanted.
    workers : int, optional
        Processes; one for each core when not given.
    """
    if frames is not None:
        shots = tuple(replace(shot, frames=frames) for shot in shots)
    wanted = []
    for number, shot in enumerate(shots):
        place = os.path.join(folder, shot.folder)
        os.makedirs(place, exist_ok=True)
        remove_unfinished(place)
        for i in range(shot.frames):
            path = os.path.join(place, shot.name(shot.first + i))
            wanted.append((number, i, path))
    todo = [job for job in wanted if not os.path.exists(job[2])]
    done = len(wanted) - len(todo)
    yield done, len(wanted)
    if not todo:
        return
    # The first frame is made here, so that the kernels are compiled once and read from the cache by the rest.
    _render_one(shots[todo[0][0]], *todo[0][1:], width, height, samples)
    done += 1
    yield done, len(wanted)
    context = multiprocessing.get_context("fork")
    with ProcessPoolExecutor(
        workers or os.cpu_count() or 1, mp_context=context, initializer=use_threads, initargs=(1,)
    ) as pool:
        jobs = [
            pool.submit(_render_one, shots[number], i, path, width, height, samples)
            for number, i, path in todo[1:]
        ]
        for job in as_completed(jobs):
            job.result()
            done += 1
            yield done, len(wanted)


_packed: dict[str, tuple[Scene, object]] = {}


def _render_one(shot: DemoShot, i: int, path: str, width: int, height: int, samples: int) -> None:
    if shot.code not in _packed:
        made = shot.scene()
        _packed[shot.code] = (made, made.packed())
    scene, packed = _packed[shot.code]
    camera = shot.camera(i / max(1, shot.frames - 1))
    view = View(width, height, samples=samples)
    frame = render(packed, camera, view, seed=shot.first + i, nothing=shot.nothing)  # type: ignore[arg-type]
    write_frame(path, frame, objects=scene.objects, camera=camera, view=view, fps=FPS)
