"""What was found about alpha, mattes, shadow and stack, from what was counted and what is settled."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy.orm import Session

from drawstring.core.alpha.kind_checks import Told, check_environment, check_kinds
from drawstring.core.alpha.layers import layer_fault
from drawstring.core.alpha.matte_checks import check_mattes, check_names
from drawstring.core.alpha.matte_settings import MatteFrom, MatteSettings
from drawstring.core.alpha.mattes import is_matte_ready, pass_for
from drawstring.core.alpha.shadow_checks import check_shadow, check_shadow_distance, check_stack
from drawstring.core.alpha.shadow_settings import ShadowFrom
from drawstring.core.alpha.shadows import ground_pass, is_shadow_ready, shadow_passes
from drawstring.core.alpha.stack_settings import StackGroup, StackLayer
from drawstring.core.depth.making_checks import keys_outside
from drawstring.core.findings import Finding
from drawstring.core.io.facts import FileFacts
from drawstring.core.passes import HASHED_ROLES, Pass, Role
from drawstring.core.passes.hashed import NameSet, name_set_of
from drawstring.core.recipe import Recipe
from drawstring.core.recipe.results import find_result
from drawstring.core.recipe.sources import of_view, pass_of
from drawstring.store import deliveries, measuring
from drawstring.store.depth.measured import whole_tally
from drawstring.store.models import Delivery

_LOSSY = (".jpg", ".jpeg")
_LOSSY_PACKED = ("dwaa", "dwab", "b44", "b44a")


def alpha_findings(
    session: Session, delivery: Delivery, recipe: Recipe, passes: Sequence[Pass]
) -> list[Finding]:
    """Gather the findings of the Alpha knot."""
    settings, where = recipe.alpha, f"{delivery.shot.code}, alpha"
    told = told_frames(session, delivery)
    first = of_view(passes, "")
    sources = deliveries.facts_by_source(delivery)
    tally = whole_tally(session, delivery)
    nothing = tally.nothing / max(1, tally.pixels) if tally else 0.0
    sets = name_sets_of(first, sources)
    found = check_kinds(settings, told, where, straight=[one.name for one in passes if one.is_straight])
    found += check_environment(
        settings, told, nothing=nothing, has_matte=pass_of(Role.OBJECT_MATTE, first) is not None, where=where
    )
    found += check_names(
        settings,
        told,
        sets=sets,
        half=[one.name for one in first if one.role in HASHED_ROLES and "half" in one.pixel_types],
        lossy=[one.name for one in first if one.role is Role.ID_COLOUR and is_lossy(one, sources)],
        where=where,
    )
    found += check_mattes(
        settings,
        ready=[one.name for one in settings.mattes if is_matte_ready(one.name, first, recipe)],
        names={one.name: listed_names(one.name, first, recipe, sets) for one in settings.mattes},
        where=where,
    )
    on_ground = ground_pass(settings.shadow, first)
    found += check_shadow(
        settings,
        told,
        is_ready=is_shadow_ready(first, recipe),
        on_ground=on_ground.name if on_ground else "",
        eight_bit=[one.name for one in first if "uint8" in one.pixel_types],
        passes=[one.name for one in shadow_passes(settings.shadow, first)],
        where=where,
    )
    depth = recipe.depth
    blurs = depth.needed and (depth.focus.on or any(layer.on for layer in depth.mist))
    if settings.shadow.source is ShadowFrom.RENDERS and is_shadow_ready(first, recipe):
        found += check_shadow_distance(settings, nothing=nothing, blurs=blurs, where=where)
    faults = {
        place: fault
        for place, layer in enumerate(settings.stack, 1)
        if layer.on and (fault := layer_fault(layer, first, recipe, find_result))
    }
    found += check_stack(settings, faults, where)
    frames = (delivery.first, delivery.last)
    found += keys_outside(settings.shadow, "shadow", frames, where)
    parts: list[MatteSettings | StackLayer | StackGroup] = [
        *settings.mattes,
        *settings.stack,
        *settings.groups,
    ]
    for part in parts:
        found += keys_outside(part, part.name, frames, where)
    return found


def told_frames(session: Session, delivery: Delivery) -> Told:
    """Give what workers told of each frame's passes; empty while they are being counted."""
    plain = measuring.told_facts(session, delivery.measured("facts")).get("told", {})
    return {int(number): frame for number, frame in plain.items()}


def name_sets_of(passes: Sequence[Pass], sources: dict[int, FileFacts]) -> dict[str, NameSet | None]:
    """Give what the headers say of each pass of hashed names."""
    return {
        one.name: name_set_of(one.layer or one.name, _metadata(one, sources))
        for one in passes
        if one.role in HASHED_ROLES
    }


def listed_names(
    matte_name: str, passes: Sequence[Pass], recipe: Recipe, sets: dict[str, NameSet | None]
) -> list[str]:
    """Give the names from which a matte's patterns choose."""
    matte = recipe.alpha.matte(matte_name)
    if matte is None or matte.source is not MatteFrom.NAMES:
        return []
    one = pass_for(matte, passes)
    named = sets.get(one.name) if one else None
    return list(named.names) if named else []


def _metadata(one: Pass, sources: dict[int, FileFacts]) -> dict[str, object]:
    facts = sources.get(one.channels[0].source)
    return {key: value for part in facts.parts for key, value in part.metadata.items()} if facts else {}


def is_lossy(one: Pass, sources: dict[int, FileFacts]) -> bool:
    """Whether a pass's file was compressed with loss."""
    facts = sources.get(one.channels[0].source)
    if facts is None:
        return False
    packed = facts.parts[one.channels[0].part].compression if facts.path.lower().endswith(".exr") else ""
    return facts.path.lower().endswith(_LOSSY) or packed in _LOSSY_PACKED
