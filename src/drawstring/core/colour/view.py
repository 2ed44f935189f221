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
    light = np.ascontiguousarray(picture, np.float32).reshape(-1, 3)
    cube, made = _cube_of(view, management), np.empty_like(light)

    def look_up(first: int, last: int) -> None:
        for at in range(first, last, _AT_ONCE):
            some = slice(at, min(at + _AT_ONCE, last))
            _look_up(_on_grid(light[some], SIZE), cube, SIZE, made[some])

    in_bands(look_up, len(light), threads, size=1 << 14)
    return made.reshape(picture.shape)


@lru_cache(maxsize=16)
def _cube_of(view: str, management: Management) -> NDArray[np.float32]:
    return bake(view, management).cube.astype(np.float32).ravel()


_AT_ONCE = 1 << 13
"""Pixels whose places on the grid are known at a time: what is in between stays in the processor's cache."""


def _on_grid(light: NDArray[np.float32], count: int) -> NDArray[np.float32]:
    """Give where colours lie on the cube's axes, in steps of its grid: (N, 3); NaN lies at 0."""
    places = np.fmax(light, np.float32(0))
    np.fmin(places, np.float32(SHAPER_MAX), out=places)
    places *= np.float32(SHAPER_K)
    places += np.float32(1)
    # Many logarithms at a time take a tenth of what each takes by itself.
    np.log(places, out=places)
    places *= np.float32((count - 1) / math.log(1 + SHAPER_K * SHAPER_MAX))
    return places


_QUICK = {"contract", "reassoc", "arcp", "afn"}
"""What the compiler may do for speed; NaN and inf stay what they are, as they decide where is read."""


@kernel(nogil=True, fastmath=_QUICK)
def _look_up(places, cube, count, made):  # type: ignore[no-untyped-def]
    """Weigh the eight grid points around by how near they are.

    `cube` holds `count` values of four channels along red, green and blue, the fastest first, as one row:
    they are counted from the first on, unsigned, as looking places up in four dimensions takes twice as long.
    """
    last = count - 2
    red_step, green_step, blue_step = np.uint64(4), np.uint64(4 * count), np.uint64(4 * count * count)
    whole = np.float32(1)
    for i in range(len(places)):
        red, green, blue = (
            min(int(places[i, 0]), last), min(int(places[i, 1]), last), min(int(places[i, 2]), last),
        )  # fmt: skip
        s = places[i, 0] - np.float32(red)
        t = places[i, 1] - np.float32(green)
        u = places[i, 2] - np.float32(blue)
        corner = ((blue * count + green) * count + red) * 4
        # Of the four edges along red.
        one, two = (whole - t) * (whole - u), t * (whole - u)
        three, four = (whole - t) * u, t * u
        for c in range(3):
            at = np.uint64(corner + c)
            made[i, c] = (
                one * ((whole - s) * cube[at] + s * cube[at + red_step])
                + two * ((whole - s) * cube[at + green_step] + s * cube[at + green_step + red_step])
                + three * ((whole - s) * cube[at + blue_step] + s * cube[at + blue_step + red_step])
                + four
                * (
                    (whole - s) * cube[at + blue_step + green_step]
                    + s * cube[at + blue_step + green_step + red_step]
                )
            )
