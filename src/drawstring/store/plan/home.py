"""Plan's home in the store: what the plan finds, and what came held against the order."""

from __future__ import annotations

from sqlalchemy.orm import Session

from drawstring.core.findings import Finding
from drawstring.core.io.facts import Window, union
from drawstring.core.orders.came import CameView, held_against
from drawstring.core.passes import Role
from drawstring.core.plan.checks import check_plan
from drawstring.core.plan.planned import Planned
from drawstring.core.recipe import Recipe
from drawstring.store import deliveries, orders
from drawstring.store.homes import ShotFacts
from drawstring.store.models import Delivery, Shot
from drawstring.store.plan.known import known_of


def findings(facts: ShotFacts) -> list[Finding]:
    """Gather what the plan finds, and what came otherwise than it was ordered."""
    told = early(facts.session, facts.shot, facts.recipe)
    asked = orders.asks_for(facts.session, facts.shot)
    if asked is not None:
        order, part = asked
        told = held_against(order, part, came_of(facts.session, facts.delivery), facts.where) + told
    return told


def early(session: Session, shot: Shot, recipe: Recipe) -> list[Finding]:
    """Gather what the plan finds before anything has arrived."""
    return check_plan(Planned(recipe, known_of(session, shot, recipe)), shot.code)


def came_of(session: Session, delivery: Delivery) -> list[CameView]:
    """Tell what came, view by view, as it can be held against an order."""
    passes = deliveries.passes_of(delivery)
    facts = deliveries.facts_by_source(delivery)
    by_number = deliveries.frames_of(session, delivery)
    told = []
    for view in dict.fromkeys(one.view for one in passes):
        own = [one for one in passes if one.view == view]
        sources = {ref.source for one in own for ref in one.channels}
        first = facts[min(sources)].parts[own[0].channels[0].part if own[0].channels else 0]
        whole, broken = set(), {}
        for number, files in by_number.items():
            faults = [files[source].fault for source in sources if source in files and files[source].fault]
            if any(source not in files for source in sources):
                broken[number] = "came without a part of its passes"
            elif faults:
                broken[number] = faults[0]
            else:
                whole.add(number)
        names = {one.role.value for one in own if one.role is not Role.OTHER}
        names |= {one.name.rpartition(".")[2] for one in own} | {one.layer for one in own}
        parts = [part for source in sources for part in facts[source].parts]
        same = [part.data_window for part in parts if part.display_window == first.display_window]
        told.append(
            CameView(
                view, frozenset(whole), broken, first.display_window,
                union(same) if same else Window(*first.data_window), frozenset(names), first.metadata,
                first.pixel_aspect or 1.0,
            )
        )  # fmt: skip
    return told
