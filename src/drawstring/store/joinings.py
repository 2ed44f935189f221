"""Pictures in tiles, joined: asked for, taken up by the engine, stopped."""

from __future__ import annotations

import os
import re
from datetime import UTC, datetime

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from drawstring.core.errors import ConflictError, MissingError
from drawstring.core.tiles.tile_set import TileSet
from drawstring.store.facts import tiles_to_json
from drawstring.store.models import Joining, Show, now

UNDER_WAY = ("waiting", "joining")


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
    if known is not None and known.state in UNDER_WAY:
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


def find(session: Session, number: int) -> Joining:
    """Find a joining.

    Raises
    ------
    MissingError
        There is none of this number.
    """
    row = session.get(Joining, number)
    if row is None:
        raise MissingError(f"There is no joining {number}.", where="tiles", remedy="Scan the folder again.")
    return row


def due(session: Session) -> Joining | None:
    """Give what is to be joined next; what was under way when an engine died is gone on with."""
    query = select(Joining).where(Joining.state.in_(UNDER_WAY)).order_by(Joining.id).limit(1)
    return session.scalar(query)


def tell(session: Session, number: int, done: int) -> bool:
    """Note how many frames are joined; give whether to go on."""
    query = update(Joining).where(Joining.id == number, Joining.state == "joining").values(done=done)
    return bool(session.execute(query).rowcount)  # type: ignore[attr-defined]


def stop(session: Session, row: Joining) -> None:
    """Stop a joining after the frame it is at; whole frames stay.

    Raises
    ------
    ConflictError
        It is at its end.
    """
    if row.state not in UNDER_WAY:
        raise ConflictError(
            f"It is {row.state} already.", where="tiles", why="There is nothing to stop.",
            remedy="Look at the scan.",
        )  # fmt: skip
    row.state, row.ended_at = "stopped", now()
    session.flush()
