"""Alpha's home in the store."""

from __future__ import annotations

from drawstring.core.findings import Finding
from drawstring.store.alpha.standing import alpha_findings
from drawstring.store.homes import ShotFacts


def findings(facts: ShotFacts) -> list[Finding]:
    """Gather the findings of the Alpha knot."""
    return alpha_findings(facts.session, facts.delivery, facts.recipe, facts.passes)
