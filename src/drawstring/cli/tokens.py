"""Tokens from the shell: which programs reach the JSON interface."""

from __future__ import annotations

import click

from drawstring.cli.common import as_json, main, opened, say
from drawstring.installation import Installation
from drawstring.store import tokens


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
