"""From a recipe to the channels of an output file: planned once for a shot, computed for every frame."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from drawstring.core.alpha.conversion import straight
from drawstring.core.arrays import Plane, Stored
from drawstring.core.camera import Moment
from drawstring.core.findings import Finding
from drawstring.core.io.facts import ChannelRef
from drawstring.core.pack.form import AlphaKind
from drawstring.core.pack.layout import CONSTANT, OutputChannel, lay_out
from drawstring.core.pack.storing import Stowed, stow
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import COLOUR_ROLES
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.results import available_results, is_sent, result_named
from drawstring.core.recipe.sources import Pixels
from drawstring.core.recipe.spaces import in_working_space


@dataclass(frozen=True)
class OutputPlan:
    """What every frame of a shot will hold, which channels that takes, and what was noticed."""

    channels: tuple[OutputChannel, ...]
    inputs: tuple[ChannelRef, ...]
    results: tuple[str, ...]
    findings: tuple[Finding, ...]


def plan_outputs(passes: Sequence[Pass], recipe: Recipe, *, settled_only: bool = False) -> OutputPlan:
    """Plan the output channels.

    Parameters
    ----------
    passes : sequence of Pass
    recipe : Recipe
    settled_only : bool
        Whether results of knots that are still open are left out, as a run does.

    Returns
    -------
    OutputPlan
        Only the channels that the outputs need are among its inputs.
    """
    results = {
        name: suffixes
        for name, suffixes in available_results(passes, recipe).items()
        if result_named(name).is_packed
        and is_sent(name, recipe)
        and (not settled_only or recipe.knot(result_named(name).knot).settled_on)
    }
    channels, findings = lay_out(passes, results, recipe.pack)
    made = tuple(dict.fromkeys(c.source for c in channels if c.ref is None and c.source != CONSTANT))
    inputs = [c.ref for c in channels if c.ref is not None]
    for name in made:
        inputs += result_named(name).inputs(passes, recipe)
    return OutputPlan(tuple(channels), tuple(dict.fromkeys(inputs)), made, tuple(findings))


def compute(
    plan: OutputPlan, pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment
) -> dict[OutputChannel, Stowed]:
    """Compute every output channel of one frame.

    Parameters
    ----------
    plan : OutputPlan
    pixels : mapping of ChannelRef to (H, W)
        At least the plan's inputs.
    passes : sequence of Pass
    recipe : Recipe
    at : Moment
        The frame's number, cameras and place.

    Returns
    -------
    dict of OutputChannel to Stowed
        In the stored type and the plan's order, ready to be written.
    """
    pixels = in_working_space(pixels, passes, recipe)
    made: dict[str, list[Plane]] = {
        name: result_named(name).compute(pixels, passes, recipe, at) for name in plan.results
    }
    if recipe.pack.alpha is AlphaKind.STRAIGHT:
        pixels, made = _straight(plan, pixels, made, passes)
    shape = next(iter(pixels.values())).shape if pixels else (1, 1)

    def plane(channel: OutputChannel) -> Stored:
        if channel.value is not None:
            return np.full(shape, channel.value, np.float32)
        return pixels[channel.ref] if channel.ref is not None else made[channel.source][channel.component]

    return {channel: stow(plane(channel), channel.stored) for channel in plan.channels}


def _straight(
    plan: OutputPlan, pixels: Pixels, made: dict[str, list[Plane]], passes: Sequence[Pass]
) -> tuple[Pixels, dict[str, list[Plane]]]:
    """Divide colours by their alpha in whatever goes out with one."""
    changed = dict[ChannelRef, Stored]()
    for one in passes:
        if one.role in COLOUR_ROLES and len(one.channels) == 4 and all(r in pixels for r in one.channels):
            picture = straight(
                np.stack([np.asarray(pixels[ref], np.float32) for ref in one.channels], axis=-1)
            )
            changed |= {ref: np.ascontiguousarray(picture[..., i]) for i, ref in enumerate(one.channels)}
    divided = {
        name: [
            np.ascontiguousarray(plane) for plane in np.moveaxis(straight(np.stack(planes, axis=-1)), -1, 0)
        ]
        if result_named(name).is_light and len(planes) == 4
        else planes
        for name, planes in made.items()
    }
    return {**pixels, **changed}, divided
