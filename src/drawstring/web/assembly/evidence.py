"""What lies under the well at Assembly: every term with its share, and what the sum leaves of the beauty."""

from __future__ import annotations

from typing import Any

import numpy as np
from flask import Blueprint, render_template, request
from sqlalchemy.orm import Session

from drawstring.core.arrays import Picture
from drawstring.core.assembly.checks import explained, residuals_of
from drawstring.core.assembly.expression import Planes
from drawstring.core.assembly.residual import Residual, compared, measure, needed_channels
from drawstring.core.assembly.steps import changed_value, sum_value, term_value
from drawstring.core.assembly.terms import counted_terms
from drawstring.core.chain import PICTURE, Stage
from drawstring.core.errors import DrawstringError
from drawstring.core.recipe import Recipe
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.sources import of_view
from drawstring.store import measuring, shows
from drawstring.store.models import Shot
from drawstring.store.recipes import head
from drawstring.web.bench.evidence import asked_part
from drawstring.web.pictures.here import FrameHere, frame_here, tried
from drawstring.web.services import work

bp = Blueprint("assembly_evidence", __name__)

PLOT = (200, 84)
"""Width and height of the plot over the frames, in its own units."""


@bp.get("/shots/<int:shot_id>/assembly/evidence")
def evidence(shot_id: int) -> str:
    """Give the evidence of a part for a frame; settings in the query are tried out."""
    part, number = asked_part(("sum", "terms", "mix", "colour")), request.args.get("frame", 0, type=int)
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        at = frame_here(session, shot_id, number)
        recipe = tried(session, shot, request.args, number)
        revision = head(session, shot)
        words: dict[str, Any] = {
            "shot": shot, "frame": number, "part": part,
            "digest": f"{shot.delivery_id}-{revision.number if revision else 0}",
        }  # fmt: skip
        try:
            words |= {"terms": _terms(at, recipe)} if recipe.assembly.needed else {"terms": []}
            words |= _residuals(session, shot, at, recipe)
        except DrawstringError as refusal:
            words["refusal"] = refusal
    return render_template("assembly/_evidence_sum.html", **words)


@bp.get("/shots/<int:shot_id>/assembly/shares")
def shares(shot_id: int) -> dict[str, Any]:
    """Give each term's share of a pixel's light, and what no term explains."""
    number, x, y = (request.args.get(field, 0, type=int) for field in ("frame", "x", "y"))
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        at = frame_here(session, shot_id, number)
        recipe = tried(session, shot, request.args, number)
    chains = Chains(at.passes, recipe)
    row, col = at.came_from(chains, x, y)
    if row < 0 or not recipe.assembly.needed:
        return {"shares": {}, "rest": None}
    chain = chains.own_chains()[0]
    terms = counted_terms(chain.subject.passes, recipe.assembly)
    light: Picture = at.of(chain.before(Stage.ASSEMBLED, PICTURE), 0)
    if row >= len(light) or col >= light.shape[1]:
        return {"shares": {}, "rest": None}
    whole = float(np.abs(light[row, col, :3]).sum())
    said, total = {}, np.zeros(3)
    for term in terms:
        own = np.asarray(at.of(term_value(chain, term), 0)[row, col], np.float64)
        total += own
        said[term.name] = float(own.sum() / whole) if whole else 0.0
    rest = float((light[row, col, :3] - total).sum() / whole) if whole else 0.0
    return {"shares": said, "rest": rest}


def _terms(at: FrameHere, recipe: Recipe) -> list[dict[str, Any]]:
    """Give every term that counts: its share of all light, and how it was changed."""
    chain = Chains(at.passes, recipe).own_chains()[0]
    light: Picture = at.of(chain.before(Stage.ASSEMBLED, PICTURE), 0)
    whole = float(np.nansum(light[..., :3], dtype=np.float64))
    said = []
    for term in counted_terms(chain.subject.passes, recipe.assembly):
        how = recipe.assembly.term(term.name)
        came: Planes = at.of(term_value(chain, term), 0)
        goes: Planes = at.of(changed_value(chain, term), 0) if how.changes else came
        said.append(
            {
                "name": term.name, "title": term.name.replace("_", " "), "label": term.label,
                "sign": "−" if term.sign < 0 else "+", "is_muted": not how.on, "is_changed": how.changes,
                "share": float(came.sum(dtype=np.float64) / whole) if whole else 0.0,
                "goes": float(goes.sum(dtype=np.float64) / whole) if whole else 0.0,
            }
        )  # fmt: skip
    return said


def _residuals(session: Session, shot: Shot, at: FrameHere, recipe: Recipe) -> dict[str, Any]:
    """Give this frame's residual as it is now, and all frames' as they were counted."""
    first = of_view(at.passes, "")
    terms = counted_terms(first, recipe.assembly)
    here = _here(at, recipe) if terms else None
    measurement = shot.delivery.measured("assembly") if shot.delivery else None
    counted = measuring.counted_for(measurement)
    over = residuals_of(counted)
    cause = explained(counted, at.passes, recipe.assembly) if over and here and not here.adds_up else None
    return {
        "here": here,
        "measurement": measurement,
        "over": over,
        "plot": _plot(over),
        "worst": max(over, key=lambda number: over[number].rms) if over else None,
        "cause": cause,
    }


def _here(at: FrameHere, recipe: Recipe) -> Residual | None:
    chains = Chains(at.passes, recipe)
    chain = chains.own_chains()[0]
    if chains.is_packed or any(recipe.arrivals.spaces.values()):
        # The stored types' steps are those of what was stored: measured is what is added up now.
        light: Picture = at.of(chain.before(Stage.ASSEMBLED, PICTURE), 0)
        return compared(light[..., :3], at.of(sum_value(chain), 0))
    first = of_view(at.passes, "")
    terms = counted_terms(first, recipe.assembly)
    return measure(terms, first, at.planes(needed_channels(terms, first), 0))


def _plot(over: dict[int, Residual]) -> dict[str, Any] | None:
    """Draw the residual's RMS over the frames on a logarithmic scale: what is no gap stays at the foot."""
    if not over:
        return None
    width, height = PLOT
    numbers = list(over)
    span = max(1, numbers[-1] - numbers[0])
    top = max(max(one.largest for one in over.values()), 1e-6)
    decades = 6.0

    def y(value: float) -> float:
        share = 1 + np.log10(max(value, top * 10**-decades) / top) / decades
        return round(height - 4 - float(share) * (height - 10), 1)

    def x(number: int) -> float:
        return round(2 + (number - numbers[0]) / span * (width - 4), 1)

    lines = {}
    for name in ("largest", "p999", "rms"):
        points = [f"{x(n)} {y(getattr(one, name))}" for n, one in over.items()]
        lines[name] = "M" + "L".join(
            points if len(points) > 1 else [points[0], f"{width - 2} {points[0].split()[1]}"]
        )
    return {
        "lines": lines,
        "x": {n: x(n) for n in numbers},
        "top": top,
        "first": numbers[0],
        "last": numbers[-1],
    }
