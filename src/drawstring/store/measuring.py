"""What was counted over all frames, kept and read back: depth as compact tallies, passes as statistics."""

from __future__ import annotations

import base64
import json
import math
import zlib
from collections.abc import Mapping
from typing import Any

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session, defer

from drawstring.core.alpha import OverFrames
from drawstring.core.arrivals.differences import range_differences, spans_of
from drawstring.core.arrivals.facts import findings_of
from drawstring.core.depth import DepthSettings, DepthTally, FrameDistances, merged
from drawstring.core.io.facts import Window
from drawstring.core.passes import HASHED_ROLES, Pass, PassStatistics, Role, alpha_kind, statistics_from_dict
from drawstring.core.recipe import Recipe
from drawstring.core.recipe.homes import countings
from drawstring.core.recipe.sources import depth_pass
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
        "ways": [tally.infinite, tally.zero, tally.huge],
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
        *plain.get("ways", (0, 0, 0)),
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


def ask(session: Session, delivery: Delivery, recipe: Recipe, *, anew: bool = False) -> None:
    """Ask for what is counted over all frames of a delivery: what its passes hold, and depth if there is any.

    Parameters
    ----------
    recipe : Recipe
        The shot's, as it stands.
    anew : bool
        Whether depth is counted again: another pass may have been taken for it.
    """
    session.flush()
    session.refresh(delivery, ["passes", "measurements"])
    passes = [pass_from_row(row) for row in delivery.passes]
    counted = delivery.measured("facts")
    if counted is not None and anew and _lacks_told(counted, passes):
        delivery.measurements.remove(counted)
        session.flush()
    if delivery.measured("facts") is None:
        delivery.measurements.append(Measurement(kind="facts", total=delivery.usable))
    else:
        tell_facts(delivery.measured("facts"))
    ask_knots(session, delivery, passes, recipe, anew=anew)
    depth, measured = depth_pass(passes), delivery.measured("depth")
    if measured is not None and (anew or depth is None):
        delivery.measurements.remove(measured)
        session.flush()
        measured = None
    if depth is not None and measured is None:
        delivery.measurements.append(Measurement(kind="depth", pass_name=depth.name, total=delivery.usable))
    session.flush()


def ask_knots(
    session: Session, delivery: Delivery, passes: list[Pass], recipe: Recipe, *, anew: bool = False
) -> None:
    """Ask for what knots want counted as the recipe stands; what was counted otherwise is counted anew."""
    wanted = countings(passes, recipe)
    for measurement in list(delivery.measurements):
        knot = measurement.kind
        if knot in ("facts", "depth"):
            continue
        is_same = knot in wanted and measurement.whole.get("key") == wanted[knot].key
        # One that still waits will count as things stand when it begins.
        if anew or knot not in wanted or not (is_same or measurement.state == "waiting"):
            delivery.measurements.remove(measurement)
            session.flush()
    for knot in wanted:
        if delivery.measured(knot) is None:
            said = {"says": wanted[knot].says}
            delivery.measurements.append(Measurement(kind=knot, total=delivery.usable, whole=said))
    session.flush()


_TOLD_ROLES = HASHED_ROLES | {Role.GROUND_PICTURE, Role.CLEAN_GROUND, Role.SHADOW}


def _lacks_told(measurement: Measurement, passes: list[Pass]) -> bool:
    """Whether a pass was taken for another while frames were counted, so that nothing was told of it."""
    if measurement.state != "done" or not measurement.frames:
        return False
    told = [str(place) for place, one in enumerate(passes) if one.role in _TOLD_ROLES]
    return any(
        all("t" not in frame.get(place, {}) for frame in measurement.frames.values()) for place in told
    )


def finish(
    measurement: Measurement,
    counted: Mapping[int, Any],
    faults: Mapping[int, str],
    *,
    recipe: Recipe | None = None,
) -> None:
    """Write down what was counted: distances of frames, statistics by a pass's place, or a knot's counts.

    Parameters
    ----------
    counted : mapping of frame number to FrameDistances, or to a mapping of place to PassStatistics
    faults : mapping of frame number to words
    recipe : Recipe, optional
        By which it was read.
    """
    if measurement.kind == "depth":
        _write_distances(measurement, counted)
        measurement.whole |= {"read_as": reading_of((recipe or Recipe()).depth)}
    elif measurement.kind != "facts":
        measurement.frames = {str(number): plain for number, plain in sorted(counted.items())}
    else:
        measurement.frames = {
            str(number): {str(place): one.as_dict() for place, one in of_frame.items()}
            for number, of_frame in sorted(counted.items())
        }
    measurement.done = len(counted) + len(faults)
    measurement.set_aside = {str(number): words for number, words in sorted(faults.items())}
    measurement.state = "done" if counted else "failed"
    first = next(iter(faults.values()), "")
    measurement.note = (
        f"{len(faults)} frame{'s' if len(faults) > 1 else ''} could not be counted: {first}" if faults else ""
    )
    if measurement.kind == "facts":
        tell_facts(measurement)
        _compare_ranges(measurement)


TRIES = 3
"""How often a measurement may come to a stop before it is set aside."""


def came_to_a_stop(session: Session, measurement_id: int, words: str) -> None:
    """Note that a measurement came to a stop as a whole; after `TRIES` times it is set aside."""
    measurement = session.get(Measurement, measurement_id)
    if measurement is None:
        return
    measurement.failures += 1
    measurement.note = words
    if measurement.failures >= TRIES:
        measurement.state = "failed"
    measurement.asked_at = now()  # whoever kept how it stood looks at this


def progress_of(delivery: Delivery | None) -> str:
    """Say how far looking through a delivery's frames is; empty when every frame was counted.

    So that "nothing was found" is never mistaken for "nobody has looked yet".
    """
    kinds = {"facts": "counting", "depth": "measuring depth"}
    for one in delivery.measurements if delivery else ():
        if one.kind not in kinds:
            kinds[one.kind] = one.whole.get("says", "counting")
    said = []
    for one in sorted(delivery.measurements if delivery else (), key=lambda one: one.kind, reverse=True):
        aside = f", {len(one.set_aside)} set aside" if one.set_aside else ""
        if one.state in ("waiting", "measuring"):
            said.append(f"{kinds[one.kind]}: {one.done} of {one.total} frames{aside}")
        elif one.state == "failed":
            said.append(f"{kinds[one.kind]}: set aside")
        elif aside:
            said.append(f"{kinds[one.kind]}: {len(one.set_aside)} of {one.total} frames set aside")
    return "; ".join(said)


def _write_distances(measurement: Measurement, counted: Mapping[int, FrameDistances]) -> None:
    first = {number: one.first for number, one in sorted(counted.items())}
    measurement.frames = {str(number): curve_of(one) for number, one in first.items()}
    views = {view for one in counted.values() for view in one.views}
    by_view = {
        view: merged(one.views[view] for one in counted.values() if view in one.views) for view in views
    }
    alongs = [one.along for _, one in sorted(counted.items()) if one.along]
    said = [one.along for one in alongs]
    # Frames that can't tell do not outvote one that can.
    known = [one for one in said if one is not None]
    best = max(set(known), key=known.count) if known else None
    evidence = next((one for one in alongs if one.along is best), None)
    measurement.whole = tally_to_json(merged(first.values())) | {
        "ends": {str(n): [one.nearest, one.furthest] for n, one in first.items() if one.seen},
        "views": {view: tally_to_json(one) for view, one in sorted(by_view.items())},
        "parallax": {str(n): dict(one.parallax) for n, one in sorted(counted.items()) if one.parallax},
        "along": {
            "is": best.value if best else None,
            "by": evidence.by,
            "off_axis": _plain_number(evidence.off_axis),
            "off_ray": _plain_number(evidence.off_ray),
            "focal_share": evidence.focal_share,
        }
        if evidence
        else None,
    }


def reading_of(settings: DepthSettings) -> str:
    """Name how a depth pass's numbers are read.

    What was measured under another name must be measured again.
    """
    return json.dumps([settings.arrived.model_dump(mode="json"), settings.along.value], sort_keys=True)


def is_read_otherwise(session: Session, measurement: Measurement | None, settings: DepthSettings) -> bool:
    """Whether a measurement reads, or has read, the pass's numbers in another way than is settled now.

    One that still waits will read them as they are settled when it begins.
    """
    if measurement is None or measurement.state == "waiting":
        return False
    said = session.scalar(select(Measurement.whole["read_as"]).where(Measurement.id == measurement.id))
    return (said or reading_of(DepthSettings())) != reading_of(settings)


def told_distances(session: Session, measurement: Measurement | None) -> dict[str, Any]:
    """Give what was found beside the distances: along which line, and other views' tallies."""
    if measurement is None or measurement.state != "done":
        return {"along": None, "views": {}}
    query = select(Measurement.whole["along"], Measurement.whole["views"])
    along, views = session.execute(query.where(Measurement.id == measurement.id)).one()
    return {"along": along, "views": {v: tally_from_json(plain) for v, plain in (views or {}).items()}}


def told_parallax(session: Session, measurement: Measurement | None) -> dict[int, dict[str, Any]]:
    """Give each frame's parallax as it follows from distances and cameras; empty where it is not known."""
    if measurement is None or measurement.state != "done":
        return {}
    query = select(Measurement.whole["parallax"]).where(Measurement.id == measurement.id)
    return {int(number): told for number, told in (session.scalar(query) or {}).items()}


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
    names = {str(place): one.name for place, one in enumerate(passes)}
    measurement.whole = {
        "told": {
            number: {names[p]: plain["t"] for p, plain in frame.items() if p in names and plain.get("t")}
            for number, frame in measurement.frames.items()
        },
        "findings": [finding.as_dict() for finding in found],
        "alpha": _alpha_over_frames(measurement, passes, beauty),
    }
    measurement.asked_at = now()  # whoever kept the old findings looks at this


def _compare_ranges(measurement: Measurement) -> None:
    """Tell, among the differences to the delivery before, whose values span another range now."""
    delivery = measurement.delivery
    before = [one for one in delivery.shot.deliveries if one.id < delivery.id]
    older = before[-1].measured("facts") if before else None
    if older is None or older.state != "done" or measurement.state != "done":
        return
    said = range_differences(spans_of(counted_of(older)), spans_of(counted_of(measurement)))
    delivery.differences = [*(one for one in delivery.differences if " spans " not in one), *said]


def _alpha_over_frames(measurement: Measurement, passes: list[Pass], beauty: Pass | None) -> str:
    if beauty is None:
        return ""
    if len(beauty.channels) < 4:
        return "missing"
    place = str(passes.index(beauty))
    over = OverFrames()
    for frame in measurement.frames.values():
        said = frame.get(place, {}).get("t", {}).get("alpha")
        if said:
            over.add(said)
    if over.votes:
        return over.overall().kind.value
    # Counted by an earlier version, which had a first word only.
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


def counted_for(measurement: Measurement | None) -> dict[int, dict[str, Any]]:
    """Give what was counted of each frame for a knot; empty while it is being counted."""
    if measurement is None or measurement.state != "done":
        return {}
    return {int(number): plain for number, plain in measurement.frames.items()}


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


def _plain_number(value: float) -> float | None:
    return value if math.isfinite(value) else None
