"""What the Depth knot makes: normalised depth, mist over the picture, focus."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

import numpy as np

from drawstring.core.arrays import Plane
from drawstring.core.camera import Moment
from drawstring.core.chain import PICTURE, Chain, Stage, Value, value
from drawstring.core.depth.edges import edge_map
from drawstring.core.depth.normalise import normalise
from drawstring.core.depth.reading import is_as_it_came
from drawstring.core.depth.steps import blur, is_depth_ready, is_focus_ready, is_mist_ready, veil
from drawstring.core.passes.recognition import Pass
from drawstring.core.recipe.pulls import apart, distances, subject_of
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.result import RGBA, Result
from drawstring.core.recipe.sources import Distances


def _normalised_ready(passes: Sequence[Pass], recipe: Recipe) -> bool:
    settings = recipe.depth
    return is_depth_ready(passes, recipe) and settings.near is not None and settings.far is not None


def _normalised(chain: Chain) -> Value:
    depth = subject_of(chain).recipe.depth

    def make(at: Moment, here: Distances) -> list[Plane]:
        return [normalise(here.z, depth, nothing=here.nothing, threads=at.threads)]

    return value("normalised", make, distances(chain, Stage.SET), of=depth)


def _distance(chain: Chain) -> Value:
    def make(at: Moment, here: Distances) -> list[Plane]:
        return [np.where(here.nothing, np.float32(np.inf), here.z)]

    return value("distance", make, distances(chain, Stage.SET))


def _edges(chain: Chain) -> Value:
    def make(at: Moment, here: Distances) -> list[Plane]:
        return [np.asarray(edge_map(here.z, here.nothing, here.alpha).kind * 0.5, np.float32)]

    return value("edges", make, distances(chain, Stage.DOUBLED, repair=False))


def _after(stage: Stage) -> Callable[[Chain], Value]:
    return lambda chain: apart(chain.after(stage, PICTURE))


def _mist_amount(chain: Chain) -> Value:
    return value("amount", lambda at, both: [both[1]], veil(chain))


def _blur_radius(chain: Chain) -> Value:
    return value("radius", lambda at, both: [both[0]], blur(chain))


_of_depth = partial(Result, knot="depth", stage=Stage.SET, says_itself=True)

DEPTH_RESULTS = (
    Result(
        "beauty_focus", "depth", RGBA, Stage.FOCUSED, is_focus_ready, _after(Stage.FOCUSED),
        is_light=True, is_extra=True, is_slow=True,
    ),
    Result(
        "beauty_mist", "depth", RGBA, Stage.VEILED, is_mist_ready, _after(Stage.VEILED),
        is_light=True, is_extra=True, is_slow=True,
    ),
    _of_depth("depth_normalised", suffixes=("V",), is_ready=_normalised_ready, tap=_normalised),
    _of_depth(
        "mist_amount", suffixes=("V",), is_ready=is_mist_ready, tap=_mist_amount, is_mixed=True, is_extra=True
    ),
    _of_depth(
        "blur_radius", suffixes=("V",), is_ready=is_focus_ready, tap=_blur_radius, is_signed=True,
        is_extra=True,
    ),
    # As a pass of its own only where it is not just what arrived; scripts look at it in any case.
    _of_depth(
        "distance", suffixes=("Z",), is_ready=is_depth_ready, tap=_distance, is_distance=True, is_extra=True,
        is_offered=lambda recipe: not is_as_it_came(recipe.depth),
    ),
    _of_depth("depth_edges", suffixes=("V",), is_ready=is_depth_ready, tap=_edges, is_packed=False),
)  # fmt: skip
