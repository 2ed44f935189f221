"""What Framing makes beside the picture: where nothing came, as a matte; all views in one picture."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from drawstring.core.arrays import Picture, Stored
from drawstring.core.camera import Moment
from drawstring.core.chain import PICTURE, Chain, Stage, Value, value
from drawstring.core.eyes.results import four
from drawstring.core.framing.grid import GridPlan, grid
from drawstring.core.framing.settings import FramingSettings, Outside
from drawstring.core.framing.steps import map_here, ways_of
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import Role
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.pulls import apart, channel, subject_of
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.result import RGBA, Result
from drawstring.core.recipe.sources import of_view, other_views, pass_of


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


def _is_bent(passes: Sequence[Pass], recipe: Recipe) -> bool:
    return bool(passes) and recipe.framing.needed and recipe.framing.lens.is_on


def is_sent(name: str, recipe: Recipe) -> bool:
    """Whether a result goes out as settled: the lens's map only where it is asked for."""
    return name != "lens_map" or recipe.framing.lens.sends


def _lens_map(chain: Chain) -> Value:
    """Describe where each pixel that goes out is taken from: shares of the frame that came, from below."""
    subject = subject_of(chain)
    before = channel(chain, Stage.FOCUSED, subject.passes[0], 0)

    def make(at: Moment, plane: Stored) -> list[Stored]:
        framed = map_here(subject, subject.here(at, Stage.FOCUSED).placed(plane.shape), at.frame)
        place = subject.here(at, Stage.PLACED).placed(plane.shape)
        step, window = place.step, place.window
        x, y = place.pixels((-(-window.height // step), -(-window.width // step)))
        wide, high = np.broadcast_arrays(x, y)
        u, v = framed.back(wide, high)
        came = framed.came
        across, up = (u - came.x_min) / came.width, 1 - (v - came.y_min) / came.height
        # Where the lens shows nothing, a place far outside: no program takes a pixel from there.
        return [np.nan_to_num(np.asarray(each, np.float32), nan=-10.0) for each in (across, up)]

    return value("lens map", make, before, of=(subject.key(Stage.PLACED),))


def views_of(chains: Chains) -> list[str]:
    """Give the shot's views, the default one first."""
    return ["", *other_views(chains.passes)]


def has_grid(passes: Sequence[Pass], recipe: Recipe) -> bool:
    """Whether all views are to be in one picture."""
    settings = recipe.framing
    return settings.needed and settings.grid.cells is not None and pass_of(Role.BEAUTY, passes) is not None


def grid_value(chains: Chains) -> Value:
    """Describe all views' finished pictures in one: (H, W, 4) float32, opaque light."""
    settings = chains.recipe.framing.grid
    views = [view for view in views_of(chains) if pass_of(Role.BEAUTY, of_view(chains.passes, view))]
    own = [chains.own_chains(view)[0] for view in views]
    labels = [_called(view, chains) for view in views]

    def make(at: Moment, *pictures: Picture) -> Picture:
        places = [chain.subject.here(at, Stage.OUT).placed(pictures[0].shape) for chain in own]
        assert settings.cells is not None
        step, shown = places[0].step, places[0].display
        width, height = settings.size or (shown.width, shown.height)
        plan = GridPlan(
            *settings.cells, width // step, height // step, settings.gutter // step, settings.labels
        )
        aspects = [place.pixel_aspect for place in places]
        return grid(pictures, labels, plan, aspects=aspects, threads=at.threads)

    given = [four(chains.tapped(chain, PICTURE), chain, whole=False) for chain in own]
    return value("grid", make, *given, of=(settings, labels))


def _called(view: str, chains: Chains) -> str:
    """Call a view as its files do."""
    if view:
        return view.replace("_", " ")
    return next((one.view for one in chains.passes if "." not in one.name and one.view), "first view")


def _grid(chain: Chain) -> Value:
    return apart(grid_value(subject_of(chain).chains))


RESULTS = (
    Result(
        "views_grid", FramingSettings.knot, RGBA, Stage.OUT, has_grid, _grid, is_packed=False, is_light=True,
        is_pointwise=False, is_extra=True, is_of_pair=True,
    ),
    Result(
        "lens_map", FramingSettings.knot, ("R", "G"), Stage.PLACED, _is_bent, _lens_map, is_pointwise=False,
        is_extra=True,
    ),
    Result(
        "edge_filled", FramingSettings.knot, ("A",), Stage.PLACED, _is_filled, _filled, is_mixed=True,
        is_pointwise=False,
    ),
)  # fmt: skip
