"""What the Assembly panel says beside the settings themselves: the sum, its terms, what can be mixed in."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from drawstring.core.alpha.blend import Mode
from drawstring.core.assembly.settings import Covered, Lobes, Partition, PartsHold
from drawstring.core.assembly.terms import (
    LOBES,
    Term,
    all_terms,
    can_mix,
    component_texts,
    lacking,
    light_texts,
    sum_text,
)
from drawstring.core.colour.management import SPACES
from drawstring.core.colour.match import MatchBy
from drawstring.core.errors import DrawstringError
from drawstring.core.keys import Then
from drawstring.core.passes import Pass, Role
from drawstring.core.recipe.pulls import has_alpha
from drawstring.core.recipe.sources import of_view
from drawstring.store.models import Shot
from drawstring.store.standing import ShotStanding
from drawstring.web.bench.tracks import tracks_of
from drawstring.web.colour_files import kept_tables

CHOICES = {
    "partition": list(Partition),
    "lobes": list(Lobes),
    "parts_hold": list(PartsHold),
    "covered": list(Covered),
    "mode": list(Mode),
    "then": list(Then),
}
"""What can be chosen, by setting."""


def assembly_words(session: Session, shot: Shot, how: ShotStanding, frames: list[int]) -> dict[str, Any]:
    """Gather what the Assembly panel's templates need."""
    settings, first = how.recipe.assembly, of_view(how.passes, "")
    terms = terms_of(how.passes, how)
    roles = {one.role for one in first}
    return {
        "choices": CHOICES,
        "terms": terms,
        "sum_text": "" if not terms else sum_text(first, settings),
        "partitions": [
            one for one in Partition
            if (one is not Partition.LIGHTS or light_texts(first))
            and (one is not Partition.COMPONENTS or component_texts(first, settings))
        ],
        "has_both": any(
            lobe.whole in roles and any(role in roles for role in lobe.parts) for lobe in LOBES
        ),
        "has_albedo": any(lobe.albedo in roles for lobe in LOBES if lobe.albedo),
        "has_coverage": has_alpha(first),
        "plates": [one.name for one in first if one.role is Role.PLATE],
        "ways_to_match": list(MatchBy),
        "tables": kept_tables(),
        "table_spaces": list(SPACES),
        "can_mix": [one.name for one in can_mix(first)],
        "tracks": tracks_of(
            [
                *((f"assembly.terms.{name}", name, one) for name, one in settings.terms.items()),
                *((f"assembly.terms.{name}.grade", f"{name} colour", one.grade)
                  for name, one in settings.terms.items()),
                *((f"assembly.mixed.{i}", one.source, one) for i, one in enumerate(settings.mixed, start=1)),
                ("assembly.grade", "colour", settings.grade),
            ],
            frames,
        ),
    }  # fmt: skip


def terms_of(passes: list[Pass], how: ShotStanding) -> list[dict[str, Any]]:
    """Give every term as the panel lists it: its settings, and what it lacks."""
    settings, first = how.recipe.assembly, of_view(passes, "")
    try:
        terms = all_terms(first, settings)
    except DrawstringError:
        return []
    return [_said(term, first, settings.term(term.name)) for term in terms]


def _said(term: Term, passes: list[Pass], now: Any) -> dict[str, Any]:
    return {
        "name": term.name,
        "label": term.label,
        "title": term.name.replace("_", " "),
        "settings": now,
        "lacks": lacking(term, passes),
    }
