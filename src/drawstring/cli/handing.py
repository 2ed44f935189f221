"""Recipes, profiles, runs, packages and tokens from the shell: what is shared, and what is handed on."""

from __future__ import annotations

import json
import os
import sys
from typing import Any

import click
from sqlalchemy.orm import Session

from drawstring.cli.common import as_json, main, me, opened, say
from drawstring.core.errors import SettingError
from drawstring.core.pack.profile import read_profile, written
from drawstring.installation import Installation
from drawstring.runs.estimate import try_frames
from drawstring.runs.handoff import copy_package, make_report, make_review, send_package, zip_of
from drawstring.runs.planning import plan_to_try
from drawstring.store import ledger, profiles, recipes, sharing, shows, tokens
from drawstring.store.models import Shot
from drawstring.store.standing import standing
from drawstring.store.telling import outcome_data, run_data, shot_data


@main.group("recipe")
def recipe_group() -> None:
    """Take whole recipes out and in, and make many shots the same."""


@recipe_group.command("export")
@click.argument("shot")
@click.pass_obj
def export_recipe(installation: Installation, shot: str) -> None:
    """Print the recipe of SHOT as JSON."""
    with opened(installation) as session:
        recipe = recipes.current(session, shows.find_shot(session, shot))
    click.echo(json.dumps(recipe.as_dict(), indent=2))


@recipe_group.command("apply")
@click.argument("file", type=click.File("r"))
@click.argument("shot", nargs=-1, required=True)
@as_json
@click.pass_obj
def apply_recipe(installation: Installation, file: Any, shot: tuple[str, ...], wants_json: bool) -> None:
    """Take the recipe in FILE over for SHOT (or several): a whole one, or settings by dotted name."""
    document = _document(file)
    with opened(installation) as session:
        data = []
        for code in shot:
            one = shows.find_shot(session, code)
            if any("." in name for name in document):
                recipes.set_values(session, one, document, by=me())
                for knot in dict.fromkeys(name.partition(".")[0] for name in document):
                    recipes.settle(session, one, knot, by=me())
            else:
                recipes.replace(session, one, document, by=me())
            data.append(shot_data(session, one))
    say({"shots": data}, wants_json, lambda: f"The recipe stands in {', '.join(shot)}.")


@recipe_group.command("copy")
@click.argument("source")
@click.argument("shot", nargs=-1, required=True)
@click.option("--knot", multiple=True, required=True, help="Which knot; may be given several times.")
@click.option("--preview", is_flag=True, help="Only say what it would change.")
@as_json
@click.pass_obj
def copy_knots(
    installation: Installation,
    source: str,
    shot: tuple[str, ...],
    knot: tuple[str, ...],
    preview: bool,
    wants_json: bool,
) -> None:
    """Take knots of SOURCE over into SHOT (or several)."""
    with opened(installation) as session:
        one = shows.find_shot(session, source)
        made = sharing.copying(session, one, knot)
        _carry(session, shot, made, f"{', '.join(knot)} as in {one.code}", preview, wants_json)


@recipe_group.command("set")
@click.argument("values", nargs=-1, required=True, metavar="NAME=VALUE...")
@click.option("--shot", multiple=True, required=True, help="Which shot; may be given several times.")
@click.option("--preview", is_flag=True, help="Only say what it would change.")
@as_json
@click.pass_obj
def set_for_many(
    installation: Installation,
    values: tuple[str, ...],
    shot: tuple[str, ...],
    preview: bool,
    wants_json: bool,
) -> None:
    """Make settings for many shots."""
    odd = [value for value in values if "=" not in value]
    if odd:
        raise click.UsageError(f"“{odd[0]}” is not NAME=VALUE.")
    with opened(installation) as session:
        made = sharing.setting(dict(value.split("=", 1) for value in values))
        _carry(session, shot, made, ", ".join(values), preview, wants_json)


def _carry(
    session: Session, codes: tuple[str, ...], made: sharing.Change, said: str, preview: bool, wants_json: bool
) -> None:
    targets: list[Shot] = [shows.find_shot(session, code) for code in codes]
    outcomes = (
        sharing.would(session, targets, made)
        if preview
        else sharing.carry_over(session, targets, made, said=said, by=me())
    )
    data = [outcome_data(one) for one in outcomes]
    say(
        {"written": not preview, "outcomes": data},
        wants_json,
        lambda: "\n".join(
            f"{one['shot']}: {one['refusal']['what']}"
            if one["refusal"]
            else f"{one['shot']}: "
            + (
                "; ".join(f"{d['name']} {d['before']} -> {d['after']}" for d in one["differences"])
                or "as it is"
            )
            for one in data
        ),
    )
    if any(one.refusal for one in outcomes):
        sys.exit(3)


@recipe_group.command("default")
@click.argument("shot")
@click.option("--knot", multiple=True, help="Which knot; may be given several times.")
@click.option("--forget", is_flag=True, help="Let new shots begin as in a new house.")
@click.pass_obj
def set_default(installation: Installation, shot: str, knot: tuple[str, ...], forget: bool) -> None:
    """Let new shots of SHOT's show begin with its knots."""
    with opened(installation) as session:
        one = shows.find_shot(session, shot)
        if forget:
            sharing.forget_defaults(session, one.show)
        else:
            sharing.keep_defaults(session, one.show, one, knot)
    click.echo(
        "New shots begin as in a new house."
        if forget
        else f"New shots begin with {', '.join(knot)} of {shot}."
    )


@main.group("profile")
def profile_group() -> None:
    """See, keep and hand on delivery profiles; choose one with: set SHOT pack.profile=NAME."""


@profile_group.command("list")
@click.argument("show")
@as_json
@click.pass_obj
def list_profiles(installation: Installation, show: str, wants_json: bool) -> None:
    """List the profiles of SHOW."""
    with opened(installation) as session:
        found = profiles.profiles_of(shows.find_show(session, show))
    data = [{"name": one.name, "version": one.version, "says": one.says} for one in found]
    say(
        {"profiles": data},
        wants_json,
        lambda: "\n".join(f"{d['name']} v{d['version']}: {d['says']}" for d in data),
    )


@profile_group.command("export")
@click.argument("show")
@click.argument("name")
@click.pass_obj
def export_profile(installation: Installation, show: str, name: str) -> None:
    """Print the profile NAME of SHOW as JSON."""
    with opened(installation) as session:
        click.echo(written(profiles.find_profile(shows.find_show(session, show), name)), nl=False)


@profile_group.command("keep")
@click.argument("show")
@click.argument("file", type=click.File("r"))
@click.pass_obj
def keep_profile(installation: Installation, show: str, file: Any) -> None:
    """Keep the profile in FILE with SHOW; one of the same name gets the next version."""
    with opened(installation) as session:
        kept = profiles.keep_profile(session, shows.find_show(session, show), read_profile(file.read()))
    click.echo(f"{show} has “{kept.name}” v{kept.version}.")


@profile_group.command("drop")
@click.argument("show")
@click.argument("name")
@click.pass_obj
def drop_profile(installation: Installation, show: str, name: str) -> None:
    """Take the profile NAME of SHOW away."""
    with opened(installation) as session:
        profiles.drop_profile(session, shows.find_show(session, show), name)
    click.echo(f"{show} has no “{name}” of its own any more.")


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
    seconds = found.frame_seconds * total / installation.worker_count
    data = {
        "frames": total, "frame_bytes": found.frame_bytes, "bytes": found.frame_bytes * total,
        "seconds": seconds, "lost": dict(found.lost), "equal": found.equal, "channels": found.channels,
    }  # fmt: skip
    say(
        data,
        wants_json,
        lambda: (
            f"{total} frames, {found.frame_bytes * total / 1e6:,.0f} MB, about {seconds / 60:.1f} minutes; "
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
@click.argument("url")
@as_json
@click.pass_obj
def send(installation: Installation, package: int, url: str, wants_json: bool) -> None:
    """Send PACKAGE (its number) to the client's inbox at URL; sent again, it goes on where it was."""
    source, name, _ = _package(installation, package)
    with click.progressbar(length=1, label="Sending", file=sys.stderr) as bar:

        def told(done: int, total: int) -> None:
            bar.length = max(1, total)
            bar.update(done - bar.pos)

        receipt = send_package(source, url, name, on_bytes=told)
    say(receipt, wants_json, lambda: f"Receipt {receipt['receipt']}: {receipt['files']} files arrived.")


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
        return one.folder, f"{one.run.shot.code}_v{one.run.version:03d}", findings


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


def _document(file: Any) -> dict[str, Any]:
    try:
        document = json.loads(file.read())
    except ValueError as error:
        raise SettingError(
            f"{file.name} is no JSON: {error}.", where=file.name, why="Nothing was changed.",
            remedy="Give a recipe as “recipe export” writes it, or settings by dotted name.",
        ) from error  # fmt: skip
    if not isinstance(document, dict):
        raise SettingError(
            f"{file.name} holds no JSON object.", where=file.name, why="Nothing was changed.",
            remedy="Give a recipe as “recipe export” writes it, or settings by dotted name.",
        )  # fmt: skip
    return document
