"""Plans, orders and the show list from the shell."""

from __future__ import annotations

from datetime import date
from typing import Any

import click

from drawstring.cli.common import as_json, main, me, opened, say
from drawstring.core.orders.document import say_ranges, written
from drawstring.core.orders.listing import as_csv, changes
from drawstring.core.owed.reading import read_table, read_timeline
from drawstring.installation import Installation
from drawstring.store import orders, owed, shows
from drawstring.store.models import OrderRow


@main.group("order")
def order_group() -> None:
    """Order renders: make, list, show, ask again, repair."""


def _data(row: OrderRow) -> dict[str, Any]:
    return {
        "number": row.number, "kind": row.kind, "files": row.frames, "says": row.says, "made_at": row.made_at,
        "shots": [one.shot.code for one in row.shots],
    }  # fmt: skip


@order_group.command("make")
@click.argument("show")
@click.argument("shot", nargs=-1)
@click.option("--every", is_flag=True, help="Order the whole show.")
@click.option("--says", default="", help="What it is for.")
@as_json
@click.pass_obj
def make(
    installation: Installation, show: str, shot: tuple[str, ...], every: bool, says: str, wants_json: bool
) -> None:
    """Make an order for some SHOTs of SHOW, as they are planned."""
    with opened(installation) as session:
        found = shows.find_show(session, show)
        several = list(found.shots) if every else [shows.find_shot(session, code, show=show) for code in shot]
        data = _data(orders.make(session, found, several, says=says, by=me()))
    say(
        data,
        wants_json,
        lambda: f"Order {data['number']}: {', '.join(data['shots'])}, {data['files']} files.",
    )


@order_group.command("list")
@click.argument("show")
@as_json
@click.pass_obj
def list_orders(installation: Installation, show: str, wants_json: bool) -> None:
    """List the orders of SHOW, and what waits to be asked for again."""
    with opened(installation) as session:
        found = shows.find_show(session, show)
        data = [_data(row) for row in orders.of_show(session, found)]
        waits = [
            {"shot": row.shot.code, "render": row.render, "frames": row.frames, "passes": row.passes}
            for row in orders.asked_again(session, found)
        ]
    lines = [
        f"{one['number']:>4} {one['kind']:<7} {one['files']:>6} files  {', '.join(one['shots'])}"
        for one in data
    ]
    lines += [f"waits: {one['shot']} {one['render']}, {len(one['frames'])} frames" for one in waits]
    say({"orders": data, "waits": waits}, wants_json, lambda: "\n".join(lines) or "No order yet.")


@order_group.command("show")
@click.argument("show")
@click.argument("number", type=int)
@click.option("--csv", "wants_csv", is_flag=True, help="As a table.")
@click.option("--changes", "wants_changes", is_flag=True, help="What changed since the former order.")
@click.pass_obj
def show_order(
    installation: Installation, show: str, number: int, wants_csv: bool, wants_changes: bool
) -> None:
    """Print order NUMBER of SHOW as the JSON that a renderer obeys."""
    with opened(installation) as session:
        row = orders.find(session, shows.find_show(session, show), number)
        document, former = orders.document_of(row), orders.former_of(session, row)
    if wants_changes:
        click.echo("\n".join(changes(former, document)) or "Nothing changed.")
    else:
        click.echo(as_csv(document) if wants_csv else written(document), nl=False)


@order_group.command("again")
@click.argument("shot")
@click.argument("render")
@click.argument("frames")
@click.option("--passes", default="", help="Only these, with commas between them.")
@click.pass_obj
def ask_again(installation: Installation, shot: str, render: str, frames: str, passes: str) -> None:
    """Put FRAMES (such as 1004,1009-1012) of SHOT's RENDER into the next repair order."""
    numbers = orders.read_frames(frames)
    with opened(installation) as session:
        found = shows.find_shot(session, shot)
        names = [name.strip() for name in passes.split(",") if name.strip()]
        row = orders.ask_again(session, found, render, numbers, names, by=me())
        several = len(row.frames)
    click.echo(f"{several} frames of {shot}, {render}, wait for the next repair order.")


@order_group.command("repair")
@click.argument("show")
@click.option("--says", default="", help="What it is for.")
@as_json
@click.pass_obj
def repair(installation: Installation, show: str, says: str, wants_json: bool) -> None:
    """Make a repair order of all that waits in SHOW."""
    with opened(installation) as session:
        row = orders.make_repair(session, shows.find_show(session, show), says=says, by=me())
        data = _data(row)
        told = [
            f"{shot.shot} {render.name} {say_ranges(render.frames)}"
            for shot in orders.document_of(row).shots
            for render in shot.renders
        ]
    say(data, wants_json, lambda: f"Repair order {data['number']}: {'; '.join(told)}.")


@main.group("owed")
def owed_group() -> None:
    """Keep the show list: the pieces that a show owes."""


@owed_group.command("list")
@click.argument("show")
@as_json
@click.pass_obj
def list_owed(installation: Installation, show: str, wants_json: bool) -> None:
    """List the pieces that SHOW owes, and how they stand."""
    from drawstring.store.standing import shots_of

    with opened(installation) as session:
        found = shows.find_show(session, show)
        rows = owed.standing(session, found, shots_of(session, found), date.today())
        data = [
            {
                "piece": row.piece.says,
                "standing": row.standing.value,
                "lacks": row.lacks,
                "due": row.piece.due,
            }
            for row in rows
        ]
    say(
        {"pieces": data}, wants_json,
        lambda: "\n".join(f"{one['piece']:<28} {one['standing']:<12} {one['lacks']}" for one in data) or
        "Nothing is owed.",
    )  # fmt: skip


@owed_group.command("take")
@click.argument("show")
@click.argument("file", type=click.Path(exists=True, dir_okay=False))
@click.option("--replaces", is_flag=True, help="What is not in it leaves the list.")
@click.option("--starts-at", default=1001, help="First frame of a shot whose timeline tells only its length.")
@click.pass_obj
def take(installation: Installation, show: str, file: str, replaces: bool, starts_at: int) -> None:
    """Put what FILE lists (CSV, OpenTimelineIO, EDL) on SHOW's list."""
    with open(file, "rb") as source:
        data = source.read()
    with opened(installation) as session:
        found = shows.find_show(session, show)
        if file.lower().endswith((".otio", ".edl")):
            read = read_timeline(data, file, fps=found.fps, starts_at=starts_at)
        else:
            read = read_table(data.decode("utf-8-sig", errors="replace"))
        made = owed.put(session, found, read.pieces, replaces=replaces)
    click.echo("\n".join([f"{len(read.pieces)} pieces are on the list; {made} shots are new.", *read.notes]))
