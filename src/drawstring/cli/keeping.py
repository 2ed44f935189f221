"""What a house remembers, kept in a file and brought back."""

from __future__ import annotations

from dataclasses import asdict

import click

from drawstring.cli.common import as_json, main, say
from drawstring.core.colour.kept_files import MAPS, TABLES, keep_file
from drawstring.core.colour.management import check_config
from drawstring.core.colour.table import check_table
from drawstring.core.framing.lens_map import check_map
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


@main.command("keep")
@click.argument("file", type=click.Path(exists=True, dir_okay=False))
@as_json
@click.pass_obj
def keep(installation: Installation, file: str, wants_json: bool) -> None:
    """Keep FILE: a table (.cube, .clf) or configuration (.ocio, .ocioz) of colour, or a lens's map (.exr)."""
    with open(file, "rb") as stream:
        path = keep_file(installation.colour_folder, file, stream.read())
    ending = path.rpartition(".")[2].lower()
    check, setting = (
        (check_table, "assembly.grade.table") if ending in TABLES
        else (check_map, "framing.lens.map_bends") if ending in MAPS
        else (check_config, "arrivals.colour.config")
    )  # fmt: skip
    check(path)
    say({"file": path, "setting": setting}, wants_json, lambda: f"Kept; drawstring set SHOT {setting}={path}")
