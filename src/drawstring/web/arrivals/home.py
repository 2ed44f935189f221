"""Arrivals' home in the pages: what came for one shot, and the scans of a show."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from drawstring.core.colour.management import builtin_configs
from drawstring.store import deliveries, measuring
from drawstring.store.models import Delivery, Shot
from drawstring.store.standing import ShotStanding
from drawstring.web.arrivals.tiles import bp as tiles
from drawstring.web.arrivals.views import bp as scans
from drawstring.web.colour_files import kept_configs
from drawstring.web.delivery.views import bp as delivery
from drawstring.web.drawing import spark

BLUEPRINTS = (scans, tiles, delivery)
IS_ALWAYS_NEEDED = True


def words(session: Session, shot: Shot, how: ShotStanding, frames: list[int]) -> dict[str, Any]:
    """Gather what the Arrivals panel needs."""
    came = shot.delivery
    return {
        "bytes_a_frame": deliveries.bytes_a_frame(session, came) if came else 0,
        "sparks": _sparks(came) if came else {},
        "builtin_configs": builtin_configs(),
        "kept_configs": kept_configs(),
    }


def _sparks(delivery: Delivery) -> dict[str, str]:
    """Draw every pass's mean over the frames as a small line, where it was counted."""
    measurement = delivery.measured("facts")
    if measurement is None or measurement.state != "done":
        return {}
    counted = measuring.counted_of(measurement)
    names = {name for of_frame in counted.values() for name in of_frame}
    return {
        name: spark({n: of_frame[name].mean for n, of_frame in counted.items() if name in of_frame})
        for name in names
    }
