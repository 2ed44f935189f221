"""Distances counted over all frames of a delivery, read back."""

from __future__ import annotations

from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from drawstring.core.depth import DepthSettings, DepthTally
from drawstring.core.depth.counting import tally_from_json
from drawstring.store.models import Delivery, Measurement


def measurement_of(delivery: Delivery | None) -> Measurement | None:
    """Give the measurement of a delivery's distances, where it was asked for."""
    return delivery.measured(DepthSettings.knot) if delivery is not None else None


def whole_tally(session: Session, delivery: Delivery | None) -> DepthTally | None:
    """Give the tally over all frames; None while it is not measured."""
    measurement = _done(delivery)
    if measurement is None:
        return None
    key = (measurement.id, measurement.asked_at.isoformat())
    if key not in _KEPT:
        if len(_KEPT) > 2000:
            _KEPT.clear()
        plain = session.scalar(select(Measurement.whole).where(Measurement.id == measurement.id))
        if not plain or "counts" not in plain:
            return None  # somebody has it measured anew just now
        _KEPT[key] = tally_from_json(plain)
    return _KEPT[key]


_KEPT: dict[tuple[int, str], DepthTally] = {}
"""Tallies of finished measurements, which never change: the board asks for all of them again and again."""


def frame_ends(session: Session, delivery: Delivery | None) -> dict[int, tuple[float, float]]:
    """Give the nearest and furthest distance of each frame; empty while it is not measured."""
    measurement = _done(delivery)
    if measurement is None:
        return {}
    plain = session.scalar(select(Measurement.whole["ends"]).where(Measurement.id == measurement.id))
    return {int(number): (near, far) for number, (near, far) in (plain or {}).items()}


def told_distances(session: Session, delivery: Delivery | None) -> dict[str, Any]:
    """Give what was told beside the distances: along which line, and other views' tallies."""
    measurement = _done(delivery)
    if measurement is None:
        return {"along": None, "views": {}}
    query = select(Measurement.whole["along"], Measurement.whole["views"])
    along, views = session.execute(query.where(Measurement.id == measurement.id)).one()
    return {"along": along, "views": {v: tally_from_json(plain) for v, plain in (views or {}).items()}}


def _done(delivery: Delivery | None) -> Measurement | None:
    measurement = measurement_of(delivery)
    return measurement if measurement is not None and measurement.state == "done" else None
