"""The knots as the cord draws them: their states, and what each says."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING

from drawstring.core.knots import NAMES, needed_part

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


def _knot(name: str) -> Knot:
    cord = needed_part("core", name, "cord", "TITLE", "says")
    return Knot(name, cord.TITLE, cord.says)


KNOTS: tuple[Knot, ...] = tuple(_knot(name) for name in NAMES)
