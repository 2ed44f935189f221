"""What a pass's pixels say about its role.

A few thousand pixels of one frame, spread evenly, are enough to tell unit vectors from light, a
distance from a matte, hashed names from colours.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from drawstring.core.arrays import Stored
from drawstring.core.passes.roles import Role

SAMPLE = 40_000
"""About how many pixels are looked at."""


def sample(planes: Sequence[Stored]) -> np.ndarray[tuple[int, int], np.dtype[np.float64]]:
    """Take evenly spread pixels: (N, C) float64."""
    height, width = planes[0].shape
    step = max(1, int(np.sqrt(height * width / SAMPLE)))
    return np.stack([plane[::step, ::step].astype(np.float64).ravel() for plane in planes], axis=-1)


def contradiction(role: Role, planes: Sequence[Stored]) -> str | None:
    """Say why the pixels can't be what the name claims; None when they can.

    Parameters
    ----------
    role : Role
    planes : sequence of (H, W) stored channels, in component order
    """
    pixels = sample(planes)
    finite = np.isfinite(pixels).all(axis=1)
    if not finite.any():
        return "no pixel holds a number"
    seen = pixels[finite]
    if role is Role.NORMAL:
        share = unit_share(seen)
        return None if share > 0.8 else f"only {share:.0%} of its pixels have unit length"
    if role is Role.DEPTH:
        if len(planes) > 1 and not np.allclose(seen[:, :1], seen[:, :3]):
            return "its channels differ, a distance has one"
        negative = float((seen[:, 0] < 0).mean())
        return f"{negative:.0%} of its pixels are negative" if negative > 0.01 else None
    if role in (Role.OCCLUSION, Role.SHADOW, Role.ALPHA, Role.MIST):
        outside = float(((seen < -0.01) | (seen > 1.01)).any(axis=1).mean())
        return f"{outside:.0%} of its pixels lie outside 0 to 1" if outside > 0.02 else None
    if role in (Role.DIFFUSE_COLOUR, Role.SPECULAR_COLOUR):
        outside = float(((seen < 0) | (seen > 1.5)).any(axis=1).mean())
        return f"{outside:.0%} of its pixels can't be a surface colour" if outside > 0.05 else None
    return None


def role_from_values(planes: Sequence[Stored]) -> tuple[Role, str] | None:
    """Take a pass for a role by its pixels alone: normals, distances and nothing less certain."""
    pixels = sample(planes)
    seen = pixels[np.isfinite(pixels).all(axis=1)]
    if not len(seen):
        return None
    if len(planes) == 3 and (seen < -0.05).any() and unit_share(seen) > 0.95:
        return Role.NORMAL, "its pixels have unit length"
    if len(planes) == 1 and (seen >= 0).all():
        near, far = np.percentile(seen, [2, 98])
        empty = float((pixels[:, 0] > 1e9).mean()) + float(np.isinf(pixels[:, 0]).mean())
        if far > 2 and far > 1.5 * max(near, 1e-6) or empty > 0.01 and far > 1.01:
            return Role.DEPTH, f"one channel from {near:.3g} to {far:.3g}"
    return None


def unit_share(pixels: np.ndarray[tuple[int, int], np.dtype[np.float64]]) -> float:
    """Give the share of pixels with something in them whose first three values have length 1."""
    length = np.sqrt((pixels[:, :3] ** 2).sum(axis=1))
    something = length > 1e-6
    return float((np.abs(length[something] - 1) < 0.05).mean()) if something.any() else 0.0
