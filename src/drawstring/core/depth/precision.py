"""What half float costs depth: how far apart the distances lie that neighbouring half values stand for.

Half has eleven bits that count (IEEE 754-2008, binary16). A value is rounded to the nearest half, so it is
wrong by half a step at most; divided by how fast the value changes with distance, that is a length in the
scene.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from drawstring.core.depth.normalise import ends, metric, normalise
from drawstring.core.depth.settings import DepthSettings, Overshoot

LARGEST_HALF = 65504.0
"""Beyond it half holds infinity only."""


@dataclass(frozen=True)
class HalfError:
    """How wrong a distance becomes, scene units."""

    distance: float
    raw: float
    """Stored as the distance itself."""
    normalised: float
    """Stored as its normalised value."""


def half_errors(settings: DepthSettings) -> tuple[HalfError, HalfError, HalfError]:
    """Give the largest rounding error at near, in the middle of the range and at far.

    Parameters
    ----------
    settings : DepthSettings
        Near and far must be set.
    """
    n, f = ends(settings)
    middle = float(metric(np.array([[0.5]], np.float32), settings)[0, 0])
    near, halfway, far = (_at(distance, settings) for distance in (n, middle, f))
    return near, halfway, far


def _at(distance: float, settings: DepthSettings) -> HalfError:
    raw = float(np.spacing(np.float16(distance))) / 2 if distance < LARGEST_HALF else float("inf")
    kept = settings.model_copy(update={"overshoot": Overshoot.KEEP})
    value = np.float64(
        normalise(np.array([[distance]], np.float32), kept, nothing=np.zeros((1, 1), bool))[0, 0]
    )
    # Just at an end the steps are finer than a hair inside it: what counts is the last 256th of the range.
    inside = min(max(abs(value), 2**-8), 1 - 2**-11)
    gap = float(np.spacing(np.float16(inside))) / 2
    # One half step to either side, turned back: the course of the mapping needs no derivative of its own.
    both = metric(np.array([[value - gap, value + gap]], np.float32), kept)[0].astype(np.float64)
    return HalfError(distance, raw, float(abs(both[1] - both[0]) / 2))
