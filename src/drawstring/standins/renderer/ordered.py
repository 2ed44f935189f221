"""Orders obeyed: every frame, tile and render that a document asks for, as it asks for it."""

from __future__ import annotations

import math
import os
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from drawstring.core.errors import SettingError
from drawstring.core.io.facts import Window
from drawstring.core.io.writing import write_exr
from drawstring.core.orders.document import Order, Render, ShotOrder, TilePart, file_of
from drawstring.core.units import METRES
from drawstring.standins.renderer import passes as known
from drawstring.standins.renderer.camera import LATLONG, Camera, View
from drawstring.standins.renderer.frame import RenderedFrame, render
from drawstring.standins.renderer.staging import Differs, Staged, Stages
from drawstring.standins.renderer.writing import header_of, planes_of

MOST_SAMPLES = 6
"""Along a side of a pixel: more is told in the header as asked, and would only take longer here."""


@dataclass(frozen=True)
class Job:
    """One file of an order."""

    shot: ShotOrder
    render: Render
    number: int
    tile: TilePart | None
    path: str


def jobs_of(order: Order, folder: str) -> list[Job]:
    """Give the files of an order, frame by frame."""
    jobs = []
    for shot in order.shots:
        numbers = sorted({number for one in shot.renders for number in one.numbers})
        for number in numbers:
            for one in shot.renders:
                if number in one.numbers:
                    for tile in one.tiles or (None,):
                        path = os.path.join(folder, file_of(order, shot, one, number, tile))
                        jobs.append(Job(shot, one, number, tile, path))
    return jobs


def refusals(order: Order, stages: Stages) -> list[str]:
    """Say what of an order this renderer can't do, before anything is rendered."""
    told = []
    for shot in order.shots:
        staged = stages.shots.get(shot.shot) or stages.shots.get(shot.shot.removesuffix(f"_{shot.variant}"))
        if staged is None:
            told.append(f"there is no shot {shot.shot}; there are {', '.join(stages.shots)}")
            continue
        objects, lamps = staged.scene().objects, [lamp.name for lamp in staged.scene().lamps]
        for one in shot.renders:
            where = f"{shot.shot}, {one.name}"
            strange = known.unknown(one.passes)
            if strange:
                told.append(f"{where}: no pass {', '.join(strange)}; there are {', '.join(known.KNOWN)}")
            if one.camera and one.camera not in staged.cameras:
                told.append(f"{where}: no camera {one.camera}; there are {', '.join(staged.cameras)}")
            gone = [name for name in (*one.differs.hides, *one.differs.shows) if name not in objects]
            if gone:
                told.append(f"{where}: no object {', '.join(gone)}; there are {', '.join(objects)}")
            dark = [name for name in one.differs.lights_off if name not in lamps]
            if dark:
                told.append(f"{where}: no light {', '.join(dark)}; there are {', '.join(lamps)}")
    return list(dict.fromkeys(told))


def obey(order: Order, stages: Stages, folder: str, *, quick: bool = False) -> Iterator[tuple[int, int]]:
    """Render what is missing of an order; yield how many files are there, of how many.

    Parameters
    ----------
    order : Order
    stages : Stages
    folder : str
        Where the order's files go below; what is there already is left alone.
    quick : bool
        Whether one sample is enough: for tests of geometry.

    Raises
    ------
    SettingError
        Something of the order can't be rendered here; nothing is.
    """
    hinders = refusals(order, stages)
    if hinders:
        raise SettingError(
            f"This order can't be rendered here: {'; '.join(hinders)}.", where="order",
            why="Half an order is worse than none.", remedy="Leave it out of the plan, or use another "
            "renderer.",
        )  # fmt: skip
    jobs = jobs_of(order, folder)
    done = sum(os.path.exists(job.path) for job in jobs)
    yield done, len(jobs)
    is_warm: set[tuple[str, str]] = set()
    for job in jobs:
        if os.path.exists(job.path):
            continue
        os.makedirs(os.path.dirname(job.path), exist_ok=True)
        if (job.shot.shot, job.render.name) not in is_warm:
            is_warm.add((job.shot.shot, job.render.name))
            _warm_up(job, stages)
        write_job(job, stages, quick=quick)
        done += 1
        yield done, len(jobs)


def _warm_up(job: Job, stages: Stages) -> None:
    """Render the frames before the first one that is kept, and throw them away."""
    small = job.render.model_copy(update={"size": (64, 36), "window": (0, 0, 63, 35), "tiles": ()})
    for before in range(job.shot.samples.warm_up, 0, -1):
        picture(job.shot, small, job.number - before, None, stages, quick=True)


def write_job(job: Job, stages: Stages, *, quick: bool = False) -> None:
    """Render and write one file."""
    frame, camera, view, staged = picture(job.shot, job.render, job.number, job.tile, stages, quick=quick)
    objects = staged.scene().objects
    planes, said = planes_of(
        frame, objects, has_assets=known.ASSETS in job.render.passes,
        has_noisy=known.NOISY in job.render.passes, has_alpha=job.render.role == "",
    )  # fmt: skip
    header: dict[str, Any] = {**header_of(camera, view, job.shot.fps), **said}
    header |= {
        "samples": job.shot.samples.picture, "drawstring.order.shutterSamples": job.shot.samples.shutter,
        "drawstring.order.camera": job.render.camera or "main",
    }  # fmt: skip
    write_exr(
        job.path, {name: plane for name, plane in planes.items() if known.keeps(name, job.render.passes)},
        compression="zip", data_window=view.data_window,
        display_window=Window(0, 0, job.render.size[0] - 1, job.render.size[1] - 1), metadata=header,
    )  # fmt: skip


def picture(
    shot: ShotOrder, asked: Render, number: int, tile: TilePart | None, stages: Stages, *, quick: bool = False
) -> tuple[RenderedFrame, Camera, View, Staged]:
    """Render one picture of an order: its shutter's moments, its eyes."""
    code = shot.shot if shot.shot in stages.shots else shot.shot.removesuffix(f"_{shot.variant}")
    staged = stages.shots[code]
    window = Window(*tile.window) if tile else asked.data_window
    side = 1 if quick else max(1, min(MOST_SAMPLES, round(math.sqrt(shot.samples.picture))))
    view = View(*asked.size, window=window, samples=side, eye=float(asked.eye))
    if asked.projection == "lat-long":
        view = replace(view, projection=LATLONG)
    scene, packed = stages.packed(code, _differs(asked, staged))
    groups = [lamp.name for lamp in scene.lamps] if _wants_lights(asked.passes) else []
    open_, close = shot.shutter or (0.0, 0.0)
    moments = shot.samples.shutter if shot.shutter else 1
    # One seed for all tiles: what two of them see is the same to the last bit.
    seed = number + (1000 if asked.eye > 0 else 0)
    frames = []
    for moment in range(moments):
        time = number + open_ + (close - open_) * (moment + 0.5) / moments
        camera = _camera(shot, asked, staged, time)
        if asked.packed:
            frames.append(_packed_pair(asked, packed, camera, view, seed, staged.nothing, groups))
        else:
            frames.append(render(packed, camera, view, seed=seed, nothing=staged.nothing, groups=groups))
    return _blurred(frames), _camera(shot, asked, staged, number), view, staged


def _wants_lights(passes: Sequence[str]) -> bool:
    return any(name == known.LIGHTS or name.startswith("light_") for name in passes)


def _differs(asked: Render, staged: Staged) -> Differs:
    objects = staged.scene().objects
    differs = asked.differs
    hides = [name for name in objects if differs.shows and name not in differs.shows]
    ground = ("ground", "apron") if differs.ground else ()
    return Differs(
        tuple(dict.fromkeys((*differs.hides, *hides))), tuple(name for name in ground if name in objects),
        differs.transparent, tuple((name, 0.0, None) for name in differs.lights_off),
    )  # fmt: skip


def _camera(shot: ShotOrder, asked: Render, staged: Staged, number: float) -> Camera:
    """Give the scene's camera with what the order says of its lens, film, eyes and clip planes."""
    metres = METRES[shot.unit]
    if shot.stills and not asked.camera and len(staged.cameras) > 1:
        names = list(staged.cameras)
        camera = staged.camera(names[round(number - asked.numbers[0]) % len(names)], staged.first)
    else:
        camera = staged.camera(asked.camera, number)
    camera = replace(
        camera,
        focal_mm=asked.focal_mm or camera.focal_mm,
        filmback_mm=asked.filmback_mm or camera.filmback_mm,
        interaxial_m=(shot.interaxial or 0.0) * metres if asked.eye or asked.packed else 0.0,
        convergence_m=(shot.convergence or 0.0) * metres,
    )
    if shot.clip:
        camera = replace(camera, near_clip_m=shot.clip[0] * metres, far_clip_m=shot.clip[1] * metres)
    if shot.level:
        x, y, z = camera.position
        y = shot.eye_height * metres if shot.eye_height is not None else y
        camera = replace(camera, position=(x, y, z), target=(camera.target[0], y, camera.target[2]))
    return camera


def _packed_pair(
    asked: Render, packed: Any, camera: Camera, view: View, seed: int, nothing: float, groups: list[str]
) -> RenderedFrame:  # fmt: skip
    """Render both eyes into one picture."""
    is_beside = asked.packed == "side by side"
    width, height = asked.size
    half = (width // 2, height) if is_beside else (width, height // 2)
    eyes = [
        render(
            packed, camera, replace(view, width=half[0], height=half[1], window=None, eye=eye),
            seed=seed + (1000 if eye > 0 else 0), nothing=nothing, groups=groups,
        )
        for eye in (-1.0, 1.0)
    ]  # fmt: skip
    axis = 1 if is_beside else 0

    def both(name: str) -> Any:
        return np.concatenate([getattr(eye, name) for eye in eyes], axis)

    planes = {name: np.concatenate([eye.planes[name] for eye in eyes], axis) for name in eyes[0].planes}
    return RenderedFrame(planes, both("beauty"), both("ids"), both("coverage"), both("noisy"))


_MOMENTARY = ("depth", "position", "normal")
"""What is no light: told by the middle of the shutter, as an average of places is no place."""


def _blurred(frames: Sequence[RenderedFrame]) -> RenderedFrame:
    """Put the moments of an open shutter together: light is averaged."""
    middle = frames[len(frames) // 2]
    if len(frames) == 1:
        return middle
    planes = {
        name: plane
        if name.startswith(_MOMENTARY)
        else np.mean([frame.planes[name] for frame in frames], axis=0, dtype=np.float32).astype(plane.dtype)
        for name, plane in middle.planes.items()
    }
    beauty = np.asarray(np.mean([frame.beauty for frame in frames], axis=0, dtype=np.float32))
    noisy = np.asarray(np.mean([frame.noisy for frame in frames], axis=0, dtype=np.float32))
    return replace(middle, planes=planes, beauty=beauty, noisy=noisy)
