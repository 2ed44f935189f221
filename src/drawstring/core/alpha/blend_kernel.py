"""The blend functions, and one layer laid on another, pixel by pixel, compiled; `blend` tells the meaning."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from drawstring.core.kernels import kernel

OVER, MULTIPLY, ADD, SCREEN, OVERLAY, SOFT_LIGHT, EXCLUSION = range(7)


@kernel(nogil=True, inline="always")
def mix(backdrop: float, source: float, mode: int) -> float:
    """Give B(Cb, Cs) for one unmultiplied channel."""
    if mode == OVER:
        return source
    if mode == MULTIPLY:
        return backdrop * source
    if mode == ADD:
        return backdrop + source
    b, s = min(max(backdrop, 0.0), 1.0), min(max(source, 0.0), 1.0)
    excess = max(backdrop - 1.0, 0.0)
    if mode == SCREEN:
        return b + s - b * s + max(excess, max(source - 1.0, 0.0))
    if mode == OVERLAY:
        made = 2.0 * b * s if b <= 0.5 else 2.0 * b - 1.0 + s - (2.0 * b - 1.0) * s
    elif mode == SOFT_LIGHT:
        d = ((16.0 * b - 12.0) * b + 4.0) * b if b <= 0.25 else math.sqrt(b)
        made = b - (1.0 - 2.0 * s) * b * (1.0 - b) if s <= 0.5 else b + (2.0 * s - 1.0) * (d - b)
    else:
        made = b + s - 2.0 * b * s
    return made + excess


@kernel(nogil=True)
def lay_rows(
    first: int,
    last: int,
    backdrop: NDArray[np.float32],
    source: NDArray[np.float32],
    mode: int,
    amount: float,
    is_within: bool,
    made: NDArray[np.float32],
) -> None:
    """Lay a picture on another one.

    Parameters
    ----------
    first, last : int
        The rows to do.
    backdrop, source : (H, W, 4) float32, premultiplied
    mode : int
    amount : float
        What the source is multiplied with first.
    is_within : bool
        Whether only what the backdrop covers is changed, and its coverage stays.
    made : (H, W, 4) float32
        Written to; may be the backdrop itself.
    """
    for row in range(first, last):
        for col in range(made.shape[1]):
            a, ab = source[row, col, 3] * amount, backdrop[row, col, 3]
            if mode != ADD:
                a = min(max(a, 0.0), 1.0)  # more than all of a thing is not to be had
            for c in range(3):
                cs, cb = source[row, col, c] * amount, backdrop[row, col, c]
                if mode == OVER and not is_within:
                    made[row, col, c] = cs + cb * (1.0 - a)
                    continue
                if mode == ADD and not is_within:
                    made[row, col, c] = cs + cb
                    continue
                both = 0.0
                if mode == MULTIPLY:
                    both = cs * cb  # as ab (Cb Cs): nothing has to be divided
                elif a > 0.0 and ab > 0.0:
                    both = a * ab * mix(cb / ab, cs / a, mode)
                made[row, col, c] = cb * (1.0 - a) + both + (0.0 if is_within else cs * (1.0 - ab))
            if not is_within:
                made[row, col, 3] = min(a + ab, 1.0) if mode == ADD else a + ab * (1.0 - a)
            else:
                made[row, col, 3] = ab


@kernel(nogil=True)
def mix_all(
    backdrop: NDArray[np.float32], source: NDArray[np.float32], mode: int, made: NDArray[np.float32]
) -> None:
    """Give B(Cb, Cs) for flat arrays of one length."""
    for i in range(made.size):
        made[i] = mix(backdrop[i], source[i], mode)
