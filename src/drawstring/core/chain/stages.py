"""The stages a shot's picture goes through, in the one order they have; no knot is known here.

What lies left of a stage is what it is given, what lies right of it is what it gives. A knot brings the steps
(`Step`) that work at a stage; where none does, or none is on, the picture passes unchanged.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


class Stage(StrEnum):
    """A point in the order."""

    ARRIVED = "arrived"
    PARTED = "parted"
    DERIVED = "derived"
    ASSEMBLED = "assembled"
    DOUBLED = "doubled"
    SET = "set"
    VEILED = "veiled"
    FOCUSED = "focused"
    PLACED = "placed"
    LAID = "laid"
    WINDOWED = "windowed"
    OUT = "out"


class Reach(StrEnum):
    """How much of the picture a pixel after the stage may depend on."""

    PIXEL = "pixel"
    """That pixel alone."""
    ROWS = "rows"
    """So many rows above and below it."""
    FRAME = "whole frame"
    """Any part of the frame."""


@dataclass(frozen=True)
class StageFacts:
    """What is said of a stage.

    Attributes
    ----------
    stage : Stage
    happens : str
        What it does, as people read it.
    reach : Reach
    is_geometry : bool
        Whether pixels change their place; else only values change.
    """

    stage: Stage
    happens: str
    reach: Reach
    is_geometry: bool = False


STAGES: tuple[StageFacts, ...] = (
    StageFacts(Stage.ARRIVED, "Alpha read as settled, colours made linear and multiplied", Reach.PIXEL),
    StageFacts(Stage.PARTED, "A packed picture becomes two eyes", Reach.FRAME, is_geometry=True),
    StageFacts(Stage.DERIVED, "Shadow, mattes and the element taken from untouched pixels", Reach.FRAME),
    StageFacts(Stage.ASSEMBLED, "Contributions and colour changed", Reach.ROWS),
    StageFacts(Stage.DOUBLED, "The eye that did not come is made", Reach.ROWS, is_geometry=True),
    StageFacts(Stage.SET, "Light and cards added to the scene", Reach.FRAME),
    StageFacts(Stage.VEILED, "Mist laid by distance", Reach.FRAME),
    StageFacts(Stage.FOCUSED, "The lens blurs what lies out of focus", Reach.ROWS),
    StageFacts(
        Stage.PLACED, "Eyes aligned, levelled and converged, filtered once", Reach.FRAME, is_geometry=True
    ),
    StageFacts(Stage.LAID, "Plates, shadows and layers put together", Reach.FRAME),
    StageFacts(Stage.WINDOWED, "The floating window blackens the sides", Reach.PIXEL),
    StageFacts(Stage.OUT, "Cut to what was asked for, stored as asked", Reach.PIXEL),
)
"""The order. Nothing else in the house says which stage comes before which."""


def facts_of(stage: Stage) -> StageFacts:
    """Give what is said of a stage."""
    return next(facts for facts in STAGES if facts.stage is stage)


def is_before(first: Stage, second: Stage) -> bool:
    """Whether a stage comes before another.

    Examples
    --------
    >>> is_before(Stage.VEILED, Stage.FOCUSED), is_before(Stage.LAID, Stage.PLACED)
    (True, False)
    """
    order = [facts.stage for facts in STAGES]
    return order.index(first) < order.index(second)
