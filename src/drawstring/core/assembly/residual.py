"""What the parts leave of the beauty: how large it is, where, and whether rounding or noise explains it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any, Self, cast

import numpy as np

from drawstring.core.arrays import Mask, Stored
from drawstring.core.assembly.expression import Node, Planes, with_rounding, worked_out
from drawstring.core.assembly.terms import ALPHA, Term
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import Role
from drawstring.core.recipe.sources import Pixels, alpha_channel, pass_named, pass_of

STEPS = {"half": 2.0**-11, "uint8": 2.0**-9, "uint16": 2.0**-17}
"""Half a step of a stored type, relative to the value; 2**-24 for float."""

_FLOAT = 2.0**-24

_BAND = 64
"""Rows worked on together, so that they stay in the processor's cache."""

_BINS = 1 << 16
"""Of the counts from which the 99.9 % is read: the upper half of a float's bits, steps of 1 %."""


@dataclass(frozen=True)
class Residual:
    """How far a frame's parts are from its beauty.

    Attributes
    ----------
    largest, rms, p999 : float
        Of the absolute difference over all pixels and colours, in scene-linear light.
    mean : float
        Of the signed difference, beauty less sum.
    relative : float
        RMS of the difference by RMS of the beauty.
    worst : (x, y)
        Where the largest is, counted from the data window's upper left.
    beyond : float
        Share of pixels that differ by more than rounding to the stored types explains.
    odd : int
        Pixels in which some part or the beauty is no number.
    alike : float
        How alike differences of neighbours are, -1 to 1: near 0 for noise, high for things.
    positive : float
        Share of the pixels beyond rounding in which the beauty is brighter than the sum.
    """

    largest: float
    rms: float
    p999: float
    mean: float
    relative: float
    worst: tuple[int, int]
    beyond: float
    odd: int = 0
    alike: float = 0.0
    positive: float = 0.0

    @property
    def adds_up(self) -> bool:
        """Whether rounding explains it; a pixel in ten thousand may have met a renderer's own limit."""
        return self.beyond <= 1e-4

    @property
    def is_noise(self) -> bool:
        """Whether it looks like grain: no neighbour like the other, as often above as below."""
        return not self.adds_up and abs(self.alike) < 0.25 and 0.35 < self.positive < 0.65

    def as_dict(self) -> dict[str, Any]:
        """Give it as plain data."""
        return asdict(self) | {"worst": list(self.worst)}

    @classmethod
    def from_dict(cls, plain: Mapping[str, Any]) -> Self:
        """Read it back."""
        return cls(**{**plain, "worst": tuple(plain["worst"])})


def planes_for(
    terms: Sequence[Term], passes: Sequence[Pass], pixels: Pixels, rows: slice = slice(None)
) -> dict[str, Planes]:
    """Give what terms name, as (H, W, 3) or (H, W, 1) float32, of some rows."""
    names = dict.fromkeys(name for term in terms for name in term.passes)
    return {name: _plane(name, passes, pixels, rows) for name in names}


def _plane(name: str, passes: Sequence[Pass], pixels: Pixels, rows: slice) -> Planes:
    if name == ALPHA and pass_named(name, passes) is None:
        ref = alpha_channel(passes)
        return stacked([pixels[ref][rows]]) if ref is not None else np.ones((1, 1, 1), np.float32)
    one = pass_named(name, passes)
    assert one is not None, name
    return stacked([pixels[ref][rows] for ref in one.channels[: colours_of(one)]])


def colours_of(one: Pass) -> int:
    """Give how many of a pass's channels are colour: three, or one of a grey pass."""
    return 3 if len(one.channels) >= 3 else 1


def stacked(planes: Sequence[Stored]) -> Planes:
    """Put channels together, (H, W, C) float32."""
    made = np.empty((*planes[0].shape, len(planes)), np.float32)
    for i, plane in enumerate(planes):
        made[..., i] = plane
    return made


def steps_for(terms: Sequence[Term], passes: Sequence[Pass]) -> dict[str, float]:
    """Give half a step of each pass's stored type."""
    names = dict.fromkeys(name for term in terms for name in term.passes)
    found = {name: pass_named(name, passes) for name in names}
    return {name: _step(one) for name, one in found.items()}


def _step(one: Pass | None) -> float:
    return STEPS.get(one.pixel_types[0], _FLOAT) if one is not None and one.pixel_types else STEPS["half"]


def measure(terms: Sequence[Term], passes: Sequence[Pass], pixels: Pixels) -> Residual | None:
    """Hold the sum of a frame's terms against its beauty; None where there is nothing to hold together.

    Parameters
    ----------
    terms : sequence of Term
        Those that count.
    passes : sequence of Pass
        Of one view, by bare names.
    pixels : mapping of ChannelRef to (H, W)
    """
    beauty = pass_of(Role.BEAUTY, passes)
    if beauty is None or not terms or not all(ref in pixels for ref in needed_channels(terms, passes)):
        return None
    steps, own_step = steps_for(terms, passes), _step(beauty)
    counts = _Counts()
    height = len(pixels[beauty.channels[0]])
    for top in range(0, height, _BAND):
        rows = slice(top, min(top + _BAND, height))
        with np.errstate(all="ignore"):
            # Colours first, so that each is worked on in one piece.
            meant = _planar(beauty.name, passes, pixels, rows)
            names = dict.fromkeys(name for term in terms for name in term.passes)
            planes = {name: _planar(name, passes, pixels, rows) for name in names}
            meant = np.array(np.broadcast_to(meant, (3, *meant.shape[1:])))
            off = meant.copy()
            bound = np.abs(meant)
            bound += np.float32(2.0**-14)
            bound *= np.float32(own_step)
            for term in terms:
                light, rounding = _with_bound(term, planes, steps)
                off -= light if term.sign > 0 else -light
                bound += rounding
            counts.add(meant, off, bound, top)
    return counts.residual()


def _with_bound(
    term: Term, planes: Mapping[str, Planes], steps: Mapping[str, float]
) -> tuple[Planes, Planes]:
    """Work a term out, and what rounding may put it off; of a plain product relative steps add up."""
    if not _is_product(term.node):
        light, rounding = with_rounding(term.node, planes, steps)
        return light, np.asarray(rounding + np.abs(light) * np.float32(2 * _FLOAT), np.float32)
    light = worked_out(term.node, planes)
    names = term.node.names()
    step = sum(steps[name] for name in names) + 2 * _FLOAT * len(names)
    # Below the smallest normal half number a step stays what it is there, whatever it is multiplied by.
    largest = max(1.0, *(float(np.nanmax(np.abs(planes[name]), initial=0.0)) for name in names))
    least = step * 2.0**-14 * (min(largest, 65504.0) if len(names) > 1 else 1.0)
    rounding = np.abs(light)
    rounding *= np.float32(step)
    rounding += np.float32(least)
    return light, rounding


def _is_product(node: Node) -> bool:
    """Whether a term is one pass, or the product of two different ones."""
    if node.does == "name":
        return True
    return (
        node.does == "multiply" and all(part.does == "name" for part in node.parts) and len(node.names()) == 2
    )


def _planar(name: str, passes: Sequence[Pass], pixels: Pixels, rows: slice) -> Planes:
    """Give some rows of what a sum names, colours first: (3, H, W) or (1, H, W) float32."""
    one = pass_named(name, passes)
    covered = alpha_channel(passes)
    refs = one.channels[: colours_of(one)] if one is not None else (covered,) if covered is not None else ()
    made = np.empty((len(refs), *pixels[refs[0]][rows].shape), np.float32)
    for i, ref in enumerate(refs):
        made[i] = pixels[ref][rows]
    return made


def needed_channels(terms: Sequence[Term], passes: Sequence[Pass]) -> list[Any]:
    """Give the channels that a sum and its beauty are read from."""
    names = dict.fromkeys([Role.BEAUTY.value, *(name for term in terms for name in term.passes)])
    refs = []
    for name in names:
        one = pass_of(Role.BEAUTY, passes) if name == Role.BEAUTY else pass_named(name, passes)
        if one is not None:
            refs += list(one.channels[: colours_of(one)])
        elif name == ALPHA and (ref := alpha_channel(passes)) is not None:
            refs.append(ref)
    return list(dict.fromkeys(refs))


class _Counts:
    """Adds a frame's bands up."""

    def __init__(self) -> None:
        self.largest, self.worst = -1.0, (0, 0)
        self.squares = self.sums = self.meant_squares = 0.0
        self.pixels = self.values = self.beyond = self.positive = self.odd = 0
        self.bins = np.zeros(_BINS, np.int64)
        self.products = self.own = 0.0

    def add(self, meant: Planes, off: Planes, bound: Planes, top: int) -> None:
        """Take in some rows, (3, H, W) each."""
        if not np.isfinite(off.sum(dtype=np.float64)):
            finite = cast("Mask", np.isfinite(off).all(axis=0))
            self.odd += int((~finite).sum())
            meant, off = np.where(finite, meant, 0), np.where(finite, off, 0)
        size = np.abs(off)
        self.pixels, self.values = self.pixels + off[0].size, self.values + off.size
        highest = float(size.max(initial=0.0))
        if highest > self.largest:
            _, row, column = np.unravel_index(int(size.argmax()), size.shape)
            self.largest, self.worst = highest, (int(column), int(row) + top)
        self.squares += _squared(off)
        self.sums += float(off.sum(dtype=np.float64))
        self.meant_squares += _squared(meant)
        over = size > bound
        if over.any():
            gap = np.any(over, axis=0)
            grey = off[0] + off[1] + off[2]
            self.beyond += int(gap.sum())
            self.positive += int((grey[gap] > 0).sum())
            self.products += _dot(grey[:, 1:], grey[:, :-1])
            self.own += _squared(grey[:, 1:])
        # The exponent and the first bits of a number are the bin it falls into.
        bits = size.view(np.uint32) >> 16
        self.bins += np.bincount(bits.ravel(), minlength=_BINS)

    def residual(self) -> Residual:
        rms = float(np.sqrt(self.squares / max(1, self.values)))
        meant = float(np.sqrt(self.meant_squares / max(1, self.values)))
        return Residual(
            max(self.largest, 0.0), rms, self._p999(), self.sums / max(1, self.values),
            rms / meant if meant else 0.0, self.worst, self.beyond / max(1, self.pixels), self.odd,
            self.products / self.own if self.own else 0.0,
            self.positive / self.beyond if self.beyond else 0.5,
        )  # fmt: skip

    def _p999(self) -> float:
        """Read where 99.9 % lie at or below, to the upper end of a bin."""
        above = np.cumsum(self.bins[::-1])[::-1]
        places = np.flatnonzero(above > self.values * 0.001)
        if not len(places) or places[-1] == 0:
            return 0.0
        return float(np.array([(int(places[-1]) + 1) << 16], np.uint32).view(np.float32)[0])


def _squared(values: Planes) -> float:
    return _dot(values, values)


def _dot(first: Planes, second: Planes) -> float:
    # Within a band single precision is enough: its sums are added up in double.
    return float(np.vdot(first, second))


def compared(meant: Planes, total: Planes) -> Residual:
    """Hold a sum that was made already against its beauty, (H, W, 3) each: bounded by half-float steps."""
    counts = _Counts()
    for top in range(0, len(meant), _BAND):
        light, made = (
            np.ascontiguousarray(np.moveaxis(each[top : top + _BAND], -1, 0)) for each in (meant, total)
        )
        with np.errstate(all="ignore"):
            bound = (np.abs(light) + 2 * np.abs(made) + np.float32(2.0**-14)) * np.float32(STEPS["half"])
            counts.add(light, light - made, np.asarray(bound, np.float32), top)
    return counts.residual()
