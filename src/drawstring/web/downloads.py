"""A package's zip as an answer: with its length and its name, made while it is sent."""

from __future__ import annotations

from flask import Response

from drawstring.runs.handoff.zipping import Zip


def sent(archive: Zip) -> Response:
    """Give a zip as an answer."""
    return Response(
        archive.blocks,
        mimetype="application/zip",
        headers={
            "Content-Length": str(archive.size_bytes),
            "Content-Disposition": f'attachment; filename="{archive.file_name}"',
        },
    )
