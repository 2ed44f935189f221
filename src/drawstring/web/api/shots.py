"""Shows, shots, recipes and profiles for programs: the services of the pages, with the same refusals."""

from __future__ import annotations

import os
from typing import Any

from flask import Response, g

from drawstring.core.arrivals import scan
from drawstring.core.errors import ConflictError
from drawstring.core.pack.profile import read_profile, written
from drawstring.runs.estimate import TRY_S, try_frames
from drawstring.runs.planning import plan_to_try
from drawstring.store import correcting, deliveries, profiles, recipes, sharing, shows
from drawstring.store.telling import change_data, outcome_data, shot_data, show_data
from drawstring.web.api.bodies import (
    ForMany,
    KnotName,
    NewDelivery,
    NewShow,
    Trying,
    Values,
    read_body,
    read_json,
)
from drawstring.web.api.entry import bp, shot_of
from drawstring.web.services import house, work


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
        return shot_data(session, shot_of(session, show, shot))


@bp.post("/shows/<show>/shots/<shot>/deliveries")
def accept(show: str, shot: str) -> dict[str, Any]:
    """Accept what lies in a folder as the shot's delivery; the shot is made where it is new."""
    asked = read_body(NewDelivery)
    with work() as session:
        its = shows.find_show(session, show)
        found = scan(
            asked.folder, roots=house().installation.root_list, patterns=its.patterns,
            dictionary=correcting.dictionary_of(its), words=its.words, fps=its.fps,
            surveyor=house().readers.survey,
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
        one = shows.shot_for(session, its, shot, title=asked.title)
        deliveries.accept(session, one, fitting[0], by=g.holder)
        session.expire_all()
        return shot_data(session, one)


@bp.patch("/shows/<show>/shots/<shot>/recipe")
def set_values(show: str, shot: str) -> dict[str, Any]:
    """Change settings by dotted name, and settle the knots they belong to."""
    asked = read_body(Values)
    with work() as session:
        one = shot_of(session, show, shot)
        before = recipes.current(session, one)
        recipes.set_values(session, one, asked.values, by=g.holder, frame=asked.frame)
        if asked.settle and one.delivery:
            for knot in dict.fromkeys(name.partition(".")[0] for name in asked.values):
                recipes.settle(session, one, knot, by=g.holder)
        return change_data(session, one, before)


@bp.put("/shows/<show>/shots/<shot>/recipe")
def put_recipe(show: str, shot: str) -> dict[str, Any]:
    """Take a whole recipe over, as another shot's is told."""
    with work() as session:
        one = shot_of(session, show, shot)
        recipes.replace(session, one, read_json(), by=g.holder)
        return shot_data(session, one)


@bp.post("/shows/<show>/shots/<shot>/settle")
def settle(show: str, shot: str) -> dict[str, Any]:
    """Settle a knot as it is."""
    asked = read_body(KnotName)
    with work() as session:
        one = shot_of(session, show, shot)
        recipes.settle(session, one, asked.knot, by=g.holder)
        return shot_data(session, one)


@bp.post("/shows/<show>/shots/<shot>/undo")
def undo(show: str, shot: str) -> dict[str, Any]:
    """Go back one revision of the shot's recipe."""
    with work() as session:
        one = shot_of(session, show, shot)
        recipes.undo(session, one, by=g.holder)
        return shot_data(session, one)


@bp.post("/shows/<show>/shots/<shot>/estimate")
def estimate(show: str, shot: str) -> dict[str, Any]:
    """Pack a few frames, throw them away, and tell what a run would come to."""
    asked = read_body(Trying)
    with work() as session:
        plan, tasks, total = plan_to_try(session, shot_of(session, show, shot), frames=asked.frames)
    place = os.path.join(house().installation.var, "tries")
    found = house().readers.read(
        tasks[0].files[0].path, try_frames, plan, tasks, place, limit_s=TRY_S, growth_mb=0
    )
    return found.of_run(total, workers=house().installation.worker_count)


@bp.post("/shows/<show>/many")
def for_many(show: str) -> dict[str, Any]:
    """Make the same of many shots: knots of one, or settings; told first, written when asked."""
    asked = read_body(ForMany)
    with work() as session:
        targets = [shot_of(session, show, code) for code in asked.shots]
        if asked.source:
            made = sharing.copying(session, shot_of(session, show, asked.source), asked.knots)
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
        profile = read_profile(read_json() | {"name": name})
        kept = profiles.keep_profile(session, shows.find_show(session, show), profile)
        return {"name": kept.name, "version": kept.version, "says": kept.says}


@bp.delete("/shows/<show>/profiles/<name>")
def drop_profile(show: str, name: str) -> dict[str, Any]:
    """Take one of a show's own profiles away."""
    with work() as session:
        profiles.drop_profile(session, shows.find_show(session, show), name)
        return {"name": name}
