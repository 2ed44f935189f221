"""The stand-in renderer from the shell: orders obeyed, its feed served. Only made-up shots are rendered."""

from __future__ import annotations

from typing import BinaryIO

import click

from drawstring.cli.common import main
from drawstring.core.orders.document import read_order


@main.group("renderer")
def renderer_group() -> None:
    """Render the demo show's shots by orders, or serve them while they are rendered: a stand-in."""


@renderer_group.command("obey")
@click.argument("order", type=click.File("rb"))
@click.option("--into", required=True, type=click.Path(file_okay=False), help="Folder below which files go.")
def obey_order(order: BinaryIO, into: str) -> None:
    """Render what is missing of ORDER, a JSON file or - for standard input."""
    from drawstring.standins.renderer.ordered import obey
    from drawstring.standins.tidewrack.staging import stages

    document = read_order(order.read())
    with click.progressbar(length=1, label=f"  Rendering order {document.number}", show_pos=True) as bar:
        for done, total in obey(document, stages(), into):
            bar.length = total
            bar.update(done - bar.pos)


@renderer_group.command("feed")
@click.option("--port", default=8478, help="Port on this machine.")
def feed(port: int) -> None:
    """Serve the stand-in renderer's feed, until stopped."""
    from waitress import serve

    from drawstring.standins.feed import create_feed
    from drawstring.standins.tidewrack.show import FPS
    from drawstring.standins.tidewrack.staging import stages

    serve(create_feed(stages(), fps=FPS), host="127.0.0.1", port=port, threads=8)
