"""What the store asks of a knot's home: `drawstring/store/KNOT/home.py` gives `findings(facts)`."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.orm import Session

from drawstring.core.findings import Finding
from drawstring.core.knots import NAMES, needed_part
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


def findings_of(facts: ShotFacts) -> dict[str, list[Finding]]:
    """Give what every knot that is needed finds, by its name, in the order of the cord."""
    return {
        name: list(needed_part("store", name, "home", "findings").findings(facts))
        if facts.recipe.knot(name).needed
        else []
        for name in NAMES
    }
