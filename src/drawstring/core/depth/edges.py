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


def edge_map(z: Plane, nothing: Mask) -> EdgeMap:
    """Find steps and mixed pixels.

    Parameters
    ----------
    z : (H, W) float32, scene units
        Along the axis or along the ray.
    nothing : (H, W) bool
        Where there is no distance; against it, a pixel that departs from a flat side is mixed, too.

    Examples
    --------
    >>> z = np.float32([[2, 2, 2, 11, 20, 20, 20]])
    >>> edge_map(z, z < 0).kind
    array([[0, 0, 1, 2, 1, 0, 0]], dtype=uint8)
    """
    # Compiled code is loaded when depth is looked at, not when anything of this package is.
    from drawstring.core.depth.edge_kernel import scan_rows

    values = np.ascontiguousarray(z, np.float32)
    kind = np.zeros(values.shape, np.uint8)
    nearer, further = values.copy(), values.copy()
    scan_rows(values, np.ascontiguousarray(nothing), kind, nearer, further)
    # Columns are rows of the turned picture.
    turned = np.zeros(values.T.shape, np.uint8)
    near_t, far_t = np.ascontiguousarray(nearer.T), np.ascontiguousarray(further.T)
    scan_rows(np.ascontiguousarray(values.T), np.ascontiguousarray(nothing.T), turned, near_t, far_t)
    down = turned.T == 2
    fresh = down & (kind != 2)
    nearer[fresh], further[fresh] = near_t.T[fresh], far_t.T[fresh]
    return EdgeMap(np.maximum(kind, turned.T), nearer, further)


def repaired(z: Plane, nothing: Mask, edges: Edges) -> Plane:
    """Give mixed pixels to one of their two sides; everything else stays bit by bit.

    Examples
    --------
    >>> z = np.float32([[2, 2, 2, 11, 20, 20, 20]])
    >>> repaired(z, z < 0, Edges.NEARER)
    array([[ 2.,  2.,  2.,  2., 20., 20., 20.]], dtype=float32)
    """
    if edges is Edges.AS_THEY_CAME:
        return z
    found = edge_map(z, nothing)
    side = found.nearer if edges is Edges.NEARER else found.further
    return np.where(found.kind == 2, side, z)
