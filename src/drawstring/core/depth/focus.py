"""A picture as a lens with an open aperture would have taken it, from one that is sharp everywhere.

Every pixel is spread over its circle of confusion, in layers of like blur from near to far. What the nearer
layers cover of the lens's opening is no longer to be had for those behind: so a blurred foreground spills
over a sharp background, and a sharp foreground is not eaten by a blurred background. Just behind an edge lies
what the sharp picture could not see; it is made up from its nearest visible neighbours, since an open lens
looks round the edge. On one continuous surface the layers' shares add up to the whole again, so no seams
show.

Layering after C. Scofield, "2 1/2-D depth-of-field simulation for computer animation", Graphics Gems III,
1992, pp. 36-38. There layers are laid over each other, which multiplies what they leave; here their shares of
one opening add up, because a pin-hole picture's visible surfaces part the lens between them.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Picture, Plane
from drawstring.core.bands import in_bands

FINE = 8
"""Radii are told apart by an eighth of a pixel."""

LAYERS = 26
"""At most; a layer is a pixel of blur deep where the picture spans fewer."""


@dataclass(frozen=True)
class Opening:
    """The blur's shape for every radius: where it begins and ends in each row.

    Attributes
    ----------
    rows : (Q,) int32
    left, right : (Q, 2 N + 1) float32
    weight : (Q,) float32
    """

    rows: NDArray[np.int32]
    left: NDArray[np.float32]
    right: NDArray[np.float32]
    weight: NDArray[np.float32]


def focused(
    picture: Picture, radius: Plane, key: Plane, *, blades: int = 0, turn: float = 0.0, threads: int = 1
) -> Picture:
    """Blur every pixel by its own radius, near things over far ones.

    Parameters
    ----------
    picture : (H, W, 4) float32
        Premultiplied, scene-linear.
    radius : (H, W) float32
        Of the blur, pixels of this array, below 0 nearer than the focus; every one finite.
    key : (H, W) float32
        The order from near to far, in pixels of blur: `radius` itself unless the lens is tilted.
    blades : int
        Sides of the opening; fewer than 3 is round. Its area is that of the round one.
    turn : float
        Degrees.
    threads : int

    Returns
    -------
    (H, W, 4) float32

    Examples
    --------
    >>> sharp = np.ones((4, 4, 4), np.float32)
    >>> bool((focused(sharp, np.full((4, 4), 2, np.float32), np.zeros((4, 4), np.float32)) == 1).all())
    True
    """
    # Compiled code is loaded when a picture is focused, not when anything of this package is.
    from drawstring.core.depth.focus_kernel import spread_rows

    light = np.ascontiguousarray(picture, np.float32)
    r = np.ascontiguousarray(radius, np.float32)
    largest = float(np.abs(r).max(initial=0))
    if largest <= 0.5:
        return light.copy()
    order = np.ascontiguousarray(key, np.float32)
    first, span = float(order.min()), float(np.ptp(order))
    deep = max(1.0, span / (LAYERS - 1))
    behind, key_behind, radius_behind = _hidden(
        light, order, r, gap=0.5 * deep, near_enough=2 * deep, threads=threads
    )
    hidden = np.isfinite(radius_behind)
    layer = ((order - first) / deep).astype(np.int16)
    layer_behind = np.full(layer.shape, -1, np.int16)
    layer_behind[hidden] = ((key_behind[hidden] - first) / deep).astype(np.int16)
    radius_behind[~hidden] = 0
    shape = opening(int(np.ceil(largest * FINE)) + 1, blades if blades >= 3 else 0, float(turn))
    widest = np.maximum(np.abs(r), np.abs(radius_behind)).max(axis=1)
    reach = shape.rows[(widest * FINE + 0.5).astype(np.int64)].astype(np.int32)
    out = np.empty_like(light)

    in_bands(
        lambda begin, end: spread_rows(
            begin, end, light, r, layer, behind, radius_behind, layer_behind, reach, int(layer.max()) + 1,
            float(FINE), shape.rows, shape.left, shape.right, shape.weight, out,
        ), len(light), threads,
    )  # fmt: skip
    return out


def _hidden(
    picture: Picture, key: Plane, radius: Plane, *, gap: float, near_enough: float, threads: int
) -> tuple[Picture, Plane, Plane]:
    """Make up what lies behind edges: its colour, its key, its radius (NaN where nothing is hidden)."""
    from drawstring.core.depth.focus_kernel import fill_behind, look_behind

    found = np.full((4, *key.shape), -1, np.int32)
    steps = np.zeros((4, *key.shape), np.int32)
    sides = (False, True), (True, True), (False, False), (True, False)

    def look(first: int, last: int) -> None:
        for side in range(first, last):
            look_behind(key, radius, gap, *sides[side], found[side], steps[side])

    in_bands(look, len(sides), threads, size=1)
    colour = np.zeros_like(picture)
    key_behind, radius_behind = np.zeros_like(key), np.zeros_like(key)
    in_bands(
        lambda first, last: fill_behind(
            first, last, picture, key, radius, found, steps, near_enough, colour, key_behind, radius_behind
        ), len(key), threads,
    )  # fmt: skip
    return colour, key_behind, radius_behind


@lru_cache(maxsize=8)
def opening(count: int, blades: int, turn: float) -> Opening:
    """Work out the blur's shape for the first `count` radii, an eighth of a pixel apart.

    A row's ends are the mean over the row's thickness, so its width is the exact area there.
    """
    samples = 4096
    y, left, right = _outline(blades, turn, samples)
    width = right - left
    step = y[1] - y[0]
    area = np.concatenate([[0], np.cumsum(width) * step])
    moment = np.concatenate([[0], np.cumsum(width * (left + right) / 2) * step])
    edges = np.concatenate([[y[0] - step / 2], y + step / 2])
    furthest = int(np.ceil(np.abs(edges).max() * count / FINE + 0.5)) + 1
    rows = np.zeros(count, np.int32)
    begins = np.full((count, 2 * furthest + 1), -0.5, np.float32)
    ends = np.full((count, 2 * furthest + 1), 0.5, np.float32)
    weight = np.ones(count, np.float32)
    at = np.arange(-furthest, furthest + 1)
    for q in range(1, count):
        # A row of pixels is one pixel thick already: its own spread (1/12 of a pixel squared in each
        # direction) is taken off the disc's (a quarter of its radius squared).
        r = np.sqrt(max((q / FINE) ** 2 - 1 / 3, 0))
        if r < 0.05:
            continue
        low, high = (at - 0.5) / r, (at + 0.5) / r
        wide = (np.interp(high, edges, area) - np.interp(low, edges, area)) * r * r
        centre = (np.interp(high, edges, moment) - np.interp(low, edges, moment)) * r**3
        held = wide > 1e-6
        centre = np.where(held, centre / np.where(held, wide, 1), 0)
        rows[q] = np.abs(at[held]).max()
        begins[q] = np.where(held, centre - wide / 2, 0)
        ends[q] = np.where(held, centre + wide / 2, 0)
        weight[q] = 1 / wide[held].sum()
    return Opening(rows, begins, ends, weight)


def _outline(blades: int, turn: float, samples: int) -> tuple[NDArray[np.float64], ...]:
    """Give left and right of an opening of the unit disc's area along its height."""
    if blades < 3:
        y = (np.arange(samples) + 0.5) / samples * 2 - 1
        half = np.sqrt(1 - y * y)
        return y, -half, half
    corner = np.sqrt(2 * np.pi / (blades * np.sin(2 * np.pi / blades)))
    angles = np.radians(turn) + np.arange(blades + 1) * 2 * np.pi / blades
    # Up is a lower row.
    x_of, y_of = corner * np.sin(angles), -corner * np.cos(angles)
    low, high = y_of.min(), y_of.max()
    y = low + (np.arange(samples) + 0.5) / samples * (high - low)
    crossings = []
    for i in range(blades):
        y0, y1 = y_of[i], y_of[i + 1]
        crosses = (np.minimum(y0, y1) <= y) & (y <= np.maximum(y0, y1)) & (y0 != y1)
        along = np.where(crosses, (y - y0) / (y1 - y0 if y1 != y0 else 1), 0)
        crossings.append(np.where(crosses, x_of[i] + along * (x_of[i + 1] - x_of[i]), np.nan))
    return y, np.nanmin(crossings, axis=0), np.nanmax(crossings, axis=0)
