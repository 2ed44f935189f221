"""How shots stand: their cords, findings and last packages, for many shots with few queries."""

from __future__ import annotations

from collections.abc import Sequence as Several
from dataclasses import dataclass, field

from sqlalchemy import func, select
from sqlalchemy.orm import Session, joinedload, selectinload

from drawstring.core.depth import check_range
from drawstring.core.findings import Finding, Severity, gravest_first
from drawstring.core.passes import Pass, Role
from drawstring.core.recipe import CordFacts, KnotView, OutputPlan, Recipe, cord, plan_outputs, upgraded
from drawstring.store import deliveries, measuring
from drawstring.store.models import Measurement, Package, Revision, Run, Sequence, Shot, Show


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
    last_run: Run | None = None
    last_package: Package | None = None

    @property
    def all_findings(self) -> list[Finding]:
        """Every finding, the gravest first."""
        return gravest_first([finding for several in self.findings.values() for finding in several])

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
            joinedload(Shot.show),
            # Headers and curves are large and no board shows them.
            selectinload(Shot.sequence).defer(Sequence.facts).selectinload(Sequence.passes),
            selectinload(Shot.sequence)
            .selectinload(Sequence.measurement)
            .defer(Measurement.frames)
            .defer(Measurement.whole),
        )
    )
    return list(session.scalars(query))


def standings(session: Session, shots: Several[Shot]) -> list[ShotStanding]:
    """Tell how several shots stand."""
    ids = [shot.id for shot in shots]
    latest = (
        select(Revision.shot_id, func.max(Revision.number).label("number"))
        .where(Revision.shot_id.in_(ids))
        .group_by(Revision.shot_id)
        .subquery()
    )
    revisions = {
        revision.shot_id: revision
        for revision in session.scalars(
            select(Revision).join(
                latest, (Revision.shot_id == latest.c.shot_id) & (Revision.number == latest.c.number)
            )
        )
    }
    last = select(func.max(Run.id)).where(Run.shot_id.in_(ids)).group_by(Run.shot_id)
    runs = {run.shot_id: run for run in session.scalars(select(Run).where(Run.id.in_(last)))}
    packages: dict[int, Package] = {}
    packed = select(Package, Run.shot_id).join(Run).where(Run.shot_id.in_(ids)).order_by(Run.version)
    for package, shot_id in session.execute(packed):
        packages[shot_id] = package
    counts = deliveries.usable_counts(session, [shot.sequence_id for shot in shots if shot.sequence_id])
    return [
        _standing(session, shot, revisions.get(shot.id), counts, runs.get(shot.id), packages.get(shot.id))
        for shot in shots
    ]


def standing(session: Session, shot: Shot) -> ShotStanding:
    """Tell how one shot stands."""
    return standings(session, [shot])[0]


def _standing(
    session: Session,
    shot: Shot,
    revision: Revision | None,
    counts: dict[int, int],
    run: Run | None,
    package: Package | None,
) -> ShotStanding:
    sequence = shot.sequence
    known = _key(shot, revision)
    if known not in _DERIVED:
        if len(_DERIVED) > 4000:
            _DERIVED.clear()
        _DERIVED[known] = _derive(session, shot, revision)
    recipe, passes, outputs, findings = _DERIVED[known]
    frames = counts.get(shot.sequence_id or 0, 0)
    facts = CordFacts(
        arrival=sequence.digest if sequence else "",
        passes=len(passes),
        frames=frames,
        channels=len(outputs.channels),
        scene_unit=shot.show.scene_unit,
        findings=findings,
    )
    return ShotStanding(
        shot, recipe, revision, passes, frames, outputs, cord(recipe, facts), findings, run, package
    )


Derived = tuple[Recipe, list[Pass], OutputPlan, dict[str, list[Finding]]]

_DERIVED: dict[tuple[object, ...], Derived] = {}
"""What follows from rows that do not change under their key; a board asks for hundreds at a time."""


def _key(shot: Shot, revision: Revision | None) -> tuple[object, ...]:
    """Name everything that a standing follows from."""
    sequence = shot.sequence
    if sequence is None:
        return (shot.show.scene_unit, revision and revision.id)
    measured = sequence.measurement
    return (
        shot.code,
        shot.show.scene_unit,
        revision and (revision.id, revision.made_at),
        (sequence.id, sequence.digest, sequence.accepted_at),
        measured and (measured.id, measured.state, measured.asked_at),
        tuple((one.id, one.name, one.role, one.confidence) for one in sequence.passes),
    )


def _derive(session: Session, shot: Shot, revision: Revision | None) -> Derived:
    """Work out recipe, passes, outputs and findings of a shot."""
    recipe = upgraded(revision.recipe) if revision else Recipe()
    sequence = shot.sequence
    passes = deliveries.passes_of(sequence) if sequence else []
    outputs = plan_outputs(passes, recipe) if passes else OutputPlan((), (), (), ())
    findings: dict[str, list[Finding]] = {"arrivals": [], "depth": [], "pack": list(outputs.findings)}
    if sequence:
        findings["arrivals"] = [
            Finding(**{**plain, "severity": Severity(plain["severity"])}) for plain in sequence.findings
        ]
        if recipe.depth.needed:
            findings["depth"] = _depth_findings(session, shot, sequence.measurement, recipe, passes)
    return recipe, passes, outputs, findings


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
            )
        ]
    tally = measuring.whole_tally(session, measurement)
    if tally is None:
        return []
    where = f"{shot.code}, {measurement.pass_name if measurement else 'depth'}"
    return check_range(tally, recipe.depth, unit=shot.show.scene_unit, where=where)
