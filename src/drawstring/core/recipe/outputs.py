"""From a recipe to the channels of an output file: planned once for a shot, computed for every frame."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from drawstring.core.alpha.conversion import straight
from drawstring.core.arrays import Stored, as_picture
from drawstring.core.camera import Moment
from drawstring.core.chain import PICTURE, Work, channels_of
from drawstring.core.findings import Finding, Severity
from drawstring.core.io.facts import ChannelRef
from drawstring.core.pack.form import AlphaKind, Also, Beauty
from drawstring.core.pack.layout import CONSTANT, OutputChannel, lay_out
from drawstring.core.pack.storing import Stowed, stow
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import COLOUR_ROLES
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.results import available_results, find_result, is_sent, result_named
from drawstring.core.recipe.sources import Pixels


@dataclass(frozen=True)
class OutputPlan:
    """What every frame of a shot will hold, which channels that takes, and what was noticed.

    Attributes
    ----------
    channels : tuple of OutputChannel
    results : tuple of str
        Those among what goes out.
    findings : tuple of Finding
    chains : Chains
        Where they are pulled from.
    """

    channels: tuple[OutputChannel, ...]
    results: tuple[str, ...]
    findings: tuple[Finding, ...]
    chains: Chains

    @property
    def sources(self) -> list[str]:
        """The passes and results that go out."""
        return list(dict.fromkeys(one.source for one in self.channels if one.source != CONSTANT))

    @cached_property
    def shows_picture(self) -> bool:
        """Whether people are to look at a finished picture that does not go out by itself."""
        pack = self.chains.recipe.pack
        is_wanted = bool({Also.MOVIE, Also.SHEET} & set(pack.also)) and pack.beauty is not Beauty.FINISHED
        return is_wanted and self.chains.changes_picture

    @cached_property
    def inputs(self) -> tuple[ChannelRef, ...]:
        """The channels that have to be read, and no others."""
        pictures = [PICTURE] if self.shows_picture else []
        return tuple(channels_of([self.chains.own(name) for name in [*self.sources, *pictures]]))


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
    chains = Chains(passes, recipe, settled_only=settled_only)
    results = {
        name: suffixes
        for name, suffixes in available_results(passes, recipe).items()
        if result_named(name).is_packed and is_sent(name, recipe) and chains.counts(result_named(name).knot)
    }
    channels, findings = lay_out(passes, results, recipe.pack)
    made = dict.fromkeys(one.source for one in channels if one.ref is None and one.source != CONSTANT)
    return OutputPlan(tuple(channels), tuple(made), (*findings, *_idle_rows(passes, recipe)), chains)


def _idle_rows(passes: Sequence[Pass], recipe: Recipe) -> list[Finding]:
    """Tell of rows of the channel map that bear a name nothing has: a later delivery may, or it is a slip."""
    known = {one.name for one in passes}
    idle = [name for name in recipe.pack.rows if name not in known and find_result(name) is None]
    if not idle:
        return []
    more = f" and {len(idle) - 3} more" if len(idle) > 3 else ""
    return [
        Finding(
            "pack-row-idle", Severity.NOTES,
            f"Pack has settings for {', '.join(idle[:3])}{more}, and nothing here is called so.", "pack",
            "They do nothing until something of that name arrives.",
            "Check the name: a pass is called as the channel map calls it, as in pack.depth.goes.",
        )
    ]  # fmt: skip


def compute(
    plan: OutputPlan, pixels: Pixels, at: Moment, shape: tuple[int, int] = (1, 1)
) -> dict[OutputChannel, Stowed]:
    """Compute every output channel of one frame.

    Parameters
    ----------
    plan : OutputPlan
    pixels : mapping of ChannelRef to (H, W)
        At least the plan's inputs, as they came.
    at : Moment
        The frame's number, cameras and place.
    shape : (int, int)
        Of channels of one value, where nothing else goes out that tells it.

    Returns
    -------
    dict of OutputChannel to Stowed
        In the stored type and the plan's order, ready to be written.
    """
    work = Work(pixels, at)
    planes: dict[str, list[Stored]] = {name: work.of(plan.chains.own(name)) for name in plan.sources}
    if plan.chains.recipe.pack.alpha is AlphaKind.STRAIGHT:
        planes |= _straight(planes, plan.chains.passes)
    shape = next((some[0].shape for some in planes.values() if some), shape)

    def plane(channel: OutputChannel) -> Stored:
        if channel.value is not None:
            return np.full(shape, channel.value, np.float32)
        return planes[channel.source][channel.component]

    return {channel: stow(plane(channel), channel.stored) for channel in plan.channels}


def _straight(planes: dict[str, list[Stored]], passes: Sequence[Pass]) -> dict[str, list[Stored]]:
    """Divide colours by their alpha in whatever goes out with one."""
    roles = {one.name: one.role for one in passes}
    divided = {}
    for name, each in planes.items():
        is_light = roles[name] in COLOUR_ROLES if name in roles else result_named(name).is_light
        if is_light and len(each) == 4:
            picture = straight(as_picture(each))
            divided[name] = [np.ascontiguousarray(picture[..., i]) for i in range(4)]
    return divided
