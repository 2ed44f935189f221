"""A lens as a map of places: an OpenEXR picture whose first two channels say where each pixel is taken from.

Values are shares of the frame: 0 to 1 from left to right and, by the usual habit, from the bottom up; a
pixel's value is that of its middle. What lies below 0 or above 1 is overscan. A map bends or straightens; the
other way is given by a second one, or found from the first.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import lru_cache

import cv2
import numpy as np

from drawstring.core.choices import Choice
from drawstring.core.colour.kept_files import find_kept
from drawstring.core.errors import DrawstringError, SettingError
from drawstring.core.framing.filters import Grid
from drawstring.core.io.facts import ChannelRef, FileFacts, Window
from drawstring.core.io.frame import read_frame
from drawstring.core.io.headers import read_facts


class Origin(Choice):
    """Where a map counts from."""

    BELOW = "below", "lower left"
    ABOVE = "above", "upper left"


class Counts(Choice):
    """What of a pixel a map's value means."""

    MIDDLE = "middle", "pixels' middles"
    """The first pixel of four is 1/8."""
    CORNER = "corner", "first to last pixel"
    """The first pixel is 0, the last one 1."""


@dataclass(frozen=True, eq=False)
class PlaceMap:
    """A map that was read.

    Attributes
    ----------
    x, y : (h, w) float64
        Where each of its pixels is taken from, in half widths from the frame's middle, right and down.
    window, frame : Window
        What its pixels are, and the frame that it is of.
    """

    x: Grid
    y: Grid
    window: Window
    frame: Window

    def at(self, x: Grid, y: Grid, *, goes_on: bool = False) -> tuple[Grid, Grid]:
        """Give where places are taken from; where it says nothing NaN, or as at its rim."""
        half = self.frame.width / 2
        cols = x * half + self.frame.x_min + half - self.window.x_min - 0.5
        rows = y * half + self.frame.y_min + self.frame.height / 2 - self.window.y_min - 0.5
        height, width = self.x.shape
        shape = np.shape(cols)
        across = np.clip(np.nan_to_num(cols), -0.5, width - 0.5).ravel()
        down = np.clip(np.nan_to_num(rows), -0.5, height - 0.5).ravel()
        # Half a pixel beyond its rim it goes on as it does there.
        u, v = (self._between(plane, across, down).reshape(shape) for plane in (self.x, self.y))
        if goes_on:
            return u, v
        inside = (cols >= -0.5) & (cols <= width - 0.5) & (rows >= -0.5) & (rows <= height - 0.5)
        return np.where(inside, u, np.nan), np.where(inside, v, np.nan)

    def _between(self, plane: Grid, cols: Grid, rows: Grid) -> Grid:
        wide = cv2.copyMakeBorder(plane, 1, 1, 1, 1, cv2.BORDER_REPLICATE)
        wide[:, 0], wide[:, -1] = 2 * wide[:, 1] - wide[:, 2], 2 * wide[:, -2] - wide[:, -3]
        wide[0], wide[-1] = 2 * wide[1] - wide[2], 2 * wide[-2] - wide[-3]
        left, top = np.floor(cols + 1).astype(int), np.floor(rows + 1).astype(int)
        left, top = np.clip(left, 0, wide.shape[1] - 2), np.clip(top, 0, wide.shape[0] - 2)
        a, b = cols + 1 - left, rows + 1 - top
        upper = wide[top, left] * (1 - a) + wide[top, left + 1] * a
        lower = wide[top + 1, left] * (1 - a) + wide[top + 1, left + 1] * a
        return np.asarray(upper * (1 - b) + lower * b)

    def before(self, x: Grid, y: Grid) -> tuple[Grid, Grid]:
        """Give the places that are taken from these: the other way round, by going back and forth."""
        u, v = np.array(x, np.float64), np.array(y, np.float64)
        for _ in range(60):
            at_x, at_y = self.at(u, v, goes_on=True)
            off_x, off_y = at_x - x, at_y - y
            u, v = u - off_x, v - off_y
            if not (np.abs(off_x) > 1e-7).any() and not (np.abs(off_y) > 1e-7).any():
                break
        at_x, at_y = self.at(u, v)
        lost = ~(np.hypot(at_x - x, at_y - y) < 1e-4)
        return np.where(lost, np.nan, u), np.where(lost, np.nan, v)


@dataclass(frozen=True)
class MapLens:
    """A lens that maps describe.

    Attributes
    ----------
    bends, straightens : PlaceMap or None
        The map by which a straight picture is bent, and the one by which a bent picture is straightened.
    """

    bends: PlaceMap | None
    straightens: PlaceMap | None
    name: str = field(default="", compare=True)

    def straight(self, x: Grid, y: Grid, threads: int = 1) -> tuple[Grid, Grid]:
        """Give where bent places lie in a straight picture."""
        if self.bends is not None:
            return self.bends.at(x, y)
        assert self.straightens is not None
        return self.straightens.before(x, y)

    def bent(self, x: Grid, y: Grid, threads: int = 1) -> tuple[Grid, Grid]:
        """Give where straight places lie in a bent picture."""
        if self.straightens is not None:
            return self.straightens.at(x, y)
        assert self.bends is not None
        return self.bends.before(x, y)


@lru_cache(maxsize=4)
def read_map(path: str, origin: Origin, counts: Counts, where: str) -> PlaceMap:
    """Read a kept map.

    Raises
    ------
    SettingError
        It is gone, no picture with two channels, holds NaN or infinity within its frame, or doubles back.
    """
    found = find_kept(path, where)
    name = path.rpartition("/")[2]
    try:
        facts = read_facts(found)
        part = facts.parts[0]
        refs = _two_channels(facts)
        if len(refs) < 2:
            raise _refused(name, "has fewer than two channels", where)
        planes = read_frame({0: facts}, refs, window=part.data_window)
    except DrawstringError as error:
        if isinstance(error, SettingError):
            raise
        raise _refused(name, f"can't be read: {error.what}", where) from error
    across, up = (np.asarray(planes[ref], np.float64) for ref in refs)
    if not (np.isfinite(across).all() and np.isfinite(up).all()):
        raise _refused(name, "holds NaN or infinity", where)
    frame = part.display_window
    if counts is Counts.CORNER:
        across = (across * (frame.width - 1) + 0.5) / frame.width
        up = (up * (frame.height - 1) + 0.5) / frame.height
    down = up if origin is Origin.ABOVE else 1 - up
    made = PlaceMap(across * 2 - 1, (down * 2 - 1) * frame.height / frame.width, part.data_window, frame)
    _refuse_folds(made, name, where)
    return made


def check_map(path: str) -> None:
    """Refuse a file that is no map, wherever it counts from.

    Raises
    ------
    SettingError
        It is none.
    """
    try:
        read_map(path, Origin.BELOW, Counts.MIDDLE, "file")
    except SettingError as refusal:
        if "upside down" not in refusal.what:
            raise
        read_map(path, Origin.ABOVE, Counts.MIDDLE, "file")


def _two_channels(facts: FileFacts) -> list[ChannelRef]:
    """Give the channels that hold places: R and G, X and Y, U and V, or the first two."""
    names = [channel.name for channel in facts.parts[0].channels]
    for pair in (("R", "G"), ("X", "Y"), ("U", "V"), ("u", "v"), ("x", "y")):
        if set(pair) <= set(names):
            names = list(pair)
            break
    return [ChannelRef(0, name) for name in names[:2]]


def _refuse_folds(made: PlaceMap, name: str, where: str) -> None:
    if min(made.x.shape) < 2:
        raise _refused(name, "is too small", where)
    right, down = np.gradient(made.x, axis=1), np.gradient(made.y, axis=0)
    turned = np.gradient(made.x, axis=0) * np.gradient(made.y, axis=1)
    if (right <= 0).mean() > 0.9:
        raise _refused(name, "runs from right to left", where)
    if (down <= 0).mean() > 0.9:
        raise _refused(name, "runs upside down: choose where it counts from", where)
    if ((right * down - turned) <= 0).mean() > 1e-4:
        raise _refused(name, "doubles back on itself", where)


def _refused(name: str, what: str, where: str) -> SettingError:
    return SettingError(
        f"{name} {what}.", where=where, why="Pixels could not be taken from where it says.",
        remedy="Export the map again as float EXR, its first two channels shares of the frame.",
    )  # fmt: skip
