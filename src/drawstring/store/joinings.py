"""Pictures in tiles, joined: asked for, into a folder of their own."""

from __future__ import annotations

import os
import re
from datetime import UTC, datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from drawstring.core.errors import ConflictError
from drawstring.core.tiles.tile_set import TileSet
from drawstring.store.facts import tiles_to_json
from drawstring.store.models import Joining, Show


def ask(
    session: Session,
    show: Show,
    tiles: TileSet,
    *,
    root: str,
    evens: bool = False,
    with_holes: bool = False,
    by: str = "",
) -> Joining:
    """Ask for tiles to be joined, into a folder of their own below the first source root.

    Parameters
    ----------
    root : str
        Folder that sources may lie in, and that the house may write in.
    evens : bool
        Take steps in exposure out.
    with_holes : bool
        Join frames of which tiles are missing, too.

    Raises
    ------
    ConflictError
        Something keeps it from being joined, it is under way already, or a tile is missing.
    """
    if tiles.obstacle is not None:
        raise ConflictError(
            f"{tiles.pattern} can't be joined. {tiles.obstacle.what}", where="tiles",
            why=tiles.obstacle.why, remedy=tiles.obstacle.remedy,
        )  # fmt: skip
    lacking = [number for number in tiles.frames if tiles.holes(number)]
    if lacking and not with_holes:
        raise ConflictError(
            f"Tiles are missing of {len(lacking)} of {len(tiles.frames)} frames.", where="tiles",
            why="The picture would have holes.", remedy="Render them, or say that the holes may stay.",
        )  # fmt: skip
    session.execute(select(Show.id).where(Show.id == show.id).with_for_update())
    known = of_name(session, show, tiles.key)
    if known is not None and known.is_under_way:
        return known
    day = datetime.now(UTC).strftime("%Y%m%d-%H%M%S")
    stem = re.sub(r"[^A-Za-z0-9_.\-]+|[#.]*#[#.]*", "_", os.path.splitext(tiles.pattern)[0]).strip("_.-")
    folder = os.path.join(root, "joined", show.code, f"{day}-{stem}")
    row = Joining(
        show=show, name=tiles.key, tiles=tiles_to_json(tiles), evens=evens, folder=folder,
        total=len(tiles.frames), by=by,
    )  # fmt: skip
    session.add(row)
    session.flush()
    return row


def of_name(session: Session, show: Show, name: str) -> Joining | None:
    """Give the newest joining of a picture, by its key; None where there was none."""
    query = select(Joining).where(Joining.show_id == show.id, Joining.name == name)
    return session.scalar(query.order_by(Joining.id.desc()).limit(1))
