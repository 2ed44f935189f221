"""Pack's home in the store: names and types, the finished picture, the profile."""

from __future__ import annotations

from drawstring.core.findings import Finding
from drawstring.core.pack.profile_checks import check_profile
from drawstring.core.recipe.finished import check_finished
from drawstring.store import deliveries
from drawstring.store.homes import ShotFacts


def findings(facts: ShotFacts) -> list[Finding]:
    """Gather the findings of the Pack knot."""
    shown = deliveries.place_out(facts.delivery, facts.recipe).display
    return [
        *facts.outputs.findings,
        *check_finished(facts.passes, facts.recipe, f"{facts.shot.code}, picture"),
        *check_profile(
            facts.passes,
            facts.recipe,
            facts.outputs.channels,
            display=(shown.width, shown.height),
            frame_rate=facts.shot.show.fps,
        ),
    ]
