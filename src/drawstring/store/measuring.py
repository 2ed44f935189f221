"""Measured depth, kept: tallies as compact text, per-frame curves, and read back exactly."""

from __future__ import annotations

import base64
import math
import zlib
from collections.abc import Mapping
from typing import Any

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from drawstring.core.depth import DepthTally, merged
from drawstring.store.models import Measurement, Sequence


def tally_to_json(tally: DepthTally) -> dict[str, Any]:
    """Give a tally as plain data, its counts packed."""
    packed = base64.b64encode(zlib.compress(tally.counts.astype("<i8").tobytes(), 6)).decode()
    return {
        "pixels": tally.pixels,
        "nothing": tally.nothing,
        "nan": tally.nan,
        "negative": tally.negative,
        "nearest": _number(tally.nearest),
        "furthest": _number(tally.furthest),
        "first_bin": tally.first_bin,
        "counts": packed,
    }


def tally_from_json(plain: Mapping[str, Any]) -> DepthTally:
    """Read a tally back."""
    counts = np.frombuffer(zlib.decompress(base64.b64decode(plain["counts"])), "<i8").astype(np.int64)
    nearest, furthest = (math.nan if plain[e] is None else plain[e] for e in ("nearest", "furthest"))
    return DepthTally(
        plain["pixels"],
        plain["nothing"],
        plain["nan"],
        plain["negative"],
        nearest,
        furthest,
        plain["first_bin"],
        counts,
    )


def curve_of(tally: DepthTally) -> dict[str, Any]:
    """Give what is drawn of one frame: ends, median, share of nothing, coarse counts."""
    first, counts = tally.coarse()
    return {
        "nearest": _number(tally.nearest),
        "furthest": _number(tally.furthest),
        "median": _number(tally.percentile(50)),
        "nothing": round(tally.nothing / max(1, tally.pixels), 5),
        "first_bin": first,
        "counts": counts,
    }


def finish(measurement: Measurement, tallies: Mapping[int, DepthTally], faults: Mapping[int, str]) -> None:
    """Write down what was measured."""
    measurement.frames = {str(number): curve_of(one) for number, one in sorted(tallies.items())}
    measurement.whole = tally_to_json(merged(tallies.values()))
    measurement.done = len(tallies) + len(faults)
    measurement.state = "done" if tallies else "failed"
    first = next(iter(faults.values()), "")
    measurement.note = f"{len(faults)} frames could not be measured: {first}" if faults else ""


def whole_tally(session: Session, measurement: Measurement | None) -> DepthTally | None:
    """Give the tally over all frames; None while it is not measured."""
    if measurement is None or measurement.state != "done":
        return None
    key = (measurement.id, measurement.asked_at.isoformat())
    return _KEPT.get(key) or _keep(key, _load(session, measurement.id))


_KEPT: dict[tuple[int, str], DepthTally] = {}
"""Tallies of finished measurements, which never change: the board asks for all of them again and again."""


def _keep(key: tuple[int, str], tally: DepthTally) -> DepthTally:
    if len(_KEPT) > 2000:
        _KEPT.clear()
    _KEPT[key] = tally
    return tally


def _load(session: Session, measurement_id: int) -> DepthTally:
    plain = session.scalar(select(Measurement.whole).where(Measurement.id == measurement_id))
    return tally_from_json(plain or {})


def waiting(session: Session) -> list[Measurement]:
    """Give measurements that are to be done, oldest first."""
    query = (
        select(Measurement)
        .join(Sequence)
        .where(Measurement.state.in_(["waiting", "measuring"]))
        .order_by(Measurement.asked_at)
    )
    return list(session.scalars(query))


def _number(value: float) -> float | None:
    return None if math.isnan(value) else value


__all__ = ["curve_of", "finish", "tally_from_json", "tally_to_json", "waiting", "whole_tally"]
