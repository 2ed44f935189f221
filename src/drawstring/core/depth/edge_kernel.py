"""The compiled walk along rows that finds steps and mixed pixels; `edges` says what they are."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from drawstring.core.kernels import kernel

STEP = 0.05
"""Two sides are parted by a step when their reciprocals differ by this share of the nearer one's."""

FLAT = 0.25
"""A side is flat when it changes by less than this share of the step from one pixel to the next."""

UNEVEN = 0.03
"""How far from either side, as a share of that side's distance, a pixel must lie to be mixed."""

ALIKE = 0.01
"""Neighbours whose distances differ by less than this share lie on one surface."""

FELLOWS = 2
"""A pixel with so many neighbours of its own distance is a surface, however thin; a mixed pixel's neighbours
mix in other shares."""

STEEPER = 2.5
"""A surface that curves away from the viewer may be so many times steeper from one pixel to the next."""


@kernel()
def is_alone(z: NDArray[np.float32], nothing: NDArray[np.bool_], row: int, col: int) -> bool:
    """Whether fewer than `FELLOWS` of a pixel's eight neighbours lie at its own distance."""
    height, width = z.shape
    here, fellows = z[row, col], 0
    for r in range(max(0, row - 1), min(height, row + 2)):
        for c in range(max(0, col - 1), min(width, col + 2)):
            if (r != row or c != col) and not nothing[r, c] and abs(z[r, c] - here) <= ALIKE * here:
                fellows += 1
    return fellows < FELLOWS


@kernel()
def goes_on(here: float, side: float, beyond: float) -> bool:
    """Whether a pixel goes on where its side leads, as the last pixel of something round does.

    Parameters
    ----------
    here, side, beyond : float
        Reciprocal distances of the pixel, its neighbour and the one after that.
    """
    step, last = here - side, side - beyond
    return step * last > 0 and abs(step) <= STEEPER * abs(last)


@kernel()
def scan_rows(
    z: NDArray[np.float32],
    nothing: NDArray[np.bool_],
    part: NDArray[np.bool_],
    kind: NDArray[np.uint8],
    nearer: NDArray[np.float32],
    further: NDArray[np.float32],
) -> None:
    """Mark steps (1) and mixed pixels (2) along rows in `kind`, and the two sides' distances at the latter.

    Only what is alone at its distance can be mixed.

    Parameters
    ----------
    z, nearer, further : (H, W) float32
    nothing : (H, W) bool
    part : (H, W) bool
        Pixels that may be covered in part, and so mixed with nothing.
    kind : (H, W) uint8
        0 everywhere before; `nearer` and `further` are written to where it becomes 2.
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
                a, b, i = 1.0 / before, 1.0 / after, 1.0 / here
                gap = abs(a - b)
                if gap <= STEP * max(a, b) or nothing[row, col - 2] or nothing[row, col + 2]:
                    continue
                a2, b2 = 1.0 / z[row, col - 2], 1.0 / z[row, col + 2]
                if abs(a2 - a) > FLAT * gap or abs(b2 - b) > FLAT * gap:
                    continue
                low, high = min(before, after), max(before, after)
                is_between = low * (1 + UNEVEN) < here < high * (1 - UNEVEN)
                if (
                    is_between
                    and not (goes_on(i, a, a2) or goes_on(i, b, b2))
                    and is_alone(z, nothing, row, col)
                ):
                    kind[row, col] = 2
                    # A side that is mixed itself stands between its own side and this pixel.
                    first = min(1 / a, 1 / a2) if a > b else max(1 / a, 1 / a2)
                    second = min(1 / b, 1 / b2) if b > a else max(1 / b, 1 / b2)
                    nearer[row, col] = min(first, second)
                    further[row, col] = max(first, second)
                    for beside in (col - 1, col + 1):
                        if kind[row, beside] == 0:
                            kind[row, beside] = 1
                elif kind[row, col] == 0:
                    kind[row, col] = 1
            elif left != right:
                # Against nothing: a flat side, and this pixel departs from it towards what is written there.
                at = col - 1 if left else col + 1
                beyond = col - 2 if left else col + 2
                empty = z[row, col + 1] if left else z[row, col - 1]
                if nothing[row, beyond]:
                    continue
                side = z[row, at]
                is_flat = abs(1.0 / z[row, beyond] - 1.0 / side) <= FLAT * STEP / side
                departs = here > side * (1 + STEP) if empty > side else here < side * (1 - STEP)
                is_between = empty > here > side if empty > side else empty < here < side
                is_round = goes_on(1.0 / here, 1.0 / side, 1.0 / z[row, beyond])
                is_mixed = is_flat and departs and is_between and not is_round and part[row, col]
                if is_mixed and is_alone(z, nothing, row, col):
                    kind[row, col] = 2
                    nearer[row, col] = side
                    further[row, col] = side
                elif kind[row, col] == 0:
                    kind[row, col] = 1
