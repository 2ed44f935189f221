"""What the Depth panel says beside the settings themselves: reading, precision, views, keys, swatches."""

from __future__ import annotations

from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from drawstring.core.camera import camera_of
from drawstring.core.colour.view import through_view
from drawstring.core.depth import (
    Along,
    Beyond,
    DepthSettings,
    Edges,
    Falloff,
    FocusBy,
    Held,
    LengthUnit,
    Mapping,
    MistFrom,
    NothingThere,
    Overshoot,
    RadiusIn,
    UpAxis,
    WhiteEnd,
)
from drawstring.core.depth.precision import half_errors
from drawstring.core.keys import Then
from drawstring.core.passes import Role
from drawstring.core.passes.hashed import names_in
from drawstring.core.recipe.sources import other_views, pass_of
from drawstring.core.units import say_length
from drawstring.store import deliveries
from drawstring.store.depth import measured
from drawstring.store.models import Shot
from drawstring.store.standing import ShotStanding
from drawstring.web.bench.tracks import tracks_of

CHOICES = {
    "mapping": list(Mapping),
    "white_is": list(WhiteEnd),
    "overshoot": list(Overshoot),
    "edges": list(Edges),
    "nothing": list(NothingThere),
    "along": list(Along),
    "holds": list(Held),
    "units": list(LengthUnit),
    "falloff": list(Falloff),
    "source": list(MistFrom),
    "beyond": list(Beyond),
    "up": list(UpAxis),
    "by": list(FocusBy),
    "radius_in": list(RadiusIn),
    "then": list(Then),
}
"""What can be chosen, by setting."""


def depth_words(session: Session, shot: Shot, how: ShotStanding, frames: list[int]) -> dict[str, Any]:
    """Gather what the Depth panel's templates need."""
    delivery, settings = shot.delivery, how.recipe.depth
    if delivery is None:
        return {}
    facts = deliveries.facts_of(delivery)
    told = measured.told_distances(session, delivery)
    unit = shot.show.scene_unit
    return {
        "choices": CHOICES,
        "measurement": measured.measurement_of(delivery),
        "reading": _reading(settings, told["along"], unit),
        "half": _half(settings, unit),
        "worst_half": _worst_half(settings, unit),
        "other_views": [
            {"name": view, "range": settings.views.get(view), "measured": told["views"].get(view)}
            for view in other_views(how.passes)
        ],
        "has_position": pass_of(Role.POSITION, how.passes) is not None,
        "has_mist_pass": pass_of(Role.MIST, how.passes) is not None,
        "object_names": sorted({name for part in facts.parts for name in names_in(part.metadata)})
        if pass_of(Role.OBJECT_MATTE, how.passes)
        else [],
        "camera_lens": camera_of(facts.parts[0].metadata),
        "tracks": tracks_of(
            [
                ("depth.focus", "focus", settings.focus),
                *((f"depth.mist.{i}", layer.name, layer) for i, layer in enumerate(settings.mist, start=1)),
            ],
            frames,
        ),
    }


def swatches(picture: np.ndarray, z: np.ndarray, nothing: np.ndarray) -> list[dict[str, Any]]:
    """Give colours out of the picture that a mist is likely to take: scene-linear, and as they look.

    Parameters
    ----------
    picture : (H, W, 3) float32
    z : (H, W) float32
    nothing : (H, W) bool
    """
    light = picture.mean(axis=-1)
    found = []
    far = ~nothing & (z >= np.percentile(z[~nothing], 90)) if (~nothing).any() else nothing
    for label, where in (
        ("furthest things", far),
        ("background", nothing & (light > 1e-4)),
        ("brightest", light >= np.percentile(light, 95)),
        ("shadows", (light <= np.percentile(light, 15)) & (light > 1e-5)),
        ("whole picture", light > 1e-5),
    ):
        if where.sum() >= 16:
            found.append(_swatch(label, np.median(picture[where], axis=0)))
    found += [_swatch(f"grey {v}", np.full(3, v)) for v in (0.18, 0.5)]
    return found


def shown(colour: tuple[float, ...]) -> str:
    """Give how a scene-linear colour looks through the plain view, as #rrggbb."""
    look = through_view(np.asarray(colour, np.float32).reshape(1, 1, 3), "plain")
    r, g, b = (int(v) for v in np.clip(np.round(look[0, 0] * 255), 0, 255))
    return f"#{r:02x}{g:02x}{b:02x}"


def _swatch(label: str, colour: np.ndarray) -> dict[str, Any]:
    value = tuple(float(f"{v:.4g}") for v in colour)
    return {"label": label, "value": " ".join(f"{v:g}" for v in value), "shown": shown(value)}


def _reading(settings: DepthSettings, along: dict[str, Any] | None, unit: str) -> str:
    """Say in a sentence how the pass is read, and what speaks for it."""
    arrived = settings.arrived
    length = unit if arrived.unit is LengthUnit.SCENE else arrived.unit.value
    said = (
        f"{arrived.holds.says}, {arrived.mapping.says}"
        if arrived.holds is Held.SHARES
        else f"along the {arrived.along.says}, {length}"
    )
    if along is None or arrived.holds is Held.SHARES:
        return said
    by = {"position": "the position pass", "planes": "flat surfaces", "projection": "the projection"}
    if along["is"] is None:
        return f"{said}; ray or axis could not be told"
    agrees = "agrees" if along["is"] == arrived.along.value else "disagrees"
    off = along["off_axis"] if arrived.along is Along.AXIS else along["off_ray"]
    return f"{said}; {by.get(along['by'], 'nothing')} {agrees}{'' if off is None else f' to {off:.2%}'}"


def _half(settings: DepthSettings, unit: str) -> list[dict[str, str]]:
    if settings.near is None or settings.far is None:
        return []
    return [
        {
            "at": f"{label}, {say_length(one.distance, unit)}",
            "normalised": f"±{say_length(one.normalised, unit)}",
            "raw": f"±{say_length(one.raw, unit)}" if np.isfinite(one.raw) else "too large",
        }
        for label, one in zip(("near", "middle", "far"), half_errors(settings), strict=True)
    ]


def _worst_half(settings: DepthSettings, unit: str) -> str:
    if settings.near is None or settings.far is None:
        return ""
    return say_length(max(one.normalised for one in half_errors(settings)), unit)
