"""What Framing makes beside the picture: where nothing came, as a matte."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from drawstring.core.arrays import Stored
from drawstring.core.camera import Moment
from drawstring.core.chain import Chain, Stage, Value, value
from drawstring.core.framing.settings import FramingSettings, Outside
from drawstring.core.framing.steps import ways_of
from drawstring.core.passes.recognition import Pass
from drawstring.core.recipe.pulls import channel, subject_of
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.result import Result


def _is_filled(passes: Sequence[Pass], recipe: Recipe) -> bool:
    settings = recipe.framing
    return bool(passes) and settings.needed and settings.moves and settings.outside is Outside.FILLED


def _filled(chain: Chain) -> Value:
    """Describe where pixels were filled from the edge: 1 there, else 0. A list of one (H, W) float32."""
    subject = subject_of(chain)
    before = channel(chain, Stage.FOCUSED, subject.passes[0], 0)

    def make(at: Moment, plane: Stored) -> list[Stored]:
        ways = ways_of(subject, plane.shape, at, "scene")
        x, y, _ = ways.grids
        inside = (x >= 0) & (y >= 0) & (x < plane.shape[1]) & (y < plane.shape[0])
        return [np.asarray(~inside, np.float32)]

    return value("filled", make, before, of=(subject.key(Stage.PLACED), subject.side, subject.is_shown))


RESULTS = (
    Result(
        "edge_filled", FramingSettings.knot, ("A",), Stage.PLACED, _is_filled, _filled, is_mixed=True,
        is_pointwise=False,
    ),
)  # fmt: skip
