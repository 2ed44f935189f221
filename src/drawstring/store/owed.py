"""The show list: kept, replaced, held against what came."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from drawstring.core.errors import MissingError
from drawstring.core.io.facts import Window
from drawstring.core.owed.piece import Came, Piece, Standing, standing_of
from drawstring.store import shows
from drawstring.store.models import Frame, Member, OwedPiece, PassRow, Shot, Show


def _piece(row: OwedPiece) -> Piece:
    return Piece(
        row.shot, row.variant, row.view, row.title, row.first, row.last, row.width, row.height,
        tuple(row.passes), row.due, row.note,
    )  # fmt: skip


def pieces(session: Session, show: Show) -> list[tuple[int, Piece]]:
    """Give a show's list in the order of shots: each piece with its row's number."""
    query = select(OwedPiece).where(OwedPiece.show_id == show.id)
    rows = session.scalars(query.order_by(OwedPiece.shot, OwedPiece.variant, OwedPiece.view))
    return [(row.id, _piece(row)) for row in rows]


def put(session: Session, show: Show, several: Sequence[Piece], *, replaces: bool = False) -> int:
    """Put pieces on the list, over those that are there; make the shots that are new.

    Parameters
    ----------
    replaces : bool
        Whether what is not among them leaves the list.

    Returns
    -------
    int
        How many shots were made.
    """
    session.execute(select(Show.id).where(Show.id == show.id).with_for_update())
    if replaces:
        session.execute(delete(OwedPiece).where(OwedPiece.show_id == show.id))
    known = {
        (row.shot, row.variant, row.view): row
        for row in session.scalars(select(OwedPiece).where(OwedPiece.show_id == show.id))
    }
    codes = set(session.scalars(select(Shot.code).where(Shot.show_id == show.id)))
    made = 0
    for piece in several:
        row = known.get(piece.key) or OwedPiece(
            show_id=show.id, shot=piece.shot, variant=piece.variant, view=piece.view
        )
        row.title, row.note, row.due = piece.title, piece.note, piece.due
        row.first, row.last, row.width, row.height = piece.first, piece.last, piece.width, piece.height
        row.passes = list(piece.passes)
        session.add(row)
        if piece.code not in codes:
            codes.add(piece.code)
            shows.make_shot(session, show, piece.code, title=piece.title).variant = piece.variant
            made += 1
    session.flush()
    return made


def drop(session: Session, show: Show, number: int) -> None:
    """Take a piece off the list; its shot stays.

    Raises
    ------
    MissingError
        It is not on it.
    """
    row = session.get(OwedPiece, number)
    if row is None or row.show_id != show.id:
        raise MissingError(
            "This piece is not on the list.", where="list", why="Nothing was changed.", remedy="Reload."
        )
    session.delete(row)
    session.flush()


@dataclass(frozen=True)
class Owed:
    """A piece of the list, and how it stands."""

    number: int
    piece: Piece
    standing: Standing
    lacks: str
    shot: Shot | None


def standing(session: Session, show: Show, shots: Sequence[Shot], today: date | None = None) -> list[Owed]:
    """Hold the list against what has come: each piece, and what came that nobody owes.

    Parameters
    ----------
    shots : sequence of Shot
        Of the show, with their deliveries.
    today : date, optional
        For what is late; the day it is, when not given.
    """
    today = today or date.today()
    by_code = {shot.code: shot for shot in shots}
    listed = pieces(session, show)
    if not listed:
        return []
    came = came_of(session, shots)
    told = []
    for number, piece in listed:
        shot = by_code.get(piece.code)
        stands, lacks = standing_of(piece, came.get(shot.id) if shot else None, today)
        told.append(Owed(number, piece, stands, lacks, shot))
    owed = {piece.code for _, piece in listed}
    told += [
        Owed(0, Piece(shot.code, title=shot.title), Standing.EXTRA, "came, and nobody owes it", shot)
        for shot in shots
        if shot.id in came and shot.code not in owed
    ]
    return told


def came_of(session: Session, shots: Sequence[Shot]) -> dict[int, Came]:
    """Tell what has come of many shots, with three queries, by the shot's id."""
    in_use = {shot.delivery_id: shot.id for shot in shots if shot.delivery_id is not None}
    if not in_use:
        return {}
    numbers: dict[int, dict[int, set[int]]] = defaultdict(dict)
    whole = (
        select(Member.delivery_id, Member.place, func.array_agg(Frame.number))
        .join(Frame, Frame.member_id == Member.id)
        .where(Member.delivery_id.in_(in_use), Frame.fault == "")
        .group_by(Member.delivery_id, Member.place)
    )
    for delivery_id, place, frames in session.execute(whole):
        numbers[delivery_id][place] = set(frames)
    shown = select(Member.delivery_id, Member.facts["parts"][0]["display_window"])
    sizes: dict[int, tuple[int, int]] = {}
    for delivery_id, window in session.execute(
        shown.where(Member.delivery_id.in_(in_use), Member.place == 0)
    ):
        display = Window(*window)
        sizes[delivery_id] = display.width, display.height
    views: dict[int, dict[str, set[int]]] = defaultdict(dict)
    names: dict[int, dict[str, set[str]]] = defaultdict(lambda: defaultdict(set))
    rows = select(
        PassRow.delivery_id, PassRow.view, PassRow.name, PassRow.role, PassRow.layer, PassRow.channels
    )
    for delivery_id, view, name, role, layer, channels in session.execute(
        rows.where(PassRow.delivery_id.in_(in_use))
    ):
        own = [numbers[delivery_id].get(source, set()) for source in {channel[0] for channel in channels}]
        here = set.intersection(*own) if own else set()
        views[delivery_id][view] = views[delivery_id][view] & here if view in views[delivery_id] else here
        names[delivery_id][view] |= {role, name.rpartition(".")[2], layer}
    return {
        shot_id: Came(views[delivery_id], names[delivery_id], sizes.get(delivery_id))
        for delivery_id, shot_id in in_use.items()
    }
