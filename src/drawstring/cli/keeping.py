"""What a house remembers, kept in a file and brought back."""

from __future__ import annotations

from dataclasses import asdict

import click

from drawstring.cli.common import as_json, main, say
from drawstring.installation import Installation
from drawstring.keeping import backup, restore


@main.command("backup")
@click.argument("file", type=click.Path(dir_okay=False))
@as_json
@click.pass_obj
def backup_command(installation: Installation, file: str, wants_json: bool) -> None:
    """Write everything the house remembers to FILE; sources and packages stay where they are."""
    about = backup(installation, file)
    say(
        about, wants_json,
        lambda: f"{file} holds the database (form {about['form']}). Beside it, keep the folders of sources "
        f"({', '.join(about['sources'])}) and packages ({about['packages']}).",
    )  # fmt: skip


@main.command("restore")
@click.argument("file", type=click.Path(dir_okay=False))
@as_json
@click.pass_obj
def restore_command(installation: Installation, file: str, wants_json: bool) -> None:
    """Bring back what FILE holds; what was there before keeps its contents under another name."""
    done = restore(installation, file)
    was = f" What was there before is kept as database {done.before}." if done.before else ""
    say(asdict(done), wants_json, lambda: f"Restored as of {done.made_at} (form {done.form}).{was}")
