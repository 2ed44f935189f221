"""The shell's own ways: commands loaded when called, refusals as words and exit codes, data as text or JSON.

Exit codes: 0 done; 1 something is not proven; 2 wrong call; 3 a setting is refused; 4 a source can't be
used; 5 something is missing; 6 something holds the place; 7 nothing can be written; 8 the database is away.
"""

from __future__ import annotations

import gc
import json
import os
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from importlib import import_module
from typing import TYPE_CHECKING, Any

import click

from drawstring import __version__
from drawstring.core.errors import DrawstringError, SeveralSettingErrors
from drawstring.core.loaded import keep_loaded
from drawstring.installation import Installation, read_installation

if TYPE_CHECKING:
    from sqlalchemy.orm import Session

EXIT_CODES = {
    "SettingError": 3, "SourceError": 4, "MissingError": 5, "ConflictError": 6, "OutputError": 7,
    "DatabaseAway": 8, "DrawstringError": 1,
}  # fmt: skip
"""By kind of refusal, the narrower ones first; by name, since some kinds bring the database with them."""

as_json = click.option("--json", "wants_json", is_flag=True, help="Print one JSON object.")


@dataclass(frozen=True)
class Room:
    """The files in which a command lies, and what the list of commands says of it."""

    files: tuple[str, ...]
    says: str


ROOMS: dict[str, Room] = {
    "scan": Room(("arrivals",), "Tell what lies in FOLDER and below: sequences, passes, gaps and faults."),
    "pass": Room(("arrivals",), "Correct what passes were taken for."),
    "dictionary": Room(("arrivals",), "See, fill and hand on a show's dictionary of pass names."),
    "patterns": Room(
        ("arrivals",),
        "Set what the paths of SHOW mean, such as {shot}_{pass}_{version}.{frame}; without one, print them.",
    ),
    "findings": Room(("arrivals",), "List what was noticed about SHOT, the gravest first."),
    "join": Room(
        ("arrivals",),
        "Join what lies in FOLDER in tiles, for SHOW; the whole frames are scanned like what is handed in.",
    ),
    "demo": Room(
        ("demo",),
        "Render the demo show with the stand-in renderer and accept its shots, where that was not done yet.",
    ),
    "estimate": Room(
        ("work",),
        "Pack a few frames of SHOT, throw them away, and tell what a run would come to.",
    ),
    "runs": Room(("runs",), "See runs under way; let them rest, go on, stop, or come first."),
    "order": Room(("orders",), "Order renders: make, list, show, ask again, repair."),
    "owed": Room(("orders",), "Keep the show list: the pieces that a show owes."),
    "renderer": Room(
        ("renderer",),
        "Render the demo show's shots by orders, or serve them while they are rendered: a stand-in.",
    ),
    "hand-off": Room(
        ("handing",),
        "Hand packages on: a copy, a zip, the report, the movie, a contact sheet.",
    ),
    "client-inbox": Room(
        ("inbox",),
        "Serve a made-up client's inbox that takes packages into FOLDER, until stopped.",
    ),
    "token": Room(("tokens",), "Let programs reach the JSON interface."),
    "recipe": Room(("sharing",), "Take whole recipes out and in, and make many shots the same."),
    "profile": Room(
        ("sharing",),
        "See, keep and hand on delivery profiles; choose one with: set SHOT pack.profile=NAME.",
    ),
    "show": Room(("shots",), "Make and list shows."),
    "shot": Room(("shots", "arrivals"), "Accept deliveries and see how shots stand."),
    "set": Room(
        ("shots",),
        "Change settings of SHOT by dotted name (depth.near=4.2) and settle the knots they belong to.",
    ),
    "settle": Room(("shots",), "Settle a KNOT of SHOT as it is."),
    "undo": Room(("shots",), "Go back one revision of SHOT's recipe."),
    "measure": Room(
        ("work",),
        "Measure SHOT's depth over all its frames (at once, where that was not done yet).",
    ),
    "run": Room(("work",), "Run every frame of SHOT (or several) into a new package, and wait for it."),
    "prove": Room(
        ("work",),
        "Tell whether the files of a PACKAGE (a folder, or its number) are what was proven.",
    ),
    "keys": Room(
        ("shots",),
        "Make the keys of a SETTING of SHOT from a table, a flicker or the level of a sound.",
    ),
    "cdl": Room(
        ("shots",),
        "Take over an ASC CDL correction (.cdl, .cc, .ccc) as SHOT's colour, or write it to a new FILE.",
    ),
    "keep": Room(("keeping",), "Keep FILE, so that settings can name it."),
    "review": Room(("handing",), "Join SHOW's packages to one movie, and wait for it."),
    "backup": Room(
        ("keeping",),
        "Write everything the house remembers to FILE; sources and packages stay where they are.",
    ),
    "restore": Room(
        ("keeping",),
        "Bring back what FILE holds; what was there before keeps its contents under another name.",
    ),
    "engine": Room(("house",), "Work off what waits in the ledger, until stopped."),
    "serve": Room(
        ("house",),
        "Serve the pages and keep an engine working, until stopped; either is started again when it dies.",
    ),
    "migrate": Room(("house",), "Bring the database's tables to today's form."),
}
"""All commands: only the files of the one that is called are loaded, as the whole house takes seconds.

What the list of commands says of each stands here for the same reason; a test holds it to their own words."""


class Shell(click.Group):
    """Loads a command when it is called; turns refusals into words and exit codes, in one place for all."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        """Give the names of all commands."""
        return sorted(ROOMS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        """Load a command."""
        gc.disable()  # what is loaded stays: looking through it again and again takes a tenth of the time
        for file in ROOMS[cmd_name].files if cmd_name in ROOMS else ():
            import_module(f"drawstring.cli.{file}")
        keep_loaded()
        gc.enable()
        return super().get_command(ctx, cmd_name)

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """List the commands without loading any."""
        limit = formatter.width - 6 - max(map(len, ROOMS))
        with formatter.section("Commands"):
            formatter.write_dl([(name, _short(ROOMS[name].says, limit)) for name in self.list_commands(ctx)])

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
            kinds = [kind.__name__ for kind in type(error).__mro__]
            ctx.exit(next(code for kind, code in EXIT_CODES.items() if kind in kinds))


def _short(says: str, limit: int) -> str:
    return says if len(says) <= limit else says[: limit - 1].rpartition(" ")[0] + " …"


@click.group(cls=Shell)
@click.version_option(__version__)
@click.pass_context
def main(ctx: click.Context) -> None:
    """From a folder of renders to a proven package."""
    ctx.obj = read_installation()


@contextmanager
def opened(installation: Installation) -> Iterator[Session]:
    """Open one unit of work on the installation's database."""
    # Whoever asks for help or the version needs no database, which takes half a second to load.
    from sqlalchemy.orm import sessionmaker

    from drawstring.store.database import connect, unit_of_work

    with unit_of_work(sessionmaker(connect(installation.database), expire_on_commit=False)) as session:
        yield session


def say(data: Any, wants_json: bool, words: Callable[[], str]) -> None:
    """Print data as JSON, or as words."""
    click.echo(json.dumps(data, indent=2, default=str) if wants_json else words())


def me() -> str:
    """Give who is at the shell."""
    return os.environ.get("USER") or os.environ.get("LOGNAME") or "shell"
