"""The division behind `shadow.shadow_ratio`, pixel by pixel, compiled."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from drawstring.core.kernels import kernel


@kernel(nogil=True)
def divide(
    first: int,
    last: int,
    on_ground: NDArray[np.float32],
    element: NDArray[np.float32],
    ground: NDArray[np.float32],
    least: float,
    s: NDArray[np.float32],
    weight: NDArray[np.float32],
) -> None:
    """Give S and how far each pixel can be believed.

    Parameters
    ----------
    first, last : int
        The rows to do.
    on_ground, ground : (H, W, 3) float32
    element : (H, W, 4) float32
    least : float
        Where less of the ground than this shows, nothing is known.
    s : (H, W, 3) float32
        Written to.
    weight : (H, W) float32
        Written to: the square of the share of ground that shows; 0 where nothing is known.
    """
    for row in range(first, last):
        for col in range(s.shape[1]):
            bare = 1.0 - min(max(element[row, col, 3], 0.0), 1.0)
            good = bare > least
            for c in range(3):
                if ground[row, col, c] <= 1e-4 or not math.isfinite(on_ground[row, col, c]):
                    good = False
            if not good:
                weight[row, col] = 0.0
                for c in range(3):
                    s[row, col, c] = 1.0
                continue
            weight[row, col] = bare * bare
            for c in range(3):
                value = (on_ground[row, col, c] - element[row, col, c]) / (bare * ground[row, col, c])
                s[row, col, c] = max(value, 0.0)
