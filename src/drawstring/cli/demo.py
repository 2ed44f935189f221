"""The demo show from the shell: rendered by the stand-in renderer and accepted, shot by shot."""

from __future__ import annotations

import os

import click
from sqlalchemy.orm import Session

from drawstring.cli.common import main, opened
from drawstring.cli.waiting import scanned, wait_for
from drawstring.core.errors import MissingError
from drawstring.core.owed.piece import Piece
from drawstring.core.scene.reading import read_and_write
from drawstring.installation import Installation
from drawstring.standins.tidewrack import (
    FAULTS,
    FPS,
    SHOTS,
    DemoShot,
    make_faults,
    mural,
    render_show,
    renderers,
)
from drawstring.standins.tidewrack.scene_files import write_scenes
from drawstring.store import deliveries, filling, joinings, orders, owed, recipes, scans, shows
from drawstring.store.models import Joining, Show
from drawstring.store.scene.taking import take_scene

CODE = "Tidewrack"


@main.command("demo")
@click.option("--width", default=960, envvar="DRAWSTRING_DEMO_WIDTH", help="Of the frames, in pixels.")
@click.option(
    "--frames", type=int, envvar="DRAWSTRING_DEMO_FRAMES", help="Of each shot, where other than the show has."
)
@click.option("--first", is_flag=True, help="Only the first shot; the others are on the board, and wait.")
@click.pass_obj
def demo(installation: Installation, width: int, frames: int | None, first: bool) -> None:
    """Render the demo show with the stand-in renderer and accept its shots, where that was not done yet."""
    folder = os.path.join(installation.root_list[0], "tidewrack")
    with opened(installation) as session:
        _plan(session)
    with renderers() as pool:
        for shot in SHOTS[:1] if first else SHOTS:
            with click.progressbar(length=1, label=f"  Rendering {shot.code}", show_pos=True) as bar:
                height = width * 9 // 16
                for done, total in render_show(
                    folder, shots=(shot,), width=width, height=height, samples=3, frames=frames, pool=pool
                ):
                    bar.length = total
                    bar.update(done - bar.pos)
            _arrive(installation, folder, shot)
    if first:
        return
    _mural(installation, folder, width)
    faults = os.path.join(installation.root_list[0], FAULTS)
    make_faults(faults, width=min(width, 320), height=min(width, 320) * 9 // 16)
    with opened(installation) as session:
        show = shows.find_show(session, CODE)
        place = os.path.realpath(faults)
        if all(scan.folder != place for scan in scans.recent(session, show)):
            scans.ask(session, show, place)


def _plan(session: Session) -> Show:
    """Make the show and its shots, as they are known before anything is rendered."""
    try:
        show = shows.find_show(session, CODE)
    except MissingError:
        show = shows.make_show(session, CODE, title=CODE, fps=FPS)
    have = {shot.code for shot in show.shots}
    for code, title in (*((shot.code, shot.title) for shot in SHOTS), (mural.CODE, mural.TITLE)):
        if code not in have:
            shows.make_shot(session, show, code, title=title)
    if not owed.pieces(session, show):
        owed.put(session, show, [_piece(shot) for shot in SHOTS])
    return show


def _piece(shot: DemoShot) -> Piece:
    """Give what the show owes of a shot; of one it still waits for a pass."""
    passes = ("beauty", "depth") + (("motion",) if shot.code == "TW020" else ())
    return Piece(
        shot.code, title=shot.title, first=shot.first, last=shot.first + shot.frames - 1, passes=passes,
        note="motion blur is made later" if "motion" in passes else "",
    )  # fmt: skip


def _mural(installation: Installation, folder: str, width: int) -> None:
    """Render the mural in tiles, join them, and accept it, unless that was done."""
    place = os.path.join(folder, mural.CODE, "v001")
    mural.render_mural(place, width=2 * width, height=2 * width * 9 // 16)
    with opened(installation) as session:
        show = shows.find_show(session, CODE)
        shot = next(one for one in show.shots if one.code == mural.CODE)
        if shot.delivery is not None:
            return
        tiles = scanned(installation, place).tiles[0]
        asked = joinings.ask(session, show, tiles, root=installation.root_list[0], by="demo")
        number, folder = asked.id, asked.folder
    wait_for(installation, lambda session: _is_joined(session, number))
    with opened(installation) as session:
        show = shows.find_show(session, CODE)
        shot = next(one for one in show.shots if one.code == mural.CODE)
        candidate = scanned(installation, folder).candidates[0]
        deliveries.accept(session, shot, candidate, by="demo")


def _is_joined(session: Session, number: int) -> tuple[bool, int, int]:
    row = filling.find(session, Joining, number)
    return not row.is_under_way, row.done, row.total


def _arrive(installation: Installation, folder: str, made: DemoShot) -> None:
    """Accept a shot's delivery and settle what is settled from the start, unless it has one."""
    with opened(installation) as session:
        show = shows.find_show(session, CODE)
        shot = next(one for one in show.shots if one.code == made.code)
        if shot.delivery is not None:
            return
        found = scanned(installation, os.path.join(folder, made.code))
        candidate = next(one for one in found.candidates if one.shot == made.code)
        deliveries.accept(session, shot, candidate, by="demo")
        if made.has_scene:
            path = write_scenes(os.path.join(folder, made.folder), made)[0]
            take_scene(
                session, shot, path, name=os.path.basename(path), folder=installation.colour_folder,
                roots=installation.root_list, reading=read_and_write, by="demo",
            )  # fmt: skip
        for name, value in made.settled:
            recipes.set_values(session, shot, {name: value}, by="demo")
        for knot in dict.fromkeys(name.partition(".")[0] for name, _ in made.settled):
            recipes.settle(session, shot, knot, by="demo")
        if made.is_ordered:
            orders.make(session, show, [shot], says="To be bent to its plate", by="demo")
