"""Two things in one pixel: at edges of anti-aliased pictures, how much of which.

The colour of a pixel at a step in depth is a mean of the colours on either side, and its depth is that of one
of them. The share is found from the colours: with O just beside it on its own side and X just beyond the
step, the pixel C = s O + (1 - s) X, in all four channels at once, so that on transparent ground s is the
alpha itself. (The compositing equation: T. Porter, T. Duff, "Compositing digital images", Computer Graphics
18(3), 1984.)
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Mask, Picture, Plane
from drawstring.core.bands import in_bands
from drawstring.core.kernels import kernel

STEP = 0.03
"""Two neighbours are parted by a step when their reciprocal distances differ by this share."""


@kernel(nogil=True)
def _nothing_near(near: NDArray[np.float32], row: int, col: int) -> int:
    """Give the flat number of the closest pixel with nothing in it, within two; -1 for none."""
    height, width = near.shape
    for reach in range(1, 3):
        for dy in range(-reach, reach + 1):
            for dx in range(-reach, reach + 1):
                y, x = row + dy, col + dx
                if 0 <= y < height and 0 <= x < width and near[y, x] == 0:
                    return int(y * width + x)
    return -1


def parts_of(
    picture: Picture, z: Plane, nothing: Mask, *, threads: int = 1
) -> tuple[Plane, NDArray[np.int32]]:
    """Find where pixels hold two things: their own side's share, and where the other side begins.

    Parameters
    ----------
    picture : (H, W, 4) float32
    z : (H, W) float32
        Distances.
    nothing : (H, W) bool

    Returns
    -------
    share : (H, W) float32
        1 away from steps.
    other : (H, W) int32
        Flat number of the pixel that stands for the other side; -1 away from steps.
    """
    with np.errstate(divide="ignore", invalid="ignore"):
        near = np.where(nothing, np.float32(0), 1 / z).astype(np.float32)
    whole = np.ascontiguousarray(picture, np.float32)
    share, other = np.empty(near.shape, np.float32), np.empty(near.shape, np.int32)
    is_open = bool(nothing.any())
    in_bands(lambda first, last: part(first, last, is_open, near, whole, share, other), len(near), threads)
    return share, other


@kernel(nogil=True)
def part(
    first: int,
    last: int,
    has_nothing: bool,
    near: NDArray[np.float32],
    picture: NDArray[np.float32],
    share: NDArray[np.float32],
    other: NDArray[np.int32],
) -> None:
    """Find, for pixels beside a step, their own side's share and where the other side begins.

    Parameters
    ----------
    first, last : int
        The rows to do: several threads can each take a band.
    has_nothing : bool
        Whether the picture holds pixels with nothing in them at all.
    near : (H, W) float32
        1 / distance; 0 where there is nothing.
    picture : (H, W, 4) float32
    share : (H, W) float32
        Written to: 1 away from steps.
    other : (H, W) int32
        Written to: flat number of the pixel that stands for the other side; -1 away from steps.
    """
    height, width = near.shape
    for row in range(first, last):
        for col in range(width):
            share[row, col] = 1.0
            other[row, col] = -1
            here = near[row, col]
            alpha = picture[row, col, 3]
            if here > 0 and alpha < 0.999:
                # What is not covered is background, and alpha says how much; the pixel that stands for it is
                # the nearest one with nothing in it.
                share[row, col] = min(max(alpha, np.float32(0)), np.float32(1))
                if has_nothing:
                    other[row, col] = _nothing_near(near, row, col)
                continue
            widest, step_row, step_col = np.float32(0), 0, 0
            for way in range(4):
                dy = 1 if way == 0 else -1 if way == 1 else 0
                dx = 1 if way == 2 else -1 if way == 3 else 0
                y, x = row + dy, col + dx
                if y < 0 or x < 0 or y >= height or x >= width:
                    continue
                gap = abs(near[y, x] - here)
                if gap > STEP * max(near[y, x], here) and gap > widest:
                    widest, step_row, step_col = gap, dy, dx
            if widest == 0:
                continue
            own_row, own_col = row - step_row, col - step_col
            if own_row < 0 or own_col < 0 or own_row >= height or own_col >= width:
                continue
            if abs(near[own_row, own_col] - here) > 0.25 * widest:
                continue  # too thin to have a colour of its own beside it
            far_row, far_col = row + step_row, col + step_col
            two_row, two_col = far_row + step_row, far_col + step_col
            if 0 <= two_row < height and 0 <= two_col < width:
                # The first pixel beyond the step may be mixed itself.
                if abs(near[two_row, two_col] - near[far_row, far_col]) < 0.25 * widest:
                    far_row, far_col = two_row, two_col
            along, apart = np.float32(0), np.float32(0)
            for c in range(4):
                span = picture[own_row, own_col, c] - picture[far_row, far_col, c]
                along += (picture[row, col, c] - picture[far_row, far_col, c]) * span
                apart += span * span
            if apart < 1e-8:
                continue
            share[row, col] = min(max(along / apart, np.float32(0)), np.float32(1))
            other[row, col] = far_row * width + far_col


@kernel(nogil=True)
def lay(
    first: int, last: int, picture: NDArray[np.float32], nothing: NDArray[np.bool_],
    share: NDArray[np.float32], other: NDArray[np.int32], before: NDArray[np.float32],
    beyond: NDArray[np.float32], colours: NDArray[np.float32], veiled: NDArray[np.float32],
    amount: NDArray[np.float32],
) -> None:  # fmt: skip
    """Lay mists over a picture, each of the two things in a pixel by its own amount.

    Parameters
    ----------
    first, last : int
        The rows to do.
    picture : (H, W, 4) float32, premultiplied
    share, other
        As `part` found them.
    before, beyond : (L, H, W) float32
        How much of each mist lies before every point, and before the background.
    colours : (L, 3) float32
    veiled, amount : (H, W, 4) and (H, W) float32
        Written to.
    """
    width = share.shape[1]
    layers = before.shape[0]
    for row in range(first, last):
        for col in range(width):
            at = other[row, col]
            own, rest = share[row, col], np.float32(1) - share[row, col]
            at_row, at_col = at // width, at % width
            own_clear, rest_clear, behind_clear = np.float32(1), np.float32(1), np.float32(1)
            # A thing fills what it covers; nothing there is background, which fills all it is seen in.
            for c in range(3):
                second = rest * picture[at_row, at_col, c] if at >= 0 else np.float32(0)
                light = picture[row, col, c] - second
                for i in range(layers):
                    m = beyond[i, row, col] if nothing[row, col] else before[i, row, col]
                    # The other thing's mist is that of the pixel that stands for it, else of the background.
                    n = beyond[i, row, col]
                    if at >= 0:
                        n = (
                            beyond[i, at_row, at_col]
                            if nothing[at_row, at_col]
                            else before[i, at_row, at_col]
                        )
                    light = light * (np.float32(1) - m) + m * own * colours[i, c]
                    second = second * (np.float32(1) - n) + n * rest * colours[i, c]
                    if c == 0:
                        own_clear *= np.float32(1) - m
                        rest_clear *= np.float32(1) - n
                        behind_clear *= np.float32(1) - beyond[i, row, col]
                veiled[row, col, c] = light + second
            amount[row, col] = own * (np.float32(1) - own_clear) + rest * (np.float32(1) - rest_clear)
            # Mist over what is not covered covers it: whatever will lie behind is seen through it.
            alpha = picture[row, col, 3]
            bare = np.float32(1) - min(max(alpha, np.float32(0)), np.float32(1))
            veiled[row, col, 3] = alpha + bare * (np.float32(1) - behind_clear)
