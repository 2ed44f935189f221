"""Where an eye's pixels lie in what goes out: mends, level and convergence in one map, sampled once.

The map leads from a pixel that goes out to the place where it lies in the eye as it came. What comes last is
undone first: convergence, the turn of an all-round picture, the mend of the right eye. Eyes squeezed to half
are brought to the size they are shown at on the same way.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from drawstring.core.arrays import Picture, Stored, as_picture, merged, split
from drawstring.core.camera import Place
from drawstring.core.eyes.packing import Packing, enlarged
from drawstring.core.eyes.resampling import Way, resampled, resampled_planes
from drawstring.core.eyes.settings import Edge, EyesSettings
from drawstring.core.eyes.sphere import Sight, turn_of, turned
from drawstring.core.io.facts import Window
from drawstring.core.passes.recombining import recombined


@dataclass(frozen=True)
class Placing:
    """How an eye's planes are brought to their place.

    Attributes
    ----------
    way : (3, 3) float64 or None
        Of flat pictures; None where nothing is moved.
    sight : Sight or None
        Of a turned all-round picture.
    wrap : int
        Columns by which an all-round picture goes round afterwards, to the right.
    size : (H, W)
        Of what comes out.
    packing : Packing or None
        How it was squeezed, where it is only enlarged.
    gain : (R, G, B)
        What mends divide colours by.
    """

    way: Way | None
    sight: Sight | None
    wrap: int
    size: tuple[int, int]
    packing: Packing | None = None
    gain: tuple[float, float, float] = (1.0, 1.0, 1.0)

    def gains(self, first: int, count: int, planes: int) -> list[float] | None:
        """Give what planes are divided by, from one channel on of a picture of so many; None for nothing."""
        if self.gain == (1, 1, 1) or count not in (3, 4):
            return None
        return [max(self.gain[c], 1e-3) if (c := first + i) < 3 else 1.0 for i in range(planes)]

    def recombined(self, ranks: Sequence[Stored]) -> list[Stored]:
        """Bring names and coverages in turn to their place: coverages filtered, names recombined."""
        if self.sight is not None:
            moved = recombined(ranks, self.sight.x, self.sight.y, wraps=True)
        elif self.way is not None:
            rows, cols = np.mgrid[: self.size[0], : self.size[1]].astype(np.float64)
            x, y, _ = (self.way[i, 0] * cols + self.way[i, 1] * rows + self.way[i, 2] for i in range(3))
            moved = recombined(ranks, x, y)
        else:
            return self.carried(ranks, is_mixed=False)
        return [np.roll(plane, self.wrap, axis=1) for plane in moved] if self.wrap else moved

    def carried_picture(self, picture: Picture, *, threads: int = 1) -> Picture:
        """Bring light, (H, W, 4), to its place: as its planes are, without taking it apart."""
        moved = picture
        if self.packing is not None:
            moved = merged([enlarged(plane, self.packing, is_mixed=True) for plane in split(moved)])
        if self.way is not None:
            moved = resampled(moved, self.way, self.size, is_mixed=True, threads=threads)
        if self.sight is not None:
            moved = self.sight.light(moved, threads=threads)
        return np.roll(moved, self.wrap, axis=1) if self.wrap else moved

    def carried(self, planes: Sequence[Stored], *, is_mixed: bool, threads: int = 1) -> list[Stored]:
        """Bring planes to their place: light filtered, everything else by the nearest pixel."""
        moved = list(planes)
        if self.packing is not None:
            moved = [enlarged(plane, self.packing, is_mixed=is_mixed) for plane in moved]
        if self.way is not None:
            moved = resampled_planes(moved, self.way, self.size, is_mixed=is_mixed, threads=threads)
        if self.sight is not None:
            if is_mixed:
                light = self.sight.light(as_picture(moved), threads=threads)
                moved = [np.ascontiguousarray(light[..., c]) for c in range(light.shape[2])]
            else:
                moved = [self.sight.exact(plane) for plane in moved]
        return [np.roll(plane, self.wrap, axis=1) for plane in moved] if self.wrap else moved


def placing_of(
    eyes: EyesSettings,
    side: int | None,
    shape: tuple[int, ...],
    place: Place,
    *,
    squeeze: float = 1.0,
    is_shown: bool = False,
    stays: bool = False,
    threads: int = 1,
) -> Placing:
    """Compose the map of an eye.

    Parameters
    ----------
    eyes : EyesSettings
        Of one frame.
    side : int or None
        0 for the left eye, 1 for the right one, None for a picture that is neither.
    shape : (H, W)
        Of the planes as they came.
    place : Place
        Where they lie.
    squeeze : float
        How much wider than as it came a pixel is shown: 2, or 1/2 for one shown twice as high.
    is_shown : bool
        Whether squeezed planes are brought to the size they are shown at.
    stays : bool
        Whether they are no picture of the scene: they are brought to size, and nothing else.
    """
    height, width = shape[:2]
    wide, high = (2, 1) if squeeze == 2 else (1, 2) if squeeze == 0.5 else (1, 1)
    whole = height * high, width * wide
    size = whole if is_shown else (height, width)
    gain = (1.0, 1.0, 1.0) if stays or side != 1 else eyes.mend_gain
    mend = None if stays or side != 1 else _mend(eyes, whole, place.step)
    packing = eyes.packing if is_shown and size != (height, width) else None
    if stays:
        return Placing(None, None, 0, size, packing)
    if eyes.is_round:
        is_turned = (eyes.yaw, eyes.pitch, eyes.roll) != (0, 0, 0)
        half = round(eyes.shift / place.step / 2)
        wrap = 0 if side is None else (-half if side == 0 else half)
        if not is_turned:
            way = None if mend is None else _within(mend, size, whole, (height, width))
            return Placing(way, None, wrap, size, packing if way is None else None, gain)
        sight = turned(size[1], size[0], turn_of(eyes.yaw, eyes.pitch, eyes.roll), threads=threads)
        if size == (height, width) and mend is None:
            return Placing(None, sight, wrap, size, None, gain)
        into = _within(mend if mend is not None else np.eye(3), size, whole, (height, width))
        return Placing(None, _through(sight, into, (height, width)), wrap, size, None, gain)
    aside = None if side is None else _apart(eyes, side, whole, place, wide)
    ways = [one for one in (mend, aside) if one is not None]
    if not ways:
        return Placing(None, None, 0, size, packing, gain)
    # Out of the frame into the unmoved eye, and from there into the eye as it came.
    both = ways[0] if len(ways) == 1 else ways[0] @ ways[1]
    return Placing(_within(both, size, whole, (height, width)), None, 0, size, None, gain)


def _mend(eyes: EyesSettings, size: tuple[int, int], step: int) -> Way | None:
    """Undo what is wrong with the right eye."""
    if (eyes.mend_down, eyes.mend_turn, eyes.mend_scale) == (0, 0, 100):
        return None
    turn, scale = math.radians(eyes.mend_turn), eyes.mend_scale / 100
    cx, cy = (size[1] - 1) / 2, (size[0] - 1) / 2
    a, b = scale * math.cos(turn), scale * math.sin(turn)
    return np.array(
        [
            [a, -b, cx - a * cx + b * cy],
            [b, a, cy - b * cx - a * cy + eyes.mend_down / step],
            [0, 0, 1],
        ]
    )


def _apart(eyes: EyesSettings, side: int, size: tuple[int, int], place: Place, wide: int) -> Way | None:
    """Move the eyes against each other: left to the left and right to the right moves things back."""
    shift = eyes.shift / place.step
    if not shift:
        return None
    height, width = size
    shown = display_in(place, (height, width // wide))
    spare = wide * min(shown.x_min, width // wide - 1 - shown.x_max)
    lacks = max(0.0, abs(shift) / 2 - spare)
    scale = 1.0
    if eyes.edge is Edge.ENLARGE and lacks:
        scale = 1 - 2 * lacks / max(1, shown.width * wide)
    cx, cy = (width - 1) / 2, (height - 1) / 2
    aside = -shift / 2 if side == 0 else shift / 2
    return np.array([[scale, 0, cx - scale * cx - aside], [0, scale, cy - scale * cy], [0, 0, 1]])


def _within(way: Way, size: tuple[int, int], whole: tuple[int, int], came: tuple[int, int]) -> Way:
    """Give a way of shown pixels as one from pixels that go out to pixels that came."""
    if size == whole == came:
        return way
    return _scaled(came, whole) @ way @ _scaled(whole, size)


def _scaled(into: tuple[int, int], of: tuple[int, int]) -> Way:
    """Lead pixel middles of one size into those of another that covers the same."""
    a, b = into[1] / of[1], into[0] / of[0]
    return np.array([[a, 0, a / 2 - 0.5], [0, b, b / 2 - 0.5], [0, 0, 1]])


def _through(sight: Sight, way: Way, came: tuple[int, int]) -> Sight:
    """Look through a way: round the back goes on at the other side, over the poles ends."""
    x = way[0, 0] * sight.x + way[0, 1] * sight.y + way[0, 2]
    y = way[1, 0] * sight.x + way[1, 1] * sight.y + way[1, 2]
    return Sight((x + 0.5) % came[1] - 0.5, np.clip(y, -0.5, came[0] - 0.5))


def display_in(place: Place, shape: tuple[int, ...] | None = None) -> Window:
    """Give where the picture lies in an array, in its pixels.

    Parameters
    ----------
    shape : (H, W), optional
        Of the array, where it is not just the window's: an enlarged eye.
    """
    window, shown, step = place.window, place.display, place.step
    left, top = max(0, (shown.x_min - window.x_min) // step), max(0, (shown.y_min - window.y_min) // step)
    right = (min(shown.x_max, window.x_max) - window.x_min) // step
    bottom = (min(shown.y_max, window.y_max) - window.y_min) // step
    if shape is not None:
        a = max(1, round(shape[1] / max(1, -(-window.width // step))))
        b = max(1, round(shape[0] / max(1, -(-window.height // step))))
        left, right, top, bottom = left * a, (right + 1) * a - 1, top * b, (bottom + 1) * b - 1
    return Window(left, top, right, bottom)
