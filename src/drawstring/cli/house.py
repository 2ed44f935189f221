"""Bringing the house up: pages, an engine beside them, tables; each loads what it needs when it begins."""

from __future__ import annotations

import gc

import click

from drawstring.cli.common import main
from drawstring.installation import Installation
from drawstring.runs.forks import begin_alone


@main.command("engine")
@click.pass_obj
def engine(installation: Installation) -> None:
    """Work off what waits in the ledger, until stopped."""
    begin_alone()
    gc.disable()  # all that is loaded now stays: nothing in it is garbage
    from drawstring.cli.engine import keep_working

    gc.enable()
    keep_working(installation)


@main.command("serve")
@click.pass_obj
def serve(installation: Installation) -> None:
    """Serve the pages and keep an engine working, until stopped; either is started again when it dies."""
    from drawstring.serving import keep_up

    keep_up(installation)


@main.command("migrate")
@click.pass_obj
def migrate_command(installation: Installation) -> None:
    """Bring the database's tables to today's form."""
    from drawstring.store.database import migrate

    migrate(installation.database)
