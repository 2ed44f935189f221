"""Orders: made, found, compared; what has to be asked for again, collected into a repair order."""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import func, select
from sqlalchemy.orm import Session, undefer

from drawstring.core.arrivals import Candidate, read_path
from drawstring.core.errors import ConflictError, MissingError, SettingError
from drawstring.core.findings import Finding
from drawstring.core.orders.came import CameView, held_against, match
from drawstring.core.orders.coming import Coming, coming_of
from drawstring.core.orders.document import Order, ShotOrder, read_order
from drawstring.core.orders.making import Wanted, repair_of, shot_order
from drawstring.core.passes.roles import Role
from drawstring.core.plan.planned import Planned
from drawstring.core.tiles.ordered import as_ordered
from drawstring.core.tiles.tile_set import TileSet
from drawstring.store import recipes
from drawstring.store.models import AskedAgain, OrderedShot, OrderRow, OwedPiece, Shot, Show, now
from drawstring.store.plan.known import known_of

MOST_SHOTS = 2000


def planned_of(session: Session, shot: Shot) -> Planned:
    """Work out a shot's plan as it is settled."""
    recipe = recipes.current(session, shot)
    return Planned(recipe, known_of(session, shot, recipe))


def make(session: Session, show: Show, shots: Sequence[Shot], *, says: str = "", by: str = "") -> OrderRow:
    """Make an order for some shots of a show, and settle their plans on it.

    Raises
    ------
    SettingError
        The plan of one can't be ordered; nothing is.
    """
    if not 0 < len(shots) <= MOST_SHOTS:
        raise SettingError(
            "No shot is chosen." if not shots else f"These are more than {MOST_SHOTS} shots.", where="order",
            why="An order asks for shots.", remedy="Choose some, or make several orders.",
        )  # fmt: skip
    parts: list[ShotOrder] = []
    hindered: list[SettingError] = []
    for shot in shots:
        try:
            parts.append(shot_order(planned_of(session, shot)))
        except SettingError as refusal:
            hindered.append(refusal)
    if hindered:
        several = "; ".join(str(refusal).rstrip(".") for refusal in hindered[:5])
        raise hindered[0] if len(hindered) == 1 else SettingError(
            f"{len(hindered)} of {len(shots)} shots can't be ordered: {several}.", where="order",
            why="The renderer would have to guess.", remedy="Complete their plans, or leave them out.",
        )  # fmt: skip
    document = Order(
        show=show.code, number=_next_number(session, show), says=says.strip(), by=by,
        made_on=now().date().isoformat(), shots=tuple(parts),
    )  # fmt: skip
    row = _keep(session, show, document, shots, by)
    for shot in shots:
        recipe = recipes.current(session, shot)
        if not recipe.plan.needed:
            recipes.set_values(session, shot, {"plan.needed": True}, by=by)
        recipes.settle(session, shot, "plan", said=f"order {document.number}", by=by)
    return row


def _next_number(session: Session, show: Show) -> int:
    # Two who order at once wait for each other, so that each order has a number of its own.
    session.execute(select(Show.id).where(Show.id == show.id).with_for_update())
    last = session.scalar(select(func.max(OrderRow.number)).where(OrderRow.show_id == show.id))
    return (last or 0) + 1


def _keep(session: Session, show: Show, document: Order, shots: Sequence[Shot], by: str) -> OrderRow:
    row = OrderRow(
        show=show, number=document.number, kind=document.kind, document=document.model_dump(mode="json"),
        frames=sum(shot.frames for shot in document.shots), says=document.says, by=by,
        shots=[OrderedShot(shot=shot) for shot in shots],
    )  # fmt: skip
    session.add(row)
    session.flush()
    return row


def of_show(session: Session, show: Show) -> list[OrderRow]:
    """Give a show's orders, the newest first."""
    query = select(OrderRow).where(OrderRow.show_id == show.id).order_by(OrderRow.number.desc())
    return list(session.scalars(query))


def find(session: Session, show: Show, number: int) -> OrderRow:
    """Find an order by its number.

    Raises
    ------
    MissingError
        The show has none of that number.
    """
    query = select(OrderRow).where(OrderRow.show_id == show.id, OrderRow.number == number)
    row = session.scalar(query.options(undefer(OrderRow.document)))
    if row is None:
        raise MissingError(
            f"{show.code} has no order {number}.", where="order", why="Nothing was changed.",
            remedy="Its page of orders lists them.",
        )  # fmt: skip
    return row


def document_of(row: OrderRow) -> Order:
    """Read an order's document."""
    return read_order(row.document)


def former_of(session: Session, row: OrderRow) -> Order | None:
    """Give the order before that asked for any of its shots; None where there is none."""
    shots = select(OrderedShot.shot_id).where(OrderedShot.order_id == row.id)
    query = (
        select(OrderRow)
        .join(OrderRow.shots)
        .where(OrderRow.show_id == row.show_id, OrderRow.number < row.number, OrderedShot.shot_id.in_(shots))
        .where(OrderRow.kind == "whole")
        .order_by(OrderRow.number.desc())
        .options(undefer(OrderRow.document))
        .limit(1)
    )
    before = session.scalar(query)
    return document_of(before) if before is not None else None


def newest_of(session: Session, shots: Sequence[int]) -> dict[int, int]:
    """Give the number of the newest order that asks for each of some shots, by the shot's id."""
    query = (
        select(OrderedShot.shot_id, func.max(OrderRow.number))
        .join(OrderedShot.order)
        .where(OrderedShot.shot_id.in_(shots))
        .group_by(OrderedShot.shot_id)
    )
    return {shot: number for shot, number in session.execute(query)}


def asks_for(session: Session, shot: Shot) -> tuple[Order, ShotOrder] | None:
    """Give the newest whole order that asks for a shot, and its part of it; None where none does."""
    query = (
        select(OrderRow)
        .join(OrderRow.shots)
        .where(OrderedShot.shot_id == shot.id, OrderRow.kind == "whole")
        .order_by(OrderRow.number.desc())
        .options(undefer(OrderRow.document))
        .limit(1)
    )
    row = session.scalar(query)
    if row is None:
        return None
    order = document_of(row)
    part = order.shot_named(shot.code)
    return (order, part) if part is not None else None


def owed_of(session: Session, shots: Sequence[Shot]) -> dict[int, tuple[object, ...]]:
    """Give what the show list says of each shot, in a form that changes when it does, by the shot's id."""
    names = {(shot.show_id, shot.code): shot.id for shot in shots}
    told: dict[int, list[object]] = {}
    if not names:
        return {}
    wanted = select(OwedPiece).where(OwedPiece.show_id.in_({show for show, _ in names}))
    if len(shots) == 1:
        bases = {shots[0].code, shots[0].code.removesuffix(f"_{shots[0].variant}")}
        wanted = wanted.where(OwedPiece.shot.in_(bases))
    for piece in session.scalars(wanted):
        code = f"{piece.shot}_{piece.variant}" if piece.variant else piece.shot
        shot = names.get((piece.show_id, code))
        if shot is not None:
            told.setdefault(shot, []).append(
                (
                    piece.view,
                    piece.first,
                    piece.last,
                    piece.width,
                    piece.height,
                    tuple(piece.passes),
                    piece.due,
                )
            )
    return {shot: tuple(several) for shot, several in told.items()}


def read_frames(text: str) -> list[int]:
    """Read numbers and ranges with commas between them; what is none is left out.

    Examples
    --------
    >>> read_frames("1004,1009-1012")
    [1004, 1009, 1010, 1011, 1012]
    """
    numbers: list[int] = []
    for part in text.split(","):
        first, _, last = part.strip().partition("-")
        if first.isdigit() and (not last or last.isdigit()):
            numbers += range(int(first), min(int(last or first), int(first) + 100_000) + 1)
    return numbers


def ask_again(
    session: Session, shot: Shot, render: str, frames: Sequence[int], passes: Sequence[str] = (), *,
    why: str = "", by: str = "",
) -> AskedAgain:  # fmt: skip
    """Put frames and passes of a render into the next repair order.

    Raises
    ------
    ConflictError
        No order asks for the shot.
    SettingError
        The order has no such render.
    """
    asked = asks_for(session, shot)
    if asked is None:
        raise ConflictError(
            f"No order asks for {shot.code}.", where="order", why="There is nothing to ask for again.",
            remedy="Make its plan, and order it.",
        )  # fmt: skip
    if asked[1].render_named(render) is None:
        names = ", ".join(one.name for one in asked[1].renders)
        raise SettingError(
            f"Order {asked[0].number} has no render “{render[:60]}” of {shot.code}.", where="order",
            why="Nothing was asked for.", remedy=f"There are: {names}.",
        )  # fmt: skip
    same = select(AskedAgain).where(AskedAgain.shot_id == shot.id, AskedAgain.render == render)
    row = next((one for one in session.scalars(same) if set(one.passes) == set(passes)), None)
    if row is None:
        row = AskedAgain(shot=shot, render=render, passes=list(passes), frames=[], by=by)
        session.add(row)
    row.frames = sorted({*row.frames, *(int(number) for number in frames)})
    row.why = "; ".join(dict.fromkeys(part for part in (*(row.why or "").split("; "), why) if part))[:200]
    session.flush()
    return row


def asked_again(session: Session, show: Show) -> list[AskedAgain]:
    """Give what waits for the next repair order."""
    query = select(AskedAgain).join(AskedAgain.shot).where(Shot.show_id == show.id).order_by(AskedAgain.id)
    return list(session.scalars(query))


def drop_asked(session: Session, show: Show, number: int) -> None:
    """Take something back that waits for the next repair order."""
    for row in asked_again(session, show):
        if row.id == number:
            session.delete(row)
    session.flush()


def make_repair(session: Session, show: Show, *, says: str = "", by: str = "") -> OrderRow:
    """Make a repair order of all that waits; nothing waits any more then.

    Raises
    ------
    SettingError
        Nothing waits.
    """
    rows = asked_again(session, show)
    number = _next_number(session, show)
    shots: list[ShotOrder] = []
    of: list[int] = []
    for shot in {row.shot_id: row.shot for row in rows}.values():
        asked = asks_for(session, shot)
        if asked is None:
            continue
        wanted = [
            Wanted(shot.code, row.render, tuple(row.frames), tuple(row.passes), row.why)
            for row in rows
            if row.shot_id == shot.id
        ]
        shots += repair_of(asked[0].model_copy(update={"shots": (asked[1],)}), wanted).shots
        of.append(asked[0].number)
    if not shots:
        raise SettingError(
            "Nothing waits to be asked for again.", where="order", why="An empty order can't be rendered.",
            remedy="Press “ask again” at what is missing or wrong.",
        )  # fmt: skip
    document = Order(
        show=show.code, number=number, kind="repair", repairs=max(of), says=says.strip(), by=by,
        made_on=now().date().isoformat(), shots=tuple(shots),
    )  # fmt: skip
    row = _keep(session, show, document, list({one.shot_id: one.shot for one in rows}.values()), by)
    for one in rows:
        session.delete(one)
    session.flush()
    return row


@dataclass(frozen=True)
class CandidateStanding:
    """How a candidate stands to the order that asks for its shot.

    Attributes
    ----------
    order : Order
    coming : dict of render name to Coming
    findings : list of Finding
        What came otherwise; frames that are still to come are none while the folder fills.
    """

    order: Order
    coming: dict[str, Coming]
    findings: list[Finding]


def standing_of_candidate(
    session: Session, show: Show, candidate: Candidate, *, is_filling: bool, at: float | None = None
) -> CandidateStanding | None:  # fmt: skip
    """Hold a candidate of a scan against the order that asks for its shot; None where none does.

    Parameters
    ----------
    is_filling : bool
        Whether its folder is watched: what is missing may still come.
    at : float, optional
        Seconds since 1970; the present when not given.
    """
    shot = next((one for one in show.shots if one.code == candidate.shot), None)
    asked = asks_for(session, shot) if shot is not None else None
    if asked is None or not candidate.passes:
        return None
    order, part = asked
    came = came_of_candidate(candidate)
    findings = held_against(order, part, came, candidate.shot)
    if is_filling:
        late = {"order-frames-missing", "order-render-missing"}
        findings = [
            finding for finding in findings
            if finding.code not in late or (finding.code == "order-frames-missing" and _has_broken(came))
        ]  # fmt: skip
    written = {
        view.name: {
            frame.number: frame.mtime_ns / 1e9
            for member in candidate.members
            if member.view == view.name or not view.name
            for frame in member.frames
            if frame.number in view.frames
        }
        for view in came
    }
    now_s = time.time() if at is None else at
    matched = match(part, came)
    coming = {
        render.name: coming_of(
            render.numbers,
            written.get(matched[render.name].name, {}) if render.name in matched else {},
            now_s,
        )
        for render in part.renders
    }
    return CandidateStanding(order, coming, findings)


def _has_broken(came: Sequence[CameView]) -> bool:
    return any(fault for view in came for fault in view.broken.values() if "came without" not in fault)


def came_of_candidate(candidate: Candidate) -> list[CameView]:
    """Tell what a scan found, view by view, as it can be held against an order."""
    told = []
    for view in candidate.views:
        own = [one for one in candidate.passes if one.view == view]
        sources = sorted({ref.source for one in own for ref in one.channels})
        members = [candidate.members[source] for source in sources]
        facts = members[0].facts
        if facts is None:
            continue
        numbers = sorted({frame.number for member in members for frame in member.frames})
        faults: dict[int, str] = {}
        for member in members:
            here = {frame.number: frame.fault for frame in member.frames}
            for number in numbers:
                if number not in here:
                    faults.setdefault(number, "came without a part of its passes")
                elif here[number]:
                    faults[number] = here[number]
        names = {one.role.value for one in own if one.role is not Role.OTHER}
        names |= {one.name.rpartition(".")[2] for one in own} | {one.layer for one in own}
        first = facts.parts[own[0].channels[0].part if own[0].channels else 0]
        told.append(
            CameView(
                view, frozenset(numbers) - set(faults), faults, first.display_window, first.data_window,
                frozenset(names), first.metadata, first.pixel_aspect or 1.0,
            )
        )  # fmt: skip
    return told


def tiles_as_ordered(session: Session, show: Show, tiles: TileSet) -> tuple[int, TileSet] | None:
    """Lay tiles where the order that asks for their shot has them: its number, and the tiles; else None."""
    code = read_path(tiles.key, show.patterns).shot
    shot = next((one for one in show.shots if one.code == code), None)
    asked = asks_for(session, shot) if shot is not None else None
    if asked is None:
        return None
    laid = (as_ordered(tiles, render) for render in asked[1].renders)
    return next(((asked[0].number, one) for one in laid if one is not None), None)
