"""Ranges recorded from a feed: asked for, into a folder of their own."""

from __future__ import annotations

import os
from datetime import UTC, datetime

from sqlalchemy.orm import Session

from drawstring.core.feeds.protocol import RenderRequest
from drawstring.store.models import Recording, Show


def ask(
    session: Session, show: Show, feed: str, asked: RenderRequest, *, root: str, by: str = ""
) -> Recording:  # fmt: skip
    """Ask for a range to be recorded, into a folder of its own below the first source root.

    Parameters
    ----------
    feed : str
        What the installation calls it.
    asked : RenderRequest
    root : str
        Folder that sources may lie in, and that the house may write in.
    """
    day = datetime.now(UTC).strftime("%Y%m%d-%H%M%S")
    code = "".join(letter if letter.isalnum() or letter in "_-" else "_" for letter in asked.shot)
    name = f"{code}_{asked.camera or 'main'}_feed"
    row = Recording(
        show=show, feed=feed, asked=asked.model_dump(mode="json"), stem=name,
        folder=os.path.join(root, "feed", show.code, f"{day}-{code}"), total=asked.frames[1] -
        asked.frames[0] + 1,
        by=by,
    )  # fmt: skip
    session.add(row)
    session.flush()
    return row
