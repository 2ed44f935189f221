"""The demo show from the shell: rendered by the stand-in renderer and accepted."""

from __future__ import annotations

import os

import click

from drawstring.cli.common import main, opened
from drawstring.cli.waiting import scanned
from drawstring.core.errors import MissingError
from drawstring.installation import Installation
from drawstring.store import deliveries, recipes, scans, shows


@main.command("demo")
@click.option("--width", default=960, help="Of the frames, in pixels.")
@click.option("--frames", type=int, help="Of each shot, where other than the show has.")
@click.pass_obj
def demo(installation: Installation, width: int, frames: int | None) -> None:
    """Render the demo show with the stand-in renderer and accept its shots, where that was not done yet."""
    from drawstring.standins.tidewrack import FAULTS, FPS, SHOTS, make_faults, render_show

    folder = os.path.join(installation.root_list[0], "tidewrack")
    with click.progressbar(length=1, label="  Rendering the demo show", show_pos=True) as bar:
        for done, total in render_show(folder, width=width, height=width * 9 // 16, frames=frames):
            bar.length = total
            bar.update(done - bar.pos)
    faults = os.path.join(installation.root_list[0], FAULTS)
    make_faults(faults)
    found = scanned(installation, folder)
    by_code = {one.shot: one for one in reversed(found.candidates)}
    with opened(installation) as session:
        try:
            show = shows.find_show(session, "Tidewrack")
        except MissingError:
            show = shows.make_show(session, "Tidewrack", title="Tidewrack", fps=FPS)
        have = {shot.code for shot in show.shots}
        for one in SHOTS:
            if one.code not in have:
                shot = shows.make_shot(session, show, one.code, title=one.title)
                deliveries.accept(session, shot, by_code[one.code], by="demo")
                for name, value in one.settled:
                    recipes.set_values(session, shot, {name: value}, by="demo")
                for knot in dict.fromkeys(name.partition(".")[0] for name, _ in one.settled):
                    recipes.settle(session, shot, knot, by="demo")
        if not scans.recent(session, show):
            scans.ask(session, show, os.path.realpath(faults))
