"""What is counted of a delivery for Eyes: the parallax of each frame, where cameras and distances tell it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from drawstring.core.camera import Moment
from drawstring.core.depth.counting import reading_of
from drawstring.core.eyes.pair_views import eye_views, says_eyes
from drawstring.core.eyes.settings import EyesSettings
from drawstring.core.eyes.telling import told_parallax
from drawstring.core.passes.recognition import Pass
from drawstring.core.recipe.counting import Counting
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.sources import Pixels, depth_inputs, depth_pass, of_view


def counting(passes: Sequence[Pass], recipe: Recipe) -> Counting | None:
    """Say what has to be counted; None where no two eyes came, or no distances of the left one."""
    views = eye_views(EyesSettings(), passes) if says_eyes(passes) else None
    if views is None:
        return None
    left, right = of_view(passes, views[0]), of_view(passes, views[1])
    if depth_pass(left) is None or not right:
        return None
    return Counting(reading_of(recipe.depth), tuple(depth_inputs(left)), "measuring parallax")


def count(
    passes: Sequence[Pass], recipe: Recipe, pixels: Pixels, at: Moment, *, is_looked_at: bool
) -> dict[str, Any]:
    """Count one frame: see `told_parallax`."""
    return told_parallax(passes, pixels, at, recipe.depth)
