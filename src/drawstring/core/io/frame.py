"""One frame's channels, wherever they lie: in one file or in a file to each pass, in one common window."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

import cv2
import numpy as np

from drawstring.core.arrays import Stored
from drawstring.core.errors import MissingError
from drawstring.core.io.facts import ChannelRef, FileFacts, Window
from drawstring.core.io.pixels import placed, read_channels
from drawstring.core.io.unpacking import Rows


def read_frame(
    files: Mapping[int, FileFacts],
    refs: Iterable[ChannelRef],
    *,
    window: Window,
    display: Window | None = None,
) -> dict[ChannelRef, Stored]:
    """Read channels of one frame.

    Parameters
    ----------
    files : mapping of source to FileFacts
        The frame's files, by the number that channels name them with; facts as read from these very files.
    refs : iterable of ChannelRef
    window : Window
        What the planes are to cover; what a file does not cover is 0.
    display : Window, optional
        The picture; its first file's when not given. A file with another display window (a plate that was
        filmed at another size) is fitted into it.

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
    if display is None and files:
        display = files[min(files)].parts[0].display_window
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
        rows = _rows_within(facts, several, window, display)
        planes = read_channels(facts.path, plain, facts=facts, rows=rows)
        for ref, bare in zip(several, plain, strict=True):
            part = facts.parts[ref.part]
            plane, lies = planes[bare], part.data_window
            if rows is not None:
                lies = lies._replace(y_min=rows[0], y_max=rows[1])
            if display is not None and part.display_window != display:
                plane, lies = fitted(placed(plane, lies, part.display_window), part.display_window, display)
            read[ref] = placed(plane, lies, window)
    return read


def _rows_within(
    facts: FileFacts, refs: Iterable[ChannelRef], window: Window, display: Window | None
) -> Rows | None:
    """Give the rows that a window much lower than the file's pictures needs; None where all are read."""
    parts = [facts.parts[ref.part] for ref in refs]
    if any(display is not None and part.display_window != display for part in parts):
        return None
    top = max([window.y_min, *(part.data_window.y_min for part in parts)])
    bottom = min([window.y_max, *(part.data_window.y_max for part in parts)])
    low = all(2 * (bottom - top + 1) <= part.data_window.height for part in parts)
    return (top, bottom) if low and top <= bottom else None


def fitted(plane: Stored, shown: Window, into: Window) -> tuple[Stored, Window]:
    """Bring a picture of another size into a display window: as large as fits, in the middle.

    Parameters
    ----------
    plane : (H, W)
        All of the display window `shown`.
    shown, into : Window

    Returns
    -------
    plane : (h, w)
        Of the type that came; light is averaged or mixed linearly, whole numbers are taken as they are.
    lies : Window
        Where it lies.
    """
    scale = min(into.width / shown.width, into.height / shown.height)
    width, height = max(1, round(shown.width * scale)), max(1, round(shown.height * scale))
    if plane.dtype == np.uint32:
        rows = np.minimum(((np.arange(height) + 0.5) / scale).astype(int), plane.shape[0] - 1)
        cols = np.minimum(((np.arange(width) + 0.5) / scale).astype(int), plane.shape[1] - 1)
        made: Stored = plane[rows[:, None], cols[None]]
    else:
        way = cv2.INTER_AREA if scale < 1 else cv2.INTER_LINEAR
        made = cv2.resize(plane.astype(np.float32), (width, height), interpolation=way).astype(plane.dtype)
    left = into.x_min + (into.width - width) // 2
    top = into.y_min + (into.height - height) // 2
    return made, Window(left, top, left + width - 1, top + height - 1)
