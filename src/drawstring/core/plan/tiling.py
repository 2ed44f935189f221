"""A picture shared out among tiles that overlap."""

from __future__ import annotations

import math
from dataclasses import dataclass

from drawstring.core.io.facts import Window

MUST_BE_OFF = (
    ("automatic exposure", "each tile would be as bright as its own content asks for"),
    ("bloom and glare", "light from the neighbouring tile is not there to spread"),
    ("effects from the picture itself (screen-space reflections, occlusion)", "they end at the tile's rim"),
    ("denoising that looks far around", "seams show, unless the overlap is wider than what it looks at"),
    ("vignette and lens effects laid over the picture", "each tile would get its own"),
)
"""What looks at the whole picture, and what it does to tiles."""


@dataclass(frozen=True)
class Tiling:
    """Tiles of a window, by (row, column) counted from 0.

    Attributes
    ----------
    cols, rows : int
    overlap : (int, int)
        Pixels that neighbours share, across and down.
    windows : tuple of ((row, col), Window)
    """

    cols: int
    rows: int
    overlap: tuple[int, int]
    windows: tuple[tuple[tuple[int, int], Window], ...]

    @property
    def largest(self) -> tuple[int, int]:
        """The largest tile's size."""
        return (
            max(window.width for _, window in self.windows),
            max(window.height for _, window in self.windows),
        )  # fmt: skip

    @property
    def cost(self) -> float:
        """How many pixels are rendered for one of the picture."""
        pixels = sum(window.width * window.height for _, window in self.windows)
        left = min(window.x_min for _, window in self.windows)
        top = min(window.y_min for _, window in self.windows)
        right = max(window.x_max for _, window in self.windows)
        bottom = max(window.y_max for _, window in self.windows)
        return pixels / ((right - left + 1) * (bottom - top + 1))


def tiling_of(window: Window, cols: int, rows: int, overlap: float) -> Tiling:
    """Share a window out: tiles of one size, whose last ones end with it.

    Parameters
    ----------
    window : Window
    cols, rows : int
    overlap : float
        Share of a tile's side that it has in common with the next one; 0 to 0.5.

    Examples
    --------
    >>> four = tiling_of(Window(0, 0, 12287, 6479), 4, 4, 0.1)
    >>> four.overlap, four.largest
    ((333, 176), (3322, 1752))
    """
    across, wide = _side(window.width, cols, overlap)
    down, high = _side(window.height, rows, overlap)
    windows = []
    for row in range(rows):
        for col in range(cols):
            left, top = window.x_min + col * (wide - across), window.y_min + row * (high - down)
            windows.append(
                (
                    (row, col),
                    Window(left, top, min(left + wide - 1, window.x_max), min(top + high - 1, window.y_max)),
                )
            )
    return Tiling(cols, rows, (across if cols > 1 else 0, down if rows > 1 else 0), tuple(windows))


def _side(length: int, count: int, overlap: float) -> tuple[int, int]:
    """Give the shared pixels and a tile's length."""
    shared = math.ceil(length / (count - (count - 1) * overlap) * overlap) if count > 1 else 0
    return shared, -(-(length + shared * (count - 1)) // count)
