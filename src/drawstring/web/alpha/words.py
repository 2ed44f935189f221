"""What the Alpha panel says beside the settings themselves: kinds, sources, choices, keys."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from drawstring.core.alpha import GROUNDS, OverFrames
from drawstring.core.alpha.blend import Mode
from drawstring.core.alpha.layers import PLAIN, layer_fault, layer_name
from drawstring.core.alpha.matte_settings import Joined, MatteFrom
from drawstring.core.alpha.settings import READABLE, CutBy
from drawstring.core.alpha.shadow_settings import GroundFrom, LitIs, ShadowFrom, Together
from drawstring.core.alpha.stack_settings import Behind, Sends
from drawstring.core.colour.grade import GradeSettings
from drawstring.core.colour.management import SPACES
from drawstring.core.entries import entry_kinds
from drawstring.core.errors import DrawstringError
from drawstring.core.finishing.grain import read_strengths
from drawstring.core.keyed import KeyedSettings
from drawstring.core.keys import Then
from drawstring.core.passes import COLOUR_ROLES, HASHED_ROLES, Role
from drawstring.core.recipe import Recipe, available_results, find_result
from drawstring.core.recipe.sources import of_view
from drawstring.core.scene.world import world_of
from drawstring.core.units import METRES
from drawstring.store import deliveries
from drawstring.store.alpha.standing import listed_names, name_sets_of, told_frames
from drawstring.store.models import Shot
from drawstring.store.standing import ShotStanding
from drawstring.web.bench.tracks import tracks_of
from drawstring.web.colour_files import kept_tables
from drawstring.web.homes import entry_panels

CHOICES = {
    "kinds": list(READABLE),
    "over": list(GROUNDS),
    "cut": list(CutBy),
    "source": list(MatteFrom),
    "joined": list(Joined),
    "shadow_source": list(ShadowFrom),
    "ground": list(GroundFrom),
    "lit_is": list(LitIs),
    "together": list(Together),
    "mode": list(Mode),
    "behind": list(Behind),
    "sends": list(Sends),
    "then": list(Then),
}
"""What can be chosen, by setting."""


def alpha_words(session: Session, shot: Shot, how: ShotStanding, frames: list[int]) -> dict[str, Any]:
    """Gather what the Alpha panel's templates need."""
    delivery, settings = shot.delivery, how.recipe.alpha
    if delivery is None:
        return {}
    first = of_view(how.passes, "")
    told = told_frames(session, delivery)
    sets = name_sets_of(first, deliveries.facts_by_source(delivery))
    results = list(available_results(first, how.recipe))
    return {
        "choices": CHOICES,
        "pictures": [
            _kind(one.name, told) | {"is_straight": one.is_straight}
            for one in first
            if one.role in COLOUR_ROLES and len(one.channels) == 4
        ],
        "fringe_curve": {
            n: f["beauty"]["fringe"] for n, f in told.items() if "fringe" in f.get("beauty", {})
        },
        "hashed": [one.name for one in first if one.role in HASHED_ROLES],
        "numbered": [one.name for one in first if one.role is Role.ID],
        "coloured": [one.name for one in first if one.role is Role.ID_COLOUR],
        "shares": [one.name for one in first if one.role not in HASHED_ROLES],
        "meshes": _meshes(shot, how.recipe),
        "depths": [one.name for one in first if one.role is Role.DEPTH],
        "shadows": [one.name for one in first if one.role is Role.SHADOW],
        "lights": [one.name for one in first if one.role in COLOUR_ROLES and len(one.channels) >= 3],
        "has_clean_ground": any(one.role is Role.CLEAN_GROUND for one in first),
        "listed": {one.name: listed_names(one.name, first, how.recipe, sets) for one in settings.mattes},
        "matte_names": [one.name for one in settings.mattes],
        "sources": [
            *(one.name for one in first if one.role in COLOUR_ROLES),
            *(
                n
                for n in results
                if (r := find_result(n)) and (r.is_light or n == "shadow_layer") and _can_lie(n)
            ),
            PLAIN,
        ],
        "changes": list(entry_kinds().values()),
        "fields_of": change_fields,
        "is_grade": lambda settings: isinstance(settings, GradeSettings),
        "entry_panels": entry_panels(),
        "tables": kept_tables(),
        "table_spaces": list(SPACES),
        "layer_faults": [layer_fault(layer, first, how.recipe, find_result) for layer in settings.stack],
        "layer_names": [layer_name(layer) for layer in settings.stack],
        "tracks": tracks_of(
            [
                ("alpha.shadow", "shadow", settings.shadow),
                *((f"alpha.mattes.{i}", one.name, one) for i, one in enumerate(settings.mattes, 1)),
                *((f"alpha.stack.{i}", one.name, one) for i, one in enumerate(settings.stack, 1)),
                *(
                    (f"alpha.stack.{i}.grade", f"{one.name} colour", one.grade)
                    for i, one in enumerate(settings.stack, 1)
                ),
                *(
                    (f"alpha.stack.{i}.change", one.name, one.change_settings())
                    for i, one in enumerate(settings.stack, 1)
                    if one.does in entry_kinds()
                ),
                *((f"alpha.groups.{i}", one.name, one) for i, one in enumerate(settings.groups, 1)),
            ],
            frames,
        ),
    }


def _meshes(shot: Shot, recipe: Recipe) -> list[str]:
    """Name the meshes of the scene's file; none where it can't be read, which Scene tells."""
    try:
        world = world_of(recipe.scene, METRES[shot.show.scene_unit])
    except DrawstringError:
        return []
    return [one.name for one in world.data.meshes] if world is not None else []


def change_fields(settings: KeyedSettings) -> list[dict[str, Any]]:
    """Give what can be settled of a change as plain fields: name, label, unit, how it is typed."""
    fields = []
    for name, field in type(settings).model_fields.items():
        if name in ("keys", "matte"):
            continue
        said = field.json_schema_extra if isinstance(field.json_schema_extra, dict) else {}
        usual = field.default
        kind = _kind_of_field(usual)
        is_colour = kind == "three" and name in ("tint", "balance")
        fields.append(
            {
                "name": name, "label": name.replace("cdl_", "CDL ").replace("_", " ").capitalize(),
                "unit": said.get("unit", ""), "kind": "colour" if is_colour else kind,
                "says": field.description or "", "is_keyed": bool(said.get("keyed")),
                "typed": _pairs if said.get("reader") is read_strengths else _numbers,
            }
        )  # fmt: skip
    return fields


def _numbers(values: tuple[float, ...]) -> str:
    return " ".join(f"{value:.4g}" for value in values)


def _pairs(values: tuple[float, ...]) -> str:
    pairs = zip(values[0::2], values[1::2], strict=True)
    return " ".join(f"{light:.4g},{deviation:.4g}" for light, deviation in pairs)


def _kind_of_field(usual: Any) -> str:
    """Tell how a value is typed, by what it usually is."""
    if isinstance(usual, bool):
        return "tick"
    if isinstance(usual, GradeSettings):
        return "grade"
    if isinstance(usual, tuple):
        return "three" if len(usual) == 3 else "numbers"
    return "text" if isinstance(usual, str) else "measure"


def _can_lie(name: str) -> bool:
    return not name.startswith(("stack", "layer_", "over_ground", "shadow_recomposed", "ground_fitted"))


def _kind(name: str, told: Any) -> dict[str, Any]:
    """Say what the pixels of a picture tell of its alpha, over all frames."""
    over = OverFrames()
    for frame in told.values():
        if "alpha" in frame.get(name, {}):
            over.add(frame[name]["alpha"])
    if not over.votes:
        return {"name": name, "says": "is being looked at"}
    found = over.overall()
    if not found.samples:
        return {"name": name, "says": f"pixels say {found.kind.says}"}
    return {
        "name": name,
        "says": f"pixels say {found.kind.says}: {found.sure:.0%} of {found.samples:,} rim pixels",
    }
