"""The knots that exist, in the order of the cord. A new knot is one line here."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING

from drawstring.core.units import say_length

if TYPE_CHECKING:
    from drawstring.core.recipe.cord import CordFacts
    from drawstring.core.recipe.recipe import Recipe


class KnotState(StrEnum):
    """How a knot stands; drawn by shape and told by word."""

    OPEN = "open"
    """Nothing was settled yet."""
    SETTLED = "settled"
    """Settled on what has arrived."""
    STALE = "stale"
    """Settled on something that has changed since."""
    BLOCKED = "blocked"
    """A finding stops it."""
    NOT_NEEDED = "not needed"
    """The shot does without."""


@dataclass(frozen=True)
class Knot:
    """One matter of a shot.

    Attributes
    ----------
    name : str
        The one name in core, pages, shell and tests.
    title : str
    says : callable
        What was settled, in a word or a number.
    """

    name: str
    title: str
    says: Callable[[Recipe, CordFacts], str]


def _arrivals(recipe: Recipe, facts: CordFacts) -> str:
    passes = f"{facts.passes} pass{'es' if facts.passes != 1 else ''}"
    return f"{passes}, {facts.frames} frames" if facts.passes else "nothing yet"


def _depth(recipe: Recipe, facts: CordFacts) -> str:
    near, far = recipe.depth.near, recipe.depth.far
    said = (
        "open" if near is None or far is None else f"{say_length(near)}-{say_length(far, facts.scene_unit)}"
    )
    mists = sum(layer.on for layer in recipe.depth.mist)
    made = [f"{mists} mist{'s' if mists > 1 else ''}"] if mists else []
    return ", ".join([said, *made, *(["focus"] if recipe.depth.focus.on else [])])


def _alpha(recipe: Recipe, facts: CordFacts) -> str:
    alpha = recipe.alpha
    kind = next(iter(alpha.kinds.values()), None)
    said = [kind.value] if kind else []
    if alpha.mattes:
        said.append(f"{len(alpha.mattes)} matte{'s' if len(alpha.mattes) > 1 else ''}")
    if alpha.shadow.on:
        said.append("shadow")
    if alpha.stack:
        said.append(f"{len(alpha.stack)} layers")
    return ", ".join(said) or "premultiplied"


def _eyes(recipe: Recipe, facts: CordFacts) -> str:
    eyes = recipe.eyes
    said = {"packed": eyes.packing.value, "one eye": "one made", "no pair": "one picture"}.get(
        eyes.came.value, "two views"
    )
    words = [said] + (["swapped"] if eyes.swap else []) + (["all-round"] if eyes.is_round else [])
    if eyes.deliver:
        words.append(f"{len(eyes.deliver)} form{'s' if len(eyes.deliver) > 1 else ''}")
    return ", ".join(words)


def _pack(recipe: Recipe, facts: CordFacts) -> str:
    return f"{facts.channels} channels, {recipe.pack.compression.value}" if facts.channels else "open"


KNOTS: tuple[Knot, ...] = (
    Knot("arrivals", "Arrivals", _arrivals),
    Knot("depth", "Depth", _depth),
    Knot("alpha", "Alpha", _alpha),
    Knot("eyes", "Eyes", _eyes),
    Knot("pack", "Pack", _pack),
)
