"""What the store asks of a knot's home.

`drawstring/store/KNOT/home.py` gives `findings(facts)`, of a knot that is needed; where what arrived says
something before anybody took the knot up, `arrived(facts)`; and, of a knot that stands before anything has
arrived, `early(session, shot, recipe)`.
"""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.orm import Session

from drawstring.core.findings import Finding
from drawstring.core.knots import NAMES, needed_part, part_of
from drawstring.core.passes import Pass
from drawstring.core.recipe import OutputPlan, Recipe
from drawstring.store.models import Delivery, Shot


@dataclass(frozen=True)
class ShotFacts:
    """What is known of a shot when its knots are asked what they find.

    Attributes
    ----------
    session : Session
        For what was counted.
    shot : Shot
    delivery : Delivery
        The one in use.
    recipe : Recipe
    passes : list of Pass
    outputs : OutputPlan
        As things stand.
    """

    session: Session
    shot: Shot
    delivery: Delivery
    recipe: Recipe
    passes: list[Pass]
    outputs: OutputPlan

    @property
    def where(self) -> str:
        """The shot, for findings."""
        return self.shot.code


def arrived_findings(facts: ShotFacts) -> list[Finding]:
    """Give what knots that nobody has taken up say of what arrived."""
    idle = [name for name in NAMES if not facts.recipe.knot(name).needed]
    parts = [part_of("store", name, "home") for name in idle]
    return [
        finding for part in parts if part is not None and hasattr(part, "arrived")
        for finding in part.arrived(facts)
    ]  # fmt: skip


def early_findings(session: Session, shot: Shot, recipe: Recipe) -> dict[str, list[Finding]]:
    """Give what knots find that stand before anything has arrived."""
    parts = {name: part_of("store", name, "home") for name in NAMES if recipe.knot(name).needed}
    return {
        name: list(part.early(session, shot, recipe)) for name, part in parts.items()
        if part is not None and hasattr(part, "early")
    }  # fmt: skip


def findings_of(facts: ShotFacts) -> dict[str, list[Finding]]:
    """Give what every knot that is needed finds, by its name, in the order of the cord."""
    return {
        name: list(needed_part("store", name, "home", "findings").findings(facts))
        if facts.recipe.knot(name).needed
        else []
        for name in NAMES
    }
