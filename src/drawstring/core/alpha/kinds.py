"""Which kind of alpha a picture has, told from its pixels.

A part-covered pixel lies beside a covered one of the same thing. What its colour ought to be follows from
that neighbour's colour F and its own alpha a, and each kind of alpha says something else: straight F,
premultiplied a F, multiplied twice a^2 F, premultiplied against a colour B a F + (1 - a) B. The kind whose
prediction the pixels follow is the one. (The compositing equation: T. Porter, T. Duff, "Compositing digital
images", Computer Graphics 18(3), 1984.) Pixels are taken as they came; nothing is converted here.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from drawstring.core.alpha.nearest import nearest
from drawstring.core.arrays import Picture
from drawstring.core.choices import Choice

PART = (0.04, 0.96)
"""Alpha between these is part-covered."""

SOLID = 0.995
REACH = 5.0
"""How far away, in pixels, a covered neighbour may lie."""

FEWEST = 60
"""With fewer samples nothing is said."""

SURE = 0.7
"""Below this confidence the answer is "unsure"."""

_MOST = 6000
_STEP = 0.25  # how much more covered a neighbour must be that is not covered wholly


class AlphaKind(Choice):
    """How colour and alpha of a picture belong together."""

    PREMULTIPLIED = "premultiplied"
    """The colour is already dimmed by its alpha."""
    STRAIGHT = "straight"
    """The colour is that of the thing, whatever its alpha."""
    TWICE = "multiplied_twice", "multiplied twice"
    """The colour was dimmed by its alpha two times."""
    OVER_COLOUR = "over_colour", "over a colour"
    """The picture was laid on a colour other than black, and kept its alpha."""
    OPAQUE = "opaque"
    """Alpha is 1 everywhere."""
    EMPTY = "empty"
    """Alpha is 0 everywhere."""
    MISSING = "missing"
    """There is no alpha."""
    UNSURE = "unsure"
    """The pixels do not tell."""


_KINDS = (AlphaKind.STRAIGHT, AlphaKind.PREMULTIPLIED, AlphaKind.TWICE)


@dataclass(frozen=True)
class EdgeSamples:
    """Part-covered pixels, each beside what shows its own colour whole.

    Attributes
    ----------
    row, col : (N,) int
    alpha, colour : (N,) and (N, 3) float32
        As they came.
    by_alpha, by_colour : (N,) and (N, 3) float32
        Of the more covered neighbour.
    """

    row: NDArray[np.intp]
    col: NDArray[np.intp]
    alpha: NDArray[np.float32]
    colour: NDArray[np.float32]
    by_alpha: NDArray[np.float32]
    by_colour: NDArray[np.float32]


@dataclass(frozen=True)
class AlphaEvidence:
    """What the pixels say.

    Attributes
    ----------
    kind : AlphaKind
    sure : float
        0 to 1: the share of samples, by what they can tell, that speak for this kind against the next best.
    samples : int
    ground : (R, G, B) or None
        The colour that the picture was laid on, where it was.
    low, high : float
        Of alpha, over finite values.
    nan, outside : int
        Pixels whose alpha is no number; whose alpha lies outside 0 to 1.
    """

    kind: AlphaKind
    sure: float = 1.0
    samples: int = 0
    ground: tuple[float, float, float] | None = None
    low: float = 0.0
    high: float = 0.0
    nan: int = 0
    outside: int = 0

    def as_dict(self) -> dict[str, Any]:
        """Give plain data, for JSON."""
        plain: dict[str, Any] = {
            "kind": self.kind.value,
            "sure": round(self.sure, 3),
            "samples": self.samples,
        }
        if self.ground:
            plain["ground"] = [float(f"{v:.4g}") for v in self.ground]
        if self.nan:
            plain["nan"] = self.nan
        if self.outside:
            plain["outside"] = self.outside
        return plain


def alpha_evidence(picture: Picture) -> AlphaEvidence:
    """Tell which kind of alpha a picture has.

    Parameters
    ----------
    picture : (H, W, 4) float
        As it came, scene-linear. NaN and infinity are left out.
    """
    alpha = np.asarray(picture[..., 3], np.float32)
    known = np.isfinite(alpha)
    nan = int(alpha.size - known.sum())
    if nan == alpha.size:
        return AlphaEvidence(AlphaKind.UNSURE, 0.0, nan=nan)
    low, high = float(alpha[known].min()), float(alpha[known].max())
    outside = int(((alpha < -1e-4) | (alpha > 1 + 1e-4))[known].sum())
    facts: dict[str, Any] = {"low": low, "high": high, "nan": nan, "outside": outside}
    if low >= 0.999:
        return AlphaEvidence(AlphaKind.OPAQUE, **facts)
    if high <= 0.001:
        return AlphaEvidence(AlphaKind.EMPTY, **facts)
    samples = edge_samples(picture)
    kind, sure, ground = _judged(samples)
    return AlphaEvidence(kind, sure, len(samples.alpha), ground, **facts)


def edge_samples(picture: Picture, most: int = _MOST) -> EdgeSamples:
    """Gather part-covered pixels, each with a neighbour that is wholly covered, else a more covered one.

    Parameters
    ----------
    picture : (H, W, 4) float
    most : int
        So many at most, spread evenly.
    """
    alpha = np.asarray(picture[..., 3], np.float32)
    colour = np.asarray(picture[..., :3], np.float32)
    # One sum shows whether any channel is no number, in a fraction of the time that asking each takes.
    with np.errstate(invalid="ignore", over="ignore"):
        good = np.isfinite(colour[..., 0] + colour[..., 1] + colour[..., 2] + alpha)
    part = good & (alpha > PART[0]) & (alpha < PART[1])
    rows, cols = _thinned(np.nonzero(part), most)
    solid = good & (alpha >= SOLID)
    if solid.any() and len(rows):
        away, at = nearest(solid)
        near = away[rows, cols] <= REACH
        own = at[rows, cols]
        # The mean of the covered pixels around the nearest one: its grain must not speak for the surface.
        weight = solid.astype(np.float32)
        total = cv2.blur(np.where(solid[..., None], colour, 0), (3, 3), borderType=cv2.BORDER_CONSTANT)
        count = cv2.blur(weight, (3, 3), borderType=cv2.BORDER_CONSTANT)
        mean = total.reshape(-1, 3)[own] / np.maximum(count.reshape(-1)[own], 1e-6)[:, None]
        if near.sum() >= FEWEST:
            r, c = rows[near], cols[near]
            ones = np.ones(len(r), np.float32)
            return EdgeSamples(r, c, alpha[r, c], colour[r, c], ones, mean[near].astype(np.float32))
    return _beside_more_covered(rows, cols, alpha, colour, good)


def _beside_more_covered(
    rows: NDArray[np.intp],
    cols: NDArray[np.intp],
    alpha: NDArray[np.float32],
    colour: NDArray[np.float32],
    good: NDArray[np.bool_],
) -> EdgeSamples:
    """For things that are nowhere solid, smoke or glass: the most covered pixel a few steps away."""
    height, width = alpha.shape
    best = np.full(len(rows), -1.0, np.float32)
    at = np.zeros(len(rows), np.intp)
    for step in (2, 4):
        for dy, dx in ((0, 1), (1, 0), (0, -1), (-1, 0), (1, 1), (1, -1), (-1, 1), (-1, -1)):
            y, x = np.clip(rows + dy * step, 0, height - 1), np.clip(cols + dx * step, 0, width - 1)
            more = good[y, x] & (alpha[y, x] > best)
            best = np.where(more, alpha[y, x], best)
            at = np.where(more, y * width + x, at)
    kept = best >= np.minimum(alpha[rows, cols] + _STEP, SOLID)
    r, c, at = rows[kept], cols[kept], at[kept]
    return EdgeSamples(
        r, c, alpha[r, c], colour[r, c], alpha.reshape(-1)[at], colour.reshape(-1, 3)[at]
    )  # fmt: skip


def predicted(
    samples: EdgeSamples, kind: AlphaKind, ground: Sequence[float] = (0, 0, 0)
) -> NDArray[np.float32]:
    """Give what colour the samples would have if alpha were of a kind: (N, 3) float32."""
    a, b = samples.alpha[:, None], samples.by_alpha[:, None]
    if kind is AlphaKind.STRAIGHT:
        return samples.by_colour
    if kind is AlphaKind.TWICE:
        return np.asarray(samples.by_colour * (a / b) ** 2, np.float32)
    against = np.asarray(ground, np.float32)
    own = (samples.by_colour - (1 - b) * against) / b
    return np.asarray(own * a + (1 - a) * against, np.float32)


def _judged(samples: EdgeSamples) -> tuple[AlphaKind, float, tuple[float, float, float] | None]:
    """Weigh the kinds against each other."""
    scale = float(np.median(samples.by_colour.max(axis=1))) if len(samples.alpha) else 0.0
    # Black things tell nothing: every kind predicts black.
    telling = (
        samples.by_colour.max(axis=1) > max(0.05 * scale, 1e-6) if len(samples.alpha) else np.zeros(0, bool)
    )
    if telling.sum() < FEWEST:
        return AlphaKind.UNSURE, 0.0, None
    samples = EdgeSamples(*(getattr(samples, name)[telling] for name in samples.__dataclass_fields__))
    weight = np.minimum(np.log(samples.by_alpha / samples.alpha), 1.5)
    errors = {kind: _off(samples, kind, scale) for kind in _KINDS}
    ordered = sorted(_KINDS, key=lambda kind: _middle(errors[kind], weight))
    best, second = ordered[0], ordered[1]
    ground, off = _ground(samples, scale)
    if ground is not None:
        errors[AlphaKind.OVER_COLOUR] = off
        better = float(weight[off < errors[best]].sum() / weight.sum())
        if _middle(off, weight) < 0.6 * _middle(errors[best], weight) and better > SURE:
            return AlphaKind.OVER_COLOUR, better, ground
    speaks = float(weight[errors[best] < errors[second]].sum() / weight.sum())
    # A kind that wins, but predicts badly itself, has won nothing.
    fits = _middle(errors[best], weight) < 0.45
    return (best, speaks, None) if speaks >= SURE and fits else (AlphaKind.UNSURE, speaks, None)


def _off(
    samples: EdgeSamples, kind: AlphaKind, scale: float, ground: Sequence[float] = (0, 0, 0)
) -> NDArray[np.float32]:
    """Give how far each sample lies from a prediction, as the logarithm of their ratio."""
    floor = np.float32(0.02 * scale)
    own = np.maximum(samples.colour, 0) + floor
    said = np.maximum(predicted(samples, kind, ground), 0) + floor
    share = samples.by_colour / np.maximum(samples.by_colour.sum(axis=1, keepdims=True), 1e-9)
    return np.asarray((np.abs(np.log(own / said)) * np.maximum(share, 0)).sum(axis=1), np.float32)


def _ground(
    samples: EdgeSamples, scale: float
) -> tuple[tuple[float, float, float] | None, NDArray[np.float32]]:
    """Find the one colour that shows through all part-covered pixels, if there is one."""
    thin = (samples.alpha < 0.75) & (samples.by_alpha - samples.alpha > 0.2)
    if thin.sum() < FEWEST // 2:
        return None, np.zeros(0, np.float32)
    # Two pixels of one thing, a F + (1 - a) B and b F + (1 - b) B: what they share is B.
    a, b = samples.alpha[thin, None], samples.by_alpha[thin, None]
    shows = (b * samples.colour[thin] - a * samples.by_colour[thin]) / (b - a)
    colour = np.median(shows, axis=0)
    if colour.max() < 0.04 * scale or colour.min() < -0.04 * scale:
        return None, np.zeros(0, np.float32)
    ground = float(colour[0]), float(colour[1]), float(colour[2])
    return ground, _off(samples, AlphaKind.OVER_COLOUR, scale, ground)


def _middle(errors: NDArray[np.float32], weight: NDArray[np.float32]) -> float:
    """Give the weighted median."""
    order = np.argsort(errors)
    upto = np.cumsum(weight[order])
    return float(errors[order][np.searchsorted(upto, upto[-1] / 2)])


def _thinned(found: tuple[NDArray[np.intp], ...], most: int) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    step = max(1, -(-len(found[0]) // most))
    return found[0][::step], found[1][::step]


@dataclass
class OverFrames:
    """The kinds that frames were found to have, added up."""

    votes: dict[AlphaKind, float] = field(default_factory=dict)
    samples: int = 0
    grounds: list[Sequence[float]] = field(default_factory=list)

    def add(self, plain: dict[str, Any]) -> None:
        """Add what was said of a frame, as `AlphaEvidence.as_dict` has it."""
        kind = AlphaKind(plain["kind"])
        # A frame in which nothing part-covered is to be seen does not outvote one that shows it.
        weight = plain["samples"] * plain["sure"] if plain["samples"] else 0.001
        if kind is AlphaKind.UNSURE:
            weight = 0.0005
        self.votes[kind] = self.votes.get(kind, 0.0) + weight
        self.samples += plain["samples"]
        if "ground" in plain:
            self.grounds.append(plain["ground"])

    def overall(self) -> AlphaEvidence:
        """Give what all frames together say."""
        if not self.votes:
            return AlphaEvidence(AlphaKind.UNSURE, 0.0)
        kind = max(self.votes, key=lambda one: self.votes[one])
        sure = self.votes[kind] / sum(self.votes.values())
        ground = tuple(np.median(np.array(self.grounds), axis=0)) if kind is AlphaKind.OVER_COLOUR else None
        return AlphaEvidence(kind, sure, self.samples, ground)
