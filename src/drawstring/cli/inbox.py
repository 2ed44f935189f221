"""The made-up client's inbox: a stand-in in a process of its own."""

from __future__ import annotations

import click

from drawstring.cli.common import main


@main.command("client-inbox")
@click.argument("folder", type=click.Path(file_okay=False))
@click.option("--port", default=8479, help="Port on this machine.")
def client_inbox(folder: str, port: int) -> None:
    """Serve a made-up client's inbox that takes packages into FOLDER, until stopped."""
    from drawstring.standins.client_inbox import create_inbox

    create_inbox(folder).run("127.0.0.1", port)
