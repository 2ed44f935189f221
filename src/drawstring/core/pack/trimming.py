"""How far a data window reaches: everything, the frame, or what is covered."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from drawstring.core.arrays import Stored
from drawstring.core.io.facts import Window
from drawstring.core.pack.form import Reach


def reached(planes: Iterable[Stored], window: Window, display: Window, reach: Reach) -> Window:
    """Give the data window of a part.

    Parameters
    ----------
    planes : iterable of (H, W)
        The part's channels over all of `window`.
    window, display : Window
        What the planes hold, and the frame.
    reach : Reach

    Returns
    -------
    Window
        Within `window`; one pixel of it where nothing is covered, as the format has no empty one.
    """
    if reach is Reach.ALL:
        return window
    if reach is Reach.FRAME:
        return _within(display, window)
    covered = None
    for plane in planes:
        # NaN is content: it must not vanish by being trimmed.
        here = plane != 0
        covered = here if covered is None else covered | here
    if covered is None or not covered.any():
        return Window(window.x_min, window.y_min, window.x_min, window.y_min)
    rows, cols = np.flatnonzero(covered.any(axis=1)), np.flatnonzero(covered.any(axis=0))
    return Window(
        window.x_min + int(cols[0]),
        window.y_min + int(rows[0]),
        window.x_min + int(cols[-1]),
        window.y_min + int(rows[-1]),
    )


def cut(plane: Stored, window: Window, to: Window) -> Stored:
    """Cut a plane that holds `window` down to a window within it."""
    if to == window:
        return plane
    top, left = to.y_min - window.y_min, to.x_min - window.x_min
    return plane[top : top + to.height, left : left + to.width]


def _within(inner: Window, outer: Window) -> Window:
    found = Window(
        max(inner.x_min, outer.x_min),
        max(inner.y_min, outer.y_min),
        min(inner.x_max, outer.x_max),
        min(inner.y_max, outer.y_max),
    )
    # A frame that lies wholly outside of what came stays as it came.
    return found if found.width > 0 and found.height > 0 else outer
