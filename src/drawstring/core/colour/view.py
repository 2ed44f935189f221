"""Scene-linear light to display values: OpenColorIO's own transform, and the same baked to a cube.

The browser can't run OpenColorIO, so Python samples the transform on a grid that is even in a
logarithmic axis: `s = log2(1 + K x) / log2(1 + K M)`, 0 at black and 1 at `M`. Unlike a plain
logarithm it holds black itself, and near black it is nearly linear.

Which transforms those are, the shot's colour management says.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Picture
from drawstring.core.bands import in_bands
from drawstring.core.colour.management import HOUSE, Management, through, view_steps
from drawstring.core.kernels import kernel

SHAPER_K = 400.0
SHAPER_MAX = 64.0
SIZE = 40


@dataclass(frozen=True)
class BakedView:
    """A view transform as a cube.

    Attributes
    ----------
    name : str
    size : int
        Samples along each side.
    cube : (size, size, size, 4) float16
        Display values; blue is the slowest axis, red the fastest, alpha is 1.
    shaper_k, shaper_max : float
        K and M of the axis.
    """

    name: str
    size: int
    cube: NDArray[np.float16]
    shaper_k: float = SHAPER_K
    shaper_max: float = SHAPER_MAX


def through_view(picture: Picture, view: str, management: Management = HOUSE, *, threads: int = 1) -> Picture:
    """Send scene-linear colours through a view, exactly.

    Parameters
    ----------
    picture : (..., 3) float32, in the working space
    view : str
        One of the management's views.
    management : Management
    threads : int

    Returns
    -------
    (..., 3) float32
        Display values, 0 to 1.
    """
    shown = through(view_steps(view, management), picture, threads=threads)
    return np.asarray(np.clip(shown, 0, 1, out=shown), np.float32)


@lru_cache(maxsize=16)
def bake(view: str, management: Management = HOUSE) -> BakedView:
    """Sample a view on the shaper's grid.

    Parameters
    ----------
    view : str
        One of the management's views.
    management : Management

    Raises
    ------
    SettingError
        There is no such view.
    """
    s = np.linspace(0, 1, SIZE)
    x = (np.power(1 + SHAPER_K * SHAPER_MAX, s) - 1) / SHAPER_K
    blue, green, red = np.meshgrid(x, x, x, indexing="ij")
    shown = through_view(np.stack([red, green, blue], axis=-1).astype(np.float32), view, management)
    cube = np.ones((SIZE, SIZE, SIZE, 4), np.float16)
    cube[..., :3] = shown
    return BakedView(view, SIZE, cube)


def through_cube(picture: Picture, view: str, management: Management = HOUSE, *, threads: int = 1) -> Picture:
    """Send scene-linear colours through a view's cube: what the well does, for pictures made to be looked at.

    Parameters
    ----------
    picture : (H, W, 3) float32, in the working space
    view : str
        One of the management's views.
    management : Management
    threads : int

    Returns
    -------
    (H, W, 3) float32
        Display values, 0 to 1, as far from `through_view` as the cube's grid is coarse.
    """
    light = np.array(picture, np.float32, order="C").reshape(-1, 3)
    cube = bake(view, management).cube[..., :3].astype(np.float32)
    made = np.empty_like(light)
    in_bands(lambda first, last: _look_up(first, last, light, cube, made), len(light), threads, size=1 << 14)
    return made.reshape(picture.shape)


_QUICK = {"contract", "reassoc", "arcp", "afn"}
"""What the compiler may do for speed; NaN and inf stay what they are, as they decide where is read."""


@kernel(nogil=True, fastmath=_QUICK)
def _look_up(first, last, light, cube, made):  # type: ignore[no-untyped-def]
    """Interpolate linearly along red, green and blue between the eight grid points around."""
    for i in range(first, last):
        red, s = _on_grid(light[i, 0], len(cube))
        green, t = _on_grid(light[i, 1], len(cube))
        blue, u = _on_grid(light[i, 2], len(cube))
        for c in range(3):
            near, far = cube[blue, green], cube[blue + 1, green]
            one = near[red, c] + s * (near[red + 1, c] - near[red, c])
            two = far[red, c] + s * (far[red + 1, c] - far[red, c])
            near, far = cube[blue, green + 1], cube[blue + 1, green + 1]
            one += t * (near[red, c] + s * (near[red + 1, c] - near[red, c]) - one)
            two += t * (far[red, c] + s * (far[red + 1, c] - far[red, c]) - two)
            made[i, c] = one + u * (two - one)


@kernel(nogil=True, fastmath=_QUICK)
def _on_grid(x, count):  # type: ignore[no-untyped-def]
    """Give the grid point below a value, and how far it lies towards the next."""
    held = np.float32(SHAPER_K) * min(x, np.float32(SHAPER_MAX)) if x > 0 else np.float32(0)
    s = np.float32(math.log(np.float32(1) + held)) * np.float32(
        (count - 1) / math.log(1 + SHAPER_K * SHAPER_MAX)
    )
    low = min(int(s), count - 2)
    return low, s - np.float32(low)
