"""Recipes and profiles from the shell: taken out and in, made the same for many shots."""

from __future__ import annotations

import json
import sys
from typing import Any

import click
from sqlalchemy.orm import Session

from drawstring.cli.common import as_json, main, me, opened, say
from drawstring.core.errors import SettingError
from drawstring.core.pack.profile import read_profile, written
from drawstring.installation import Installation
from drawstring.store import profiles, recipes, sharing, shows
from drawstring.store.models import Shot
from drawstring.store.telling import outcome_data, shot_data


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
@click.option("--forget", is_flag=True, help="Forget the show's defaults for new shots.")
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
