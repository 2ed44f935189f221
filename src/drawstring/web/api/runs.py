"""Runs, packages and what is sent for programs: the services of the pages, with the same refusals."""

from __future__ import annotations

import os
from typing import Any

from flask import Response, g, send_file

from drawstring.core.errors import DrawstringError, MissingError
from drawstring.runs.checking import check_package
from drawstring.runs.handoff import copy_package, make_report, zip_of
from drawstring.runs.handoff.contents import manifest_of
from drawstring.runs.planning import plan_run
from drawstring.store import ledger, sendings, shows
from drawstring.store.standing import standing
from drawstring.store.telling import frame_data, package_data, package_name, run_data, sending_data
from drawstring.web.api.bodies import Copying, NewRuns, SendingTo, read_body
from drawstring.web.api.entry import bp, shot_of
from drawstring.web.downloads import sent
from drawstring.web.packages.copies import target_below
from drawstring.web.services import house, work


@bp.get("/shows/<show>/runs")
def list_runs(show: str) -> dict[str, Any]:
    """List a show's last runs, newest first."""
    with work() as session:
        found = ledger.recent(session, shows.find_show(session, show))
        return {"runs": [run_data(session, run) for run in found]}


@bp.post("/shows/<show>/runs")
def run_shots(show: str) -> dict[str, Any]:
    """Run every frame of the named shots; those that can't run are told, the others go off."""
    asked = read_body(NewRuns)
    planned: list[dict[str, Any]] = []
    refused: dict[str, Any] = {}
    for code in asked.shots:
        try:
            with work() as session:
                one = plan_run(
                    session,
                    shot_of(session, show, code),
                    output=house().installation.output_folder,
                    by=g.holder,
                )
                planned.append(run_data(session, one))
        except DrawstringError as error:
            if len(asked.shots) == 1:
                raise
            refused[code] = error.as_dict()
    return {"runs": planned, "refused": refused}


@bp.get("/runs/<int:number>")
def get_run(number: int) -> dict[str, Any]:
    """Tell of a run: how far it is, and what failed."""
    with work() as session:
        return run_data(session, ledger.find_run(session, number))


@bp.get("/runs/<int:number>/frames/<int:frame>")
def get_frame(number: int, frame: int) -> dict[str, Any]:
    """Tell what was done to a frame of a run, step by step."""
    with work() as session:
        return frame_data(ledger.find_frame(session, ledger.find_run(session, number), frame))


@bp.post("/runs/<int:number>/<does>")
def change_run(number: int, does: str) -> dict[str, Any]:
    """Let a run rest (pause), go on (go-on), stop (cancel), or come before all others (first)."""
    ways = {
        "pause": ledger.pause, "go-on": ledger.go_on, "cancel": ledger.cancel, "first": ledger.put_first,
    }  # fmt: skip
    if does not in ways:
        raise MissingError(f"A run can't {does}.", where="run", remedy=f"There are: {', '.join(ways)}.")
    with work() as session:
        run = ledger.find_run(session, number)
        ways[does](session, run)
        return run_data(session, run)


@bp.get("/packages/<int:number>")
def get_package(number: int) -> dict[str, Any]:
    """Tell of a package."""
    with work() as session:
        return package_data(ledger.find_package(session, number))


@bp.get("/packages/<int:number>/manifest")
def get_manifest(number: int) -> dict[str, Any]:
    """Give a package's manifest."""
    with work() as session:
        folder = ledger.find_package(session, number).folder
    return dict(manifest_of(folder)[1])


@bp.get("/packages/<int:number>/report")
def get_report(number: int) -> Response:
    """Give a package's report as HTML that stands alone."""
    with work() as session:
        one = ledger.find_package(session, number)
        folder, findings = one.folder, standing(session, one.run.shot).all_findings
    return send_file(make_report(folder, findings=findings), mimetype="text/html")


@bp.get("/packages/<int:number>/zip")
def get_zip(number: int) -> Response:
    """Give a whole package as a zip."""
    with work() as session:
        one = ledger.find_package(session, number)
        folder, name = one.folder, package_name(one)
    return sent(zip_of(folder, name))


@bp.post("/packages/<int:number>/check")
def check(number: int) -> dict[str, Any]:
    """Look at a package's files again, now."""
    with work() as session:
        folder = ledger.find_package(session, number).folder
    return check_package(folder).as_dict()


@bp.post("/packages/<int:number>/copy")
def copy(number: int) -> dict[str, Any]:
    """Copy a package into the hand-off folder, every file compared with its sum."""
    asked = read_body(Copying)
    with work() as session:
        one = ledger.find_package(session, number)
        folder, name = one.folder, package_name(one)
    target = target_below(house().installation.handoff_folder, asked.folder, name)
    return {"folder": target, "bytes": copy_package(folder, target), "name": os.path.basename(target)}


@bp.get("/shows/<show>/packages")
def list_packages(show: str) -> dict[str, Any]:
    """List a show's packages, newest first, with where they were sent."""
    with work() as session:
        found = ledger.packages_of(session, shows.find_show(session, show))
        return {"packages": [package_data(one) for one in found]}


@bp.get("/inboxes")
def list_inboxes() -> dict[str, Any]:
    """List the client inboxes packages may be sent to."""
    return {"inboxes": house().installation.inbox_addresses}


@bp.post("/packages/<int:number>/send")
def send(number: int) -> dict[str, Any]:
    """Send a package to a client's inbox, beside the runs; ask for the sending to see how far it is."""
    asked = read_body(SendingTo)
    address = house().installation.inbox_address(asked.inbox)
    with work() as session:
        package = ledger.find_package(session, number)
        return sending_data(sendings.ask(session, package, asked.inbox, address, by=g.holder))


@bp.get("/sendings/<int:number>")
def get_sending(number: int) -> dict[str, Any]:
    """Tell of a sending: how far it is, its receipt, or what is wrong."""
    with work() as session:
        return sending_data(sendings.find_sending(session, number))


@bp.post("/sendings/<int:number>/stop")
def stop_sending(number: int) -> dict[str, Any]:
    """Stop a sending; sent again, it goes on where it was."""
    with work() as session:
        sending = sendings.find_sending(session, number)
        sendings.stop(session, sending)
        return sending_data(sending)
