"""What a house remembers, kept in a file and brought back."""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import asdict

import click

from drawstring.cli.common import as_json, main, say
from drawstring.core.colour.kept_files import CONFIGS, MAPS, TABLES, keep_file
from drawstring.core.colour.management import check_config
from drawstring.core.colour.table import check_table
from drawstring.core.framing.lens_map import check_map
from drawstring.core.scene.footage import check_footage
from drawstring.core.scene.limits import MOST_MB
from drawstring.core.scene.reading import ENDINGS as SCENES
from drawstring.core.scene.reading import read_and_write
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


def _use_of(ending: str) -> tuple[Callable[[str], object], str]:
    """Give how a kept file is looked over, and the setting that can name it."""
    if ending in TABLES:
        return check_table, "assembly.grade.table"
    if ending in CONFIGS:
        return check_config, "arrivals.colour.config"
    if ending in MAPS:
        return check_map, "framing.lens.map_bends"
    return check_footage, "scene.cards.1.footage"


@main.command("keep")
@click.argument("file", type=click.Path(exists=True, dir_okay=False))
@as_json
@click.pass_obj
def keep(installation: Installation, file: str, wants_json: bool) -> None:
    """Keep FILE, so that settings can name it.

    A table (.cube, .clf) or configuration (.ocio, .ocioz) of colour, a lens's map (.exr), a scene (.gltf,
    .glb, .usd, .usda, .usdc, .usdz), or footage for a card (a picture, a film, a .zip of pictures).
    """
    ending = file.rpartition(".")[2].lower()
    if ending in SCENES:
        # What it names may lie beside it: whoever types the command may read it anyway.
        content = read_and_write(file, os.path.basename(file), [os.path.dirname(os.path.abspath(file))])
        name = f"{os.path.basename(file)}.scene"
        path = keep_file(installation.colour_folder, name, content, most_mb=4 * MOST_MB)
        setting = "scene.file"
    else:
        with open(file, "rb") as stream:
            path = keep_file(installation.colour_folder, file, stream.read(), most_mb=MOST_MB)
        check, setting = _use_of(ending)
        check(path)
    say({"file": path, "setting": setting}, wants_json, lambda: f"Kept; drawstring set SHOT {setting}={path}")
