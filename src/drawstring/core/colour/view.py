"""Scene-linear light to display values: OpenColorIO's own transform, and the same baked to a cube.

The browser can't run OpenColorIO, so Python samples the transform on a grid that is even in a
logarithmic axis: `s = log2(1 + K x) / log2(1 + K M)`, 0 at black and 1 at `M`. Unlike a plain
logarithm it holds black itself, and near black it is nearly linear.

The transforms come from OpenColorIO's built-in "cg-config-v2.2.0_aces-v1.3_ocio-v2.4".
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from drawstring.core.arrays import Picture
from drawstring.core.errors import SettingError

CONFIG = "cg-config-v2.2.0_aces-v1.3_ocio-v2.4"
RENDERED_IN = "Linear Rec.709 (sRGB)"
DISPLAY = "sRGB - Display"

VIEWS = {"film-like": "ACES 1.0 - SDR Video", "plain": "Un-tone-mapped", "values": "Raw"}
"""Our plain names for the configuration's views."""

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


def through_view(picture: Picture, view: str) -> Picture:
    """Send scene-linear colours through a view, exactly.

    Parameters
    ----------
    picture : (..., 3) float32, scene-linear Rec. 709
    view : str
        A key of `VIEWS`.

    Returns
    -------
    (..., 3) float32
        Display values, 0 to 1.
    """
    shown = np.ascontiguousarray(picture, np.float32).reshape(-1, 3).copy()
    _processor(view).applyRGB(shown)
    return np.clip(shown, 0, 1).reshape(picture.shape)


@lru_cache(maxsize=8)
def bake(view: str) -> BakedView:
    """Sample a view on the shaper's grid.

    Parameters
    ----------
    view : str
        A key of `VIEWS`.

    Raises
    ------
    SettingError
        There is no such view.
    """
    s = np.linspace(0, 1, SIZE)
    x = (np.power(1 + SHAPER_K * SHAPER_MAX, s) - 1) / SHAPER_K
    blue, green, red = np.meshgrid(x, x, x, indexing="ij")
    shown = through_view(np.stack([red, green, blue], axis=-1).astype(np.float32), view)
    cube = np.ones((SIZE, SIZE, SIZE, 4), np.float16)
    cube[..., :3] = shown
    return BakedView(view, SIZE, cube)


@lru_cache(maxsize=8)
def _processor(view: str) -> Any:
    if view not in VIEWS:
        raise SettingError(
            f"There is no view “{view}”.",
            where="view",
            why="The picture can't be shown without one.",
            remedy=f"Choose {', '.join(VIEWS)}.",
        )
    config = ocio.Config.CreateFromBuiltinConfig(CONFIG)
    if view == "values":
        return config.getProcessor(ocio.MatrixTransform()).getDefaultCPUProcessor()
    transform = ocio.DisplayViewTransform(src=RENDERED_IN, display=DISPLAY, view=VIEWS[view])
    return config.getProcessor(transform).getDefaultCPUProcessor()
