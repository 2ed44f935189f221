"""Pack knot: what goes out under which name, in which type; and the press that runs it."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, render_template
from sqlalchemy.orm import Session
from werkzeug.wrappers import Response

from drawstring.core.pack import Compression, OutputChannel, StoredType
from drawstring.core.recipe import RESULTS, KnotState, find_result
from drawstring.runs.planning import notes_for
from drawstring.store import deliveries, shows
from drawstring.store.models import Shot
from drawstring.store.standing import ShotStanding, standing
from drawstring.web.bench.views import bench_words, set_settings, typed_at
from drawstring.web.services import work

bp = Blueprint("pack", __name__)

BYTES = {"half": 2, "float": 4, "uint": 4}

ROW_PX = 44
MAP_WIDTH = 220


@bp.get("/shots/<int:shot_id>/pack")
def page(shot_id: int, knot: str = "pack") -> str:
    """Show the channel map, the form of the files and the press to run."""
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        words = bench_words(session, shot, "pack") | pack_words(session, shot)
        return render_template("pack/pack.html", **words)


@bp.post("/shots/<int:shot_id>/pack")
def set_values(shot_id: int) -> Response:
    """Change settings; every change is a revision."""
    typed = typed_at("pack")
    for name, value in typed.items():
        if name.endswith(".goes"):
            typed[name] = value == "yes"
    return set_settings(shot_id, "pack", typed)


def pack_words(session: Session, shot: Shot) -> dict[str, Any]:
    """Gather what the pack templates need."""
    how = standing(session, shot)
    return {
        "rows": _rows(how),
        "compressions": list(Compression),
        "types": list(StoredType),
        "raw_bytes": _raw_bytes(how, shot),
        "run_notes": notes_for(how),
        "row_px": ROW_PX,
        "map_width": MAP_WIDTH,
    }


def _rows(how: ShotStanding) -> list[dict[str, Any]]:
    """Give a row for each pass and result: what it is, what it becomes, and its cord across."""
    going: dict[str, list[OutputChannel]] = {}
    for channel in how.outputs.channels:
        going.setdefault(channel.source, []).append(channel)
    knots = {knot.name: knot for knot in how.knots}
    names = [
        (one.name, f"{one.layer or 'R, G, B, A'}", len(one.channels), one.role.value) for one in how.passes
    ]
    made = dict.fromkeys([*RESULTS, *going, *how.recipe.pack.rows])
    for result in [one for name in made if (one := find_result(name)) is not None]:
        if result.is_packed and (result.name in going or result.name in how.recipe.pack.rows):
            knot = knots[result.knot]
            is_open = ", which is open" if knot.state is KnotState.OPEN else ""
            names.append((result.name, f"made by {knot.title}{is_open}", len(result.suffixes), "result"))
    rows, place = [], 0
    for i, (name, layer, count, role) in enumerate(names):
        channels = going.get(name, [])
        row = how.recipe.pack.row(name)
        start = i * ROW_PX + ROW_PX / 2
        cord = ""
        if channels:
            end = place * ROW_PX + ROW_PX / 2
            cord = f"M0 {start:g}C{MAP_WIDTH / 2:g} {start:g} {MAP_WIDTH / 2:g} {end:g} {MAP_WIDTH} {end:g}"
            place += 1
        rows.append(
            {
                "name": name,
                "layer": layer,
                "count": count,
                "role": role,
                "row": row,
                "channels": channels,
                "stored": ", ".join(dict.fromkeys(channel.stored for channel in channels)),
                "cord": cord,
            }
        )
    return rows


def _raw_bytes(how: ShotStanding, shot: Shot) -> int:
    """Give the bytes of one frame before compression."""
    if shot.delivery is None:
        return 0
    window = deliveries.window_of(shot.delivery)
    pixels = window.width * window.height
    return pixels * sum(BYTES[channel.stored] for channel in how.outputs.channels)
