"""What the store asks of a knot's home.

`drawstring/store/KNOT/home.py` gives `findings(facts)`, of a knot that is needed; and, where what arrived
says something before anybody took the knot up, `arrived(facts)`.
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


def arrived_findings(facts: ShotFacts) -> list[Finding]:
    """Give what knots that nobody has taken up say of what arrived."""
    idle = [name for name in NAMES if not facts.recipe.knot(name).needed]
    parts = [part_of("store", name, "home") for name in idle]
    return [
        finding for part in parts if part is not None and hasattr(part, "arrived")
        for finding in part.arrived(facts)
    ]  # fmt: skip


def findings_of(facts: ShotFacts) -> dict[str, list[Finding]]:
    """Give what every knot that is needed finds, by its name, in the order of the cord."""
    return {
        name: list(needed_part("store", name, "home", "findings").findings(facts))
        if facts.recipe.knot(name).needed
        else []
        for name in NAMES
    }
