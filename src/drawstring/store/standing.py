"""How shots stand: their cords, findings and last packages, for many shots with few queries."""

from __future__ import annotations

import json
from collections.abc import Sequence as Several
from dataclasses import dataclass, field

from sqlalchemy import ARRAY, Integer, any_, func, literal, select
from sqlalchemy.orm import Session, contains_eager, defer, selectinload

from drawstring.core.chain import PICTURE
from drawstring.core.findings import Finding, Severity, gravest_first
from drawstring.core.knots import NAMES
from drawstring.core.passes import Pass, Role
from drawstring.core.recipe import CordFacts, KnotView, OutputPlan, Recipe, cord_of, plan_outputs, upgraded
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.sources import of_view, pass_of
from drawstring.store import deliveries, measuring, orders, recipes
from drawstring.store.homes import ShotFacts, early_findings, findings_of
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


def shots_of(session: Session, show: Show, some: Several[int] | None = None) -> list[Shot]:
    """Give a show's shots, or some of them by their ids, with what their standing needs."""
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
    if some is not None:
        query = query.where(Shot.id == any_(literal(list(some), ARRAY(Integer))))
    return list(session.scalars(query))


def shots_by_id(session: Session, numbers: Several[int]) -> list[Shot]:
    """Find shots by their numbers, in their order, with all that planning needs; those gone are left out."""
    wanted = list(dict.fromkeys(numbers))
    query = (
        select(Shot)
        .where(Shot.id == any_(literal(wanted, ARRAY(Integer))))
        .options(
            selectinload(Shot.delivery).options(
                selectinload(Delivery.measurements).options(
                    defer(Measurement.frames), defer(Measurement.whole)
                ),
                selectinload(Delivery.members), selectinload(Delivery.passes),
            ),
            selectinload(Shot.dismissals), selectinload(Shot.show),
        )
    )  # fmt: skip
    by_number = {shot.id: shot for shot in session.scalars(query)}
    return [by_number[number] for number in wanted if number in by_number]


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
    asked = orders.newest_of(session, [shot.id for shot in shots])
    owed = orders.owed_of(session, shots)
    return [
        _standing(
            session, shot, revisions.get(shot.id), runs.get(shot.id), packages.get(shot.id),
            asked.get(shot.id, 0), owed.get(shot.id, ()),
        )
        for shot in shots
    ]  # fmt: skip


def standing(session: Session, shot: Shot) -> ShotStanding:
    """Tell how one shot stands."""
    return standings(session, [shot])[0]


def _standing(
    session: Session,
    shot: Shot,
    revision: Revision | None,
    run: Run | None,
    package: Package | None,
    order: int,
    owed: tuple[object, ...],
) -> ShotStanding:
    delivery = shot.delivery
    known = (*_key(shot, revision), order, owed)
    if known not in _DERIVED:
        if len(_DERIVED) > 4000:
            _DERIVED.clear()
        _DERIVED[known] = _derive(session, shot, revision, order)
    derived = _DERIVED[known]
    recipe, passes, outputs = derived.recipe, derived.passes, derived.outputs
    findings, away = _without_dismissed(derived.findings, shot.dismissals)
    knots = _knots(shot, recipe, passes, outputs, findings, order) if shot.dismissals else derived.knots
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
    shot: Shot, recipe: Recipe, passes: list[Pass], outputs: OutputPlan, findings: dict[str, list[Finding]],
    order: int,
) -> list[KnotView]:  # fmt: skip
    delivery = shot.delivery
    facts = CordFacts(
        arrival=delivery.digest if delivery else "",
        passes=len(passes),
        frames=delivery.usable if delivery else 0,
        channels=len(outputs.channels),
        scene_unit=shot.show.scene_unit,
        findings=findings,
        change=_change(delivery),
        order=order,
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
    """Part findings into those that count and those dismissed; what stops a shot can't be dismissed."""
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
        return (shot.code, shot.show.scene_unit, shot.show.fps, shot.variant, _begun(shot, revision))
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


def _derive(session: Session, shot: Shot, revision: Revision | None, order: int) -> _Derived:
    """Work out recipe, passes, outputs, findings and cord of a shot."""
    recipe = upgraded(revision.recipe) if revision else recipes.defaults_of(shot.show)
    delivery = shot.delivery
    passes = deliveries.passes_of(delivery) if delivery else []
    outputs = plan_outputs(passes, recipe) if passes else OutputPlan((), (), (), Chains((), recipe))
    findings: dict[str, list[Finding]] = {name: [] for name in NAMES}
    if delivery:
        findings |= findings_of(ShotFacts(session, shot, delivery, recipe, passes, outputs))
    else:
        findings |= early_findings(session, shot, recipe)
    return _Derived(recipe, passes, outputs, findings, _knots(shot, recipe, passes, outputs, findings, order))
