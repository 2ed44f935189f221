"""What the bench's templates need, gathered for one knot."""

from __future__ import annotations

from functools import partial
from typing import Any

from flask import request
from sqlalchemy.orm import Session

from drawstring.core.arrivals import camera_words
from drawstring.core.chain import PICTURE
from drawstring.core.colour import HOUSE
from drawstring.core.colour.management import config_of
from drawstring.core.errors import SettingError
from drawstring.core.findings import gravest_first
from drawstring.core.knots import is_before_arrivals
from drawstring.core.pack.naming import bare_name
from drawstring.core.passes import Pass, Role
from drawstring.core.recipe import KnotState, available_results, fixed_results, result_named, space_of
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.homes import families
from drawstring.store import deliveries, measuring, reviews
from drawstring.store.models import Review, Shot
from drawstring.store.standing import ShotStanding, standing
from drawstring.web.bench.cut_sound import is_heard
from drawstring.web.homes import (
    can_be_left_out,
    has_track,
    is_on_bench,
    modules_of,
    page_of,
    script_of,
    words_of,
)


def bench_words(session: Session, one: Shot, knot: str) -> dict[str, Any]:
    """Gather what the bench's templates need."""
    how = standing(session, one)
    delivery = one.delivery
    frames = deliveries.frame_cells(session, delivery) if delivery else []
    usable = [frame.number for frame in frames if frame.state in ("here", "partial")]
    whole = [frame.number for frame in frames if frame.state == "here"] or usable
    changes = bool(Chains(how.passes, how.recipe).changing)
    # What is only there to be looked at lies in the tray of the knot that makes it.
    results = [
        name
        for name in available_results(how.passes, how.recipe)
        if ((made := result_named(name)).is_packed or made.knot == knot)
        and (bare_name(name) != PICTURE or changes)
    ]
    findings = gravest_first(how.findings.get(knot, []))
    return {
        "shot": one,
        "show": one.show,
        "how": how,
        "knot": knot,
        "delivery": delivery,
        "facts": deliveries.facts_of(delivery) if delivery else None,
        "display": deliveries.display_window(delivery) if delivery else None,
        "counting": delivery.measured("facts") if delivery else None,
        "camera": camera_words(deliveries.facts_of(delivery)) if delivery else [],
        "told": measuring.told_facts(session, delivery.measured("facts")) if delivery else {},
        "frames": frames,
        "sounding": _sounding(session, one),
        "flagged": {f.frame: f.what for f in how.all_findings if f.frame is not None},
        "frame": _shown_frame(usable, whole),
        "passes": sorted(how.passes, key=_place_in_tray),
        "results": results,
        "all_results": list(dict.fromkeys([*fixed_results(), *results])),
        "families": families(),
        "slow": [name for name, result in fixed_results().items() if result.is_slow],
        "first_pictures": _first_pictures(how, results),
        **_colour_words(how),
        "roles": list(Role),
        "space_of": partial(space_of, recipe=how.recipe),
        "findings": findings,
        "next_knot": _next_knot(how, knot),
        "has_track": has_track(knot),
        "script": script_of(knot),
        "modules": modules_of(knot),
        "page_of": page_of,
        "is_on_bench": is_on_bench(knot),
        "can_be_left_out": can_be_left_out(knot),
        **(words_of(knot, session, one, how, usable) if delivery or is_before_arrivals(knot) else {}),
    }


def _colour_words(how: ShotStanding) -> dict[str, Any]:
    """Give what colours can be read as and seen through; the house's own where a configuration is gone."""
    management = how.recipe.arrivals.management
    try:
        config_of(management.config)
    except SettingError:
        management = HOUSE
    return {"management": management, "views": management.views, "spaces": management.spaces}


def _shown_frame(usable: list[int], whole: list[int]) -> int | None:
    """Give the frame that the page shows, else the one in the middle."""
    shown = request.values.get("frame", type=int)
    if shown in usable:
        return shown
    return whole[len(whole) // 2] if whole else None


def _place_in_tray(one: Pass) -> tuple[bool, int]:
    """Order the tray: the default view first, then by what is looked at most, then as roles are listed."""
    first = [Role.BEAUTY, Role.DEPTH, Role.NORMAL, Role.OBJECT_MATTE, Role.SHADOW, Role.OCCLUSION]
    order = [*first, *(role for role in Role if role not in first)]
    return "." in one.name, order.index(one.role)


def _first_pictures(how: ShotStanding, results: list[str]) -> tuple[str, str]:
    """Choose what lies in the well at first: finished picture and beauty, else beauty and a result."""
    names = [one.name for one in how.passes]
    beauty = "beauty" if "beauty" in names else names[0] if names else ""
    if PICTURE in results and beauty:
        return PICTURE, beauty  # after and before
    first = beauty
    made = [name for name in results if result_named(name).is_packed]
    second = made[0] if made else "depth" if "depth" in names else first
    return first, second


def _next_knot(how: ShotStanding, knot: str) -> str:
    """Give the next knot that the shot needs; those it does without are on the cord, not on the way."""
    names = [view.name for view in how.knots]
    after = how.knots[names.index(knot) + 1 :]
    return next((view.name for view in after if view.state is not KnotState.NOT_NEEDED), "")


def _sounding(session: Session, shot: Shot) -> Review | None:
    """Give the movie whose sound is heard while the shot is played."""
    review = reviews.sounding(session, shot)
    return review if review is not None and is_heard(review.asked["sound"]) else None
