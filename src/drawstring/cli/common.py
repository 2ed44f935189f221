"""The shell's own ways: commands loaded when called, refusals as words and exit codes, data as text or JSON.

Exit codes: 0 done; 1 something is not proven; 2 wrong call; 3 a setting is refused; 4 a source can't be
used; 5 something is missing; 6 something holds the place; 7 nothing can be written; 8 the database is away.
"""

from __future__ import annotations

import json
import os
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from importlib import import_module
from typing import Any

import click
from sqlalchemy.orm import Session, sessionmaker

from drawstring import __version__
from drawstring.core.errors import (
    ConflictError,
    DrawstringError,
    MissingError,
    OutputError,
    SettingError,
    SeveralSettingErrors,
    SourceError,
)
from drawstring.installation import Installation, read_installation
from drawstring.store.database import DatabaseAway, connect, unit_of_work

EXIT_CODES: tuple[tuple[type[DrawstringError], int], ...] = (
    (SettingError, 3),
    (SourceError, 4),
    (MissingError, 5),
    (ConflictError, 6),
    (OutputError, 7),
    (DatabaseAway, 8),
    (DrawstringError, 1),
)

as_json = click.option("--json", "wants_json", is_flag=True, help="Print one JSON object.")


ROOMS = {
    "scan": ("arrivals",), "pass": ("arrivals",), "dictionary": ("arrivals",), "patterns": ("arrivals",),
    "findings": ("arrivals",), "join": ("arrivals",), "demo": ("demo",), "estimate": ("work",),
    "runs": ("runs",), "order": ("orders",), "owed": ("orders",), "renderer": ("renderer",),
    "hand-off": ("handing",), "client-inbox": ("handing",), "token": ("tokens",), "recipe": ("sharing",),
    "profile": ("sharing",), "show": ("shots",), "shot": ("shots", "arrivals"), "set": ("shots",),
    "settle": ("shots",), "undo": ("shots",), "measure": ("work",), "run": ("work",), "prove": ("work",),
    "keys": ("shots",), "cdl": ("shots",), "keep": ("keeping",), "review": ("handing",),
    "backup": ("keeping",), "restore": ("keeping",), "engine": ("work",), "serve": ("work",),
    "migrate": ("work",),
}  # fmt: skip
"""In which files a command lies: only those are loaded, as the whole house takes seconds."""


class Shell(click.Group):
    """Loads a command when it is called; turns refusals into words and exit codes, in one place for all."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        """Give the names of all commands."""
        return sorted(ROOMS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        """Load a command."""
        for room in ROOMS.get(cmd_name, ()):
            import_module(f"drawstring.cli.{room}")
        return super().get_command(ctx, cmd_name)

    def invoke(self, ctx: click.Context) -> Any:
        """Carry out a command."""
        try:
            return super().invoke(ctx)
        except DrawstringError as error:
            refusals = error.refusals if isinstance(error, SeveralSettingErrors) else [error]
            if "--json" in sys.argv:
                click.echo(json.dumps({"errors": [one.as_dict() for one in refusals]}, indent=2))
            for one in refusals:
                click.echo(f"{one.where}: {one}" if one.where else str(one), err=True)
            ctx.exit(next(code for kind, code in EXIT_CODES if isinstance(error, kind)))


@click.group(cls=Shell)
@click.version_option(__version__)
@click.pass_context
def main(ctx: click.Context) -> None:
    """From a folder of renders to a proven package."""
    ctx.obj = read_installation()


@contextmanager
def opened(installation: Installation) -> Iterator[Session]:
    """Open one unit of work on the installation's database."""
    with unit_of_work(sessionmaker(connect(installation.database), expire_on_commit=False)) as session:
        yield session


def say(data: Any, wants_json: bool, words: Callable[[], str]) -> None:
    """Print data as JSON, or as words."""
    click.echo(json.dumps(data, indent=2, default=str) if wants_json else words())


def me() -> str:
    """Give who is at the shell."""
    return os.environ.get("USER") or os.environ.get("LOGNAME") or "shell"
