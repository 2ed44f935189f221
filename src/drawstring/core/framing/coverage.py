"""Whether what came fills the frame that goes out, over all frames, and how much overscan would."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from drawstring.core.camera import Place
from drawstring.core.framing.map import FrameMap, inset, map_of
from drawstring.core.framing.settings import FramingSettings
from drawstring.core.io.facts import Window

Sides = tuple[float, float, float, float]
"""Left, top, right, bottom."""


@dataclass(frozen=True)
class Coverage:
    """What was found over the frames.

    Attributes
    ----------
    lacks : dict of frame to Sides
        How many pixels that came are missing at each side, of frames that are not filled.
    needs : Sides
        Least overscan that fills every frame, in pixels that came; 0 where none is needed.
    folds : bool
        Whether the lens shows nothing at some place of the frame.
    """

    lacks: dict[int, Sides]
    needs: Sides
    folds: bool

    def each(self, came: Place) -> float:
        """Give the least overscan that fills every frame, in percent of the frame, the same on each side."""
        left, top, right, bottom = self.needs
        share = max(max(left, right) / came.display.width, max(top, bottom) / came.display.height)
        return math.ceil(share * 1000) / 10

    @property
    def worst(self) -> int | None:
        """The frame that lacks most."""
        return max(self.lacks, key=lambda number: sum(self.lacks[number]), default=None)


def coverage(settings: FramingSettings, came: Place, frames: Iterable[int]) -> Coverage:
    """Look at every place of the rim of every frame.

    Parameters
    ----------
    settings : FramingSettings
    came : Place
    frames : iterable of int
    """
    numbers = list(frames)
    if not settings.keys and not settings.shake.is_on and not (settings.whole.keys or settings.scene.keys):
        numbers = numbers[:1]  # all frames are like the first
    lacks, needs, folds = dict[int, Sides](), np.zeros(4), False
    frame = inset(came.display, settings.arrived)
    for number in numbers:
        framed = map_of(settings, came, number)
        x, y = rim_back(framed)
        there = np.isfinite(x) & np.isfinite(y)
        folds |= not there.all()
        if not there.any():
            continue
        ends = x[there].min(), y[there].min(), x[there].max(), y[there].max()
        lacking = _beyond(ends, came.window)
        if max(lacking) > 1e-6:
            lacks[number] = lacking
        needs = np.maximum(needs, _beyond(ends, frame))
    left, top, right, bottom = (float(side) for side in needs)
    return Coverage(lacks, (left, top, right, bottom), folds)


def rim_back(framed: FrameMap, points: int = 129) -> tuple[np.ndarray, np.ndarray]:
    """Give where the rim of the frame that goes out lies in what came: pixels' middles, clockwise."""
    shown = framed.display
    across = np.linspace(shown.x_min + 0.5, shown.x_max + 0.5, points)
    down = np.linspace(shown.y_min + 0.5, shown.y_max + 0.5, points)
    top, bottom = np.full(points, shown.y_min + 0.5), np.full(points, shown.y_max + 0.5)
    left, right = np.full(points, shown.x_min + 0.5), np.full(points, shown.x_max + 0.5)
    x = np.concatenate([across, right, across[::-1], left])
    y = np.concatenate([top, down, bottom, down[::-1]])
    return framed.back(x, y)


def _beyond(ends: Sides, window: Window) -> Sides:
    """Give how far a range of places reaches beyond a window, a pixel's middle counting."""
    left, top, right, bottom = ends
    return (
        max(0.0, window.x_min - left), max(0.0, window.y_min - top),
        max(0.0, right - window.x_max - 1), max(0.0, bottom - window.y_max - 1),
    )  # fmt: skip
