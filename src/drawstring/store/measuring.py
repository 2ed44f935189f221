"""What was counted over all frames, kept and read back: what passes hold, and what knots ask for."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from types import MappingProxyType
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session, defer

from drawstring.core.alpha import OverFrames
from drawstring.core.arrivals.differences import range_differences, spans_of
from drawstring.core.arrivals.facts import findings_of
from drawstring.core.io.facts import Window
from drawstring.core.passes import HASHED_ROLES, Pass, PassStatistics, Role, alpha_kind, statistics_from_dict
from drawstring.core.recipe import Recipe
from drawstring.core.recipe.counting import FACTS
from drawstring.core.recipe.homes import countings, kept_of
from drawstring.store.facts import pass_from_row
from drawstring.store.models import Delivery, Measurement, now


def ask(session: Session, delivery: Delivery, recipe: Recipe, *, anew: bool = False) -> None:
    """Ask for what is counted over all frames of a delivery: what its passes hold, and what knots want.

    Parameters
    ----------
    recipe : Recipe
        The shot's, as it stands.
    anew : bool
        Whether knots count again: a pass may have been taken for another.
    """
    session.flush()
    session.refresh(delivery, ["passes", "measurements"])
    passes = [pass_from_row(row) for row in delivery.passes]
    counted = delivery.measured(FACTS)
    if counted is not None and anew and _lacks_told(counted, passes):
        delivery.measurements.remove(counted)
        session.flush()
    if delivery.measured(FACTS) is None:
        delivery.measurements.append(Measurement(kind=FACTS, total=delivery.usable))
    else:
        tell_facts(delivery.measured(FACTS))
    ask_knots(session, delivery, passes, recipe, anew=anew)


def ask_knots(
    session: Session, delivery: Delivery, passes: list[Pass], recipe: Recipe, *, anew: bool = False
) -> None:
    """Ask for what knots want counted as the recipe stands; what was counted otherwise is counted anew."""
    wanted = countings(passes, recipe)
    for measurement in [one for one in delivery.measurements if one.kind != FACTS]:
        knot = measurement.kind
        is_same = knot in wanted and measurement.key == wanted[knot].key
        # One that still waits will count as things stand when it begins.
        if anew or knot not in wanted or not (is_same or measurement.state == "waiting"):
            delivery.measurements.remove(measurement)
            session.flush()
    for knot, one in wanted.items():
        if delivery.measured(knot) is None:
            delivery.measurements.append(
                Measurement(
                    kind=knot, total=delivery.usable, key=one.key, says=one.says, pass_name=one.pass_name
                )
            )
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


PACKED = "packed"
"""Under which name a counted frame keeps, beside its passes, digests of its files as they are packed."""


def finish(
    measurement: Measurement,
    counted: Mapping[int, Any],
    faults: Mapping[int, str],
    packed: Mapping[int, Mapping[int, Sequence[str]]] = MappingProxyType({}),
) -> None:
    """Write down what was counted: statistics by a pass's place, or a knot's counts.

    Parameters
    ----------
    counted : mapping of frame number to a mapping of place to PassStatistics, or to what the knot counts
    faults : mapping of frame number to words
    packed : mapping of frame number to a digest of each part by source
        Of what was unpacked to be counted.
    """
    if measurement.kind == FACTS:
        measurement.frames = {
            str(number): {str(place): one.as_dict() for place, one in of_frame.items()}
            | ({PACKED: {str(k): list(v) for k, v in packed[number].items()}} if packed.get(number) else {})
            for number, of_frame in sorted(counted.items())
        }
    elif counted:
        by_frame, measurement.whole = kept_of(measurement.kind, counted)
        measurement.frames = {str(number): plain for number, plain in sorted(by_frame.items())}
    measurement.done = len(counted) + len(faults)
    measurement.set_aside = {str(number): words for number, words in sorted(faults.items())}
    measurement.state = "done" if counted else "failed"
    first = next(iter(faults.values()), "")
    measurement.note = (
        f"{len(faults)} frame{'s' if len(faults) > 1 else ''} could not be counted: {first}" if faults else ""
    )
    if measurement.kind == FACTS:
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
    said = []
    for one in sorted(delivery.measurements if delivery else (), key=lambda one: one.kind, reverse=True):
        doing = one.says or "counting"
        aside = f", {len(one.set_aside)} set aside" if one.set_aside else ""
        if one.state in ("waiting", "measuring"):
            said.append(f"{doing}: {one.done} of {one.total} frames{aside}")
        elif one.state == "failed":
            said.append(f"{doing}: set aside")
        elif aside:
            said.append(f"{doing}: {len(one.set_aside)} of {one.total} frames set aside")
    return "; ".join(said)


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
    older = before[-1].measured(FACTS) if before else None
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


@dataclass(frozen=True)
class FrameCounted:
    """What a run takes from the counting of a frame.

    Attributes
    ----------
    packed : mapping of source to digests
        Of each part of its file.
    odd : mapping of pass to three int
        Values that are NaN, infinite and below 0, where there are any.
    """

    packed: Mapping[int, tuple[str, ...]]
    odd: Mapping[str, tuple[int, int, int]]


def frames_counted(measurement: Measurement | None) -> dict[int, FrameCounted]:
    """Give what a run takes from the counting; nothing while it goes on."""
    if measurement is None or measurement.state != "done":
        return {}
    names = {str(row.place): row.name for row in measurement.delivery.passes}
    return {
        int(number): FrameCounted(
            {int(source): tuple(told) for source, told in frame.get(PACKED, {}).items()},
            {names[place]: tuple(one["v"]) for place, one in frame.items() if place in names and "v" in one},
        )
        for number, frame in measurement.frames.items()
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


def waiting(session: Session) -> list[Measurement]:
    """Give measurements that are to be done, oldest first."""
    query = (
        select(Measurement)
        .where(Measurement.state.in_(["waiting", "measuring"]))
        .order_by(Measurement.asked_at, Measurement.kind)
        .options(defer(Measurement.frames), defer(Measurement.whole))
    )
    return list(session.scalars(query))
