"""Framing's home in runs: all views of a shot in one picture, beside the shot's own file."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from drawstring.core.camera import Moment
from drawstring.core.chain import Work, channels_of
from drawstring.core.framing.results import grid_value, has_grid
from drawstring.core.passes import Pass
from drawstring.core.recipe import Recipe
from drawstring.core.recipe.beside import BesideFile
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.sources import Pixels
from drawstring.runs.homes import Beside


def beside(passes: Sequence[Pass], recipe: Recipe) -> Beside:
    """Plan the grid of views, where it is asked for and the knot is settled."""
    chains = Chains(passes, recipe, settled_only=True)
    if not has_grid(passes, recipe) or not chains.counts("framing"):
        return Beside((), lambda pixels, at: [])
    described = grid_value(chains)

    def files(pixels: Pixels, at: Moment) -> list[BesideFile]:
        made = Work(pixels, at).of(described)
        channels = {name: np.asarray(made[..., i], np.float16) for i, name in enumerate("RGBA")}
        # It is seen through several cameras: it tells of none.
        nobody = {"worldToCamera": None, "pinholeFocalLength": None, "sensorOverallDimensions": None}
        return [BesideFile("views_grid", channels, said={**nobody, "screenWindowCenter": None})]

    return Beside(tuple(channels_of([described])), files)


def writes(recipe: Recipe) -> str:
    """Name the grid that is asked for."""
    cells = recipe.framing.grid.cells if recipe.framing.needed else None
    return f"views {cells[0]} × {cells[1]}" if cells else ""
