"""Renders of the feed: one at a time, each frame first with one sample, then with more."""

from __future__ import annotations

import io
import itertools
import math
import os
import tempfile
import threading
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from drawstring.core.feeds.protocol import LightChange, RenderRequest, RenderStatus
from drawstring.core.io.facts import Window
from drawstring.core.io.writing import write_exr
from drawstring.standins.renderer import passes as known
from drawstring.standins.renderer.camera import LATLONG, View
from drawstring.standins.renderer.frame import render
from drawstring.standins.renderer.staging import Differs, Stages
from drawstring.standins.renderer.writing import header_of, planes_of

MOST_SIDE = 5
"""Samples along a side of a pixel."""

KEPT = 12
"""Renders whose pictures are kept; older ones are forgotten."""


@dataclass
class Rendering:
    """A render: what was asked for, how far it is, and the newest picture of each frame."""

    id: str
    asked: RenderRequest
    lights: dict[str, LightChange]
    state: str = "waiting"
    frame: int | None = None
    samples: int = 0
    revision: int = 0
    change: int = 0
    """Counts the changes of lights: what was rendered before one is rendered anew."""
    fault: str = ""
    looked: int | None = None
    """The frame that somebody looks at: it goes first."""
    pictures: dict[int, tuple[int, int, int, bytes]] = field(default_factory=dict)
    """By frame: revision, samples, change, file."""

    @property
    def sides(self) -> list[int]:
        """Samples along a side, step by step."""
        most = max(1, min(MOST_SIDE, round(math.sqrt(self.asked.samples))))
        return sorted({1, most} | ({2} if most > 2 else set()))

    @property
    def numbers(self) -> list[int]:
        """Its frames."""
        return list(range(self.asked.frames[0], self.asked.frames[1] + 1))

    def done(self) -> list[int]:
        """Give the frames that have all their samples under the lights as they are."""
        most = self.sides[-1] ** 2
        return [
            n
            for n, (_, samples, change, _) in self.pictures.items()
            if samples == most and change == self.change
        ]

    def status(self) -> RenderStatus:
        """Say how far it is."""
        done = sorted(self.done())
        return RenderStatus(
            id=self.id, state=self.state, frame=self.frame, frames_done=len(done),
            frames_total=len(self.numbers),
            samples=self.samples, revision=self.revision, done=tuple(done), fault=self.fault,
        )  # fmt: skip


class Studio:
    """Renders what is asked for in a thread of its own, the newest request first.

    Parameters
    ----------
    stages : Stages
    fps : float
    """

    def __init__(self, stages: Stages, fps: float = 24.0) -> None:
        self.stages, self.fps = stages, fps
        self.renders: dict[str, Rendering] = {}
        self._numbers = itertools.count(1)
        self._changed = threading.Condition()
        self._mark = os.urandom(3).hex()
        threading.Thread(target=self._work, daemon=True).start()

    def ask(self, asked: RenderRequest) -> Rendering:
        """Take a request up."""
        with self._changed:
            one = Rendering(f"{self._mark}-{next(self._numbers)}", asked, dict(asked.lights))
            self.renders[one.id] = one
            while len(self.renders) > KEPT:
                self.renders.pop(next(iter(self.renders)))
            self._changed.notify_all()
        return one

    def cancel(self, one: Rendering) -> None:
        """Stop a render; what it has of pictures stays."""
        with self._changed:
            if one.state in ("waiting", "rendering"):
                one.state = "cancelled"
            self._changed.notify_all()

    def relight(self, one: Rendering, lights: Mapping[str, LightChange]) -> None:
        """Change lights of a render; its frames are rendered anew, the one that is looked at first."""
        with self._changed:
            for name, change in lights.items():
                before = one.lights.get(name, LightChange())
                one.lights[name] = LightChange(
                    strength=before.strength if change.strength is None else change.strength,
                    colour=before.colour if change.colour is None else change.colour,
                )
            one.change += 1
            one.state = "waiting"
            self._changed.notify_all()

    def _next(self) -> Rendering | None:
        waiting = [one for one in self.renders.values() if one.state in ("waiting", "rendering")]
        return waiting[-1] if waiting else None

    def _work(self) -> None:
        # Kernels are loaded before anybody waits for them.
        code = next(iter(self.stages.shots), "")
        if code:
            first = self.stages.shots[code].first
            picture(
                self.stages,
                RenderRequest(shot=code, frames=(first, first), size=(16, 16)),
                first,
                1,
                {},
                self.fps,
            )
        while True:
            with self._changed:
                while (one := self._next()) is None:
                    self._changed.wait()
                one.state = "rendering"
                step = self._step(one)
                if step is None:
                    one.state, one.frame = "done", None
                    continue
            try:
                self._carry_out(one, *step)
            except Exception as error:  # whatever it is, the one who asked has to know
                with self._changed:
                    one.state, one.fault = "failed", f"{type(error).__name__}: {error}"

    def _step(self, one: Rendering) -> tuple[int, int, int] | None:
        """Give what is next: frame, samples along a side, change of lights; None when all is there."""
        for side in one.sides:
            for number in sorted(one.numbers, key=lambda number: number != one.looked):
                _, samples, change, _ = one.pictures.get(number, (0, 0, -1, b""))
                if change != one.change or samples < side**2:
                    return number, side, one.change
        return None

    def _carry_out(self, one: Rendering, number: int, side: int, change: int) -> None:
        one.frame = number
        lights = dict(one.lights)
        data = picture(self.stages, one.asked, number, side, lights, self.fps)
        with self._changed:
            if change != one.change or one.state != "rendering":
                return  # a light was changed meanwhile, or nobody wants it any more
            one.revision += 1
            one.samples = side**2
            one.pictures[number] = one.revision, side**2, change, data


def picture(
    stages: Stages,
    asked: RenderRequest,
    number: int,
    side: int,
    lights: Mapping[str, LightChange],
    fps: float,
) -> bytes:
    """Render a picture; give the OpenEXR file."""
    staged = stages.shots[asked.shot]
    scene, packed = stages.packed(
        asked.shot,
        Differs(lamps=tuple(sorted((name, one.strength, one.colour) for name, one in lights.items()))),
    )
    width, height = asked.size
    view = View(width, height, samples=side)
    if staged.is_round:
        view = View(width, width // 2, samples=side, projection=LATLONG)
        height = width // 2
    if asked.region is not None:
        left, top, right, bottom = asked.region
        window = Window(
            round(left * (width - 1)), round(top * (height - 1)),
            max(round(right * (width - 1)), round(left * (width - 1))),
            max(round(bottom * (height - 1)), round(top * (height - 1))),
        )  # fmt: skip
        view = View(width, height, window=window, samples=side, projection=view.projection)
    camera = staged.camera(asked.camera, number)
    groups = [lamp.name for lamp in scene.lamps] if known.LIGHTS in asked.passes else []
    frame = render(packed, camera, view, seed=number, nothing=staged.nothing, groups=groups)
    planes, said = planes_of(frame, scene.objects)
    kept = {name: plane for name, plane in planes.items() if known.keeps(name, asked.passes)}
    header: dict[str, Any] = {**header_of(camera, view, fps), **said, "samples": side**2}
    if asked.baked:
        for letter in "RGB":
            if letter in kept:
                kept[letter] = _baked(kept[letter]).astype(np.float16)
        header["displayBaked"] = asked.baked
    # A file's name is all that a writer of files knows; nothing of it is left behind.
    with tempfile.TemporaryDirectory() as folder:
        path = os.path.join(folder, "a.exr")
        write_exr(
            path, kept, compression="zips", data_window=view.data_window,
            display_window=Window(0, 0, width - 1, height - 1), metadata=header,
        )  # fmt: skip
        with open(path, "rb") as file:
            return io.BytesIO(file.read()).getvalue()


def _baked(light: Any) -> Any:
    """Give display values of light (IEC 61966-2-1)."""
    light = np.clip(light, 0, 1)
    return np.where(light <= 0.0031308, 12.92 * light, 1.055 * light ** (1 / 2.4) - 0.055)
