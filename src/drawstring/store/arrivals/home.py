"""Arrivals' home in the store: what the scan said and still holds, frames set aside, frames asked for."""

from __future__ import annotations

from drawstring.core.arrivals.colour_checks import check_colour
from drawstring.core.findings import Does, Finding, Mend, Severity, finding_from_dict, show_frame
from drawstring.core.passes import Pass, Role
from drawstring.core.recipe import Recipe
from drawstring.core.recipe.views import views_chosen
from drawstring.store import deliveries, measuring
from drawstring.store.homes import ShotFacts, arrived_findings
from drawstring.store.models import Delivery, Shot


def findings(facts: ShotFacts) -> list[Finding]:
    """Gather the findings of the Arrivals knot."""
    session, shot, delivery = facts.session, facts.shot, facts.delivery
    said = [finding_from_dict(plain) for plain in delivery.findings]
    counted = measuring.told_facts(session, delivery.measured("facts")).get("findings", [])
    gathered = _still_true(said, facts.passes) + [finding_from_dict(plain) for plain in counted]
    gathered += _set_aside(shot, delivery)
    gathered += _frames_asked_for(shot, delivery, facts.recipe)
    gathered += check_colour(
        facts.recipe.arrivals, facts.passes, _files_of(delivery), views_chosen(facts.recipe)
    )
    return gathered + arrived_findings(facts)


def _files_of(delivery: Delivery) -> dict[int, str]:
    """Give a path for each source, with its pattern: what rules about names go by."""
    return {source: member.pattern for source, member in enumerate(delivery.members)}


def _set_aside(shot: Shot, delivery: Delivery) -> list[Finding]:
    """Tell of frames that could not be counted, and of counts that came to a stop as a whole."""
    found = []
    for measurement in delivery.measurements:
        if measurement.state not in ("done", "failed"):
            continue
        aside = {int(number): words for number, words in measurement.set_aside.items()}
        if not aside and measurement.state == "done":
            continue
        number = min(aside, default=None)
        what = (
            f"{len(aside)} of {measurement.total} frames could not be counted; frame {number}: "
            f"{aside[number]}"
            if number is not None
            else f"The frames could not be counted. {measurement.note}"
        )
        found.append(
            Finding(
                "frames-set-aside",
                Severity.WARNS,
                what,
                f"{shot.code}, {'frames' if number is None else f'frame {number}'}",
                "Nothing is known of what they hold, so nothing wrong in them can be found.",
                "Look at them; render them again and accept what comes, or leave them out.",
                frame=number,
                mends=(show_frame(number),) if number is not None else (),
            )
        )
    return found


def _frames_asked_for(shot: Shot, delivery: Delivery, recipe: Recipe) -> list[Finding]:
    """Compare the frames that the shot is to have with those that came."""
    first, last = recipe.arrivals.first, recipe.arrivals.last
    begin, end = deliveries.asked_range(delivery, recipe.arrivals)
    if end < delivery.first or begin > delivery.last:
        return [
            Finding(
                "range-empty",
                Severity.STOPS,
                f"The shot is to have frames {begin} to {end}; the delivery has {delivery.first} to "
                f"{delivery.last}.",
                f"{shot.code}, arrivals.first",
                "Not one of its frames would be packed.",
                "Check the frames to pack, or pack all that came.",
                mends=(Mend("pack all frames", Does.SET, (("arrivals.first", ""), ("arrivals.last", ""))),),
            )
        ]
    lacks = []
    if first is not None and first < delivery.first:
        lacks.append(f"{first} to {delivery.first - 1}")
    if last is not None and last > delivery.last:
        lacks.append(f"{delivery.last + 1} to {last}")
    if not lacks:
        return []
    return [
        Finding(
            "range-short",
            Severity.WARNS,
            f"The shot is to have frames {' and '.join(lacks)}, which did not come.",
            f"{shot.code}, arrivals.first",
            "The package would end before the cut does.",
            f"Have them rendered; the delivery has {delivery.first} to {delivery.last}.",
        )
    ]


def _still_true(said: list[Finding], passes: list[Pass]) -> list[Finding]:
    """Leave out what a corrected role has settled since the scan."""
    unsure = {one.layer or one.name for one in passes if one.needs_look}
    has_depth = any(one.role is Role.DEPTH for one in passes)
    return [
        finding
        for finding in said
        if not (finding.code == "pass-unsure" and finding.where.rpartition(", ")[2] not in unsure)
        and not (finding.code == "no-depth" and has_depth)
    ]
