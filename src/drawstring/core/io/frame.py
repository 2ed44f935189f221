"""One frame's channels, wherever they lie: in one file or in a file to each pass, in one common window."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from drawstring.core.arrays import Stored
from drawstring.core.errors import MissingError
from drawstring.core.io.facts import ChannelRef, FileFacts, Window
from drawstring.core.io.pixels import placed, read_channels


def read_frame(
    files: Mapping[int, FileFacts], refs: Iterable[ChannelRef], *, window: Window
) -> dict[ChannelRef, Stored]:
    """Read channels of one frame.

    Parameters
    ----------
    files : mapping of source to FileFacts
        The frame's files, by the number that channels name them with; facts as read from these very files.
    refs : iterable of ChannelRef
    window : Window
        What the planes are to cover; what a file does not cover is 0.

    Returns
    -------
    dict of ChannelRef to (H, W)
        H and W of `window`.

    Raises
    ------
    MissingError
        The frame came without one of the files, or a file lacks a channel.
    SourceError
        A file can't be decoded.
    """
    wanted: dict[int, list[ChannelRef]] = {}
    for ref in dict.fromkeys(refs):
        wanted.setdefault(ref.source, []).append(ref)
    read: dict[ChannelRef, Stored] = {}
    for source, several in wanted.items():
        facts = files.get(source)
        if facts is None:
            raise MissingError(
                f"This frame came without the file that holds {several[0].name}.",
                where=f"source {source + 1}",
                why="What depends on it can't be computed for the frame.",
                remedy="Render it and scan again, or take the pass out of the package.",
            )
        plain = [ref._replace(source=0) for ref in several]
        planes = read_channels(facts.path, plain, facts=facts)
        for ref, bare in zip(several, plain, strict=True):
            read[ref] = placed(planes[bare], facts.parts[ref.part].data_window, window)
    return read
