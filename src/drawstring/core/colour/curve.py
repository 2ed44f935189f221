"""A curve from light to light through a few points, even in stops.

Between its points it is the monotone cubic of F. N. Fritsch and J. Butland, "A method for constructing local
monotone piecewise cubic interpolants", SIAM J. Sci. Stat. Comput. 5 (1984), over the logarithm of the light:
it never swings beyond its points. Beyond the first and last it goes on with their gain, so that light above
the last point keeps its steps and nothing is cut off.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from drawstring.core.errors import SettingError
from drawstring.core.readers import read_pairs

Curve = tuple[float, ...]
"""Light in and light out, in pairs, darker ones first; empty for none."""

_SAMPLES = 4096
_MOST = 24


def read_curve(text: str, where: str) -> Curve:
    """Read a typed curve: "0.02,0.015 0.18,0.18 1,1.4"; one point is a gain.

    Raises
    ------
    SettingError
        A point is no pair of lights above 0, or a later one lies no higher on both sides.
    """
    pairs = read_pairs(text)
    is_good = bool(pairs) and all(0 < v <= 1e5 for pair in pairs for v in pair)
    rises = is_good and all(
        b[0] > a[0] and b[1] >= a[1] for a, b in zip(pairs, pairs[1:], strict=False)
    )  # fmt: skip
    if not rises or len(pairs) > _MOST:
        raise SettingError(
            f"“{text[:40]}” is no curve.", where=where,
            why="A curve goes through points of light in and light out, and never falls.",
            remedy="Type points, darker first, as 0.02,0.015 0.18,0.18 1,1.4.",
        )  # fmt: skip
    return tuple(value for pair in pairs for value in pair)


def curved(light: NDArray[np.floating], curve: Curve) -> NDArray[np.floating]:
    """Send light through a curve; what is 0 or less gets the gain of the first point.

    Parameters
    ----------
    light : (...) float32
    curve : Curve

    Examples
    --------
    >>> curved(np.float32([0.09, 0.18, 0.36, 0]), (0.18, 0.36)).round(2).tolist()
    [0.18000000715255737, 0.36000001430511475, 0.7200000286102295, 0.0]
    """
    if not curve:
        return light
    first, last, gains = _gains(curve)
    stops = np.log2(np.maximum(light, np.float32(1e-30)))
    place = (np.clip(stops, first, last) - first) * np.float32((len(gains) - 1) / max(last - first, 1e-9))
    low = np.minimum(place.astype(np.int32), len(gains) - 2)
    along = place - low
    gain = gains[low] + (gains[low + 1] - gains[low]) * along
    return np.asarray(light * gain, np.float32)


def sampled(curve: Curve) -> tuple[tuple[float, float], NDArray[np.float32]]:
    """Give a curve's first and last stop, and its gain evenly between them; 1 everywhere for none."""
    if not curve:
        return (0.0, 1.0), np.ones(_SAMPLES, np.float32)
    first, last, gains = _gains(curve)
    if len(gains) == 2:
        return (first, first + 1.0), np.full(_SAMPLES, gains[0], np.float32)
    return (first, last), gains


@lru_cache(maxsize=64)
def _gains(curve: Curve) -> tuple[float, float, NDArray[np.float32]]:
    """Sample a curve's gain evenly in stops, between its ends."""
    into, out = np.log2(curve[0::2]), np.log2(curve[1::2])
    if len(into) == 1:
        return float(into[0]), float(into[0]), np.full(2, 2.0 ** (out[0] - into[0]), np.float32)
    stops = np.linspace(into[0], into[-1], _SAMPLES)
    from scipy.interpolate import PchipInterpolator  # by whoever needs it: it takes long to load

    gains = np.exp2(PchipInterpolator(into, out)(stops) - stops)
    return float(into[0]), float(into[-1]), gains.astype(np.float32)
