"""What was counted over all frames, kept and read back: depth as compact tallies, passes as statistics."""

from __future__ import annotations

import base64
import math
import zlib
from collections.abc import Mapping
from typing import Any

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session, defer

from drawstring.core.arrivals.facts import findings_of
from drawstring.core.depth import DepthTally, merged
from drawstring.core.io.facts import Window
from drawstring.core.passes import Pass, PassStatistics, Role, alpha_kind, statistics_from_dict
from drawstring.core.recipe.results import depth_pass
from drawstring.store.facts import pass_from_row
from drawstring.store.models import Delivery, Measurement, now


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
        "edges": tally.edges,
        "mixed": tally.mixed,
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
        plain.get("edges", 0),
        plain.get("mixed", 0),
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


def ask(session: Session, delivery: Delivery, *, anew: bool = False) -> None:
    """Ask for what is counted over all frames of a delivery: what its passes hold, and depth if there is any.

    Parameters
    ----------
    anew : bool
        Whether depth is counted again: another pass may have been taken for it.
    """
    session.flush()
    session.refresh(delivery, ["passes", "measurements"])
    passes = [pass_from_row(row) for row in delivery.passes]
    if delivery.measured("facts") is None:
        delivery.measurements.append(Measurement(kind="facts", total=delivery.usable))
    else:
        tell_facts(delivery.measured("facts"))
    depth, measured = depth_pass(passes), delivery.measured("depth")
    if measured is not None and (anew or depth is None):
        delivery.measurements.remove(measured)
        session.flush()
        measured = None
    if depth is not None and measured is None:
        delivery.measurements.append(Measurement(kind="depth", pass_name=depth.name, total=delivery.usable))
    session.flush()


def finish(measurement: Measurement, counted: Mapping[int, Any], faults: Mapping[int, str]) -> None:
    """Write down what was counted: depth tallies, or statistics by a pass's place."""
    if measurement.kind == "depth":
        measurement.frames = {str(number): curve_of(one) for number, one in sorted(counted.items())}
        ends = {str(n): [one.nearest, one.furthest] for n, one in sorted(counted.items()) if one.seen}
        measurement.whole = tally_to_json(merged(counted.values())) | {"ends": ends}
    else:
        measurement.frames = {
            str(number): {str(place): one.as_dict() for place, one in of_frame.items()}
            for number, of_frame in sorted(counted.items())
        }
    measurement.done = len(counted) + len(faults)
    measurement.state = "done" if counted else "failed"
    first = next(iter(faults.values()), "")
    measurement.note = f"{len(faults)} frames could not be measured: {first}" if faults else ""
    if measurement.kind == "facts":
        tell_facts(measurement)


def tell_facts(measurement: Measurement | None) -> None:
    """Work out what the counted passes mean, by the names that they bear now."""
    if measurement is None or measurement.state != "done":
        return
    delivery = measurement.delivery
    passes = [pass_from_row(row) for row in delivery.passes]
    found = findings_of(
        counted_of(measurement), passes, where=delivery.shot.code, window=Window(*delivery.window)
    )
    beauty = next((one for one in passes if one.name == Role.BEAUTY), None)
    measurement.whole = {
        "findings": [finding.as_dict() for finding in found],
        "alpha": _alpha_over_frames(measurement, passes, beauty),
    }
    measurement.asked_at = now()  # whoever kept the old findings looks at this


def _alpha_over_frames(measurement: Measurement, passes: list[Pass], beauty: Pass | None) -> str:
    if beauty is None:
        return ""
    if len(beauty.channels) < 4:
        return "missing"
    place = str(passes.index(beauty))
    kinds = [alpha_kind(frame[place].get("a", {})) for frame in measurement.frames.values() if place in frame]
    known = [kind for kind in kinds if kind not in ("unsure", "empty")] or kinds
    return max(set(known), key=known.count) if known else ""


def counted_of(measurement: Measurement) -> dict[int, dict[str, PassStatistics]]:
    """Give what was counted of each frame, by the names that passes bear now."""
    names = {str(row.place): row.name for row in measurement.delivery.passes}
    return {
        int(number): {
            names[place]: statistics_from_dict(plain) for place, plain in of_frame.items() if place in names
        }
        for number, of_frame in measurement.frames.items()
    }


def told_facts(session: Session, measurement: Measurement | None) -> dict[str, Any]:
    """Give what the counted passes mean: findings and kind of alpha; empty while they are being counted."""
    if measurement is None or measurement.state != "done":
        return {}
    key = (measurement.id, measurement.asked_at.isoformat())
    if key not in _TOLD:
        if len(_TOLD) > 2000:
            _TOLD.clear()
        plain = session.scalar(select(Measurement.whole).where(Measurement.id == measurement.id))
        _TOLD[key] = plain or {}
    return _TOLD[key]


_TOLD: dict[tuple[int, str], dict[str, Any]] = {}
"""What finished counts mean; the board asks for all of them again and again."""


def whole_tally(session: Session, measurement: Measurement | None) -> DepthTally | None:
    """Give the tally over all frames; None while it is not measured."""
    if measurement is None or measurement.state != "done":
        return None
    key = (measurement.id, measurement.asked_at.isoformat())
    return _KEPT.get(key) or _keep(key, _load(session, measurement.id))


def frame_ends(session: Session, measurement: Measurement | None) -> dict[int, tuple[float, float]]:
    """Give the nearest and furthest distance of each frame; empty while it is not measured."""
    if measurement is None or measurement.state != "done":
        return {}
    plain = session.scalar(select(Measurement.whole["ends"]).where(Measurement.id == measurement.id))
    return {int(number): (near, far) for number, (near, far) in (plain or {}).items()}


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
        .where(Measurement.state.in_(["waiting", "measuring"]))
        # Depth first: somebody waits for it on the strip.
        .order_by(Measurement.kind, Measurement.asked_at)
        .options(defer(Measurement.frames), defer(Measurement.whole))
    )
    return list(session.scalars(query))


def _number(value: float) -> float | None:
    return None if math.isnan(value) else value
