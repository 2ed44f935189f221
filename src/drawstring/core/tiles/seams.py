"""How neighbouring tiles fit: how much of the picture both show, and how much lighter one shows it.

Two strips overlap by the width at which least of their contrast is left when one is taken from the other; a
difference in exposure, which is the same everywhere in the logarithm, does not count.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from drawstring.core.io.facts import Window
from drawstring.core.tiles.sets import Cell

Plane = NDArray[np.float32]
"""(H, W) float32."""

MOST_SHARE, MOST_PIXELS, LEAST_PIXELS = 0.35, 800, 4
"""How much of a tile's side is searched for the overlap, and how narrow one can be told."""

FITS = 0.8
"""Share of contrast that has to go away where two strips show the same."""

GOES_ON = 0.5
"""Share of contrast that has to go away at a seam of tiles that show one picture."""

_DARKEST = 2.0**-14
_ROWS = 160
"""Rows of a strip that are looked at: a search needs no more, and tiles are large."""


@dataclass(frozen=True)
class Edges:
    """A tile's four rims as logarithms of light, each (along the rim, across it).

    The first column of the left and top rims is the tile's edge, of the right and bottom ones the last.
    """

    left: Plane
    right: Plane
    top: Plane
    bottom: Plane
    size: tuple[int, int]
    """Width and height of the tile."""


def edges_of(light: Plane, *, reach: tuple[int, int] | None = None) -> Edges:
    """Cut a tile's rims.

    Parameters
    ----------
    light : (H, W) float32
        Linear; what is no number counts as black.
    reach : (int, int), optional
        How far in from the sides, and from top and bottom.
    """
    height, width = light.shape
    across, down = reach or (_most(width), _most(height))
    across, down = min(max(across, 1), width), min(max(down, 1), height)
    return Edges(
        _log2(light[:, :across]), _log2(light[:, width - across :]),
        _log2(light[:down].T), _log2(light[height - down :].T), (width, height),
    )  # fmt: skip


def _most(side: int) -> int:
    return min(MOST_PIXELS, int(side * MOST_SHARE))


def _log2(light: Plane) -> Plane:
    known = np.nan_to_num(light.astype(np.float32), nan=0.0, posinf=65504.0, neginf=0.0)
    return np.ascontiguousarray(np.log2(np.maximum(known, _DARKEST)))


@dataclass(frozen=True)
class Fit:
    """How two rims fit.

    Attributes
    ----------
    overlap : int
        Pixels that both show; 0 for none that could be told.
    score : float
        Share of their contrast that goes away there, up to 1.
    """

    overlap: int
    score: float


def fit(before: Plane, after: Plane) -> Fit:
    """Find by how much two rims overlap.

    Parameters
    ----------
    before, after : (N, R) float32
        Logarithms of light: the rim of the tile at the left, whose last column is its edge, and the rim of
        the one at the right, whose first column is.
    """
    rows = slice(None, None, max(1, before.shape[0] // _ROWS))
    if before.shape[0] != after.shape[0]:
        return Fit(0, -1.0)
    a, b = before[rows], after[rows]
    most = min(a.shape[1], b.shape[1])
    best = Fit(0, continuity(before, after))
    for overlap in range(LEAST_PIXELS, most + 1):
        score = _gone(a[:, a.shape[1] - overlap :], b[:, :overlap])
        # A wider strip that fits as well is told from more of the picture.
        if score > best.score + (1e-6 if best.overlap else 0.02):
            best = Fit(overlap, score)
    return best


def fits_at(before: Plane, after: Plane, overlap: int) -> float:
    """Give how well two rims fit at an overlap that is told; -1 where that can't be."""
    if before.shape[0] != after.shape[0] or not 0 < overlap <= min(before.shape[1], after.shape[1]):
        return -1.0
    return _gone(before[:, before.shape[1] - overlap :], after[:, :overlap])


def continuity(before: Plane, after: Plane) -> float:
    """Give how well one rim goes on in the other where they share no pixel."""
    if before.shape[0] != after.shape[0]:
        return -1.0
    return _gone(before[:, -1:], after[:, :1])


def _gone(a: Plane, b: Plane) -> float:
    """Give the share of contrast that goes away when one strip is taken from the other, in stops squared."""
    contrast = float(a.var() + b.var()) / 2
    if contrast < 1e-6:
        return 0.0
    return 1 - float((a - b).var()) / (2 * contrast)


@dataclass(frozen=True)
class Step:
    """By how many stops one tile is lighter than its neighbour, from what both show.

    Attributes
    ----------
    stops, spread : float
        The median, and how far single pixels lie from it (1.4826 times the median distance).
    count : int
        Pixels compared.
    """

    stops: float
    spread: float
    count: int


def step_between(before: Plane, after: Plane, overlap: int) -> Step | None:
    """Measure a step in exposure in an overlap; None where too little light is in it."""
    a, b = before[:, before.shape[1] - overlap :], after[:, :overlap]
    lit = (a > np.log2(_DARKEST) + 4) & (b > np.log2(_DARKEST) + 4)
    if int(lit.sum()) < 64:
        return None
    apart = (b - a)[lit]
    stops = float(np.median(apart))
    return Step(stops, 1.4826 * float(np.median(np.abs(apart - stops))), apart.size)


@dataclass(frozen=True)
class Seam:
    """Two neighbouring tiles: the one at the left or above, the other, and how they fit."""

    first: Cell
    second: Cell
    is_across: bool
    """Whether they lie side by side."""
    fit: Fit
    here: float = 0.0
    """How well they fit as they are laid; see `Fit.score`."""
    step: Step | None = None


def pairs(cells: Sequence[Cell]) -> list[tuple[Cell, Cell, bool]]:
    """Give neighbours among places: side by side (True), or one above the other."""
    here = set(cells)
    across = [((r, c), (r, c + 1), True) for r, c in cells if (r, c + 1) in here]
    return across + [((r, c), (r + 1, c), False) for r, c in cells if (r + 1, c) in here]


def rims(edges: Mapping[Cell, Edges], first: Cell, second: Cell, *, is_across: bool) -> tuple[Plane, Plane]:
    """Give the two rims that meet where neighbours do."""
    a, b = edges[first], edges[second]
    return (a.right, b.left) if is_across else (a.bottom, b.top)


def exposures(cells: Sequence[Cell], seams: Sequence[Seam]) -> dict[Cell, float]:
    """Give by how many stops each tile is lighter than most, from the steps between neighbours.

    Least squares of all steps, each weighed by how sure it is; the median tile is the measure.

    Parameters
    ----------
    cells : sequence of Cell
    seams : sequence of Seam
        Those without a step say nothing.
    """
    known = [seam for seam in seams if seam.step is not None]
    place = {cell: i for i, cell in enumerate(cells)}
    if not known:
        return dict.fromkeys(cells, 0.0)
    matrix = np.zeros((len(known) + 1, len(cells)))
    steps = np.zeros(len(known) + 1)
    for i, seam in enumerate(known):
        assert seam.step is not None
        weight = 1 / np.sqrt(seam.step.spread**2 / seam.step.count + 1e-6)
        matrix[i, place[seam.second]], matrix[i, place[seam.first]] = weight, -weight
        steps[i] = weight * seam.step.stops
    matrix[-1] = 1e-3
    stops = np.linalg.lstsq(matrix, steps, rcond=None)[0]
    stops -= np.median(stops)
    return {cell: round(float(stops[i]), 4) for cell, i in place.items()}


def told_overlap(windows: Mapping[Cell, Window], first: Cell, second: Cell, *, is_across: bool) -> int | None:
    """Give by how much two tiles overlap, by their windows; below 0 there is a gap."""
    if first not in windows or second not in windows:
        return None
    a, b = windows[first], windows[second]
    return a.x_max - b.x_min + 1 if is_across else a.y_max - b.y_min + 1
