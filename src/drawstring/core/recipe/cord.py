"""How a shot stands, knot by knot: the cord that is taut where settled and slack where not."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from drawstring.core.findings import Finding, Severity
from drawstring.core.knots import is_before_arrivals
from drawstring.core.recipe.knots import KNOTS, KnotState
from drawstring.core.recipe.recipe import Recipe


@dataclass(frozen=True)
class CordFacts:
    """What the cord needs to know of a shot.

    Attributes
    ----------
    arrival : str
        Digest of the accepted delivery; empty when there is none.
    passes, frames, channels : int
        Recognised passes, usable frames, channels that would go out.
    scene_unit : str
    findings : mapping of knot name to findings
    change : str
        What came since, for knots that were settled on something else.
    order : int
        The newest order that asks for the shot; 0 for none.
    """

    arrival: str
    passes: int
    frames: int
    channels: int
    scene_unit: str
    findings: Mapping[str, Sequence[Finding]] = field(default_factory=dict)
    change: str = ""
    order: int = 0


@dataclass(frozen=True)
class KnotView:
    """One knot as it is drawn: state, what was settled, and why it is not settled."""

    name: str
    title: str
    state: KnotState
    summary: str
    reason: str

    @property
    def is_taut(self) -> bool:
        """Whether the cord is tight up to here: settled, or not needed."""
        return self.state in (KnotState.SETTLED, KnotState.NOT_NEEDED)


def cord_of(recipe: Recipe, facts: CordFacts) -> list[KnotView]:
    """Tell how every knot stands.

    Parameters
    ----------
    recipe : Recipe
    facts : CordFacts
    """
    views = []
    for knot in KNOTS:
        settings = recipe.knot(knot.name)
        state, reason = _state(settings.needed, settings.settled_on, facts, knot.name)
        summary = "not needed" if state is KnotState.NOT_NEEDED else knot.says(recipe, facts)
        views.append(KnotView(knot.name, knot.title, state, summary, reason))
    return views


def _state(needed: bool, settled_on: str, facts: CordFacts, knot: str) -> tuple[KnotState, str]:
    if not needed:
        return KnotState.NOT_NEEDED, ""
    stopping = [f for f in facts.findings.get(knot, ()) if f.severity is Severity.STOPS]
    if stopping:
        return KnotState.BLOCKED, stopping[0].what
    if not settled_on:
        return KnotState.OPEN, "not settled yet"
    if settled_on != facts.arrival and not is_before_arrivals(knot):
        return KnotState.STALE, facts.change or "another delivery was accepted since"
    return KnotState.SETTLED, ""
