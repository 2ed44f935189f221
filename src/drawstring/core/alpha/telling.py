"""What workers tell of a frame's passes: kind of alpha, ranks cut off, polarity, same camera.

Each is a small plain dict kept beside the pass's statistics; what they mean over a whole delivery is said by
`alpha.checks`.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from drawstring.core.alpha.conversion import premultiplied
from drawstring.core.alpha.fringe import fringes
from drawstring.core.alpha.kinds import AlphaKind, alpha_evidence
from drawstring.core.alpha.shadow import is_white_lit
from drawstring.core.arrays import Mask, Picture, Plane
from drawstring.core.camera import Moment
from drawstring.core.colour.grade import WEIGHTS
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import COLOUR_ROLES, HASHED_ROLES, Role
from drawstring.core.recipe.sources import Pixels, alpha_channel, of_view, pass_of

_ALIKE = 0.5
"""Below this correlation a shift means nothing."""


def tell(
    passes: Sequence[Pass], pixels: Pixels, at: Moment, *, is_looked_at: bool
) -> dict[str, dict[str, Any]]:
    """Tell what there is to tell of one frame's passes, by their names.

    Parameters
    ----------
    passes : sequence of Pass
    pixels : mapping of ChannelRef to (H, W)
        As they came.
    at : Moment
    is_looked_at : bool
        Whether pictures are laid over each other, too, which takes longer.
    """
    told: dict[str, dict[str, Any]] = {}
    brightness = _brightness(passes, pixels)
    for one in passes:
        if not all(ref in pixels for ref in one.channels):
            continue
        said: dict[str, Any] = {}
        if one.role in COLOUR_ROLES and len(one.channels) == 4:
            picture = _stacked(one, pixels, 4)
            found = alpha_evidence(picture)
            said["alpha"] = found.as_dict()
            if found.samples and found.kind is not AlphaKind.UNSURE:
                # As it looks when it is read as what it is: what is left is really in the picture.
                said["fringe"] = round(
                    fringes(premultiplied(picture, found.kind, found.ground or (0, 0, 0))).share, 4
                )
        elif one.role in HASHED_ROLES:
            said["cut"] = _cut_off([pixels[ref] for ref in one.channels])
        elif one.role is Role.SHADOW and brightness is not None:
            white = is_white_lit(_stacked(one, pixels, 3) @ WEIGHTS, brightness)
            said |= {} if white is None else {"white_lit": white}
        elif one.role in (Role.GROUND_PICTURE, Role.CLEAN_GROUND) and len(one.channels) >= 3:
            said["clipped"] = _clipped(_stacked(one, pixels, 3))
            if is_looked_at and one.role is Role.GROUND_PICTURE:
                said |= _beside_element(one, passes, pixels)
        if said:
            told[one.name] = said
    return told


def _stacked(one: Pass, pixels: Pixels, count: int) -> Picture:
    planes = [np.asarray(pixels[ref], np.float32) for ref in one.channels[:count]]
    return np.stack(planes if len(planes) == count else [planes[0]] * count, axis=-1)


def _brightness(passes: Sequence[Pass], pixels: Pixels) -> Plane | None:
    beauty = pass_of(Role.BEAUTY, of_view(passes, ""))
    if beauty is None or len(beauty.channels) < 3 or not all(ref in pixels for ref in beauty.channels[:3]):
        return None
    return np.asarray(_stacked(beauty, pixels, 3) @ WEIGHTS, np.float32)


def _cut_off(ranks: Sequence[np.ndarray]) -> float:
    """Give the share of pixels in which things were left out because all ranks were taken."""
    last = np.asarray(ranks[-1] if len(ranks) % 2 == 0 else ranks[-2], np.float32)
    total = sum(np.asarray(share, np.float32) for share in ranks[1::2])
    return round(float(np.mean((last > 0) & (total < 0.99))), 6)


def _clipped(picture: Picture) -> float:
    """Give the share of pixels that stand at one and the same highest value, as a clipped picture's do."""
    brightest = picture.max(axis=-1)
    top = float(np.nanmax(brightest))
    return round(float(np.mean(brightest >= top)), 5) if top <= 1.0 + 1e-6 else 0.0


def _beside_element(one: Pass, passes: Sequence[Pass], pixels: Pixels) -> dict[str, Any]:
    """Compare the object alone with the object on its ground: whether they line up, and their light."""
    first = of_view(passes, "")
    beauty, alpha = pass_of(Role.BEAUTY, first), alpha_channel(first)
    if beauty is None or alpha is None or not all(ref in pixels for ref in (*beauty.channels[:3], alpha)):
        return {}
    solid = np.asarray(pixels[alpha], np.float32) > 0.995
    if solid.sum() < 400:
        return {}
    alone = np.asarray(_stacked(beauty, pixels, 3) @ WEIGHTS, np.float32)
    on_it = np.asarray(_stacked(one, pixels, 3) @ WEIGHTS, np.float32)
    lit = solid & (alone > np.percentile(alone[solid], 60))
    gain = float(np.median(on_it[lit] / np.maximum(alone[lit], 1e-6)))
    said: dict[str, Any] = {"gain": round(gain, 4)}
    shift = _shift(alone, on_it, solid)
    if shift is not None:
        said["shift"] = [round(shift[0], 3), round(shift[1], 3)]
    return said


def _shift(first: Plane, second: Plane, where: Mask) -> tuple[float, float] | None:
    """Give how far right and down of the first picture the second lies, by what both show within a mask.

    Found coarse to fine by least squares, whatever the exposure of either: first = g (second + dx sx + dy
    sy) + o, again and again from where the last answer led. None where they have too little in common to
    tell.

    Source: B. D. Lucas, T. Kanade, "An iterative image registration technique with an application to stereo
    vision", IJCAI 1981, 674-679; with gain and offset as in its section 6.
    """
    told, sure = (0.0, 0.0), 0.0
    for step in (8, 4, 2, 1, 1):
        # The object's own rim looks different on its ground, and so does what a shift brings in from outside.
        reach = 2 + math.ceil(math.hypot(*told))
        inside = cv2.erode(where.astype(np.uint8), np.ones((2 * reach + 1, 2 * reach + 1), np.uint8))
        size = max(1, first.shape[1] // step), max(1, first.shape[0] // step)
        mask = cv2.resize(inside, size, interpolation=cv2.INTER_NEAREST) > 0
        if mask.sum() < 60:
            continue
        a, b = (cv2.resize(one, size, interpolation=cv2.INTER_AREA) for one in (first, second))
        found, alike = _aligned(
            np.asarray(a, np.float32)[mask], np.asarray(b, np.float32), mask, (told[0] / step, told[1] / step)
        )
        if alike > _ALIKE:
            told, sure = (found[0] * step, found[1] * step), alike
    return told if sure > _ALIKE else None


def _aligned(
    a: NDArray[np.floating], b: Plane, mask: Mask, begin: tuple[float, float]
) -> tuple[tuple[float, float], float]:
    """Refine a shift until it stays; give it, and how alike the pictures are then (their correlation)."""
    right, down = begin
    size, alike = (b.shape[1], b.shape[0]), 0.0
    for _ in range(30):
        way = np.array([[1, 0, -right], [0, 1, -down]], np.float64)
        moved = cv2.warpAffine(b, way, size, flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
        slope_y, slope_x = np.gradient(moved)
        parts = np.stack([slope_x[mask], slope_y[mask], moved[mask], np.ones(len(a))], axis=-1)
        (gx, gy, gain, _), *_ = np.linalg.lstsq(parts, a, rcond=None)
        alike = (
            float(np.corrcoef(moved[mask], a)[0, 1]) if moved[mask].std() > 1e-9 and a.std() > 1e-9 else 0.0
        )
        if abs(gain) < 1e-6:
            break
        step_x, step_y = float(np.clip(gx / gain, -2, 2)), float(np.clip(gy / gain, -2, 2))
        right, down = right + step_x, down + step_y
        if math.hypot(step_x, step_y) < 1e-3:
            break
    return (right, down), alike
