"""How shots stand: their cords, findings and last packages, for many shots with few queries."""

from __future__ import annotations

import json
from collections.abc import Sequence as Several
from dataclasses import dataclass, field

from sqlalchemy import ARRAY, Integer, any_, func, literal, select
from sqlalchemy.orm import Session, contains_eager, defer, selectinload

from drawstring.core.camera import camera_of
from drawstring.core.chain import PICTURE
from drawstring.core.depth import (
    check_clips,
    check_frames,
    check_known,
    check_making,
    check_range,
    check_reading,
)
from drawstring.core.depth.reading import lens_of
from drawstring.core.eyes.checks import check_arrived
from drawstring.core.findings import (
    Does,
    Finding,
    Mend,
    Severity,
    finding_from_dict,
    gravest_first,
    show_frame,
)
from drawstring.core.pack.profile_checks import check_profile
from drawstring.core.passes import Pass, Role
from drawstring.core.passes.hashed import names_in
from drawstring.core.recipe import CordFacts, KnotView, OutputPlan, Recipe, cord_of, plan_outputs, upgraded
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.finished import check_finished
from drawstring.core.recipe.sources import depth_inputs, depth_pass, of_view, pass_of
from drawstring.core.units import METRES
from drawstring.store import deliveries, measuring, recipes
from drawstring.store.alpha_standing import alpha_findings
from drawstring.store.eyes_standing import eyes_findings, told_eyes
from drawstring.store.models import Delivery, Dismissal, Measurement, Package, Revision, Run, Shot, Show


@dataclass(frozen=True)
class ShotStanding:
    """Everything a page says about one shot at a glance."""

    shot: Shot
    recipe: Recipe
    revision: Revision | None
    passes: list[Pass]
    frames: int
    outputs: OutputPlan
    knots: list[KnotView]
    findings: dict[str, list[Finding]] = field(default_factory=dict)
    dismissed: list[tuple[Finding, Dismissal]] = field(default_factory=list)
    last_run: Run | None = None
    last_package: Package | None = None

    @property
    def counting(self) -> str:
        """How far looking through its frames is, and what was set aside; empty when all were counted."""
        return measuring.progress_of(self.shot.delivery)

    @property
    def all_findings(self) -> list[Finding]:
        """Every finding, the gravest first."""
        return gravest_first([finding for several in self.findings.values() for finding in several])

    @property
    def face(self) -> str:
        """What the shot is known by: its finished picture, else whatever pass comes first."""
        has_picture = pass_of(Role.BEAUTY, of_view(self.passes, "")) is not None
        return PICTURE if has_picture else self.passes[0].name if self.passes else ""

    @property
    def as_last_time(self) -> tuple[int, float] | None:
        """What a run would come to, bytes and seconds, going by the last package; None before the first."""
        last = self.last_package
        if last is None or not last.frames or last.run.started_at is None or last.run.ended_at is None:
            return None
        seconds = (last.run.ended_at - last.run.started_at).total_seconds()
        share = self.frames / last.frames
        return round(last.size_bytes * share), seconds * share

    @property
    def stops(self) -> list[Finding]:
        """What stops the shot from being run."""
        return [finding for finding in self.all_findings if finding.severity is Severity.STOPS]


def shots_of(session: Session, show: Show) -> list[Shot]:
    """Give a show's shots with what their standing needs."""
    query = (
        select(Shot)
        .where(Shot.show_id == show.id)
        .order_by(Shot.code)
        .options(
            # Curves and findings are large; what a board shows of them is kept, and read when it changes.
            selectinload(Shot.delivery)
            .options(defer(Delivery.findings))
            .selectinload(Delivery.measurements)
            .options(defer(Measurement.frames), defer(Measurement.whole)),
            selectinload(Shot.dismissals),
        )
    )
    return list(session.scalars(query))


def standings(session: Session, shots: Several[Shot]) -> list[ShotStanding]:
    """Tell how several shots stand."""
    # One array, not hundreds of parameters: that many take longer to write into a statement than to find.
    ids = any_(literal([shot.id for shot in shots], ARRAY(Integer)))
    latest = (
        select(Revision.shot_id, func.max(Revision.number).label("number"))
        .where(Revision.shot_id == ids)
        .group_by(Revision.shot_id)
        .subquery()
    )
    revisions = {
        revision.shot_id: revision
        for revision in session.scalars(
            select(Revision)
            .join(latest, (Revision.shot_id == latest.c.shot_id) & (Revision.number == latest.c.number))
            # What follows from a recipe is kept: of a board it is read where it changed.
            .options(*([defer(Revision.recipe)] if len(shots) > 1 else []))
        )
    }
    last = select(func.max(Run.id)).where(Run.shot_id == ids).group_by(Run.shot_id)
    runs = {run.shot_id: run for run in session.scalars(select(Run).where(Run.id.in_(last)))}
    packages: dict[int, Package] = {}
    packed = select(Package).join(Package.run).where(Run.shot_id == ids).order_by(Run.version)
    for package in session.scalars(packed.options(contains_eager(Package.run))):
        packages[package.run.shot_id] = package
    return [
        _standing(session, shot, revisions.get(shot.id), runs.get(shot.id), packages.get(shot.id))
        for shot in shots
    ]


def standing(session: Session, shot: Shot) -> ShotStanding:
    """Tell how one shot stands."""
    return standings(session, [shot])[0]


def _standing(
    session: Session,
    shot: Shot,
    revision: Revision | None,
    run: Run | None,
    package: Package | None,
) -> ShotStanding:
    delivery = shot.delivery
    known = _key(shot, revision)
    if known not in _DERIVED:
        if len(_DERIVED) > 4000:
            _DERIVED.clear()
        _DERIVED[known] = _derive(session, shot, revision)
    derived = _DERIVED[known]
    recipe, passes, outputs = derived.recipe, derived.passes, derived.outputs
    findings, away = _without_dismissed(derived.findings, shot.dismissals)
    knots = _knots(shot, recipe, passes, outputs, findings) if shot.dismissals else derived.knots
    return ShotStanding(
        shot,
        recipe,
        revision,
        passes,
        delivery.usable if delivery else 0,
        outputs,
        knots,
        findings,
        away,
        run,
        package,
    )


def _knots(
    shot: Shot, recipe: Recipe, passes: list[Pass], outputs: OutputPlan, findings: dict[str, list[Finding]]
) -> list[KnotView]:
    delivery = shot.delivery
    facts = CordFacts(
        arrival=delivery.digest if delivery else "",
        passes=len(passes),
        frames=delivery.usable if delivery else 0,
        channels=len(outputs.channels),
        scene_unit=shot.show.scene_unit,
        findings=findings,
        change=_change(delivery),
    )
    return cord_of(recipe, facts)


def _change(delivery: Delivery | None) -> str:
    """Say what came since knots were settled, for those that are stale."""
    if delivery is None:
        return ""
    what = (
        f"v{delivery.version:03d} was accepted since"
        if delivery.version
        else "another delivery was accepted since"
    )
    return what + (f": {'; '.join(delivery.differences[:3])}" if delivery.differences else "")


def _without_dismissed(
    found: dict[str, list[Finding]], dismissals: Several[Dismissal]
) -> tuple[dict[str, list[Finding]], list[tuple[Finding, Dismissal]]]:
    """Part findings into those that count and those put away; what stops a shot can't be put away."""
    if not dismissals:
        return found, []
    by_fact = {one.fact: one for one in dismissals}
    away: list[tuple[Finding, Dismissal]] = []
    left: dict[str, list[Finding]] = {}
    for knot, several in found.items():
        left[knot] = []
        for finding in several:
            dismissal = by_fact.get(finding.fact)
            if dismissal and finding.severity is not Severity.STOPS:
                away.append((finding, dismissal))
            else:
                left[knot].append(finding)
    return left, away


@dataclass(frozen=True)
class _Derived:
    """What follows from a shot's rows, before anything of it is put away."""

    recipe: Recipe
    passes: list[Pass]
    outputs: OutputPlan
    findings: dict[str, list[Finding]]
    knots: list[KnotView]


_DERIVED: dict[tuple[object, ...], _Derived] = {}
"""What follows from rows that do not change under their key; a board asks for hundreds at a time."""


def _key(shot: Shot, revision: Revision | None) -> tuple[object, ...]:
    """Name everything that a standing follows from."""
    delivery = shot.delivery
    if delivery is None:
        return (shot.show.scene_unit, _begun(shot, revision))
    return (
        shot.code,
        shot.show.scene_unit,
        shot.show.fps,
        _begun(shot, revision),
        (delivery.id, delivery.digest, delivery.accepted_at),
        tuple((one.id, one.kind, one.state, one.asked_at) for one in delivery.measurements),
        delivery.passes_at,
    )


def _begun(shot: Shot, revision: Revision | None) -> object:
    """Name the recipe: its revision, or what the show's shots begin with."""
    if revision is not None:
        return revision.id, revision.made_at
    return json.dumps(shot.show.defaults, sort_keys=True)


def _derive(session: Session, shot: Shot, revision: Revision | None) -> _Derived:
    """Work out recipe, passes, outputs, findings and cord of a shot."""
    recipe = upgraded(revision.recipe) if revision else recipes.defaults_of(shot.show)
    delivery = shot.delivery
    passes = deliveries.passes_of(delivery) if delivery else []
    outputs = plan_outputs(passes, recipe) if passes else OutputPlan((), (), (), Chains((), recipe))
    findings: dict[str, list[Finding]] = {
        "arrivals": [], "depth": [], "alpha": [], "eyes": [], "pack": list(outputs.findings),
    }  # fmt: skip
    if delivery:
        said = [finding_from_dict(plain) for plain in delivery.findings]
        counted = measuring.told_facts(session, delivery.measured("facts")).get("findings", [])
        findings["arrivals"] = _still_true(said, passes) + [finding_from_dict(plain) for plain in counted]
        findings["arrivals"] += _set_aside(shot, delivery)
        findings["arrivals"] += _frames_asked_for(shot, delivery, recipe)
        if recipe.depth.needed:
            findings["depth"] = _depth_findings(session, shot, delivery.measured("depth"), recipe, passes)
        if recipe.alpha.needed:
            findings["alpha"] = alpha_findings(session, delivery, recipe, passes)
        findings["arrivals"] += check_arrived(
            recipe.eyes, told_eyes(session, delivery), f"{shot.code}, beauty"
        )
        if recipe.eyes.needed:
            findings["eyes"] = eyes_findings(session, delivery, recipe, passes)
        shown = deliveries.display_window(delivery)
        findings["pack"] += check_finished(passes, recipe, f"{shot.code}, picture")
        findings["pack"] += check_profile(
            passes,
            recipe,
            outputs.channels,
            display=(shown.width, shown.height),
            frame_rate=shot.show.fps,
        )
    return _Derived(recipe, passes, outputs, findings, _knots(shot, recipe, passes, outputs, findings))


def _set_aside(shot: Shot, delivery: Delivery) -> list[Finding]:
    """Tell of frames that could not be counted, and of counts that came to a stop as a whole."""
    found = []
    for kind, doing in (("facts", "counted"), ("depth", "measured")):
        measurement = delivery.measured(kind)
        if measurement is None or measurement.state not in ("done", "failed"):
            continue
        aside = {int(number): words for number, words in measurement.set_aside.items()}
        if not aside and measurement.state == "done":
            continue
        number = min(aside, default=None)
        what = (
            f"{len(aside)} of {measurement.total} frames could not be {doing}; frame {number}: "
            f"{aside[number]}"
            if number is not None
            else f"The frames could not be {doing}. {measurement.note}"
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


def _depth_findings(
    session: Session, shot: Shot, measurement: Measurement | None, recipe: Recipe, passes: list[Pass]
) -> list[Finding]:
    if not any(one.role is Role.DEPTH for one in passes):
        return [
            Finding(
                "no-depth",
                Severity.STOPS,
                "There is no depth pass.",
                shot.code,
                "Distances can't be measured or normalised without one.",
                "Ask the renderer for depth, correct a pass's role, or mark Depth as not needed.",
                mends=(Mend("depth is not needed", Does.SET, (("depth.needed", "no"),)),),
            )
        ]
    tally = measuring.whole_tally(session, measurement)
    if shot.delivery is None:
        return []
    where, unit = f"{shot.code}, {measurement.pass_name if measurement else 'depth'}", shot.show.scene_unit
    facts = deliveries.facts_of(shot.delivery)
    metadata = facts.parts[0].metadata
    camera = lens_of(recipe.depth.arrived, camera_of(metadata))
    making = check_making(
        recipe.depth,
        roles={one.role for one in passes},
        camera=camera,
        tally=tally,
        frames=(shot.delivery.first, shot.delivery.last),
        names=sorted({name for part in facts.parts for name in names_in(part.metadata)}),
        without_matte=_without_matte(session, shot.delivery, recipe, passes),
        scene_unit_m=METRES[unit],
        unit=unit,
        where=f"{shot.code}, depth",
    )
    along = measuring.told_distances(session, measurement)["along"]
    focal = along.get("focal_share") if along else None
    making += check_known(recipe.depth, camera, where, focal_share=focal)
    if tally is None:
        return making
    depth = depth_pass(of_view(passes, ""))
    found = check_reading(
        tally,
        recipe.depth,
        along=along,
        said_unit=str(metadata.get("sceneUnit", "")),
        alpha_is_empty=measuring.told_facts(session, shot.delivery.measured("facts")).get("alpha") == "empty",
        looks_normalised=depth is not None and "normalised" in depth.traits,
        unit=unit,
        where=where,
    )
    found += check_range(tally, recipe.depth, unit=unit, where=where)
    found += check_frames(measuring.frame_ends(session, measurement), recipe.depth, unit=unit, where=where)
    return found + check_clips(tally, facts, unit=unit, where=where) + making


def _without_matte(session: Session, delivery: Delivery, recipe: Recipe, passes: list[Pass]) -> list[int]:
    """Give the frames that came without the object matte, where a mist relies on it."""
    matte = pass_of(Role.OBJECT_MATTE, passes)
    if matte is None or not any(layer.on and layer.clear_names for layer in recipe.depth.mist):
        return []
    usable = deliveries.usable_frames(session, delivery, {ref.source for ref in depth_inputs(passes)})
    needed = {ref.source for ref in matte.channels}
    return [n for n, files in usable.items() if any(s not in files or files[s].fault for s in needed)]
