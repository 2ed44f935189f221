"""What the Eyes panel says beside the settings themselves: choices, views, keys."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from drawstring.core.eyes.anaglyph import Method, Mixed, matrices_of
from drawstring.core.eyes.packing import First, Packing
from drawstring.core.eyes.pair_views import views_of_pair
from drawstring.core.eyes.settings import AnaglyphFile, Came, Edge, Fineness, Form, Making
from drawstring.core.keys import Then
from drawstring.core.recipe.sources import other_views
from drawstring.store.models import Shot
from drawstring.store.standing import ShotStanding
from drawstring.web.bench.tracks import tracks_of

CHOICES = {
    "came": list(Came), "packing": list(Packing), "first": list(First), "making": list(Making),
    "fineness": list(Fineness),
    "edge": list(Edge), "method": list(Method), "mixed": list(Mixed), "file": list(AnaglyphFile),
    "forms": list(Form), "then": list(Then),
}  # fmt: skip
"""What can be chosen, by setting."""


def eyes_words(session: Session, shot: Shot, how: ShotStanding, frames: list[int]) -> dict[str, Any]:
    """Gather what the Eyes panel's templates need."""
    settings = how.recipe.eyes
    said = next((one.view for one in how.passes if "." not in one.name), "") or "first"
    views = {"": said, **{view: view for view in other_views(how.passes)}}
    left, right = views_of_pair(how.passes, how.recipe)
    one, other = matrices_of(settings.method, settings.own_matrix or (0.0,) * 18)
    return {
        "choices": CHOICES,
        "eye_views": list(views.values()),
        "taken": (views.get(left, left), views.get(right, right)),
        # As the graphics card takes them: column by column.
        "anaglyph": {
            "left": [float(v) for v in one.T.ravel()],
            "right": [float(v) for v in other.T.ravel()],
            "linear": settings.mixed is Mixed.LINEAR,
        },
        "tracks": tracks_of([("eyes", "eyes", settings)], frames),
    }
