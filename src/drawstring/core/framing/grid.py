"""Several pictures in one: rows and columns of equal cells, each picture fitted into its own, with a label.

Quads of a shot's views and contact sheets are made by the same hand.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from drawstring.core.arrays import Picture
from drawstring.core.framing.filters import Filter
from drawstring.core.framing.resizing import resized_picture
from drawstring.core.io.facts import Window
from drawstring.core.text import Weight, fitted_text, text_size, write_text

LABEL = 0.055
"""Height of a label, as share of a cell's."""
LEAST_LABEL_PX = 11


@dataclass(frozen=True)
class GridPlan:
    """How a grid is laid out.

    Attributes
    ----------
    columns, rows : int
    width, height : int
        Of all of it, pixels.
    gutter : int
        Between cells and around all of them.
    has_labels : bool
        Whether there is room for a line below each picture.
    ground, ink : (R, G, B)
        Of what lies between the pictures, and of the letters.
    head : int
        Pixels kept free on top.
    """

    columns: int
    rows: int
    width: int
    height: int
    gutter: int = 8
    has_labels: bool = True
    ground: tuple[float, float, float] = (0.0, 0.0, 0.0)
    ink: tuple[float, float, float] = (0.6, 0.6, 0.6)
    head: int = 0

    @property
    def letters(self) -> int:
        """Size of a label's letters; 0 without labels."""
        cell = (self.height - self.head) / max(1, self.rows)
        return max(LEAST_LABEL_PX, round(LABEL * cell)) if self.has_labels else 0

    @property
    def cells(self) -> list[Window]:
        """Where pictures may lie, row by row, without their labels."""
        line = text_size("Ag", self.letters)[1] if self.has_labels else 0
        wide = (self.width - self.gutter * (self.columns + 1)) / self.columns
        high = (self.height - self.head - self.gutter * (self.rows + 1)) / self.rows
        found = []
        for place in range(self.columns * self.rows):
            left = self.gutter + place % self.columns * (wide + self.gutter)
            top = self.head + self.gutter + place // self.columns * (high + self.gutter)
            found.append(
                Window(
                    round(left), round(top), max(round(left), round(left + wide) - 1),
                    max(round(top), round(top + high) - 1 - line),
                )
            )  # fmt: skip
        return found


def near_square(count: int) -> tuple[int, int]:
    """Give columns and rows for so many pictures, as many columns as rows or one more.

    Examples
    --------
    >>> near_square(4), near_square(5), near_square(1)
    ((2, 2), (3, 2), (1, 1))
    """
    columns = max(1, int(np.ceil(np.sqrt(count))))
    return columns, max(1, -(-count // columns))


def grid(
    pictures: Sequence[Picture | None], labels: Sequence[str], plan: GridPlan, *,
    aspects: Sequence[float] = (), threads: int = 1,
) -> Picture:  # fmt: skip
    """Lay pictures out.

    Parameters
    ----------
    pictures : sequence of (h, w, 3 or 4) float32, or None
        Light, premultiplied, or display values; None where one is missing.
    labels : sequence of str
    plan : GridPlan
        Pictures beyond its cells are left out.
    aspects : sequence of float
        Width of a pixel by its height, where they are not square.

    Returns
    -------
    (H, W, 4) float32
        Opaque.
    """
    made = np.ones((plan.height, plan.width, 4), np.float32)
    made[..., :3] = plan.ground
    for i, (cell, picture, label) in enumerate(zip(plan.cells, pictures, labels, strict=False)):
        left = cell.x_min
        if picture is not None:
            left = _put(made, picture, cell, aspects[i] if i < len(aspects) else 1.0, threads)
        if plan.has_labels:
            shown = label if picture is not None else f"{label} is missing".strip()
            shown, size = fitted_text(shown, plan.letters, cell.x_max + 1 - left)
            write_text(made, shown, (left, cell.y_max + 1), size, light=plan.ink, weight=Weight.PLAIN)
    return made


def _put(made: Picture, picture: Picture, cell: Window, aspect: float, threads: int) -> int:
    """Fit a picture into its cell, in the middle; give where its left side lies."""
    height, width = picture.shape[:2]
    per = min(cell.width / (width * aspect), cell.height / height)
    wide, high = max(1, round(width * aspect * per)), max(1, round(height * per))
    left, top = cell.x_min + (cell.width - wide) // 2, cell.y_min + (cell.height - high) // 2
    across, down = width / wide, height / high
    x, y = (np.arange(wide) + 0.5) * across, (np.arange(high) + 0.5) * down
    kind = Filter.AREA if per < 0.5 else Filter.LANCZOS
    whole = picture if picture.shape[2] == 4 else np.dstack([picture[..., :3], np.ones_like(picture[..., 0])])
    brought = resized_picture(whole, x, y, (across, down), kind, is_held=True, threads=threads)
    under = made[top : top + high, left : left + wide]
    under *= 1 - np.clip(brought[..., 3:], 0, 1)
    under += brought
    under[..., 3] = 1
    return int(left)
