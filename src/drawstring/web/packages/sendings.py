"""Hand-off: a show's packages, and the inboxes they were sent to with what came back."""

from __future__ import annotations

from flask import Blueprint, Response, render_template, request

from drawstring.core.errors import SettingError
from drawstring.runs.handoff import sheet_of_packages
from drawstring.store import ledger, sendings, shows
from drawstring.web.services import house, who, work

bp = Blueprint("sendings", __name__)


@bp.get("/shows/<code>/packages")
def packages(code: str) -> str:
    """List a show's packages, newest first; asked again by the page while one is being sent."""
    with work() as session:
        show = shows.find_show(session, code)
        found = ledger.packages_of(session, show)
        is_busy = any(one.state in sendings.UNDER_WAY for package in found for one in package.sendings)
        return render_template(
            "packages/_handoff.html" if request.headers.get("HX-Request") else "packages/handoff.html",
            show=show,
            packages=found,
            is_busy=is_busy,
            # The page is drawn anew while it is being ticked.
            ticked={int(value) for value in request.args.getlist("package") if value.isdigit()},
            inboxes=house().installation.inbox_addresses,
        )


@bp.post("/shows/<code>/packages/send")
def send_many(code: str) -> str:
    """Send the chosen packages to an inbox, one after the other."""
    chosen = [int(value) for value in request.form.getlist("package") if value.isdigit()]
    if not chosen:
        raise SettingError(
            "No package is chosen.", where="package", why="There is nothing to send.",
            remedy="Tick at least one package.",
        )  # fmt: skip
    name, address = _asked_for()
    with work() as session:
        for package_id in chosen:
            sendings.ask(session, ledger.find_package(session, package_id), name, address, by=who())
    return packages(code)


@bp.get("/shows/<code>/packages/sheet")
def sheet(code: str) -> Response:
    """Give one contact sheet of the chosen packages, as a file."""
    chosen = [int(value) for value in request.args.getlist("package") if value.isdigit()]
    with work() as session:
        show = shows.find_show(session, code)
        folders = [ledger.find_package(session, package_id).folder for package_id in chosen]
        title = show.title
    data = sheet_of_packages(folders, title)
    told = {"Content-Disposition": f'attachment; filename="{code}_sheet.png"'}
    return Response(data, mimetype="image/png", headers=told)


@bp.get("/packages/<int:package_id>/sendings")
def of_package(package_id: int) -> str:
    """Tell where a package was sent; asked again by the page while it is on its way."""
    with work() as session:
        return render_template("packages/_sendings.html", package=ledger.find_package(session, package_id))


@bp.post("/packages/<int:package_id>/send")
def send(package_id: int) -> str:
    """Send a package to a client's inbox."""
    name, address = _asked_for()
    with work() as session:
        sendings.ask(session, ledger.find_package(session, package_id), name, address, by=who())
    return of_package(package_id)


@bp.post("/sendings/<int:sending_id>/stop")
def stop(sending_id: int) -> str:
    """Stop a sending; sent again, it goes on where it was."""
    with work() as session:
        sending = sendings.find_sending(session, sending_id)
        sendings.stop(session, sending)
        package_id = sending.package_id
    return of_package(package_id)


def _asked_for() -> tuple[str, str]:
    name = request.form.get("inbox", "")
    return name, house().installation.inbox_address(name)
