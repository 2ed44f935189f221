"""Levels of a picture: how often each brightness occurs, over all of it and column by column."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Counts, Picture

LOWEST, HIGHEST = -10.0, 6.0
"""The scale, in stops from 1: light below and above is counted at its ends."""

STEPS = 128
"""Of the scale: an eighth of a stop each."""


@dataclass(frozen=True)
class Levels:
    """What a picture's light is like.

    Attributes
    ----------
    histogram : (3, STEPS) int64
        Pixels of each brightness, for R, G and B.
    waveform : (3, STEPS, columns) int64
        The same for each column of the picture, from left to right.
    above, below, odd : float
        Shares of the pixels with light above 1, below 0, and without a number.
    mean : (R, G, B)
    """

    histogram: Counts
    waveform: Counts
    above: float
    below: float
    odd: float
    mean: tuple[float, float, float]


def levels_of(picture: Picture, columns: int = 160) -> Levels:
    """Count a picture's levels on a scale of stops.

    Parameters
    ----------
    picture : (H, W, 3 or more) float32
        Scene-linear light.
    columns : int
        At most so many, each of equally many pixels' width.
    """
    light = np.asarray(picture[..., :3], np.float32)
    height, width = light.shape[:2]
    if not height or not width:
        nothing = np.zeros((3, STEPS), np.int64)
        return Levels(nothing, np.zeros((3, STEPS, 1), np.int64), 0.0, 0.0, 0.0, (0.0, 0.0, 0.0))
    finite = np.isfinite(light).all(axis=-1)
    columns = min(columns, width)
    place = (np.arange(width) * columns // width).astype(np.int64)
    waveform = np.zeros((3, STEPS, columns), np.int64)
    for channel in range(3):
        steps = _steps(light[..., channel])
        index = (steps * columns + place[None, :])[finite]
        waveform[channel] = np.bincount(index, minlength=STEPS * columns).reshape(STEPS, columns)
    count = max(1, int(finite.sum()))
    seen = light[finite]
    red, green, blue = (float(v) for v in seen.mean(axis=0, dtype=np.float64)) if len(seen) else (0.0,) * 3
    return Levels(
        waveform.sum(axis=-1),
        waveform,
        float((seen > 1).any(axis=-1).sum() / count),
        float((seen < 0).any(axis=-1).sum() / count),
        float(1 - finite.mean()),
        (red, green, blue),
    )


def _steps(plane: NDArray[np.float32]) -> NDArray[np.int64]:
    """Give each pixel's place on the scale; what is 0 or below lies at its foot."""
    with np.errstate(divide="ignore", invalid="ignore"):
        stops = np.log2(np.maximum(plane, 2.0 ** (LOWEST - 1)))
    share = np.nan_to_num((stops - LOWEST) / (HIGHEST - LOWEST), nan=0.0, posinf=1.0)
    return np.asarray(np.clip((share * STEPS).astype(np.int64), 0, STEPS - 1))
