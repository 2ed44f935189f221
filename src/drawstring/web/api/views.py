"""The JSON interface under /api/v1: the same services as the pages, by token, with the same refusals."""

from __future__ import annotations

import json
import os
from typing import Any

from flask import Blueprint, Response, current_app, g, request, send_file
from sqlalchemy.orm import Session

from drawstring.core.arrivals import scan
from drawstring.core.errors import ConflictError, DrawstringError, MissingError
from drawstring.core.pack.profile import read_profile, written
from drawstring.runs.checking import check_package
from drawstring.runs.handoff import copy_package, make_report, zip_of
from drawstring.runs.handoff.contents import manifest_of
from drawstring.runs.planning import plan_run
from drawstring.store import correcting, deliveries, ledger, profiles, recipes, sharing, shows, tokens
from drawstring.store.models import Shot
from drawstring.store.standing import standing
from drawstring.store.telling import outcome_data, package_data, package_name, run_data, shot_data, show_data
from drawstring.web.api.bodies import (
    Body,
    Copying,
    ForMany,
    KnotName,
    NewDelivery,
    NewRuns,
    NewShow,
    Values,
    read_body,
)
from drawstring.web.api.document import document_of
from drawstring.web.packages.copies import target_below
from drawstring.web.services import house, work

bp = Blueprint("api", __name__, url_prefix="/api/v1")

BODIES: dict[str, type[Body]] = {
    "api.make_show": NewShow, "api.accept": NewDelivery, "api.set_values": Values, "api.settle": KnotName,
    "api.run_shots": NewRuns, "api.copy": Copying, "api.for_many": ForMany,
}  # fmt: skip

OPEN = frozenset({"api.document"})
"""What may be read without a token."""


class NotKnownError(DrawstringError):
    """A program that holds no token."""


@bp.before_request
def know() -> Response | None:
    """Let in whoever holds a token."""
    g.holder = ""
    if request.endpoint in OPEN:
        return None
    kind, _, secret = request.headers.get("Authorization", "").partition(" ")
    if kind.lower() == "bearer" and secret:
        with work() as session:
            g.holder = tokens.holder_of(session, secret.strip()) or ""
    if g.holder:
        return None
    refusal = NotKnownError(
        "No token that is known here came with the request.", where="Authorization",
        why="Programs may change and run everything.",
        remedy="Make one with “drawstring token make NAME” and send it as Authorization: Bearer …",
    )  # fmt: skip
    answer = Response(json.dumps({"errors": [refusal.as_dict()]}), 401, mimetype="application/json")
    answer.headers["WWW-Authenticate"] = "Bearer"
    return answer


@bp.get("/openapi.json")
def document() -> dict[str, Any]:
    """Describe this interface (OpenAPI 3.1)."""
    return document_of(current_app, BODIES)


@bp.get("/shows")
def list_shows() -> dict[str, Any]:
    """List the shows."""
    with work() as session:
        return {"shows": [show_data(show) for show in shows.all_shows(session)]}


@bp.post("/shows")
def make_show() -> dict[str, Any]:
    """Make a show."""
    asked = read_body(NewShow)
    with work() as session:
        return show_data(
            shows.make_show(session, asked.code, title=asked.title, fps=asked.fps, scene_unit=asked.unit)
        )


@bp.get("/shows/<show>/shots")
def list_shots(show: str) -> dict[str, Any]:
    """Tell how every shot of a show stands."""
    with work() as session:
        return {"shots": [shot_data(session, one) for one in shows.find_show(session, show).shots]}


@bp.get("/shows/<show>/shots/<shot>")
def get_shot(show: str, shot: str) -> dict[str, Any]:
    """Tell how a shot stands: its cord, findings and settings."""
    with work() as session:
        return shot_data(session, _shot(session, show, shot))


@bp.post("/shows/<show>/shots/<shot>/deliveries")
def accept(show: str, shot: str) -> dict[str, Any]:
    """Accept what lies in a folder as the shot's delivery; the shot is made where it is new."""
    asked = read_body(NewDelivery)
    with work() as session:
        its = shows.find_show(session, show)
        found = scan(
            asked.folder, roots=house().installation.root_list, patterns=its.patterns,
            dictionary=correcting.dictionary_of(its), fps=its.fps, surveyor=house().readers.survey,
            recogniser=house().readers.recognise,
        )  # fmt: skip
        fitting = [
            one
            for one in found.candidates
            if one.shot in (shot, "" if len(found.candidates) > 1 else one.shot)
            and asked.version in (0, one.version)
        ]
        if not fitting:
            there = ", ".join(f"{one.shot} v{one.version:03d}" for one in found.candidates) or "nothing"
            raise ConflictError(
                f"No delivery of {shot} lies there.", where=asked.folder,
                why="It is not clear what is meant.",
                remedy=f"There is {there}. Name the shot or the version accordingly.",
            )  # fmt: skip
        try:
            one = _shot(session, show, shot)
        except MissingError:
            one = shows.make_shot(session, its, shot, title=asked.title)
        deliveries.accept(session, one, fitting[0], by=g.holder)
        session.expire_all()
        return shot_data(session, one)


@bp.patch("/shows/<show>/shots/<shot>/recipe")
def set_values(show: str, shot: str) -> dict[str, Any]:
    """Change settings by dotted name, and settle the knots they belong to."""
    asked = read_body(Values)
    with work() as session:
        one = _shot(session, show, shot)
        recipes.set_values(session, one, asked.values, by=g.holder, frame=asked.frame)
        if asked.settle and one.delivery:
            for knot in dict.fromkeys(name.partition(".")[0] for name in asked.values):
                recipes.settle(session, one, knot, by=g.holder)
        return shot_data(session, one)


@bp.put("/shows/<show>/shots/<shot>/recipe")
def put_recipe(show: str, shot: str) -> dict[str, Any]:
    """Take a whole recipe over, as another shot's is told."""
    with work() as session:
        one = _shot(session, show, shot)
        recipes.replace(
            session, one, request.get_json(silent=True) or {"form": 0, "no": "recipe"}, by=g.holder
        )
        return shot_data(session, one)


@bp.post("/shows/<show>/shots/<shot>/settle")
def settle(show: str, shot: str) -> dict[str, Any]:
    """Settle a knot as it is."""
    asked = read_body(KnotName)
    with work() as session:
        one = _shot(session, show, shot)
        recipes.settle(session, one, asked.knot, by=g.holder)
        return shot_data(session, one)


@bp.post("/shows/<show>/shots/<shot>/undo")
def undo(show: str, shot: str) -> dict[str, Any]:
    """Go back one revision of the shot's recipe."""
    with work() as session:
        one = _shot(session, show, shot)
        recipes.undo(session, one, by=g.holder)
        return shot_data(session, one)


@bp.post("/shows/<show>/many")
def for_many(show: str) -> dict[str, Any]:
    """Make the same of many shots: knots of one, or settings; told first, written when asked."""
    asked = read_body(ForMany)
    with work() as session:
        targets = [_shot(session, show, code) for code in asked.shots]
        if asked.source:
            made = sharing.copying(session, _shot(session, show, asked.source), asked.knots)
        else:
            made = sharing.setting(asked.values)
        outcomes = (
            sharing.carry_over(session, targets, made, said="the same for many", by=g.holder)
            if asked.write
            else sharing.would(session, targets, made)
        )
        return {"written": asked.write, "outcomes": [outcome_data(one) for one in outcomes]}


@bp.get("/shows/<show>/profiles")
def list_profiles(show: str) -> dict[str, Any]:
    """List a show's delivery profiles."""
    with work() as session:
        found = profiles.profiles_of(shows.find_show(session, show))
        return {"profiles": [{"name": one.name, "version": one.version, "says": one.says} for one in found]}


@bp.get("/shows/<show>/profiles/<name>")
def get_profile(show: str, name: str) -> Response:
    """Give a profile's document."""
    with work() as session:
        return Response(
            written(profiles.find_profile(shows.find_show(session, show), name)), mimetype="application/json"
        )


@bp.put("/shows/<show>/profiles/<name>")
def keep_profile(show: str, name: str) -> dict[str, Any]:
    """Keep a profile with a show; one of the same name gets the next version."""
    with work() as session:
        profile = read_profile((request.get_json(silent=True) or {}) | {"name": name})
        kept = profiles.keep_profile(session, shows.find_show(session, show), profile)
        return {"name": kept.name, "version": kept.version, "says": kept.says}


@bp.delete("/shows/<show>/profiles/<name>")
def drop_profile(show: str, name: str) -> dict[str, Any]:
    """Take one of a show's own profiles away."""
    with work() as session:
        profiles.drop_profile(session, shows.find_show(session, show), name)
        return {"name": name}


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
                    _shot(session, show, code),
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
    return Response(zip_of(folder, name), mimetype="application/zip")


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


def _shot(session: Session, show: str, code: str) -> Shot:
    return shows.find_shot(session, code, show=show)
