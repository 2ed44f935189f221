"""What a pass's pixels say about its role.

A few thousand pixels of one frame, spread evenly, are enough to tell unit vectors from light, a
distance from a matte, hashed names from colours.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Stored
from drawstring.core.depth.background import HUGE
from drawstring.core.passes.roles import HASHED_ROLES, LIT_ROLES, SHARE_ROLES, SURFACE_COLOURS, Role

SAMPLE = 40_000
"""About how many pixels are looked at."""

Pixels = NDArray[np.float64]
"""(N, C) float64: sampled pixels."""


def sample(planes: Sequence[Stored]) -> Pixels:
    """Take evenly spread pixels: (N, C) float64."""
    height, width = planes[0].shape
    step = max(1, int(np.sqrt(height * width / SAMPLE)))
    with np.errstate(invalid="ignore"):  # a NaN that signals stays one that does not
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
    if role is not Role.DEPTH and not finite.any():
        return "no pixel holds a number"
    for roles, check in _CHECKS:
        if role in roles:
            return check(pixels[finite] if role is not Role.DEPTH else pixels)
    return None


def _normal(seen: Pixels) -> str | None:
    if seen.shape[1] < 3:
        return "it has fewer than three channels"
    share = max(unit_share(seen), unit_share(seen[:, :3] * 2 - 1))
    return None if share > 0.8 else f"only {share:.0%} of its pixels have unit length"


def _depth(seen: Pixels) -> str | None:
    known = seen[~np.isnan(seen).any(axis=1)]
    if not len(known):
        return "no pixel holds a number"
    if seen.shape[1] > 1 and not np.array_equal(known[:, :1].repeat(min(3, seen.shape[1]), 1), known[:, :3]):
        return "its channels differ, a distance has one"
    negative = float((known[:, 0] < 0).mean())
    return f"{negative:.0%} of its pixels are negative" if negative > 0.01 else None


def _share(seen: Pixels) -> str | None:
    outside = float(((seen < -0.01) | (seen > 1.01)).any(axis=1).mean())
    return f"{outside:.0%} of its pixels lie outside 0 to 1" if outside > 0.02 else None


def _surface_colour(seen: Pixels) -> str | None:
    outside = float(((seen < 0) | (seen > 1.5)).any(axis=1).mean())
    return f"{outside:.0%} of its pixels can't be a surface colour" if outside > 0.05 else None


def _light(seen: Pixels) -> str | None:
    colour = seen[:, :3]
    negative = float((colour < -1e-4).any(axis=1).mean())
    if seen.shape[1] >= 3 and negative > 0.05 and unit_share(seen) > 0.95:
        return "its pixels have unit length, as normals have"
    return f"{negative:.0%} of its pixels are negative, light is not" if negative > 0.2 else None


def _hashed(seen: Pixels) -> str | None:
    if seen.shape[1] < 2:
        return "hashed names come with their coverage, it has one channel"
    outside = float(((seen[:, 1::2] < -0.01) | (seen[:, 1::2] > 1.01)).any(axis=1).mean())
    return f"{outside:.0%} of its coverages lie outside 0 to 1" if outside > 0.02 else None


def _whole_numbers(seen: Pixels) -> str | None:
    broken = 1 - whole_share(seen[:, 0])
    if FILTERED_ID <= 1 - broken and len(np.unique(seen[:, 0][seen[:, 0] == np.round(seen[:, 0])])) > 2:
        return None
    codes = seen[:, 0] * 65535
    if broken <= 0.02 or seen[:, 0].max() <= 1 and np.abs(codes - np.round(codes)).max() < 1e-2:
        return None
    return f"{broken:.0%} of its pixels are no whole numbers"


_CHECKS: tuple[tuple[frozenset[Role], Callable[[Pixels], str | None]], ...] = (
    (frozenset({Role.NORMAL}), _normal),
    (frozenset({Role.DEPTH}), _depth),
    (SHARE_ROLES, _share),
    (SURFACE_COLOURS, _surface_colour),
    (LIT_ROLES, _light),
    (HASHED_ROLES, _hashed),
    (frozenset({Role.ID}), _whole_numbers),
)


def role_from_values(planes: Sequence[Stored]) -> tuple[Role, str] | None:
    """Take a pass for a role by its pixels alone, where they are telling enough for a person to look."""
    pixels = sample(planes)
    seen = pixels[np.isfinite(pixels).all(axis=1)]
    if not len(seen):
        return None
    if len(planes) >= 3 and (seen[:, :3] < -0.05).any() and unit_share(seen) > 0.95:
        return Role.NORMAL, "its pixels have unit length"
    if len(planes) >= 2 and _looks_hashed(planes):
        return Role.OBJECT_MATTE, "its numbers are hashes beside coverages"
    if len(planes) == 1:
        return _one_channel(pixels[:, 0], seen[:, 0])
    if len(planes) == 3 and (seen < 0).mean() > 0.05 and np.abs(seen).max() > 2:
        return (
            Role.POSITION,
            f"three channels from {seen.min():.3g} to {seen.max():.3g}, many of them negative",
        )
    return None


FILTERED_ID = 0.7
"""From this share of whole numbers on, the others are edges at which a renderer has mixed two of them."""


def whole_share(values: NDArray[np.float64]) -> float:
    """Give the share of whole numbers among values that are not 0, which stands for nothing."""
    told = values[values != 0]
    return float((told == np.round(told)).mean()) if len(told) else 1.0


def id_traits(plane: Stored) -> tuple[str, ...]:
    """Tell numbers that were filtered over the pixel from those that name one thing each."""
    seen = sample([plane])[:, 0]
    seen = seen[np.isfinite(seen)]
    return ("filtered",) if FILTERED_ID <= whole_share(seen) < 0.98 else ()


def _one_channel(pixels: NDArray[np.float64], seen: NDArray[np.float64]) -> tuple[Role, str] | None:
    distinct = len(np.unique(seen))
    if (seen == np.round(seen)).all() and 2 < distinct <= 4096 and seen.max() >= 3 and seen.min() >= 0:
        return Role.ID, f"{distinct} different whole numbers"
    if (seen < 0).any():
        return None
    whole = seen[seen == np.round(seen)]
    names = np.unique(whole[(whole > 0) & (whole < HUGE)])
    if whole_share(seen[seen < HUGE]) >= FILTERED_ID and 3 <= len(names) <= 4096 and names.max() >= 3:
        return Role.ID, f"{len(names)} different whole numbers, mixed at edges"
    known = seen[seen < HUGE]
    near, far = np.percentile(known, [2, 98]) if len(known) else (0.0, 0.0)
    empty = float((np.isinf(pixels) | (pixels >= HUGE)).mean())
    if far > 2 and far > 1.5 * max(near, 1e-6) or empty > 0.01 and far > 1.01:
        return Role.DEPTH, f"one channel from {near:.3g} to {far:.3g}"
    ends = float(((seen == 0) | (seen == 1)).mean())
    if seen.max() <= 1 and ends > 0.6 and 0 < float((seen == 0).mean()) < 1:
        return Role.MATTE, f"{ends:.0%} of its pixels are exactly 0 or 1"
    return None


def _looks_hashed(planes: Sequence[Stored]) -> bool:
    """Whether the first channel holds hashes: few different floats of all sizes, and coverage beside them."""
    pixels = sample(planes[:2])
    names, coverage = pixels[:, 0], pixels[:, 1]
    something = names[np.isfinite(names) & (names != 0)]
    if len(something) < 20 or ((coverage < 0) | (coverage > 1.01)).any():
        return False
    sizes = np.log10(np.abs(np.unique(something)))
    return len(sizes) >= 2 and len(sizes) < 5000 and float(np.ptp(sizes)) > 12


def unit_share(pixels: Pixels) -> float:
    """Give the share of pixels with something in them whose first three values have length 1."""
    length = np.sqrt((pixels[:, :3] ** 2).sum(axis=1))
    something = length > 1e-6
    return float((np.abs(length[something] - 1) < 0.05).mean()) if something.any() else 0.0


def depth_traits(z: Stored, alpha: Stored | None) -> tuple[str, ...]:
    """Tell a normalised depth from a metric one, and which of its ends is white where that can be told.

    Parameters
    ----------
    z, alpha : (H, W)
        Where alpha is 0 lies the far end: the value there says which end is white.
    """
    values = z.astype(np.float64)
    known = np.isfinite(values) & (values < HUGE)
    if not known.any():
        return ()
    seen = values[known]
    if seen.min() < 0 or seen.max() > 1.0001:
        return ("metric",)
    behind = values[(alpha == 0) & known] if alpha is not None and alpha.shape == z.shape else seen[:0]
    if len(behind) < 20:
        return ("normalised",)
    return ("normalised", "near is white" if float(np.median(behind)) < 0.5 else "far is white")


def normal_traits(planes: Sequence[Stored]) -> tuple[str, ...]:
    """Tell normals that were lifted into 0..1; their space is said by names, not by values."""
    pixels = sample(planes[:3])
    seen = pixels[np.isfinite(pixels).all(axis=1) & (np.abs(pixels) > 1e-6).any(axis=1)]
    if (
        len(seen)
        and len(planes) >= 3
        and seen.min() >= 0
        and unit_share(seen) < 0.5 < unit_share(seen * 2 - 1)
    ):
        return ("lifted to 0..1",)
    return ()
