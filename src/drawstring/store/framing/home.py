"""Framing's home in the store: the frame that is settled against what came."""

from __future__ import annotations

from drawstring.core.camera import camera_of
from drawstring.core.findings import Finding
from drawstring.core.framing.checks import check_framing
from drawstring.store import deliveries
from drawstring.store.homes import ShotFacts


def findings(facts: ShotFacts) -> list[Finding]:
    """Gather the findings of the Framing knot."""
    delivery, recipe = facts.delivery, facts.recipe
    parts = deliveries.facts_of(delivery).parts
    is_round = recipe.eyes.is_round or any(camera_of(part.metadata).is_latlong for part in parts)
    return check_framing(
        recipe.framing,
        deliveries.place_of(delivery),
        range(delivery.first, delivery.last + 1),
        roles={one.role for one in facts.passes},
        is_round=is_round,
        where=f"{facts.shot.code}, framing",
    )
