"""A shadow as a layer of its own: from two renders, from shadow passes, or from light with and without it.

From two renders of one camera, the object alone (C premultiplied, a) and on a ground (P), with the clean
ground G:

    S = (P - C) / ((1 - a) G)

the share of the ground's light that is left, 1 lit and 0 dark, for each colour. S is defined where ground
shows; below the object it goes on from its rim, so that a layer moved by a pixel finds shadow there and no
hole.
"""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Picture, Plane
from drawstring.core.bands import in_bands
from drawstring.core.colour.grade import WEIGHTS

_COVERED = 0.9  # from here on too little ground shows to be divided by
_ROOM = 48  # pixels around what is unknown that may speak for it


@dataclass(frozen=True)
class Finish:
    """What is made of a shadow before it goes out.

    Attributes
    ----------
    floor, ceiling : float
        S at or below the floor is full shadow, at or above the ceiling fully lit.
    strength : float
        1 as it is, 0 none; above 1 deeper.
    tint : (R, G, B)
        The light of a full shadow, 0 black.
    keeps_colour : bool
        Whether coloured shadows stay coloured.
    quiet : float
        0 to 1: how much noise is held down.
    soft : float
        Radius of an even softening, pixels.
    grows : float
        Pixels of softness for each hundred pixels away from the object.
    keeps_bounce : bool
        Whether more light than the ground alone has stays more.
    """

    floor: float = 0.0
    ceiling: float = 1.0
    strength: float = 1.0
    tint: tuple[float, float, float] = (0.0, 0.0, 0.0)
    keeps_colour: bool = True
    quiet: float = 0.0
    soft: float = 0.0
    grows: float = 0.0
    keeps_bounce: bool = False


def shadow_ratio(on_ground: Picture, element: Picture, ground: Picture, *, threads: int = 1) -> Picture:
    """Divide out how much of the ground's light is left.

    Parameters
    ----------
    on_ground : (H, W, 3) float32
        P, the object on the ground.
    element : (H, W, 4) float32, premultiplied
        C and a, the object alone.
    ground : (H, W, 3) float32
        G, the ground alone.
    threads : int

    Returns
    -------
    (H, W, 3) float32
        S, not below 0. Where the object covers (almost) all or the ground is black, it goes on from around.
    """
    # Compiled when a shadow is made, not before.
    from drawstring.core.alpha.shadow_kernel import divide

    s, weight = np.empty(on_ground.shape, np.float32), np.empty(on_ground.shape[:2], np.float32)
    p, c, g = (np.ascontiguousarray(one, np.float32) for one in (on_ground, element, ground))
    in_bands(lambda first, last: divide(first, last, p, c, g, 1 - _COVERED, s, weight), len(s), threads)
    return carried_on(s, weight)


def with_over_without(with_it: Picture, without: Picture) -> Picture:
    """Give the share of a lamp's light that its shadow leaves: (H, W, 3) float32.

    It is 1 where no light falls anyway.

    Parameters
    ----------
    with_it, without : (H, W, 3) float32
        The lamp's light with shadows and without.
    """
    lit = without > 1e-5
    return np.asarray(np.clip(np.where(lit, with_it / np.where(lit, without, 1), 1), 0, None), np.float32)


def is_white_lit(shadow: Plane, brightness: Plane) -> bool | None:
    """Tell whether 1 means lit in a shadow pass, by whether it is high where the picture is bright.

    Parameters
    ----------
    shadow, brightness : (H, W) float32

    Returns
    -------
    bool or None
        None where the pixels do not tell.
    """
    known = np.isfinite(shadow) & np.isfinite(brightness) & (brightness > 1e-5)
    if known.sum() < 100:
        return None
    s, light = shadow[known], np.log(brightness[known])
    if s.std() < 1e-3 or light.std() < 1e-3:
        return None
    alike = float(np.corrcoef(s, light)[0, 1])
    return None if abs(alike) < 0.1 else alike > 0


def finished(s: Picture, alpha: Plane, finish: Finish, *, threads: int = 1) -> Picture:
    """Finish a shadow: noise, softness, ends, strength.

    Parameters
    ----------
    s : (H, W, 3) float32
        1 lit, 0 dark.
    alpha : (H, W) float32
        Of the object; distances from it count for `grows`.
    finish : Finish
        Lengths in pixels of `s`.
    threads : int

    Returns
    -------
    (H, W, 3) float32, 0 to 1; above it where bounced light is kept
    """
    made = np.asarray(s, np.float32)
    if not finish.keeps_colour:
        made = np.repeat((made @ WEIGHTS)[..., None], 3, axis=-1).astype(np.float32)
    if finish.quiet > 0:
        made = quieted(made, finish.quiet, threads=threads)
    if finish.soft >= 0.1:
        made = _blurred(made, finish.soft)
    if finish.grows > 0:
        made = _softer_away(made, alpha, finish.grows)
    # (S - floor) / (ceiling - floor) held to 0 to 1, then 1 - strength (1 - S), likewise: two sweeps.
    span, strength = max(finish.ceiling - finish.floor, 1e-6), finish.strength
    most = None if finish.keeps_bounce else 1
    made = np.clip(made * np.float32(1 / span) - np.float32(finish.floor / span), 0, most)
    if strength != 1:
        made = np.clip(made * np.float32(strength) + np.float32(1 - strength), 0, most)
    return np.asarray(made, np.float32)


def quieted(s: Picture, amount: float, *, threads: int = 1) -> Picture:
    """Hold noise down without blurring the contact edge: the guided filter, the shadow its own guide.

    In a window whose variance lies well below `eps` it takes the mean; across an edge, whose variance lies
    above, it leaves things as they are.

    Source: K. He, J. Sun, X. Tang, "Guided image filtering", IEEE Transactions on Pattern Analysis and
    Machine Intelligence 35(6), 2013, pp. 1397-1409, (5)-(8).

    Parameters
    ----------
    s : (H, W, 3) float32
    amount : float
        0 to 1; at 1 steps of 0.15 are still kept.
    threads : int
    """
    radius = 2 + round(4 * amount)
    side, eps = (2 * radius + 1, 2 * radius + 1), (0.15 * amount) ** 2 / 4
    guide = np.ascontiguousarray(s @ WEIGHTS, np.float32)
    mean = _box(guide, side)
    spread = np.maximum(_box(guide * guide, side) - mean * mean, 0) + np.float32(eps)
    made = np.empty_like(s)

    def channel(c: int) -> None:
        own = np.ascontiguousarray(s[..., c])
        own_mean = _box(own, side)
        a = (_box(guide * own, side) - mean * own_mean) / spread
        made[..., c] = _box(a, side) * guide + _box(own_mean - a * mean, side)

    with ThreadPoolExecutor(min(threads, 3)) as pool:
        list(pool.map(channel, range(3)))
    return made


def multiply_layer(s: Picture, tint: tuple[float, float, float]) -> Picture:
    """Give what the ground is multiplied with: S, and the tint where it is dark. (H, W, 3) float32."""
    dark = np.asarray(tint, np.float32)
    return np.asarray(s * (1 - dark) + dark, np.float32) if dark.any() else s


def black_layer(s: Picture, tint: tuple[float, float, float]) -> Picture:
    """Give the shadow as black (or its tint) with alpha, to be laid over: (H, W, 4) float32, premultiplied.

    Alpha is one number and S may be three: it takes their luminance, and a coloured shadow loses its colour
    here.
    """
    a = np.maximum(1 - s @ WEIGHTS, 0)  # black can't brighten
    made = np.empty((*a.shape, 4), np.float32)
    made[..., :3] = a[..., None] * np.asarray(tint, np.float32)
    made[..., 3] = a
    return made


def recomposed(element: Picture, multiply: Picture, ground: Picture) -> Picture:
    """Put the proof together: C + (1 - a) S G. (H, W, 3) float32."""
    bare = 1 - np.clip(element[..., 3:4], 0, 1)
    return np.asarray(element[..., :3] + bare * multiply * ground, np.float32)


@dataclass(frozen=True)
class ShadowProof:
    """How far a recomposed picture lies from the render it came from, as shares of the ground's light.

    Attributes
    ----------
    rms : float
        Over all pixels.
    rms_without_grain : float
        Of the means of 9 by 9 pixels: what is left when noise that was held down is averaged away.
    largest : float
    at : (row, column)
        Where it is largest.
    """

    rms: float
    rms_without_grain: float
    largest: float
    at: tuple[int, int]


def proof(made: Picture, on_ground: Picture, ground: Picture) -> ShadowProof:
    """Compare the recomposed picture with the white-ground render.

    Parameters
    ----------
    made, on_ground, ground : (H, W, 3) float32
    """
    scale = max(float(np.median(ground.max(axis=-1))), 1e-6)
    off = np.nan_to_num((made - on_ground) / np.float32(scale), posinf=0, neginf=0)
    worst = np.abs(off).max(axis=-1)
    row, col = np.unravel_index(int(np.argmax(worst)), worst.shape)
    even = cv2.blur(off, (9, 9), borderType=cv2.BORDER_REFLECT)
    rms, rms_even = (float(np.sqrt(np.mean(np.square(one, dtype=np.float64)))) for one in (off, even))
    return ShadowProof(rms, rms_even, float(worst.max()), (int(row), int(col)))


def combined(shadows: list[Picture], how: str) -> Picture:
    """Put several shadows together: their "product", or at each place the darkest ("minimum")."""
    made = shadows[0]
    for one in shadows[1:]:
        made = np.minimum(made, one) if how == "minimum" else made * one
    return np.asarray(made, np.float32)


def carried_on(s: Picture, weight: Plane) -> Picture:
    """Go on smoothly where nothing is known, from what is known around it.

    Means are taken over ever larger squares, each pixel counting by its weight, until all is filled; then
    the coarse ones fill what the finer ones could not.

    Source: S. J. Gortler, R. Grzeszczuk, R. Szeliski, M. F. Cohen, "The lumigraph", SIGGRAPH 1996, 3.4.2
    (pull-push).

    Parameters
    ----------
    s : (H, W, 3) float32
    weight : (H, W) float32, 0 to 1
        How far each pixel may speak for others; 0 is unknown, and all others stay as they are.
    """
    rows, cols = (np.flatnonzero((weight == 0).any(axis=axis)) for axis in (1, 0))
    if not len(rows) or not weight.any():
        return s
    # Only around what is unknown.
    box = (
        slice(max(0, int(rows[0]) - _ROOM), int(rows[-1]) + _ROOM + 1),
        slice(max(0, int(cols[0]) - _ROOM), int(cols[-1]) + _ROOM + 1),
    )
    made, inner, known = s.copy(), s[box], weight[box]
    levels = [(inner * known[..., None], known)]
    while min(levels[-1][1].shape) > 1 and (levels[-1][1] < 0.5).any():
        total, share = levels[-1]
        half = (max(1, -(-share.shape[1] // 2)), max(1, -(-share.shape[0] // 2)))
        total = np.asarray(cv2.resize(total, half, interpolation=cv2.INTER_AREA), np.float32)
        share = np.asarray(cv2.resize(share, half, interpolation=cv2.INTER_AREA), np.float32)
        # Four pixels that all speak are no more than one.
        over = np.maximum(4 * share, 1)
        levels.append((total * (4 / over)[..., None], np.minimum(4 * share, 1)))
    total, share = levels.pop()
    filled = total / np.maximum(share, 1e-6)[..., None]
    while levels:
        total, share = levels.pop()
        size = share.shape[1], share.shape[0]
        filled = np.asarray(cv2.resize(filled, size, interpolation=cv2.INTER_LINEAR), np.float32)
        own = np.minimum(share, 1)[..., None]
        filled = total + (1 - own) * filled
    made[box] = np.where((known > 0)[..., None], inner, filled)
    return made


def _softer_away(s: Picture, alpha: Plane, grows: float) -> Picture:
    """Soften more the further away from the object: between a few evenly softened pictures, by distance."""
    outside = (alpha < 0.5).astype(np.uint8)
    if outside.all():
        return s
    away = cv2.distanceTransform(outside, cv2.DIST_L2, 5)
    wanted = away * np.float32(grows / 100)
    steps = [0.0, 1, 2, 4, 8, 16, 32, 64]
    last = next((i for i, step in enumerate(steps) if step >= float(wanted.max())), len(steps) - 1)
    pictures = [s] + [_blurred(s, step) for step in steps[1 : last + 1]]
    made = np.array(pictures[0])
    for i in range(last):
        share = np.clip((wanted - steps[i]) / (steps[i + 1] - steps[i]), 0, 1)[..., None]
        inside = (wanted >= steps[i])[..., None]
        made = np.where(inside, pictures[i] * (1 - share) + pictures[i + 1] * share, made)
    return np.asarray(made, np.float32)


def _blurred(picture: Picture, radius: float) -> Picture:
    """Blur by a gaussian whose two deviations are the radius."""
    made = cv2.GaussianBlur(picture, (0, 0), radius / 2, borderType=cv2.BORDER_REPLICATE)
    return np.asarray(made, np.float32)


def _box(plane: NDArray[Any], side: tuple[int, int]) -> Plane:
    even = np.asarray(plane, np.float32)
    return np.asarray(cv2.blur(even, side, borderType=cv2.BORDER_REFLECT), np.float32)
