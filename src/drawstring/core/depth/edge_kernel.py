"""The compiled walk along rows that finds steps and mixed pixels; `edges` says what they are."""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

STEP = 0.05
"""Two sides are parted by a step when their reciprocals differ by this share of the nearer one's."""

FLAT = 0.25
"""A side is flat when it changes by less than this share of the step from one pixel to the next."""

UNEVEN = 0.03
"""How far from either side, as a share of that side's distance, a pixel must lie to be mixed."""


@njit(cache=True)
def scan_rows(
    z: NDArray[np.float32],
    nothing: NDArray[np.bool_],
    kind: NDArray[np.uint8],
    nearer: NDArray[np.float32],
    further: NDArray[np.float32],
) -> None:
    """Mark steps (1) and mixed pixels (2) along rows in `kind`, and the two sides' distances at the latter.

    Parameters
    ----------
    z, nearer, further : (H, W) float32
    nothing : (H, W) bool
    kind : (H, W) uint8
        `kind`, `nearer` and `further` are written to.
    """
    height, width = z.shape
    for row in range(height):
        for col in range(2, width - 2):
            if nothing[row, col]:
                continue
            here = z[row, col]
            left, right = not nothing[row, col - 1], not nothing[row, col + 1]
            if left and right:
                before, after = z[row, col - 1], z[row, col + 1]
                a, b = 1.0 / before, 1.0 / after
                gap = abs(a - b)
                if gap <= STEP * max(a, b) or nothing[row, col - 2] or nothing[row, col + 2]:
                    continue
                if abs(1.0 / z[row, col - 2] - a) > FLAT * gap or abs(1.0 / z[row, col + 2] - b) > FLAT * gap:
                    continue
                low, high = min(before, after), max(before, after)
                if low * (1 + UNEVEN) < here < high * (1 - UNEVEN):
                    kind[row, col] = 2
                    nearer[row, col] = low
                    further[row, col] = high
                    for beside in (col - 1, col + 1):
                        if kind[row, beside] == 0:
                            kind[row, beside] = 1
                elif kind[row, col] == 0:
                    kind[row, col] = 1
            elif left != right:
                # Against nothing: a flat side, and this pixel departs from it.
                at = col - 1 if left else col + 1
                beyond = col - 2 if left else col + 2
                if nothing[row, beyond]:
                    continue
                side = z[row, at]
                is_flat = abs(1.0 / z[row, beyond] - 1.0 / side) <= FLAT * STEP / side
                if is_flat and abs(here - side) > STEP * side:
                    kind[row, col] = 2
                    nearer[row, col] = side
                    further[row, col] = side
                elif kind[row, col] == 0:
                    kind[row, col] = 1
