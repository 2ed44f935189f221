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
    from drawstring.core.depth.edge_kernel import scan_rows

    values = np.ascontiguousarray(z, np.float32)
    part = np.ones(values.shape, bool) if alpha is None else (alpha > 0) & (alpha < 1)
    sides = []
    # Columns are rows of the turned picture.
    for plane, empty, mixable in ((values, nothing, part), (values.T, nothing.T, part.T)):
        kind = np.zeros(plane.shape, np.uint8)
        near, far = np.empty(plane.shape, np.float32), np.empty(plane.shape, np.float32)
        scan_rows(*map(np.ascontiguousarray, (plane, empty, mixable)), kind, near, far)
        sides.append((kind, near, far))
    along, (down, *of_down) = sides[0], (plane.T for plane in sides[1])
    kind = np.maximum(along[0], down)
    if (kind == 2).sum() < FILTERED * (kind > 0).sum():
        # Few lie between two sides: not filtered, but thin things as they are.
        return EdgeMap(np.minimum(kind, 1), values, values)
    places = along[0] == 2
    fresh = (down == 2) & ~places
    nearer, further = values.copy(), values.copy()
    for plane, of_rows, of_columns in zip((nearer, further), along[1:], of_down, strict=True):
        plane[places], plane[fresh] = of_rows[places], of_columns[fresh]
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
