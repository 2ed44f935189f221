"""How a picture seems to hold two eyes, told from its pixels: a proposal with its reason, no decision."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from drawstring.core.arrays import Plane
from drawstring.core.eyes.packing import Packing

_ALIKE = 0.75
_SMALL = 96
_LEAST_EYE_PX = 96 * 54
"""Nobody delivers an eye with fewer pixels."""
_COMBED = 1.05
"""One picture's neighbouring lines differ less than every second ones, however grainy: 1 at most."""


@dataclass(frozen=True)
class Proposal:
    """What a picture seems to be.

    Attributes
    ----------
    packing : Packing or None
        None where it seems to hold one eye.
    reason : str
    sure : float
        0 to 1.
    """

    packing: Packing | None
    reason: str
    sure: float


def propose(light: Plane, closely: Plane | None = None, size: tuple[int, int] | None = None) -> Proposal:
    """Propose how eyes are packed in a picture.

    Halves of one scene seen from two places are alike but for parallax; lines of two eyes comb: a line is
    unlike its neighbours, and like the ones beyond them.

    Parameters
    ----------
    light : (H, W)
        Brightness, scene-linear; a smaller picture will do.
    closely : (h, w), optional
        A part of it at full size, for lines; the picture itself when not given.
    size : (width, height), optional
        Of the full picture, for the words.
    """
    near = _shown(light if closely is None else closely)
    shown = _shown(light)
    height, width = shown.shape
    if min(height, width) < 16 or float(shown.std()) < 1e-4:
        return Proposal(None, "it shows too little to tell", 0.0)
    for axis, packing, lines in ((0, Packing.ROWS, "rows"), (1, Packing.COLUMNS, "columns")):
        combed = _combed(near, axis) if float(near.std()) > 1e-3 else 0.0
        if combed > _COMBED:
            return Proposal(
                packing,
                f"neighbouring {lines} differ {combed:.2f} times as much as every second one",
                min(1.0, combed - 0.5),
            )
    wide, high = size or (width, height)
    if wide * high < 2 * _LEAST_EYE_PX:
        return Proposal(None, f"{wide}x{high} is too small for two eyes", 0.0)
    if _repeats(shown):
        return Proposal(None, "it repeats itself, as test charts do", 0.0)
    across = _alike(*np.split(shown[:, : width - width % 2], 2, axis=1))
    down = _alike(*np.split(shown[: height - height % 2], 2, axis=0))
    if max(across, down) < _ALIKE:
        return Proposal(None, f"its halves are not alike ({max(across, down):.2f})", 1 - max(across, down, 0))
    sure = min(1.0, (max(across, down) - _ALIKE) / (1 - _ALIKE) + 0.3)
    if across >= down:
        whole = width / 2 / height >= 1.2
        said = f"left and right half are alike ({across:.2f}), each {wide // 2}x{high}"
        return Proposal(Packing.SIDE_BY_SIDE if whole else Packing.SIDE_BY_SIDE_HALF, said, sure)
    whole = width / (height / 2) <= 2.6
    said = f"upper and lower half are alike ({down:.2f}), each {wide}x{high // 2}"
    return Proposal(Packing.ABOVE_BELOW if whole else Packing.ABOVE_BELOW_HALF, said, sure)


def _repeats(shown: Plane) -> bool:
    """Whether a picture is one pattern over and over, as bars and checkers are: its halves are always alike.

    Told by its autocorrelation, which has peaks as high as the middle one away from it and from half the size
    (where two eyes have theirs).
    """
    small = cv2.resize(shown, (_SMALL, _SMALL), interpolation=cv2.INTER_AREA)
    detail = small - cv2.GaussianBlur(small, (0, 0), 8)
    detail -= detail.mean()
    spectrum = np.abs(np.fft.rfft2(detail)) ** 2
    alike = np.fft.irfft2(spectrum, s=detail.shape) / max(float((detail**2).sum()), 1e-12)
    lag = np.minimum(np.arange(_SMALL), _SMALL - np.arange(_SMALL))
    low, half = lag < _SMALL // 12, lag > _SMALL * 3 // 8
    near = low[:, None] & low[None]
    of_eyes = (low[:, None] & half[None]) | (half[:, None] & low[None])
    return float(alike[~near & ~of_eyes].max()) > 0.6


def comb(light: Plane, packing: Packing) -> float:
    """Give how strongly the lines of an interlaced picture alternate; about 1 or less when it was scaled."""
    return _combed(_shown(light), 0 if packing is Packing.ROWS else 1)


def _shown(light: Plane) -> Plane:
    return np.asarray(np.log1p(np.maximum(np.nan_to_num(light), 0) * 8), np.float32)


def _combed(shown: Plane, axis: int) -> float:
    lines = np.swapaxes(shown, 0, axis)
    beside = float(np.abs(np.diff(lines, axis=0)).mean())
    beyond = float(np.abs(lines[2:] - lines[:-2]).mean())
    return beside / max(beyond, 1e-6)


def _alike(one: Plane, other: Plane) -> float:
    """Correlate two halves where they fit best, a tenth of the width to either side."""
    a, b = (cv2.resize(half, (_SMALL, _SMALL), interpolation=cv2.INTER_AREA) for half in (one, other))
    margin = _SMALL // 10
    # What is alike must be detail: two halves of one gradient would be, too.
    a, b = (half - cv2.GaussianBlur(half, (0, 0), 8) for half in (a, b))
    found = cv2.matchTemplate(b, a[:, margin:-margin], cv2.TM_CCOEFF_NORMED)
    return float(np.nanmax(found))
