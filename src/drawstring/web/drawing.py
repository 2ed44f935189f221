"""What pages draw: the cord as pieces and knots, and curves of what was counted frame by frame.

A cord is straight and strong where it is taut, and hangs where it is slack; places are shares of the width,
so that it fills whatever room it is given. Curves lie in a box 100 wide and 100 high, y down.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from drawstring.core.passes import PassStatistics
from drawstring.core.recipe import KnotState, KnotView


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
    room: float = 1.0
    """How much room it takes, beside the others."""

    @property
    def state(self) -> str:
        """Its state as a part of names in page and style."""
        return self.knot.state.value.replace(" ", "-")


@dataclass(frozen=True)
class CordDrawing:
    """Pieces and knots from left to right."""

    pieces: list[Piece]
    knots: list[DrawnKnot]


NARROW = 0.62
"""Room of a knot that is not needed, beside one that is."""


def cord_drawing(knots: Sequence[KnotView], *, has_rooms: bool = False) -> CordDrawing:
    """Lay out a cord: taut up to the first knot that is not settled, slack from there on.

    Parameters
    ----------
    knots : sequence of KnotView
        In the order of the cord.
    has_rooms : bool
        Whether what is not needed takes less room; cords below each other keep their columns.
    """
    rooms = [NARROW if has_rooms and knot.state is KnotState.NOT_NEEDED else 1.0 for knot in knots]
    share, begin, drawn = 100 / sum(rooms), 0.0, []
    for knot, room in zip(knots, rooms, strict=True):
        drawn.append(DrawnKnot(knot, share * (begin + room / 2), room))
        begin += room
    pieces: list[Piece] = []
    before, taut = 0.0, True
    for one in drawn:
        taut = taut and one.knot.is_taut
        pieces.append(Piece(before, one.left - before, taut))
        before = one.left
    pieces.append(Piece(before, 100 - before, taut))
    return CordDrawing(pieces, drawn)


@dataclass(frozen=True)
class Column:
    """One frame of a curve: its place and width, and where low, mean and high lie; all in percent."""

    number: int
    left: float
    width: float
    mean: float
    low: float
    high: float
    seen: PassStatistics


@dataclass(frozen=True)
class Curve:
    """What a pass holds over the frames: columns, and the ends of the axis."""

    columns: list[Column]
    low: float
    high: float

    @property
    def mean_path(self) -> str:
        """The means as an SVG path."""
        points = [f"{one.left + one.width / 2:.3f} {one.mean:.2f}" for one in self.columns]
        return "M" + "L".join(points) if len(points) > 1 else f"M0 {self.columns[0].mean:.2f}H100"

    @property
    def band_path(self) -> str:
        """The ranges as an SVG path."""
        highs = [f"{one.left + one.width / 2:.3f} {one.high:.2f}" for one in self.columns]
        lows = [f"{one.left + one.width / 2:.3f} {one.low:.2f}" for one in reversed(self.columns)]
        return "M" + "L".join(highs + lows) + "Z"


def curve_of(seen: Mapping[int, PassStatistics]) -> Curve:
    """Lay out what a pass holds, frame by frame.

    The axis ends at the ends of the means, widened; a band that leaves it is cut, because one bright pixel
    must not flatten everything.
    """
    numbers = sorted(seen)
    means = [seen[number].mean for number in numbers]
    low, high = min(means), max(means)
    room = max((high - low) * 0.6, abs(high) * 0.25, 1e-6)
    low, high = (
        max(low - room, min(s.low for s in seen.values())),
        min(high + room, max(s.high for s in seen.values())),
    )
    high = high if high > low else low + 1e-6
    width = 100 / (numbers[-1] - numbers[0] + 1)

    def y(value: float) -> float:
        return 100 - 100 * min(1.0, max(0.0, (value - low) / (high - low)))

    columns = [
        Column(n, (n - numbers[0]) * width, width, y(seen[n].mean), y(seen[n].low), y(seen[n].high), seen[n])
        for n in numbers
    ]
    return Curve(columns, low, high)


def spark(means: Mapping[int, float]) -> str:
    """Draw a few means as a small line in a box of 60 by 14."""
    numbers = sorted(means)
    low, high = min(means.values()), max(means.values())
    reach, span = max(high - low, abs(high) * 0.05, 1e-9), max(1, numbers[-1] - numbers[0])
    points = [
        f"{58 * (n - numbers[0]) / span + 1:.1f} {12 - 10 * (means[n] - low) / reach:.1f}" for n in numbers
    ]
    return "M" + "L".join(points if len(points) > 1 else [points[0], f"59 {points[0].split()[1]}"])
