"""The cord as lines and shapes: straight and strong where it is taut, hanging where it is slack."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from drawstring.core.recipe import KnotState, KnotView


@dataclass(frozen=True)
class DrawnKnot:
    """A knot with its place."""

    knot: KnotView
    x: float


@dataclass(frozen=True)
class CordDrawing:
    """Paths for the taut and the slack cord, and the knots."""

    width: float
    height: float
    y: float
    taut: str
    slack: str
    knots: list[DrawnKnot]


GAP = 11
"""How far the cord stops short of a knot that is not needed."""


def cord_drawing(
    knots: Sequence[KnotView], *, spacing: float, y: float, sag: float, height: float, lead: float = 0.0
) -> CordDrawing:
    """Lay out a cord.

    Parameters
    ----------
    knots : sequence of KnotView
    spacing : float
        Between knots, in px; the first stands half a spacing after `lead`.
    y, sag : float
        Height of the taut cord, and how far a slack piece hangs below it.
    height, lead : float
        Of the drawing; extra length at its beginning.
    """
    taut, slack = [], []
    drawn = []
    x_before, taut_before = 0.0, True
    for i, knot in enumerate(knots):
        x = lead + spacing * (i + 0.5)
        gap = GAP if knot.state is KnotState.NOT_NEEDED else 0
        if taut_before and knot.is_taut:
            taut.append(f"M{x_before:g} {y:g}H{x - gap:g}")
        else:
            slack.append(_hanging(x_before, x - gap, y, sag))
        drawn.append(DrawnKnot(knot, x))
        x_before, taut_before = x + gap, knot.is_taut and taut_before
    width = lead + spacing * len(knots)
    end = f"M{x_before:g} {y:g}H{width:g}" if taut_before else _hanging(x_before, width, y, sag / 2)
    (taut if taut_before else slack).append(end)
    return CordDrawing(width, height, y, "".join(taut), "".join(slack), drawn)


def _hanging(start: float, end: float, y: float, sag: float) -> str:
    return f"M{start:g} {y:g}Q{(start + end) / 2:g} {y + 2 * sag:g} {end:g} {y:g}"
