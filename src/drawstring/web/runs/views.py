"""Runs: every frame a cell, rate and time left, what failed and why, cancel and go on."""

from __future__ import annotations

import gc

from flask import Blueprint, make_response, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from drawstring.core.errors import DrawstringError, SettingError
from drawstring.runs.planning import plan_runs
from drawstring.store import ledger, recipes, shows
from drawstring.store.standing import shots_by_id, standing
from drawstring.store.tallies import chosen as fitting
from drawstring.store.tallies import tallies
from drawstring.web.services import go_to, house, who, work

bp = Blueprint("runs", __name__)

ON_A_PAGE = 50
"""Runs."""

TOGETHER = 50
"""Runs that are planned in one unit of work: others may change a shot between two of them."""


@bp.post("/shows/<code>/runs")
def start(code: str) -> Response:
    """Plan a run of each chosen shot; those that can't run are told, the others go on."""
    chosen = [int(value) for value in request.form.getlist("shot") if value.isdigit()]
    if request.form.get("matching") == "yes":
        with work() as session:
            every = tallies(session, shows.find_show(session, code))
            some = fitting(every, words=request.form.get("q", ""), which=request.form.get("which", ""))
            chosen = [one.shot_id for one in some]
    if not chosen:
        raise SettingError(
            "No shot is chosen.", where="shot", why="There is nothing to run.",
            remedy="Tick at least one shot on the board.",
        )  # fmt: skip
    planned: list[int] = []
    refused: list[tuple[str, DrawstringError]] = []
    for begin in range(0, len(chosen), TOGETHER):
        with work() as session:
            asked = chosen[begin : begin + TOGETHER]
            # Before they are looked at: somebody may be accepting a newer delivery.
            recipes.take_turns(session, asked)
            there = shots_by_id(session, asked)
            gone = set(asked) - {shot.id for shot in there}
            refused += [(str(number), shows.no_shot(number)) for number in sorted(gone)]
            told = plan_runs(session, there, output=house().installation.output_folder, by=who())
            for shot, one in zip(there, told, strict=True):
                if isinstance(one, DrawstringError):
                    refused.append((str(shot.id), one))
                else:
                    planned.append(one.id)
        if begin % (4 * TOGETHER) == 3 * TOGETHER:
            # What the unit held points at itself: thousands of shots would pile up until it is looked for.
            gc.collect()
    if len(chosen) == 1 and refused:
        raise refused[0][1]
    with work() as session:
        show = shows.find_show(session, code)
        if not refused:
            target = (
                url_for("runs.run", run_id=planned[0])
                if len(planned) == 1
                else url_for("runs.runs", code=code)
            )
            return go_to(target)
        names = {str(shot.id): shot.code for shot in show.shots}
        named = [(names.get(shot_id, shot_id), error) for shot_id, error in refused]
        response = make_response(
            render_template("runs/_refused.html", planned=planned, refused=named, show=show)
        )
        response.headers["HX-Retarget"] = "#trouble"
        response.headers["HX-Reswap"] = "innerHTML"
        return response


@bp.get("/shows/<code>/runs")
def runs(code: str) -> str:
    """List a show's runs, what is worked on first, a page at a time."""
    with work() as session:
        show = shows.find_show(session, code)
        pages = max(1, -(-ledger.run_count(session, show) // ON_A_PAGE))
        at = min(max(request.args.get("page", 1, type=int), 1), pages)
        found = ledger.page_of(session, show, (at - 1) * ON_A_PAGE, ON_A_PAGE)
        night = ledger.together(session, show)
        progress = ledger.progress(session, list({run.id: run for run in (*found, *night)}.values()))
        return render_template(
            "runs/_list.html" if request.headers.get("HX-Request") else "runs/runs.html",
            show=show,
            runs=found,
            progress=progress,
            spans=ledger.spans(session, found, progress),
            busy=sum(run.state in ledger.UNDER_WAY for run in night),
            page=at,
            pages=pages,
            whole=ledger.as_one(progress[run.id] for run in night),
        )


@bp.get("/runs/<int:run_id>")
def run(run_id: int) -> str:
    """Show one run; asked again by the page while it is under way."""
    with work() as session:
        one = ledger.find_run(session, run_id)
        return render_template(
            "runs/_run.html" if request.headers.get("HX-Request") else "runs/run.html",
            run=one,
            show=one.shot.show,
            shot=one.shot,
            how=standing(session, one.shot),
            progress=ledger.progress(session, [one])[one.id],
            is_busy=one.state in ledger.UNDER_WAY,
            frame=next((f for f in one.frames if f.number == request.args.get("frame", type=int)), None),
        )


@bp.get("/runs/<int:run_id>/frames/<int:number>")
def frame(run_id: int, number: int) -> str:
    """Tell what was done to a frame, step by step."""
    with work() as session:
        run = ledger.find_run(session, run_id)
        return render_template("runs/_frame.html", run=run, frame=ledger.find_frame(session, run, number))


@bp.post("/runs/<int:run_id>/cancel")
def cancel(run_id: int) -> Response:
    """Stop a run; what is proven stays."""
    with work() as session:
        ledger.cancel(session, ledger.find_run(session, run_id))
    return redirect(url_for("runs.run", run_id=run_id), 303)


@bp.post("/runs/<int:run_id>/pause")
def pause(run_id: int) -> Response:
    """Let a run rest; go on takes it up again."""
    with work() as session:
        ledger.pause(session, ledger.find_run(session, run_id))
    return redirect(url_for("runs.run", run_id=run_id), 303)


@bp.post("/runs/<int:run_id>/first")
def first(run_id: int) -> Response:
    """Let a run be worked on before all others."""
    with work() as session:
        run = ledger.find_run(session, run_id)
        ledger.put_first(session, run)
        code = run.shot.show.code
    return redirect(url_for("runs.runs", code=code), 303)


@bp.post("/runs/<int:run_id>/go-on")
def go_on(run_id: int) -> Response:
    """Take a run up again with what is missing."""
    with work() as session:
        ledger.go_on(session, ledger.find_run(session, run_id))
    return redirect(url_for("runs.run", run_id=run_id), 303)
