"""Runs from the shell: what goes on, what was done to a frame, what rests or comes first."""

from __future__ import annotations

import click

from drawstring.cli.common import as_json, main, opened, say
from drawstring.installation import Installation
from drawstring.store import ledger, shows
from drawstring.store.telling import frame_data, run_data


@main.group("runs")
def runs_group() -> None:
    """See runs under way; let them rest, go on, stop, or come first."""


@runs_group.command("list")
@click.argument("show")
@as_json
@click.pass_obj
def list_runs(installation: Installation, show: str, wants_json: bool) -> None:
    """List the last runs of SHOW, newest first."""
    with opened(installation) as session:
        data = [run_data(session, run) for run in ledger.recent(session, shows.find_show(session, show))]
    say(
        {"runs": data},
        wants_json,
        lambda: (
            "\n".join(
                f"{d['run']:>5}  {d['shot']} v{d['version']:03d}  {d['state']}  "
                f"{d['proven']} of {d['frames']}"
                for d in data
            )
            or "No run yet."
        ),
    )


@runs_group.command("change")
@click.argument("does", type=click.Choice(["pause", "go-on", "cancel", "first"]))
@click.argument("run", type=int)
@as_json
@click.pass_obj
def change_run(installation: Installation, does: str, run: int, wants_json: bool) -> None:
    """Let RUN rest (pause), go on (go-on), stop (cancel) or come first."""
    ways = {"pause": ledger.pause, "go-on": ledger.go_on, "cancel": ledger.cancel, "first": ledger.put_first}
    with opened(installation) as session:
        one = ledger.find_run(session, run)
        ways[does](session, one)
        data = run_data(session, one)
    say(data, wants_json, lambda: f"Run {run} is {data['state']}.")


@runs_group.command("log")
@click.argument("run", type=int)
@click.argument("frame", type=int)
@as_json
@click.pass_obj
def frame_log(installation: Installation, run: int, frame: int, wants_json: bool) -> None:
    """Tell what was done to FRAME of RUN, step by step."""
    with opened(installation) as session:
        data = frame_data(ledger.find_frame(session, ledger.find_run(session, run), frame))
    say(data, wants_json, lambda: "\n".join(f"{d['at']:8.2f} s  {d['says']}" for d in data["log"]))
