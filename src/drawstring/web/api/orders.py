"""Orders and the show list for programs: a renderer fetches what it is asked for, a tracker fills it."""

from __future__ import annotations

from typing import Any

from flask import g

from drawstring.core.orders.document import schema
from drawstring.core.owed.reading import read_table
from drawstring.store import orders, owed, shows
from drawstring.store.models import OrderRow
from drawstring.store.standing import shots_of
from drawstring.web.api.bodies import AskedOnceMore, NewOrder, OwedTable, Purpose, read_body
from drawstring.web.api.entry import bp, shot_of
from drawstring.web.services import work


def order_data(row: OrderRow) -> dict[str, Any]:
    """Tell of an order."""
    return {
        "number": row.number, "kind": row.kind, "files": row.frames, "says": row.says, "by": row.by,
        "made_at": row.made_at.isoformat(), "shots": [one.shot.code for one in row.shots],
    }  # fmt: skip


@bp.get("/shows/<show>/orders")
def list_orders(show: str) -> dict[str, Any]:
    """List a show's orders, the newest first, and what waits to be asked for again."""
    with work() as session:
        its = shows.find_show(session, show)
        waits = [
            {"shot": row.shot.code, "render": row.render, "frames": row.frames, "passes": row.passes}
            for row in orders.asked_again(session, its)
        ]
        return {"orders": [order_data(row) for row in orders.of_show(session, its)], "waits": waits}


@bp.post("/shows/<show>/orders")
def make_order(show: str) -> dict[str, Any]:
    """Make one order for some shots as they are planned."""
    asked = read_body(NewOrder)
    with work() as session:
        its = shows.find_show(session, show)
        several = [shot_of(session, show, code) for code in asked.shots] or list(its.shots)
        return order_data(orders.make(session, its, several, says=asked.says, by=g.holder))


@bp.get("/shows/<show>/orders/<int:number>")
def get_order(show: str, number: int) -> dict[str, Any]:
    """Give an order as the document that a renderer obeys."""
    with work() as session:
        document = orders.document_of(orders.find(session, shows.find_show(session, show), number))
        return document.model_dump(mode="json", exclude_defaults=True) | {"form": document.form}


@bp.post("/shows/<show>/shots/<shot>/ask-again")
def ask_once_more(show: str, shot: str) -> dict[str, Any]:
    """Put frames and passes of an ordered render into the next repair order."""
    asked = read_body(AskedOnceMore)
    with work() as session:
        row = orders.ask_again(
            session, shot_of(session, show, shot), asked.render, asked.frames, asked.passes, why=asked.why,
            by=g.holder,
        )  # fmt: skip
        return {"render": row.render, "frames": row.frames, "passes": row.passes}


@bp.post("/shows/<show>/repairs")
def make_repair(show: str) -> dict[str, Any]:
    """Make a repair order of all that waits."""
    asked = read_body(Purpose)
    with work() as session:
        its = shows.find_show(session, show)
        return order_data(orders.make_repair(session, its, says=asked.says, by=g.holder))


@bp.get("/order-schema")
def get_schema() -> dict[str, Any]:
    """Give the schema of an order's document."""
    return schema()


@bp.get("/shows/<show>/owed")
def list_owed(show: str) -> dict[str, Any]:
    """Tell what a show owes, and how each piece stands."""
    with work() as session:
        its = shows.find_show(session, show)
        rows = owed.standing(session, its, shots_of(session, its))
        return {
            "pieces": [
                {
                    "shot": row.piece.shot, "variant": row.piece.variant, "view": row.piece.view,
                    "standing": row.standing.value, "lacks": row.lacks,
                    "due": row.piece.due.isoformat() if row.piece.due else None,
                }
                for row in rows
            ]
        }  # fmt: skip


@bp.post("/shows/<show>/owed")
def put_owed(show: str) -> dict[str, Any]:
    """Put pieces on the show list."""
    asked = read_body(OwedTable)
    read = read_table(asked.table)
    with work() as session:
        made = owed.put(session, shows.find_show(session, show), read.pieces, replaces=asked.replaces)
        return {"pieces": len(read.pieces), "new_shots": made, "notes": list(read.notes)}
