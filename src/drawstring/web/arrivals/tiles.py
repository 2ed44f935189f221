"""Pictures that came in tiles: looked at as they lie, joined at a press, taken apart where they are none."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, render_template, request, url_for
from sqlalchemy.orm import Session
from werkzeug.wrappers import Response

from drawstring.core.arrivals.scan import APART
from drawstring.core.colour import look
from drawstring.core.errors import MissingError
from drawstring.core.io.headers import read_facts
from drawstring.core.passes import Role, recognise
from drawstring.core.tiles.tile_set import TileSet
from drawstring.runs.kept_planes import level_within
from drawstring.store import filling, joinings, orders, scans, shows
from drawstring.store.models import ScanRow, Show
from drawstring.web.pictures.views import as_png
from drawstring.web.services import go_to, house, who, work

bp = Blueprint("tiles", __name__)

TILE_PX = 240


def _asked() -> str:
    return request.values.get("name", "")


@bp.get("/shows/<code>/arrivals/<int:scan_id>/tiles")
def detail(code: str, scan_id: int) -> str:
    """Show one picture in tiles, as they lie, with what is wrong and the press that joins them."""
    with work() as session:
        show = shows.find_show(session, code)
        row = scans.find(session, scan_id)
        return _detail(session, show, row, scans.tiles(session, row, _asked()))


def _detail(session: Session, show: Show, row: ScanRow, tiles: TileSet) -> str:
    return render_template("arrivals/_tiles.html", **tile_words(session, show, row, tiles))


def tile_words(session: Session, show: Show, row: ScanRow, tiles: TileSet) -> dict[str, Any]:
    """Gather what the templates of a picture in tiles need."""
    ordered = orders.tiles_as_ordered(session, show, tiles)
    is_ordered = request.values.get("ordered") == "yes" and ordered is not None
    if is_ordered and ordered is not None:
        tiles = ordered[1]
    return {
        "order": ordered[0] if ordered else 0, "is_ordered": is_ordered,
        "show": show, "row": row, "tiles": tiles, "joining": joinings.of_name(session, show, tiles.key),
        "holes": sorted({cell for frame in tiles.frames for cell in tiles.holes(frame)}),
        "lacking": sum(1 for frame in tiles.frames if tiles.holes(frame)),
    }  # fmt: skip


@bp.post("/shows/<code>/arrivals/<int:scan_id>/tiles/join")
def join(code: str, scan_id: int) -> str:
    """Have tiles joined; show how far it is."""
    with work() as session:
        show = shows.find_show(session, code)
        row = scans.find(session, scan_id)
        tiles = scans.tiles(session, row, _asked())
        ordered = orders.tiles_as_ordered(session, show, tiles)
        if request.form.get("ordered") == "yes" and ordered is not None:
            tiles = ordered[1]
        joinings.ask(
            session, show, tiles, root=house().installation.root_list[0],
            evens=request.form.get("tiles.evens") == "yes",
            with_holes=request.form.get("tiles.holes") == "yes", by=who(),
        )  # fmt: skip
        return _detail(session, show, row, tiles)


@bp.post("/shows/<code>/arrivals/<int:scan_id>/tiles/stop")
def stop(code: str, scan_id: int) -> str:
    """Stop joining after the frame it is at."""
    with work() as session:
        show = shows.find_show(session, code)
        row = scans.find(session, scan_id)
        tiles = scans.tiles(session, row, _asked())
        joining = joinings.of_name(session, show, tiles.key)
        if joining is None:
            raise MissingError(
                "It is not being joined.", where="tiles", why="There is nothing to stop.",
                remedy="Look at the scan.",
            )  # fmt: skip
        filling.stop(session, joining)
        return _detail(session, show, row, tiles)


@bp.post("/shows/<code>/arrivals/<int:scan_id>/tiles/apart")
def take_apart(code: str, scan_id: int) -> Response:
    """Take files that look like tiles for pictures of their own from now on; look at the folder again."""
    with work() as session:
        show = shows.find_show(session, code)
        row = scans.find(session, scan_id)
        scans.take_words(session, show, [scans.tiles(session, row, _asked()).pattern], APART)
        again = scans.ask(session, show, row.folder)
        return go_to(url_for("arrivals.scan", code=code, scan_id=again.id))


@bp.get("/shows/<code>/arrivals/<int:scan_id>/tiles/<int:place>")
def thumb(code: str, scan_id: int, place: int) -> Response:
    """Give a small picture of one tile, from the frame whose seams were looked at."""
    with work() as session:
        tiles = scans.tiles(session, scans.find(session, scan_id), _asked())
    tile = tiles.tiles[place] if place < len(tiles.tiles) else None
    path = dict(tile.paths).get(tiles.looked_at) if tile else None
    if path is None:
        raise MissingError(
            f"There is no tile number {place}.", where="tiles", remedy="Scan the folder again."
        )
    facts = house().readers.read(path, read_facts, path)
    passes = recognise(facts)
    chosen = next((one for one in passes if one.role is Role.BEAUTY), passes[0])
    level = level_within(facts.window.width, TILE_PX)
    refs = list(chosen.channels)
    planes = house().frames.planes({0: facts}, refs, window=facts.window, level=level, is_light=False)
    return as_png(look(chosen.role, [planes[ref] for ref in refs]), TILE_PX)
