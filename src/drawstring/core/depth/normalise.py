"""Distances to values between 0 and 1, and back.

With `n` near and `f` far, a distance `z` becomes

    linear       t = (z - n) / (f - n)
    reciprocal   t = (1/z - 1/n) / (1/f - 1/n)
    logarithmic  t = ln(z/n) / ln(f/n)

which is 0 at near and 1 at far; white at near is 1 - t. The sums are done in float64 and rounded to
float32 once, so the result is the closed form to the last bit. The reciprocal form is that of a
projection's depth buffer: OpenGL 4.6 core specification, 13.8.1 with glFrustum's matrix.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Mask, Plane
from drawstring.core.bands import in_bands
from drawstring.core.depth.settings import DepthSettings, Mapping, NothingThere, Overshoot, WhiteEnd
from drawstring.core.errors import SettingError


def normalise(z: Plane, settings: DepthSettings, *, nothing: Mask, threads: int = 1) -> Plane:
    """Give every pixel its value.

    Parameters
    ----------
    z : (H, W) float32, scene units
        Raw depth; what it holds where `nothing` is True does not matter.
    settings : DepthSettings
        Near and far must be set.
    nothing : (H, W) bool
        Where there is no distance (see `background.nothing_there`).
    threads : int

    Returns
    -------
    (H, W) float32
        0 to 1, or beyond where overshoot is kept.

    Raises
    ------
    SettingError
        Near or far is open.

    Examples
    --------
    >>> z = np.float32([[2, 5, 8, np.inf]])
    >>> normalise(z, DepthSettings(near=2, far=8), nothing=~np.isfinite(z))
    array([[1. , 0.5, 0. , 0. ]], dtype=float32)
    """
    n, f = ends(settings)
    made = np.empty(z.shape, np.float32)

    def bring(first: int, last: int) -> None:
        away = nothing[first:last]
        # Where there is nothing, near stands in, so that no division meets 0 or inf.
        known = np.where(away, n, z[first:last]).astype(np.float64)
        t = _share(known, n, f, settings.mapping)
        if settings.overshoot is Overshoot.CLAMP:
            np.clip(t, 0.0, 1.0, out=t)
        t[away] = 1.0 if settings.nothing is NothingThere.FAR_END else 0.0
        made[first:last] = np.subtract(1.0, t, out=t) if settings.white_is is WhiteEnd.NEAR else t

    in_bands(bring, len(z), threads)
    return made


def metric(value: Plane, settings: DepthSettings) -> Plane:
    """Give back distances from normalised values: the inverse of `normalise` between near and far.

    Parameters
    ----------
    value : (H, W) float32
        As `normalise` made it with the same settings.

    Returns
    -------
    (H, W) float32, scene units
        What was clamped comes back as the end it was clamped to.
    """
    n, f = ends(settings)
    t = value.astype(np.float64)
    if settings.white_is is WhiteEnd.NEAR:
        t = 1.0 - t
    if settings.mapping is Mapping.LINEAR:
        z = n + t * (f - n)
    elif settings.mapping is Mapping.RECIPROCAL:
        z = 1.0 / (1.0 / n + t * (1.0 / f - 1.0 / n))
    else:
        z = n * (f / n) ** t
    return z.astype(np.float32)


def ends(settings: DepthSettings) -> tuple[float, float]:
    """Give near and far, refusing settings in which they are still open."""
    if settings.near is None or settings.far is None:
        name = "near" if settings.near is None else "far"
        raise SettingError(
            f"{name.capitalize()} is still open.",
            where=f"depth.{name}",
            why="Without both ends no distance has a value.",
            remedy="Measure the shot, type a distance or take it from the picture.",
        )
    return settings.near, settings.far


def _share(z: NDArray[np.float64], n: float, f: float, mapping: Mapping) -> NDArray[np.float64]:
    """How far along from near to far, by the formulas above."""
    if mapping is Mapping.LINEAR:
        return np.asarray((z - n) / (f - n))
    if mapping is Mapping.RECIPROCAL:
        return np.asarray((1.0 / z - 1.0 / n) / (1.0 / f - 1.0 / n))
    return np.asarray(np.log(z / n) / np.log(f / n))
