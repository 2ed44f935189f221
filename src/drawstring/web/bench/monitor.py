"""A monitor: the picture of a shot alone on its page, following the bench or looping a range of frames."""

from __future__ import annotations

from flask import Blueprint, render_template, request

from drawstring.core.errors import MissingError
from drawstring.store import deliveries, shows
from drawstring.store.standing import standing
from drawstring.web.services import work

bp = Blueprint("monitor", __name__)


@bp.get("/shots/<int:shot_id>/monitor")
def page(shot_id: int) -> str:
    """Show a shot's picture and nothing else; `first` and `last` narrow the range that is looped."""
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        delivery = deliveries.in_use(shot)
        how = standing(session, shot)
        first, last = (request.args.get(end, type=int) for end in ("first", "last"))
        usable = sorted(deliveries.usable_frames(session, delivery))
        frames = [n for n in usable if (first is None or n >= first) and (last is None or n <= last)]
        if not frames or not how.face:
            raise MissingError(
                f"{shot.code} has no frame to show.", where="monitor", why="The monitor would be black.",
                remedy="Accept a delivery whose frames are whole, or widen the range.",
            )  # fmt: skip
        wished = request.args.get("frame", type=int)
        management = how.recipe.arrivals.management
        return render_template(
            "bench/monitor.html", shot=shot, show=shot.show, name=how.face, frames=frames,
            frame=wished if wished in frames else frames[len(frames) // 2],
            view=management.views[0],
            managed=management.known_by,
            width=deliveries.place_out(delivery, how.recipe).display.width,
        )  # fmt: skip
