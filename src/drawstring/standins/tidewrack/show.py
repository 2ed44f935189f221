"""The demo show's shots and their rendering: frames spread over processes, whole files only."""

from __future__ import annotations

import multiprocessing
import os
from collections.abc import Callable, Iterator
from concurrent.futures import Executor, ProcessPoolExecutor, as_completed
from contextlib import nullcontext
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from drawstring.core.io.facts import Window
from drawstring.core.io.pixels import use_threads
from drawstring.core.io.writing import remove_unfinished
from drawstring.standins.renderer import (
    LATLONG,
    Camera,
    PackedScene,
    Scene,
    View,
    render,
    write_frame,
    write_picture,
)
from drawstring.standins.tidewrack import scenes

FPS = 24.0
WIDTH, HEIGHT = 960, 540


@dataclass(frozen=True)
class Beside:
    """A second sequence of a shot: only its picture, by the same camera or another.

    Attributes
    ----------
    name : str
        Its pass, as the file name says it.
    scene, camera : callables
    """

    name: str
    scene: Callable[[], Scene]
    camera: Callable[[float], Camera]
    lens_k: tuple[float, float, float] = (0.0, 0.0, 0.0)
    """Radial terms of the lens it was filmed through."""


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
    settled: tuple[tuple[str, str], ...] = ()
    """What is settled from the start: dotted names and values, in their order."""
    hidden: tuple[str, ...] = ()
    """Objects that its camera does not see."""
    beside: tuple[Beside, ...] = ()
    has_eyes: bool = False
    """Whether it is rendered through two eyes, a sequence to each."""
    is_round: bool = False
    """Whether it shows all directions."""
    has_noisy: bool = False
    """Whether the picture before its grain was taken out comes along."""
    has_groups: bool = False
    """Whether each lamp's light comes as a pass of its own."""
    wider: int = 1
    """How many times as wide as the show's frames its own are."""
    cameras: tuple[tuple[str, Callable[[float], Camera]], ...] = ()
    """Several cameras that look at one moment, a sequence to each, by what they are called."""
    is_ordered: bool = False
    """Whether an order asks for it."""
    has_scene: bool = False
    """Whether its scene's file comes along, and is taken over."""
    overscan: float = 0.0
    """How much is rendered beyond the frame on each side, as share of the frame."""

    @property
    def sequences(self) -> tuple[str, ...]:
        """What its sequences are called in their file names."""
        views = tuple(name for name, _ in self.cameras) or ("main",)
        return (*(("left", "right") if self.has_eyes else views), *(one.name for one in self.beside))

    @property
    def folder(self) -> str:
        """Its folder below the show's."""
        return f"{self.code}/v001"

    def name(self, number: int, of: str = "main") -> str:
        """Give the file name of a frame, or of one of a sequence beside."""
        return f"{self.code}_{of}_v001.{number:04d}.exr"


OLD_LENS = (-0.07, 0.012, 0.0)
"""Radial terms of the lens that plates of the show were filmed through."""

SHOTS = (
    DemoShot("TW010", "Fog over the yard", 1010, 24, scenes.fog_yard, scenes.fog_yard_camera, np.inf),
    DemoShot(
        "TW020",
        "Between the buoys",
        1001,
        24,
        scenes.fog_yard,
        scenes.between_buoys_camera,
        np.inf,
        (
            ("depth.near", "3 m"),
            ("depth.far", "60 m"),
            ("depth.mist.add", "ground mist"),
            ("depth.mist.1.falloff", "exponential"),
            ("depth.mist.1.start", "5 m"),
            ("depth.mist.1.density@1001", "0.02"),
            ("depth.mist.1.density@1024", "0.09"),
            ("depth.mist.1.colour", "0.52 0.54 0.58"),
            ("depth.mist.1.base", "0.3 m"),
            ("depth.mist.1.thins", "1.4 m"),
            ("depth.focus.on", "yes"),
            ("depth.focus.stop", "0.7"),
            ("depth.focus.distance@1004", "4.1 m"),
            ("depth.focus.distance@1020", "7.2 m"),
        ),
    ),
    DemoShot(
        "TW030",
        "Painted buoy on white",
        1001,
        8,
        scenes.painted_buoy,
        scenes.painted_buoy_camera,
        np.inf,
        (
            ("depth.near", "3 m"),
            ("depth.far", "9 m"),
            ("alpha.mattes.add", "chain"),
            ("alpha.mattes.1.names", "chain"),
            ("alpha.shadow.on", "yes"),
            ("alpha.shadow.quiet", "0.4"),
            ("alpha.stack.add", "plate"),
            ("alpha.stack.1.name", "yard"),
            ("alpha.stack.add", "shadow_multiply"),
            ("alpha.stack.2.name", "shadow"),
            ("alpha.stack.2.mode", "multiply"),
            ("alpha.stack.add", "beauty"),
            ("alpha.stack.3.name", "buoy"),
        ),
        hidden=("ground",),
        beside=(
            Beside("ground", scenes.painted_buoy, scenes.painted_buoy_camera),
            Beside("plate", scenes.fog_yard, scenes.fog_yard_camera),
        ),
    ),
    DemoShot(
        "TW040",
        "Two eyes on the bell",
        1001,
        12,
        scenes.bell_yard,
        scenes.bell_yard_camera,
        np.inf,
        (
            ("depth.near", "2.5 m"),
            ("depth.far", "60 m"),
            ("eyes.deliver", "eyes apart; side by side, half; anaglyph"),
        ),
        has_eyes=True,
    ),
    DemoShot(
        "TW050",
        "Round the yard",
        1001,
        4,
        scenes.bell_yard,
        scenes.round_the_yard_camera,
        np.inf,
        (
            ("depth.near", "1.5 m"),
            ("depth.far", "60 m"),
            ("eyes.deliver", "above/below; flat view"),
        ),
        has_eyes=True,
        is_round=True,
        wider=2,
    ),
    DemoShot(
        "TW060",
        "Through an old lens",
        1001,
        6,
        scenes.new_buoy,
        scenes.fog_yard_camera,
        np.inf,
        (
            ("alpha.stack.add", "plate"),
            ("alpha.stack.1.name", "yard"),
            ("alpha.stack.add", "beauty"),
            ("alpha.stack.2.name", "buoy"),
            ("framing.needed", "yes"),
            ("framing.lens.bends", "bend the render to the plate"),
            ("framing.lens.k", "-0.07 0.012 0"),
            ("plan.needed", "yes"),
            ("plan.overscan", "10 % a side"),
        ),
        is_ordered=True,
        beside=(Beside("plate", scenes.fog_yard, scenes.fog_yard_camera, OLD_LENS),),
        overscan=0.1,
    ),
    DemoShot(
        "TW070",
        "Four watching cameras",
        1001,
        4,
        scenes.bell_yard,
        scenes.bell_yard_camera,
        np.inf,
        (
            ("framing.needed", "yes"),
            ("framing.grid.cells", "2x2"),
        ),
        cameras=tuple((f"cam{place + 1}", partial(scenes.watching_camera, place)) for place in range(4)),
    ),
    DemoShot(
        "TW080",
        "Lamp on the bench",
        1001,
        24,
        scenes.lamp_bench,
        scenes.lamp_bench_camera,
        1e10,
        (
            ("depth.near", "1.1 m"),
            ("depth.far", "3.4 m"),
            ("alpha.mattes.add", "models"),
            ("alpha.mattes.1.names", "model_*"),
            ("assembly.needed", "yes"),
            ("assembly.partition", "lights"),
            ("assembly.terms.light_window.strength", "1"),
        ),
        has_noisy=True,
        has_groups=True,
    ),
    DemoShot(
        "TW100",
        "A screen behind the gantry",
        1001,
        6,
        scenes.fog_yard,
        scenes.fog_yard_camera,
        np.inf,
        (
            ("depth.near", "3 m"),
            ("depth.far", "80 m"),
            ("scene.camera", "shot_camera"),
            ("scene.cards.add", "screen"),
            ("scene.cards.1.pass_name", "beauty"),
            ("scene.cards.1.covers", "opaque"),
            ("scene.cards.1.follows", "behind_gantry"),
            ("scene.cards.1.width", "6"),
            ("scene.cards.1.shines", "0.6"),
            ("scene.cards.1.casts", "0.6"),
            ("scene.cards.1.casts_from", "sun"),
            ("scene.lights.add", "lantern"),
            ("scene.lights.1.position", "1.4 2.4 -8.6"),
            ("scene.lights.1.colour", "1 0.55 0.2"),
            ("scene.lights.1.strength", "4"),
            ("scene.lights.1.shadows", "1"),
            ("scene.beams.add", "lantern glow"),
            ("scene.beams.1.is_cone", "no"),
            ("scene.beams.1.position", "1.4 2.4 -8.6"),
            ("scene.beams.1.colour", "1 0.6 0.25"),
            ("scene.beams.1.strength", "0.015"),
            ("scene.beams.add", "gantry lamp"),
            ("scene.beams.2.position", "-6 5.8 -20.6"),
            ("scene.beams.2.direction", "0.1 -1 0.15"),
            ("scene.beams.2.inner", "12"),
            ("scene.beams.2.outer", "20"),
            ("scene.beams.2.length", "9"),
            ("scene.beams.2.strength", "0.3"),
            ("scene.beams.2.noise", "0.4"),
        ),
        has_scene=True,
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
    pool: Executor | None = None,
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
    pool : Executor, optional
        As `renderers` gives it, where several calls share one; else there is one for this call.
    """
    if frames is not None:
        shots = tuple(replace(shot, frames=frames) for shot in shots)
    wanted = []
    for number, shot in enumerate(shots):
        place = os.path.join(folder, shot.folder)
        os.makedirs(place, exist_ok=True)
        remove_unfinished(place)
        for i in range(shot.frames):
            for of in shot.sequences:
                path = os.path.join(place, shot.name(shot.first + i, of))
                wanted.append((number, of, i, path))
    todo = [job for job in wanted if not os.path.exists(job[3])]
    done = len(wanted) - len(todo)
    yield done, len(wanted)
    if not todo:
        return
    # The first frame is made here, so that the kernels are compiled once and read from the cache by the rest.
    _render_one(shots[todo[0][0]], *todo[0][1:], width, height, samples)
    done += 1
    yield done, len(wanted)
    with renderers() if pool is None else nullcontext(pool) as processes:
        jobs = [
            processes.submit(_render_one, shots[number], of, i, path, width, height, samples)
            for number, of, i, path in todo[1:]
        ]
        for job in as_completed(jobs):
            job.result()
            done += 1
            yield done, len(wanted)


def renderers(workers: int | None = None) -> ProcessPoolExecutor:
    """Give processes that render; they are begun with the first frame.

    Parameters
    ----------
    workers : int, optional
        One for each core when not given.
    """
    # Whoever asks may have threads of its own: forked with them, a child can lock up.
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(["numba", "drawstring.standins.tidewrack.show"])
    return ProcessPoolExecutor(
        workers or os.cpu_count() or 1, mp_context=context, initializer=use_threads, initargs=(1,)
    )


_packed: dict[tuple[str, str], tuple[Scene, PackedScene]] = {}


def _render_one(shot: DemoShot, of: str, i: int, path: str, width: int, height: int, samples: int) -> None:
    beside = next((one for one in shot.beside if one.name == of), None)
    if (shot.code, of) not in _packed:
        for done in [key for key in _packed if key[0] != shot.code]:
            del _packed[done]
        made = (beside or shot).scene()
        _packed[shot.code, of] = (made, made.packed(hidden=() if beside else shot.hidden))
    scene, packed = _packed[shot.code, of]
    looks = dict(shot.cameras).get(of, (beside or shot).camera)
    camera = looks(i / max(1, shot.frames - 1))
    width, height = width * shot.wider, height * shot.wider
    view = View(width, height, samples=samples, eye={"left": -1.0, "right": 1.0}.get(of, 0.0))
    if beside:
        view = replace(view, lens_k=beside.lens_k)
    elif shot.overscan:
        aside, beyond = round(width * shot.overscan), round(height * shot.overscan)
        view = replace(view, window=Window(-aside, -beyond, width - 1 + aside, height - 1 + beyond))
    if shot.is_round:
        view = replace(view, height=width // 2, projection=LATLONG)
    # One seed for all sequences of a frame: what several of them see is the same to the last bit. But grain
    # that is the same in both eyes would hang on the screen like dirt.
    seed = shot.first + i + (1000 if of == "right" else 0)
    groups = [lamp.name for lamp in scene.lamps] if shot.has_groups else ()
    frame = render(packed, camera, view, seed=seed, nothing=shot.nothing, groups=groups)
    if beside:
        write_picture(path, frame, camera=camera, view=view, fps=FPS)
    else:
        write_frame(
            path,
            frame,
            objects=scene.objects,
            camera=camera,
            view=view,
            fps=FPS,
            has_assets=bool(shot.beside),
            has_noisy=shot.has_noisy,
        )
