"""Values put into their stored type, and what that costs.

Float to half rounds to nearest even. A finite value beyond half's reach (65,504) would turn into
infinity; it is held at the limit and counted, never changed silently.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from drawstring.core.arrays import Stored

HALF_MAX = 65504.0
"""The largest finite half: (2 - 2**-10) * 2**15, IEEE 754-2019 binary16."""


@dataclass(frozen=True)
class Stowed:
    """A channel as it will be written, how many values were held at half's limit, and how far rounded."""

    values: Stored
    held: int
    rounded: float = 0.0
    """Largest difference between a finite value within half's reach and what is stored of it."""


def stow(plane: Stored, stored: str) -> Stowed:
    """Put a channel into its stored type.

    Parameters
    ----------
    plane : (H, W) float16, float32 or uint32
    stored : str
        "half", "float" or "uint".

    Returns
    -------
    Stowed

    Examples
    --------
    >>> stow(np.float32([[0.5, 70000, np.inf]]), "half")
    Stowed(values=array([[5.00e-01, 6.55e+04,      inf]], dtype=float16), held=1, rounded=0.0)
    """
    if stored == "uint" or plane.dtype == np.uint32:
        return Stowed(np.asarray(plane, np.uint32), 0)
    if stored == "float":
        return Stowed(np.asarray(plane, np.float32), 0)
    if plane.dtype == np.float16:
        return Stowed(plane, 0)
    # 65,520 and above rounds to infinity; what lies between still rounds to the limit itself.
    beyond = np.isfinite(plane) & (np.abs(plane) >= 65520.0)
    held = int(beyond.sum())
    if held:
        plane = np.where(beyond, np.copysign(np.float32(HALF_MAX), plane), plane)
    values = plane.astype(np.float16)
    with np.errstate(invalid="ignore"):
        apart = np.abs(values.astype(np.float32) - plane)
    return Stowed(values, held, float(np.nanmax(apart, initial=0.0)))
