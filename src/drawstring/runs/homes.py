"""What a run asks of a knot's home, where it has one: `drawstring/runs/KNOT/home.py`.

- `recompositions(channels, chains)`: what can be put together again from the files that were written, and
  held against what the recipe makes (`Recomposition`).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from drawstring.core.arrays import Picture
from drawstring.core.chain import Work
from drawstring.core.knots import NAMES, part_of
from drawstring.core.pack.layout import OutputChannel
from drawstring.core.pack.storing import Stowed
from drawstring.core.recipe.chains import Chains

Written = Callable[[str], Picture | None]
"""Gives what a pass or result was written as, (H, W, C) float32; None where it does not go out whole."""


@dataclass(frozen=True)
class Rebuilding:
    """A frame whose files are put together again.

    Attributes
    ----------
    written : Written
        By the second reader's values.
    stowed : mapping of OutputChannel to Stowed
        What was computed and written.
    work : Work
        The frame as it was worked on.
    chains : Chains
    """

    written: Written
    stowed: Mapping[OutputChannel, Stowed]
    work: Work
    chains: Chains


@dataclass(frozen=True)
class Recomposed:
    """Something put together again, beside what it is meant to be.

    Attributes
    ----------
    made : (H, W, C) float32 or None
        From the written files; None where it does not go out whole.
    meant : (H, W, C) float32
        From the recipe.
    bound : (H, W, C) float32, optional
        What the stored types may put it off, pixel by pixel.
    says : mapping of name to float
        What else is worth telling of it.
    """

    made: Picture | None
    meant: Picture
    bound: Picture | None = None
    says: Mapping[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class Recomposition:
    """What a knot can put together again.

    Attributes
    ----------
    name : str
    sources : frozenset of str
        The passes and results it is put together from.
    make : callable of (Rebuilding) giving Recomposed
    covers : frozenset of str
        The results that need no other proof than this one.
    """

    name: str
    sources: frozenset[str]
    make: Callable[[Rebuilding], Recomposed]
    covers: frozenset[str] = frozenset()


def recompositions(channels: Sequence[OutputChannel], chains: Chains) -> list[Recomposition]:
    """Give what all knots can put together again, in the order of the cord."""
    parts = [part_of("runs", name, "home") for name in NAMES]
    return [
        each for part in parts if part is not None and hasattr(part, "recompositions")
        for each in part.recompositions(channels, chains)
    ]  # fmt: skip
