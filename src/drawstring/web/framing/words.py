"""What the Framing panel says beside the settings themselves: sizes, choices, what came, keys."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from drawstring.core.framing.exact import Exact
from drawstring.core.framing.filters import Filter
from drawstring.core.framing.grid import near_square
from drawstring.core.framing.lens import Model
from drawstring.core.framing.lens_map import Counts, Origin
from drawstring.core.framing.results import views_of
from drawstring.core.framing.settings import PRESETS, Bends, Fit, MovesIn, Outside, VectorsPoint
from drawstring.core.keys import Then
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.sources import other_views
from drawstring.store import deliveries
from drawstring.store.models import Shot
from drawstring.store.standing import ShotStanding
from drawstring.web.bench.tracks import tracks_of
from drawstring.web.colour_files import kept_maps

CHOICES = {
    "fit": list(Fit), "light": list(Filter), "exact": list(Exact), "outside": list(Outside),
    "bends": list(Bends), "model": [model for model in Model if model is not Model.NONE],
    "origin": list(Origin), "counts": list(Counts),
    "then": list(Then), "moves_in": list(MovesIn), "vectors": list(VectorsPoint),
}  # fmt: skip
"""What can be chosen, by setting."""

RATIOS = (1.66, 1.85, 2.0, 2.35, 2.39)
"""Letterboxes of the trade, width by height."""


def framing_words(session: Session, shot: Shot, how: ShotStanding, frames: list[int]) -> dict[str, Any]:
    """Gather what the Framing panel's templates need."""
    delivery, settings = shot.delivery, how.recipe.framing
    if delivery is None:
        return {}
    came = deliveries.place_of(delivery)
    return {
        "choices": CHOICES,
        "presets": PRESETS,
        "maps": kept_maps(),
        "ratios": RATIOS,
        "came": came,
        "out": deliveries.place_out(delivery, how.recipe),
        "shot_views": views_of(Chains(how.passes, how.recipe)),
        "square": near_square(1 + len(other_views(how.passes))),
        "sides": said_sides(settings.arrived),
        "tracks": tracks_of(
            [
                ("framing.whole", "whole picture", settings.whole),
                ("framing.scene", "render", settings.scene),
                ("framing.shake", "shake", settings.shake),
            ],
            frames,
        ),
    }


def said_sides(sides: tuple[float, float, float, float] | None) -> str:
    """Say overscan as it can be typed again."""
    if sides is None:
        return ""
    if sides[0] < 0:
        return f"{-200 * sides[0]:g} %"
    return f"{sides[0]:g}" if len(set(sides)) == 1 else " ".join(f"{side:g}" for side in sides)
