"""Pixels at edges whose distance is neither the near thing's nor the far one's, but a mean of both.

Renderers that filter depth like colour mix the distances of what meets in a pixel: a wall at 20 m behind a
post at 2 m gets a rim at 11 m, where there is only air. Mist and focus made from it show a line around
every object. Here such pixels are found, counted and, when asked, given to one of the two sides.

A pixel is mixed when, along its row or column, its two neighbours belong to two flat sides of a step and it
lies between them; what rises evenly over five pixels is a slope seen at a grazing angle, and left alone.
Compared are reciprocals: over a plane 1/z is even in the picture (a plane's projection), z is not.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Mask, Plane
from drawstring.core.depth.settings import Edges

FILTERED = 0.06
"""Depth was filtered when at least this share of the pixels beside steps is mixed.

In made scenes with thin, round and slanted things it comes to 0.13-0.30 where depth is filtered over the
pixel, and to 0.001-0.022 where each pixel holds one sample.
"""


@dataclass(frozen=True)
class EdgeMap:
    """Where steps are, and which of their pixels are mixed.

    Attributes
    ----------
    kind : (H, W) uint8
        0 inside things, 1 beside a step, 2 mixed.
    nearer, further : (H, W) float32
        The distances of the two sides, at mixed pixels; elsewhere the pixel's own.
    """

    kind: NDArray[np.uint8]
    nearer: Plane
    further: Plane

    @property
    def counts(self) -> tuple[int, int]:
        """Pixels beside a step or on it, and those of them that are mixed."""
        return int((self.kind > 0).sum()), int((self.kind == 2).sum())


def edge_map(z: Plane, nothing: Mask, alpha: Plane | None = None) -> EdgeMap:
    """Find steps and mixed pixels.

    Parameters
    ----------
    z : (H, W) float32, scene units
        Along the axis or along the ray.
    nothing : (H, W) bool
        Where there is no distance; against it, a pixel that departs from a flat side towards what is written
        there is mixed, too.
    alpha : (H, W) float32, optional
        Coverage: what is covered whole is never mixed with nothing.

    Examples
    --------
    >>> z = np.float32([[2, 2, 2, 11, 20, 20, 20]])
    >>> edge_map(z, z < 0).kind
    array([[0, 0, 1, 2, 1, 0, 0]], dtype=uint8)
    """
    # Compiled code is loaded when depth is looked at, not when anything of this package is.
    from drawstring.core.depth.edge_kernel import FELLOWS, fellows, scan_rows

    values, empty = np.ascontiguousarray(z, np.float32), np.ascontiguousarray(nothing)
    count = np.zeros(values.shape, np.uint8)
    fellows(values, empty, count)
    alone = count < FELLOWS
    part = np.ones(values.shape, bool) if alpha is None else (alpha > 0) & (alpha < 1)
    kind = np.zeros(values.shape, np.uint8)
    nearer, further = values.copy(), values.copy()
    scan_rows(values, empty, alone, part, kind, nearer, further)
    # Columns are rows of the turned picture.
    turned = np.zeros(values.T.shape, np.uint8)
    near_t, far_t = np.ascontiguousarray(nearer.T), np.ascontiguousarray(further.T)
    down_z, down_empty = np.ascontiguousarray(values.T), np.ascontiguousarray(empty.T)
    down_alone, down_part = np.ascontiguousarray(alone.T), np.ascontiguousarray(part.T)
    scan_rows(down_z, down_empty, down_alone, down_part, turned, near_t, far_t)
    down = turned.T == 2
    fresh = down & (kind != 2)
    nearer[fresh], further[fresh] = near_t.T[fresh], far_t.T[fresh]
    kind = np.maximum(kind, turned.T)
    if (kind == 2).sum() < FILTERED * (kind > 0).sum():
        # Few lie between two sides: not filtered, but thin things as they are.
        return EdgeMap(np.minimum(kind, 1), values.copy(), values.copy())
    return EdgeMap(kind, nearer, further)


def repaired(z: Plane, nothing: Mask, edges: Edges, *, alpha: Plane | None = None) -> Plane:
    """Give mixed pixels to one of their two sides; everything else stays bit by bit.

    Parameters
    ----------
    alpha : (H, W) float32, optional
        As `edge_map` has it.

    Examples
    --------
    >>> z = np.float32([[2, 2, 2, 11, 20, 20, 20]])
    >>> repaired(z, z < 0, Edges.NEARER)
    array([[ 2.,  2.,  2.,  2., 20., 20., 20.]], dtype=float32)
    """
    if edges is Edges.AS_THEY_CAME:
        return z
    found = edge_map(z, nothing, alpha)
    side = found.nearer if edges is Edges.NEARER else found.further
    return np.where(found.kind == 2, side, z)
