"""Orders of a show: listed, read, printed, taken as JSON or CSV, compared; what is asked for again."""

from __future__ import annotations

from flask import Blueprint, Response, render_template, request, url_for
from werkzeug.wrappers import Response as AnyResponse

from drawstring.core.orders.document import file_of, say_ranges, schema, written
from drawstring.core.orders.listing import as_csv, changes, differs_says
from drawstring.store import orders, shows
from drawstring.store.standing import shots_of
from drawstring.web.services import go_to, who, work

bp = Blueprint("orders", __name__)


@bp.get("/shows/<code>/orders")
def page(code: str) -> str:
    """List a show's orders, what waits to be asked for again, and the shots that can be ordered."""
    with work() as session:
        show = shows.find_show(session, code)
        shots = shots_of(session, show)
        newest = orders.newest_of(session, [shot.id for shot in shots])
        return render_template(
            "plan/orders.html", show=show, rows=orders.of_show(session, show),
            waits=orders.asked_again(session, show), shots=shots, newest=newest, say_ranges=say_ranges,
            chosen=set(request.args.getlist("shot", type=int)),
        )  # fmt: skip


@bp.post("/shows/<code>/orders")
def make(code: str) -> AnyResponse:
    """Make one order for the chosen shots, or for the whole show."""
    with work() as session:
        show = shows.find_show(session, code)
        chosen = set(request.form.getlist("shot", type=int))
        every = request.form.get("every") == "yes"
        shots = [shot for shot in shots_of(session, show) if every or shot.id in chosen]
        row = orders.make(session, show, shots, says=request.form.get("order.says", ""), by=who())
        return go_to(url_for("orders.order", code=code, number=row.number))


@bp.post("/shows/<code>/orders/repair")
def repair(code: str) -> AnyResponse:
    """Make a repair order of all that waits."""
    with work() as session:
        show = shows.find_show(session, code)
        row = orders.make_repair(session, show, says=request.form.get("order.says", ""), by=who())
        return go_to(url_for("orders.order", code=code, number=row.number))


@bp.post("/shows/<code>/orders/waiting/<int:asked_id>/drop")
def drop(code: str, asked_id: int) -> AnyResponse:
    """Take something back that waits."""
    with work() as session:
        orders.drop_asked(session, shows.find_show(session, code), asked_id)
        return go_to(url_for("orders.page", code=code))


@bp.get("/shows/<code>/orders/<int:number>")
def order(code: str, number: int) -> str:
    """Show an order on one page, to be read and printed."""
    with work() as session:
        show = shows.find_show(session, code)
        row = orders.find(session, show, number)
        document = orders.document_of(row)
        former = orders.former_of(session, row)
        return render_template(
            "plan/order.html", show=show, row=row, order=document, former=former,
            changes=changes(former, document), say_ranges=say_ranges, differs_says=differs_says,
            file_of=file_of,
            ids={one.shot.code: one.shot_id for one in row.shots},
        )  # fmt: skip


@bp.get("/shows/<code>/orders/<int:number>.json")
def as_json(code: str, number: int) -> Response:
    """Give an order as the document that a renderer obeys."""
    with work() as session:
        document = orders.document_of(orders.find(session, shows.find_show(session, code), number))
    return _file(written(document), "application/json", f"{code}_order_{number:03d}.json")


@bp.get("/shows/<code>/orders/<int:number>.csv")
def as_table(code: str, number: int) -> Response:
    """Give an order as a table."""
    with work() as session:
        document = orders.document_of(orders.find(session, shows.find_show(session, code), number))
    return _file(as_csv(document), "text/csv; charset=utf-8", f"{code}_order_{number:03d}.csv")


@bp.get("/orders/schema.json")
def order_schema() -> Response:
    """Give the schema of an order's document."""
    import json

    return _file(json.dumps(schema(), indent=2), "application/schema+json", "order.schema.json")


def _file(text: str, kind: str, name: str) -> Response:
    response = Response(text, content_type=kind)
    response.headers["Content-Disposition"] = f'inline; filename="{name}"'
    return response
