"""An element's colour matched to its plate: slope and offset per channel, which stay editable numbers.

Source of matching mean and spread: E. Reinhard, M. Ashikhmin, B. Gooch, P. Shirley, "Color transfer between
images", IEEE Computer Graphics and Applications 21(5), 2001, pp. 34-41; here in scene-linear R, G and B, so
that what it gives is an ASC CDL.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Picture, Plane
from drawstring.core.choices import Choice
from drawstring.core.errors import SettingError
from drawstring.core.readers import Colour, read_colour
from drawstring.core.settings import Settings, setting

_FEWEST = 64
"""Pixels from which a colour can be told."""

_SAMPLES = 500_000
"""Pixels that are looked at, spread over the picture."""

_STEEPEST = 20.0
"""A larger slope would say that the two have nothing in common."""


class MatchBy(Choice):
    """What of the two pictures is made alike."""

    SPREAD = "spread", "mean and spread"
    """Of each channel."""
    ENDS = "ends", "black and white"
    """What one pixel in a hundred lies below, and above."""
    MEAN = "mean", "mean alone"
    """Brightness and tint; contrast stays."""
    PICKS = "picks", "picked greys and whites"
    """What was picked as grey, and as white, in both."""


class Picks(Settings):
    """Greys and whites that were picked in an element and in its plate; black where none was."""

    grey: Colour = setting((0.0, 0.0, 0.0), "A grey of the element.", reader=read_colour)
    white: Colour = setting((0.0, 0.0, 0.0), "A white of the element.", reader=read_colour)
    plate_grey: Colour = setting((0.0, 0.0, 0.0), "The same grey in the plate.", reader=read_colour)
    plate_white: Colour = setting((0.0, 0.0, 0.0), "The same white in the plate.", reader=read_colour)


@dataclass(frozen=True)
class Match:
    """What matches an element to its plate.

    Attributes
    ----------
    slope, offset : (R, G, B)
    """

    slope: Colour
    offset: Colour

    def values(self, where: str = "assembly.grade") -> dict[str, str]:
        """Give it as settings that can be typed."""
        return {
            f"{where}.{name}": " ".join(f"{v:.6g}" for v in value)
            for name, value in (("slope", self.slope), ("offset", self.offset))
        }


def matched(
    element: Picture,
    plate: Picture,
    by: MatchBy,
    *,
    matte: Plane | None = None,
    plate_matte: Plane | None = None,
) -> Match:
    """Match an element's unmultiplied colour to a plate's.

    Parameters
    ----------
    element : (H, W, 4) float32, premultiplied
    plate : (H, W, 3 or 4) float32
        Any size.
    by : MatchBy
    matte, plate_matte : (H, W) float32, optional
        Within which of either colours are told; the element's own coverage counts in any case.

    Raises
    ------
    SettingError
        Too little of one is there, or it is of one colour.
    """
    own = _colours(element, matte, "The element")
    other = _colours(plate, plate_matte, "The plate")
    if by is MatchBy.MEAN:
        mean = own.mean(axis=0)
        if (mean <= 1e-9).any():
            raise _refused("The element is black in one of R, G and B.")
        return _match(other.mean(axis=0) / mean, np.zeros(3))
    if by is MatchBy.ENDS:
        (black, white), (black_of, white_of) = (np.percentile(each, [1, 99], axis=0) for each in (own, other))
        span = white - black
        if (span <= 1e-9).any():
            raise _refused("The element is of one brightness in one of R, G and B.")
        slope = (white_of - black_of) / span
        return _match(slope, black_of - slope * black)
    spread = own.std(axis=0)
    if (spread <= 1e-9).any():
        raise _refused("The element is of one brightness in one of R, G and B.")
    slope = other.std(axis=0) / spread
    return _match(slope, other.mean(axis=0) - slope * own.mean(axis=0))


def matched_picks(picks: Picks) -> Match:
    """Match by what was picked: one pair is a gain, two are a slope and an offset.

    Raises
    ------
    SettingError
        No pair was picked, or both pairs are of one brightness.
    """
    pairs = [
        (np.array(own), np.array(other))
        for own, other in ((picks.grey, picks.plate_grey), (picks.white, picks.plate_white))
        if any(own) and any(other)
    ]
    if not pairs:
        raise SettingError(
            "No grey and no white was picked in both.", where="match.by", why="Nothing was changed.",
            remedy="Pick a grey or a white in the picture, and the same one in the plate.",
        )  # fmt: skip
    own, other = pairs[0]
    if len(pairs) == 1:
        if (own <= 1e-9).any():
            raise _refused("What was picked in the element is black in one of R, G and B.")
        return _match(other / own, np.zeros(3))
    white, plate_white = pairs[1]
    if (np.abs(white - own) <= 1e-9).any():
        raise _refused("Grey and white of the element are equally bright in one of R, G and B.")
    slope = (plate_white - other) / (white - own)
    return _match(slope, other - slope * own)


def _colours(picture: Picture, matte: Plane | None, called: str) -> NDArray[np.float64]:
    """Give the unmultiplied colours that count, (N, 3)."""
    # What a million pixels tell, the others tell, too.
    step = max(1, int(np.sqrt(picture.shape[0] * picture.shape[1] / _SAMPLES)))
    picture = picture[::step, ::step]
    matte = None if matte is None else matte[::step, ::step]
    light = picture[..., :3].reshape(-1, 3).astype(np.float64)
    covered = picture[..., 3].reshape(-1) if picture.shape[2] > 3 else np.ones(len(light))
    counts = np.isfinite(light).all(axis=1) & (covered > 0.5)
    if matte is not None:
        counts &= matte.reshape(-1) > 0.5
    if counts.sum() < _FEWEST:
        raise _refused(f"{called} has fewer than {_FEWEST} covered pixels here.")
    return np.asarray(light[counts] / covered[counts, None])


def _match(slope: NDArray[np.float64], offset: NDArray[np.float64]) -> Match:
    if not np.isfinite(slope).all() or slope.max() > _STEEPEST or slope.min() < 0:
        raise _refused("The two have too little in common: a slope would be beyond 20.")
    one, two, three = (float(f"{v:.6g}") for v in slope)
    first, second, third = (float(f"{v:.6g}") for v in offset)
    return Match((one, two, three), (first, second, third))


def _refused(what: str) -> SettingError:
    return SettingError(
        what,
        where="match.by",
        why="Nothing was changed.",
        remedy="Choose another frame, another matte, or another way to match.",
    )
