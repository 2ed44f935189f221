"""What the Plan's templates need."""

from __future__ import annotations

from typing import Any

from flask import request
from sqlalchemy.orm import Session

from drawstring.core.framing.settings import PRESETS
from drawstring.core.orders.making import obstacle
from drawstring.core.passes.roles import Role
from drawstring.core.plan.planned import Planned
from drawstring.core.plan.settings import LengthIn, Pairs
from drawstring.core.plan.sums import PAPERS, Round, eye_distance_says, eye_height_says
from drawstring.core.plan.tiling import MUST_BE_OFF
from drawstring.store import orders
from drawstring.store.models import Shot
from drawstring.store.plan.known import known_of
from drawstring.store.standing import ShotStanding
from drawstring.web.plan.drawings import DRAWN, says_of

PARTS = {
    "delivery": "Delivery", "passes": "Passes", "overscan": "Overscan", "depth": "Depth reach", "stereo":
    "Two eyes",
    "round": "All-round", "tiles": "Tiles", "cameras": "Cameras", "samples": "Samples", "pairs": "Pairs",
    "lens": "Lens and shutter", "paper": "Paper", "night": "The night",
}  # fmt: skip
"""Parts of the plan, in the order they are listed."""


def plan_words(session: Session, shot: Shot, how: ShotStanding, frames: list[int]) -> dict[str, Any]:
    """Gather what the Plan panel's templates need."""
    planned = Planned(how.recipe, known_of(session, shot, how.recipe))
    chosen = request.values.get("part", "")
    part = chosen if chosen in PARTS else "delivery"
    _ = planned.overscan, planned.sharp
    asked = orders.asks_for(session, shot)
    return {
        "planned": planned,
        "parts": PARTS,
        "part": part,
        "says": says_of(planned),
        "drawn": DRAWN[part](planned) if part in DRAWN else {},
        "hinders": obstacle(planned),
        "asked": asked[0] if asked else None,
        "waits": [row for row in orders.asked_again(session, shot.show) if row.shot_id == shot.id],
        "choices": {"round": list(Round), "pairs": list(Pairs), "told_in": list(LengthIn)},
        "presets": PRESETS,
        "papers": PAPERS,
        "must_be_off": MUST_BE_OFF,
        "roles": [role.value for role in Role if role is not Role.OTHER],
        "height_says": eye_height_says(how.recipe.plan.round.eye_height_m),
        "distance_says": eye_distance_says(how.recipe.plan.round.eye_distance_m),
        "middle_frame": frames[len(frames) // 2] if frames else None,
    }
