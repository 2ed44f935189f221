"""Assembly's home in the store: whether the parts add up, and whether all that is settled is there."""

from __future__ import annotations

from drawstring.core.assembly.checks import check_settings, check_spaces, check_sum
from drawstring.core.findings import Finding
from drawstring.store import measuring
from drawstring.store.homes import ShotFacts


def findings(facts: ShotFacts) -> list[Finding]:
    """Gather the findings of the Assembly knot."""
    settings, where = facts.recipe.assembly, f"{facts.shot.code}, assembly"
    mattes = [one.name for one in facts.recipe.alpha.mattes] if facts.recipe.alpha.needed else []
    found = check_settings(facts.passes, settings, mattes, where)
    found += check_spaces(facts.passes, facts.recipe, where)
    return found + (arrived(facts) if not any(one.code.startswith("sum-") for one in found) else [])


def arrived(facts: ShotFacts) -> list[Finding]:
    """Say whether the parts add up in what was counted; nothing while they are being counted."""
    counted = measuring.counted_for(facts.delivery.measured("assembly"))
    return check_sum(counted, facts.passes, facts.recipe.assembly, f"{facts.shot.code}, assembly")
