"""Depth's home in the store: the range against what was measured, mists and lens against what came."""

from __future__ import annotations

from sqlalchemy.orm import Session

from drawstring.core.camera import camera_of
from drawstring.core.depth import (
    check_clips,
    check_frames,
    check_known,
    check_making,
    check_range,
    check_reading,
)
from drawstring.core.depth.reading import lens_of
from drawstring.core.findings import Does, Finding, Mend, Severity
from drawstring.core.passes import Pass, Role
from drawstring.core.passes.hashed import names_in
from drawstring.core.recipe import Recipe
from drawstring.core.recipe.sources import depth_inputs, depth_pass, of_view, pass_of
from drawstring.core.units import METRES
from drawstring.store import deliveries, measuring
from drawstring.store.depth import measured
from drawstring.store.homes import ShotFacts
from drawstring.store.models import Delivery, Measurement, Shot


def findings(facts: ShotFacts) -> list[Finding]:
    """Gather the findings of the Depth knot."""
    measurement = measured.measurement_of(facts.delivery)
    return _depth_findings(facts.session, facts.shot, measurement, facts.recipe, facts.passes)


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
    tally = measured.whole_tally(session, shot.delivery)
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
    along = measured.told_distances(session, shot.delivery)["along"]
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
    found += check_frames(measured.frame_ends(session, shot.delivery), recipe.depth, unit=unit, where=where)
    return found + check_clips(tally, facts, unit=unit, where=where) + making


def _without_matte(session: Session, delivery: Delivery, recipe: Recipe, passes: list[Pass]) -> list[int]:
    """Give the frames that came without the object matte, where a mist relies on it."""
    matte = pass_of(Role.OBJECT_MATTE, passes)
    if matte is None or not any(layer.on and layer.clear_names for layer in recipe.depth.mist):
        return []
    usable = deliveries.usable_frames(session, delivery, {ref.source for ref in depth_inputs(passes)})
    needed = {ref.source for ref in matte.channels}
    return [n for n, files in usable.items() if any(s not in files or files[s].fault for s in needed)]
