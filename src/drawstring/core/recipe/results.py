"""What the knots make beyond what arrived: each result with its inputs and its computation.

A result is pulled by name; only the channels it asks for are read.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from drawstring.core.arrays import Plane, Stored
from drawstring.core.depth.background import nothing_there
from drawstring.core.depth.edges import edge_map, repaired
from drawstring.core.depth.normalise import normalise
from drawstring.core.errors import MissingError
from drawstring.core.io.facts import ChannelRef
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import Role
from drawstring.core.recipe.recipe import Recipe

Pixels = Mapping[ChannelRef, Stored]


@dataclass(frozen=True)
class Result:
    """Something a knot makes.

    Attributes
    ----------
    name : str
        Its name on screen and in files.
    knot : str
        The knot whose settings make it.
    suffixes : tuple of str
        Its channels' last words.
    is_ready : callable of (passes, recipe)
        Whether settings and passes suffice.
    inputs : callable of passes
        The channels it reads.
    compute : callable of (pixels, passes, recipe)
        Its planes, float32.
    is_packed : bool
        Whether it goes out; else it is there to be looked at.
    """

    name: str
    knot: str
    suffixes: tuple[str, ...]
    is_ready: Callable[[Sequence[Pass], Recipe], bool]
    inputs: Callable[[Sequence[Pass]], list[ChannelRef]]
    compute: Callable[[Pixels, Sequence[Pass], Recipe], list[Plane]]
    is_packed: bool = True


def depth_pass(passes: Sequence[Pass]) -> Pass | None:
    """Give the pass that depth comes from: the one that bears the role's name, else the surest."""
    candidates = [one for one in passes if one.role is Role.DEPTH]
    return min(candidates, key=lambda one: (one.name != Role.DEPTH, -one.confidence), default=None)


def alpha_channel(passes: Sequence[Pass]) -> ChannelRef | None:
    """Give the coverage channel that belongs to the view: beauty's alpha, else an alpha pass."""
    for one in sorted(passes, key=lambda one: one.name != Role.BEAUTY):
        if one.role is Role.BEAUTY and len(one.channels) == 4:
            return one.channels[3]
    return next((one.channels[0] for one in passes if one.role is Role.ALPHA), None)


def depth_inputs(passes: Sequence[Pass]) -> list[ChannelRef]:
    """Give the channels from which distances are known: depth, and alpha where there is one.

    Raises
    ------
    MissingError
        There is no depth pass.
    """
    depth = depth_pass(passes)
    if depth is None:
        raise MissingError(
            "There is no depth pass.",
            where="depth",
            why="Distances can't be measured or normalised without one.",
            remedy="Ask the renderer for depth, correct a pass's role, or mark Depth as not needed.",
        )
    alpha = alpha_channel(passes)
    return [depth.channels[0], alpha] if alpha else [depth.channels[0]]


def depth_planes(pixels: Pixels, passes: Sequence[Pass]) -> tuple[Plane, Plane | None]:
    """Give depth and alpha as float32 planes."""
    refs = depth_inputs(passes)
    z = np.asarray(pixels[refs[0]], np.float32)
    return z, np.asarray(pixels[refs[1]], np.float32) if len(refs) > 1 else None


def _normalised_ready(passes: Sequence[Pass], recipe: Recipe) -> bool:
    settings = recipe.depth
    return (
        settings.needed
        and settings.near is not None
        and settings.far is not None
        and depth_pass(passes) is not None
    )


def _normalised(pixels: Pixels, passes: Sequence[Pass], recipe: Recipe) -> list[Plane]:
    z, alpha = depth_planes(pixels, passes)
    nothing = nothing_there(z, alpha)
    return [normalise(repaired(z, nothing, recipe.depth.edges), recipe.depth, nothing=nothing)]


def _edges_ready(passes: Sequence[Pass], recipe: Recipe) -> bool:
    return recipe.depth.needed and depth_pass(passes) is not None


def _edges(pixels: Pixels, passes: Sequence[Pass], recipe: Recipe) -> list[Plane]:
    z, alpha = depth_planes(pixels, passes)
    return [np.asarray(edge_map(z, nothing_there(z, alpha)).kind * 0.5, np.float32)]


RESULTS: dict[str, Result] = {
    result.name: result
    for result in (
        Result("depth_normalised", "depth", ("V",), _normalised_ready, depth_inputs, _normalised),
        Result("depth_edges", "depth", ("V",), _edges_ready, depth_inputs, _edges, is_packed=False),
    )
}


def available_results(passes: Sequence[Pass], recipe: Recipe) -> dict[str, tuple[str, ...]]:
    """Give the results that the recipe can make from these passes, with their channels' last words."""
    return {r.name: r.suffixes for r in RESULTS.values() if r.is_ready(passes, recipe)}
