"""Fringes: rims that are brighter or darker than the thing they belong to, as they show over a background.

A premultiplied rim pixel ought to be its alpha times the colour just inside. What it has too much or too
little is a fringe, whichever background lies below.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from drawstring.core.alpha.kinds import EdgeSamples, edge_samples
from drawstring.core.arrays import Picture, Plane

FRINGE = 0.12
"""A rim is marked that is off by more than this share of the colour inside."""

GROUNDS = ("black", "white", "grey", "checker", "colour")
"""Over what an element is looked at."""

_ALONG = 9  # pixels along the rim over which an error must last
_WHISPER = 0.3
_GREY = 0.18
_WEIGHTS = np.array([0.2126, 0.7152, 0.0722], np.float32)  # ITU-R BT.709-6, 3.2: luminance of its primaries


@dataclass(frozen=True)
class Fringes:
    """What the rims of a picture look like.

    Attributes
    ----------
    rim : int
        Part-covered pixels that were looked at.
    marked : int
        Of them, fringes.
    bright, dark : int
        Marked ones by direction.
    worst : (row, column) or None
        Where the most error lies together.
    off : (H, W) float32
        By how much a rim pixel is too bright (above 0) or too dark, as a share of the colour inside; 0
        elsewhere.
    """

    rim: int
    marked: int
    bright: int
    dark: int
    worst: tuple[int, int] | None
    off: Plane

    @property
    def share(self) -> float:
        """Marked pixels of all rim pixels."""
        return self.marked / self.rim if self.rim else 0.0


def fringes(picture: Picture) -> Fringes:
    """Look for fringes.

    Parameters
    ----------
    picture : (H, W, 4) float32, premultiplied
    """
    off = np.zeros(picture.shape[:2], np.float32)
    rim = edge_samples(picture, most=picture.shape[0] * picture.shape[1])
    if not len(rim.alpha):
        return Fringes(0, 0, 0, 0, None, off)
    inside = (rim.by_colour / np.maximum(rim.by_alpha[:, None], 1e-6)) @ _WEIGHTS
    own = rim.colour @ _WEIGHTS
    scale = np.maximum(inside, 0.25 * float(np.median(inside)) + 1e-4)
    light = _left_of_ground(rim, (own - rim.alpha * inside) / scale)
    found = (1 - rim.alpha) * light
    off[rim.row, rim.col] = found
    marked = np.abs(found) > FRINGE
    worst = None
    if marked.any():
        together = cv2.boxFilter(
            np.where(np.abs(off) > FRINGE, np.abs(off), 0), -1, (17, 17), normalize=False
        )
        row, col = np.unravel_index(int(np.argmax(together)), together.shape)
        worst = int(row), int(col)
    return Fringes(
        len(found), int(marked.sum()), int((found > FRINGE).sum()), int((found < -FRINGE).sum()), worst, off
    )  # fmt: skip


def _left_of_ground(rim: EdgeSamples, error: NDArray[np.floating]) -> Plane:
    """Give how much light of another ground each rim pixel holds, by what its neighbours along the rim say.

    A rim is off for two reasons: light d that its own surface has at its very edge, which counts by alpha,
    and light b of a ground that was not taken out, which counts by 1 - alpha. Over a few pixels of rim
    alpha varies, and least squares of error = a d + (1 - a) b tells the two apart; grain lies to both sides
    and cancels out.
    """
    rows, cols, a = rim.row, rim.col, rim.alpha.astype(np.float64)
    bare = 1 - a

    # Only where there are rims.
    top, left = int(rows.min()), int(cols.min())
    rows, cols = rows - top, cols - left
    around = int(rows.max()) + 1, int(cols.max()) + 1

    def along(values: NDArray[np.floating]) -> NDArray[np.float64]:
        plane = np.zeros(around, np.float32)
        plane[rows, cols] = values
        total = cv2.boxFilter(plane, -1, (_ALONG, _ALONG), normalize=False, borderType=cv2.BORDER_CONSTANT)
        return np.asarray(total[rows, cols], np.float64)

    aa, ab, bb, ea, eb = (along(v) for v in (a * a, a * bare, bare * bare, error * a, error * bare))
    # A whisper towards no error at all, where a few pixels can't tell.
    aa, bb = aa + _WHISPER, bb + _WHISPER
    return np.asarray((aa * eb - ab * ea) / (aa * bb - ab * ab), np.float32)


def over_ground(
    picture: Picture, ground: str, colour: tuple[float, float, float] = (0.5, 0.5, 0.5), *, square: int = 16
) -> Picture:
    """Lay a premultiplied picture over a plain ground.

    Parameters
    ----------
    picture : (H, W, 4) float32
    ground : str
        One of `GROUNDS`; grey is 18 %, the checker has it and white.
    colour : (R, G, B)
        For "colour".
    square : int
        Side of the checker's squares in pixels.

    Returns
    -------
    (H, W, 4) float32, alpha 1
    """
    height, width = picture.shape[:2]
    below = np.empty((height, width, 3), np.float32)
    below[...] = {"black": 0.0, "white": 1.0, "grey": _GREY, "checker": _GREY}.get(ground, colour)
    if ground == "checker":
        rows, cols = np.arange(height)[:, None] // square, np.arange(width)[None] // square
        below[(rows + cols) % 2 == 0] = 0.6
    made = np.array(picture, np.float32)
    made[..., :3] += (1 - made[..., 3:4]) * below
    made[..., 3] = 1
    return made
