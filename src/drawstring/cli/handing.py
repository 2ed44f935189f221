"""Runs, packages and tokens from the shell: what goes on, and what is handed on."""

from __future__ import annotations

import os
import sys
from typing import Any

import click
from sqlalchemy.orm import Session

from drawstring.cli.common import as_json, main, me, opened, say, wait_for
from drawstring.core.errors import SettingError
from drawstring.installation import Installation
from drawstring.runs.estimate import try_frames
from drawstring.runs.handoff import copy_package, make_report, make_review, zip_of
from drawstring.runs.planning import plan_to_try
from drawstring.store import ledger, sendings, shows, tokens
from drawstring.store.standing import standing
from drawstring.store.telling import frame_data, package_name, run_data, sending_data


@main.command("estimate")
@click.argument("shot")
@click.option("--frames", default=3, help="How many frames are packed to see.")
@as_json
@click.pass_obj
def estimate(installation: Installation, shot: str, frames: int, wants_json: bool) -> None:
    """Pack a few frames of SHOT, throw them away, and tell what a run would come to."""
    with opened(installation) as session:
        plan, tasks, total = plan_to_try(session, shows.find_shot(session, shot), frames=max(1, frames))
    found = try_frames(plan, tasks, os.path.join(installation.var, "tries"))
    data = found.of_run(total, workers=installation.worker_count)
    say(
        data,
        wants_json,
        lambda: (
            f"{total} frames, {data['bytes'] / 1e6:,.0f} MB, about {data['seconds'] / 60:.1f} minutes; "
            f"{found.equal} of {found.channels} channels come back bit by bit."
        ),
    )


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


@main.group("hand-off")
def hand_off_group() -> None:
    """Hand packages on: a copy, a zip, the report, the movie."""


@hand_off_group.command("copy")
@click.argument("package", type=int)
@click.argument("folder", type=click.Path(file_okay=False))
@as_json
@click.pass_obj
def copy(installation: Installation, package: int, folder: str, wants_json: bool) -> None:
    """Copy PACKAGE (its number) into FOLDER, every file compared with its sum."""
    source, name, _ = _package(installation, package)
    target = os.path.abspath(os.path.join(folder, name))
    size = copy_package(source, target)
    say({"folder": target, "bytes": size}, wants_json, lambda: f"{size:,} bytes copied to {target}.")


@hand_off_group.command("zip")
@click.argument("package", type=int)
@click.argument("file", type=click.Path(dir_okay=False))
@click.pass_obj
def zip_package(installation: Installation, package: int, file: str) -> None:
    """Write PACKAGE (its number) as one zip to FILE, which must not be there."""
    source, name, _ = _package(installation, package)
    blocks = zip_of(source, name)
    try:
        with open(file, "xb") as out:
            out.writelines(blocks)
    except FileExistsError as error:
        raise SettingError(
            f"{file} is there already.",
            where="file",
            why="Nothing is overwritten.",
            remedy="Choose another name.",
        ) from error
    click.echo(f"{os.path.getsize(file):,} bytes in {file}.")


@hand_off_group.command("send")
@click.argument("package", type=int)
@click.argument("inbox")
@as_json
@click.pass_obj
def send(installation: Installation, package: int, inbox: str, wants_json: bool) -> None:
    """Send PACKAGE (its number) to INBOX: a name this installation knows, or an address."""
    is_address = inbox.startswith(("http://", "https://"))
    address = inbox if is_address else installation.inbox_address(inbox)
    with opened(installation) as session:
        one = ledger.find_package(session, package)
        number = sendings.ask(session, one, inbox, address, by=me()).id
    wait_for(installation, lambda session: _sent(session, number))
    with opened(installation) as session:
        data = sending_data(sendings.find_sending(session, number))
    receipt = data["receipt"] or {}
    say(
        data,
        wants_json,
        lambda: (
            f"Receipt {receipt['receipt']}: {receipt['files']} files arrived."
            if receipt
            else f"{data['state']}: {data['fault']['what'] if data['fault'] else 'stopped by hand.'}"
            + (" The engine tries it again by itself." if data["state"] == "waiting" else "")
        ),
    )
    if not receipt:
        sys.exit(1)


def _sent(session: Session, number: int) -> tuple[bool, int, int]:
    one = sendings.find_sending(session, number)
    # Whoever waits at a shell is told the first fault; the engine goes on trying.
    is_over = one.state not in sendings.UNDER_WAY or (one.state == "waiting" and one.tries > 0)
    return is_over, one.done_bytes, one.total_bytes


@main.command("client-inbox")
@click.argument("folder", type=click.Path(file_okay=False))
@click.option("--port", default=8479, help="Port on this machine.")
def client_inbox(folder: str, port: int) -> None:
    """Serve a made-up client's inbox that takes packages into FOLDER, until stopped."""
    from drawstring.standins.client_inbox import create_inbox

    create_inbox(folder).run("127.0.0.1", port)


@hand_off_group.command("report")
@click.argument("package", type=int)
@click.pass_obj
def report(installation: Installation, package: int) -> None:
    """Write PACKAGE's report, and movie and contact sheet where its recipe asks for them; print where."""
    source, _, findings = _package(installation, package)
    for path in (make_report(source, findings=findings), *make_review(source)):
        click.echo(path)


def _package(installation: Installation, number: int) -> tuple[str, str, list[Any]]:
    with opened(installation) as session:
        one = ledger.find_package(session, number)
        findings = standing(session, one.run.shot).all_findings
        return one.folder, package_name(one), findings


@main.group("token")
def token_group() -> None:
    """Let programs reach the JSON interface."""


@token_group.command("make")
@click.argument("name")
@click.pass_obj
def make_token(installation: Installation, name: str) -> None:
    """Make a token for the program NAME and print it; it is told only now."""
    with opened(installation) as session:
        secret = tokens.make_token(session, name)
    click.echo(secret)


@token_group.command("list")
@as_json
@click.pass_obj
def list_tokens(installation: Installation, wants_json: bool) -> None:
    """List the tokens there are."""
    with opened(installation) as session:
        data = [
            {"name": one.name, "made": one.made_at, "used": one.used_at} for one in tokens.tokens(session)
        ]
    say({"tokens": data}, wants_json, lambda: "\n".join(str(d["name"]) for d in data) or "No token yet.")


@token_group.command("drop")
@click.argument("name")
@click.pass_obj
def drop_token(installation: Installation, name: str) -> None:
    """Take the token of NAME away."""
    with opened(installation) as session:
        tokens.drop_token(session, name)
    click.echo(f"{name} is refused from now on.")
