"""A quick range recorded from a feed: rendered there, kept here as a sequence, scanned like any delivery."""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Mapping

from sqlalchemy.orm import Session, sessionmaker

from drawstring.core.errors import MissingError, SourceError
from drawstring.core.feeds.protocol import RenderRequest
from drawstring.core.io.headers import read_facts
from drawstring.core.io.writing import final_name
from drawstring.runs.feeds.client import Feed, FeedLostError
from drawstring.runs.filling import Beside, fill, make_folder
from drawstring.runs.readers import Readers
from drawstring.store import filling
from drawstring.store.models import Recording

BROKEN_IN_A_ROW = 3
"""Pictures that can't be read, one after the other, until a recording is given up."""

PATIENCE_S = 120.0
"""How long a renderer may be away before a recording is given up."""


class Recorder(Beside):
    """Records what waits, one range at a time.

    Parameters
    ----------
    sessions : sessionmaker
    readers : Readers
        In whose processes pictures are looked at before they count.
    addresses : mapping of name to address
        Of the feeds that the installation names.
    """

    called = "Recording"

    def __init__(
        self, sessions: sessionmaker[Session], readers: Readers, addresses: Mapping[str, str]
    ) -> None:
        super().__init__(sessions)
        self._readers, self._addresses = readers, addresses

    def due(self, session: Session) -> int | None:
        """Give the number of what is to be recorded next."""
        row = filling.due(session, Recording)
        return row.id if row is not None else None

    def carry_out(self, number: int) -> None:
        """Record a range, or write down why it can't be recorded."""
        carry_out_recording(self._sessions, number, self._readers, self._addresses)


def carry_out_recording(
    sessions: sessionmaker[Session], number: int, readers: Readers, addresses: Mapping[str, str],
    *, patience_s: float = PATIENCE_S,
) -> None:  # fmt: skip
    """Record a range and ask for a scan of it, or write down why it is not there.

    Raises
    ------
    DatabaseAway
        What came of it could not be written down; it is gone on with.
    """

    def record(row: Recording, goes_on: Callable[[int], bool]) -> bool:
        address = addresses.get(row.feed, "")
        if not address:
            raise MissingError(
                "The installation names no such feed any more.", where="feed", why="Nothing was recorded.",
                remedy="Set DRAWSTRING_FEEDS.",
            )  # fmt: skip
        feed, asked = Feed(address), RenderRequest.model_validate(row.asked)
        try:
            return _record(feed, asked, row.folder, row.stem, readers, goes_on, patience_s)
        finally:
            feed.close()

    fill(sessions, Recording, number, record)


def _record(
    feed: Feed, asked: RenderRequest, folder: str, stem: str, readers: Readers,
    goes_on: Callable[[int], bool], patience_s: float,
) -> bool:  # fmt: skip
    """Fetch every frame that is not there yet; give False when somebody stopped it."""
    make_folder(folder)
    feed.hello()
    numbers = range(asked.frames[0], asked.frames[1] + 1)
    paths = {number: os.path.join(folder, f"{stem}.{number:04d}.exr") for number in numbers}
    render = ""
    lost_since: float | None = None
    broken = 0
    while missing := [number for number in numbers if not os.path.exists(paths[number])]:
        if not goes_on(len(numbers) - len(missing)):
            if render:
                feed.cancel(render)
            return False
        try:
            if not render:
                rest = asked.model_copy(update={"frames": (missing[0], missing[-1])})
                render = feed.render(rest).id
            status = feed.status(render)
            if status.state == "failed":
                raise SourceError(
                    f"The renderer failed: {status.fault or 'it does not say why'}.", where=feed.address,
                    why="The range is not whole.", remedy="Look at the renderer, and record it again.",
                )  # fmt: skip
            ready = [number for number in missing if number in status.done]
            for number in ready:
                try:
                    _fetch(feed, render, number, paths[number], readers)
                    broken = 0
                except FeedLostError:
                    raise
                except SourceError:
                    # What ends in the middle is fetched again; a renderer that sends nothing else is not.
                    broken += 1
                    if broken >= BROKEN_IN_A_ROW:
                        raise
            if status.state in ("done", "cancelled") and not ready:
                render = ""  # not all came of what was asked: the rest is asked for again
            lost_since = None
        except MissingError:
            render = ""  # the renderer was started anew: what is missing is asked for again
        except FeedLostError:
            lost_since = lost_since or time.monotonic()
            if time.monotonic() - lost_since > patience_s:
                raise
        time.sleep(0.25)
    return goes_on(len(numbers))


def _fetch(feed: Feed, render: str, number: int, path: str, readers: Readers) -> None:
    """Fetch a frame, look whether it is a picture, and only then give it its name."""
    picture = feed.picture(render, number, is_looked_at=False)
    if picture is None or not picture.is_complete:
        return
    with final_name(path) as unfinished:
        with open(unfinished, "wb") as file:
            file.write(picture.data)
        readers.read(unfinished, read_facts, unfinished)
