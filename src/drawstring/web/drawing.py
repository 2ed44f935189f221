"""The cord as pieces and knots: straight and strong where it is taut, hanging where it is slack.

Places are shares of the width, so that a cord fills whatever room it is given.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from drawstring.core.recipe import KnotView


@dataclass(frozen=True)
class Piece:
    """A piece of cord between two knots, or before the first and after the last: shares in percent."""

    left: float
    width: float
    is_taut: bool


@dataclass(frozen=True)
class DrawnKnot:
    """A knot with its place, in percent of the width."""

    knot: KnotView
    left: float

    @property
    def state(self) -> str:
        """Its state as a part of names in page and style."""
        return self.knot.state.value.replace(" ", "-")


@dataclass(frozen=True)
class CordDrawing:
    """Pieces and knots from left to right."""

    pieces: list[Piece]
    knots: list[DrawnKnot]


def cord_drawing(knots: Sequence[KnotView]) -> CordDrawing:
    """Lay out a cord: taut up to the first knot that is not settled, slack from there on.

    Parameters
    ----------
    knots : sequence of KnotView
        In the order of the cord.
    """
    share = 100 / len(knots)
    drawn = [DrawnKnot(knot, share * (i + 0.5)) for i, knot in enumerate(knots)]
    pieces: list[Piece] = []
    before, taut = 0.0, True
    for one in drawn:
        taut = taut and one.knot.is_taut
        pieces.append(Piece(before, one.left - before, taut))
        before = one.left
    pieces.append(Piece(before, 100 - before, taut))
    return CordDrawing(pieces, drawn)
