"""Eyes' home in the store."""

from __future__ import annotations

from drawstring.core.eyes.checks import check_arrived
from drawstring.core.findings import Finding
from drawstring.store.eyes.standing import eyes_findings, told_eyes
from drawstring.store.homes import ShotFacts


def arrived(facts: ShotFacts) -> list[Finding]:
    """Say that what came looks like a pair, while nobody has taken Eyes up."""
    told = told_eyes(facts.session, facts.delivery)
    return check_arrived(facts.recipe.eyes, told, f"{facts.shot.code}, beauty")


def findings(facts: ShotFacts) -> list[Finding]:
    """Gather the findings of the Eyes knot."""
    return eyes_findings(facts.session, facts.delivery, facts.recipe, facts.passes)
