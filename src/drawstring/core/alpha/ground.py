"""The lit ground as it would be without an object: fitted to what of it is seen in the light.

Lamps fall off and lenses darken corners, both smoothly; a shadow lies below that surface and an object
hides it. So a smooth low-order surface is fitted to the ground's light, again and again without what lies
clearly below it, until only lit ground speaks.

Source of the weights: F. Mosteller, J. W. Tukey, "Data Analysis and Regression", 1977 (the biweight); what
lies below is cut harder than what lies above, since shadows only darken.
"""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.polynomial import legendre
from numpy.typing import NDArray

from drawstring.core.arrays import Mask, Picture, Plane
from drawstring.core.choices import Choice
from drawstring.core.errors import SourceError

_WIDE = 128
_ROUNDS = 14
_FEWEST = 200
_BENDS, _STARTS = (2, 3, 4, 5, 6, 7, 8), (3, 5)
_ASKED, _MISSED = 2000, 0.05


class Surface(Choice):
    """What a ground's light is taken for."""

    LEVEL = "level"
    """The same everywhere."""
    PLANE = "plane"
    """Rising or falling evenly to one side."""
    SMOOTH = "smooth"
    """Bent, as under a lamp or behind a lens with dark corners."""


_ORDERS = {Surface.LEVEL: 0, Surface.PLANE: 1}


def fitted(
    picture: Picture,
    seen: Plane,
    surface: Surface = Surface.SMOOTH,
    *,
    order: int = 0,
    surely: Mask | None = None,
    where: str = "",
) -> Picture:
    """Fit the lit ground.

    Parameters
    ----------
    picture : (H, W, 3) float32
        The ground picture, scene-linear.
    seen : (H, W) float32
        How far each pixel may speak: 0 where an object hides the ground or a person painted it out.
    surface : Surface
    order : int
        Highest power of a smooth surface; 0 takes the one that foretells best what it has not seen.
    surely : (H, W) bool, optional
        Pixels that a person called lit ground: they always speak.
    where : str
        For the refusal.

    Returns
    -------
    (H, W, 3) float32

    Raises
    ------
    SourceError
        Too little ground is seen to fit anything to.
    """
    height, width = picture.shape[:2]
    small, weight = _small(picture, seen)
    known = np.isfinite(small).all(axis=-1) & (weight > 0.5)
    if known.sum() < _FEWEST:
        raise SourceError(
            "Hardly any ground is seen beside the object.",
            where=where or "shadow",
            why="The clean ground can't be fitted to so little of it, and without it no shadow can "
            "be told from dark ground.",
            remedy="Give a third render of the ground alone, frame the object wider, or paint in "
            "what is ground.",
        )
    orders = _BENDS if not order else (order,)
    order = _ORDERS.get(surface, max(orders))
    rows, cols = np.nonzero(known)
    # As far from the middle as the whole picture goes: -1 to 1.
    y, x = 2 * (rows + 0.5) / known.shape[0] - 1, 2 * (cols + 0.5) / known.shape[1] - 1
    basis = _basis(x, y, order)
    light = small[rows, cols]
    brightness = light.mean(axis=-1)
    sure = np.zeros(len(rows), bool)
    if surely is not None:
        sure = (
            cv2.resize(surely.astype(np.uint8), known.shape[::-1], interpolation=cv2.INTER_NEAREST)[
                rows, cols
            ]
            > 0
        )
    lit = weight[rows, cols]
    is_log = False
    if surface is Surface.SMOOTH:
        patches = _patches(rows, cols, known.shape)
        order, is_log = _bends(basis, brightness, lit, sure, patches, orders)
    speaks = _lit(basis[:, : _count(order)], brightness, lit, sure, order, is_log=is_log)
    shares = _relatively(basis[:, : _count(order)], light, speaks, is_log=is_log)
    made = _spread(np.asarray(shares, np.float64), order, height, width)
    # Beyond what is seen a surface of many bends may go anywhere; light does not.
    most = 2 * float(light[speaks > 0].max(initial=0))
    return np.exp(np.minimum(made, np.log(max(most, 1e-6)))) if is_log else np.clip(made, 0, most)


def _lit(
    basis: NDArray[np.float64],
    light: NDArray[np.float32],
    weight: NDArray[np.floating],
    sure: Mask,
    order: int,
    *,
    is_log: bool,
) -> NDArray[np.float64]:
    """Find how far each sample speaks for the lit surface."""
    # Begin with the brighter half of what lies about a surface of few bends, wherever in the picture.
    speaks = np.asarray(weight, np.float64)
    few = basis[:, : _count(min(order, 2))]
    for _ in range(3):
        off = _off(few, light, speaks, is_log=is_log)
        speaks = np.where(off >= np.median(off), weight, 0.15 * weight).astype(np.float64)
        speaks[sure] = 1
    for i in range(_ROUNDS):
        off = _off(few if i < 4 else basis, light, speaks, is_log=is_log)
        inside = np.abs(off[speaks > 0.05 * speaks.max()])
        spread = max(1.4826 * float(np.median(inside)), 0.002)
        # Even on both sides, or noise would lift the surface: what lies below is shadow, what lies above
        # light that the object throws on the ground.
        u = off / (3 * spread)
        before = speaks
        speaks = np.asarray(weight * np.where(np.abs(u) < 1, (1 - u * u) ** 2, 0), np.float64)
        speaks[sure] = 1
        if i > 5 and float(np.abs(speaks - before).mean()) < 1e-4:
            break
        if (speaks > 0).sum() < _FEWEST // 2:
            return np.asarray(weight, np.float64)
    return np.asarray(speaks, np.float64)


def _off(
    basis: NDArray[np.float64], light: NDArray[np.float32], speaks: NDArray[np.float64], *, is_log: bool
) -> NDArray[np.float64]:
    """Give by what share of the fitted surface each sample lies off it."""
    surface = basis @ _relatively(basis, light[:, None], speaks, is_log=is_log)[:, 0]
    if is_log:
        surface = np.exp(np.clip(surface, -50, 50))
    return np.asarray(light / np.maximum(surface, _least(light)) - 1, np.float64)


def _patches(
    rows: NDArray[np.integer], cols: NDArray[np.integer], shape: tuple[int, ...]
) -> NDArray[np.integer]:
    """Give each sample the number of its patch, 0 to 3; no two of one number touch."""
    return np.asarray((rows * 8 // shape[0] + 2 * (cols * 8 // shape[1])) % 4)


def _bends(
    basis: NDArray[np.float64],
    light: NDArray[np.float32],
    weight: NDArray[np.floating],
    sure: Mask,
    patches: NDArray[np.integer],
    orders: Sequence[int],
) -> tuple[int, bool]:
    """Choose the order and whether light or its logarithm is fitted, by cross-validation.

    Falling-off light is smooth in its logarithm, where a shadow is a step however dark its corner; other
    light is smooth as it is. Whole patches are left out and foretold from the others, since what has to be
    foretold is a patch: the ground behind the object. What is missed by far counts as missed, no more.

    Source: M. Stone, "Cross-validatory choice and assessment of statistical predictions", Journal of the
    Royal Statistical Society B 36(2), 1974.
    """
    some = slice(None, None, max(1, len(light) // _ASKED))
    basis, light, weight, sure, patches = basis[some], light[some], weight[some], sure[some], patches[some]
    errors: dict[tuple[int, bool], float] = {}
    for is_log in (False, True):
        for start in _STARTS:
            few = min(start, max(orders))
            lit = _lit(basis[:, : _count(few)], light, weight, sure, few, is_log=is_log)
            for order in orders:
                part, missed = basis[:, : _count(order)], np.zeros(len(light))
                for left_out in range(4):
                    told, asked = np.where(patches == left_out, 0, lit), patches == left_out
                    off = _off(part, light, told, is_log=is_log)
                    missed[asked] = np.minimum(np.abs(off[asked]), _MISSED)
                error = float(missed.mean())
                errors[order, is_log] = min(errors.get((order, is_log), 1.0), error)
    return min(errors, key=lambda choice: errors[choice])


def _least(light: NDArray[np.floating]) -> float:
    """Give the light below which a share of it says nothing."""
    return max(0.02 * float(np.median(light)), 1e-6)


def _relatively(
    basis: NDArray[np.float64], light: NDArray[np.floating], speaks: NDArray[np.floating], *, is_log: bool
) -> NDArray[np.float64]:
    """Solve for the least error as a share of the surface itself: (N, C) for (S, C) light."""
    if is_log:
        return _solved(basis, np.log(np.maximum(light, _least(light))), speaks)
    shares = _solved(basis, light, speaks)
    surface = np.maximum((basis @ shares).mean(axis=-1), _least(light))
    return _solved(basis, light, speaks * (np.median(surface) / surface) ** 2)


def _solved(
    basis: NDArray[np.float64], light: NDArray[np.floating], speaks: NDArray[np.floating]
) -> NDArray[np.float64]:
    """Solve for each polynomial's share by the normal equations, which the polynomials keep well-behaved."""
    weighed = basis * speaks[:, None]
    # A whisper towards nothing keeps what no sample speaks for from growing without bound.
    matrix = weighed.T @ basis + 1e-7 * float(speaks.sum()) * np.eye(basis.shape[1])
    return np.asarray(np.linalg.solve(matrix, weighed.T @ light), np.float64)


def _count(order: int) -> int:
    return (order + 1) * (order + 2) // 2


def _basis(x: NDArray[np.float64], y: NDArray[np.float64], order: int) -> NDArray[np.float64]:
    """Give the products of Legendre polynomials up to an order, those of low order first."""
    px, py = legendre.legvander(x, order), legendre.legvander(y, order)
    return np.stack(
        [px[..., i] * py[..., total - i] for total in range(order + 1) for i in range(total + 1)], axis=-1
    )


def _spread(shares: NDArray[np.float64], order: int, height: int, width: int) -> Picture:
    """Work the surface out at every pixel, from one polynomial for each row and column."""
    px = legendre.legvander(2 * (np.arange(width) + 0.5) / width - 1, order)
    py = legendre.legvander(2 * (np.arange(height) + 0.5) / height - 1, order)
    made = np.empty((height, width, shares.shape[1]), np.float32)
    for channel in range(shares.shape[1]):
        table, at = np.zeros((order + 1, order + 1)), 0
        for total in range(order + 1):
            for i in range(total + 1):
                table[i, total - i] = shares[at, channel]
                at += 1
        made[..., channel] = py @ table.T @ px.T
    return made


def _small(picture: Picture, seen: Plane) -> tuple[Picture, Plane]:
    """Make both smaller, only seen pixels in the mean."""
    height, width = seen.shape
    step = max(1, width // _WIDE)
    size = -(-width // step), -(-height // step)
    weight = np.asarray(seen, np.float32)
    told = np.where(weight[..., None] > 0, picture, 0) * weight[..., None]
    share = cv2.resize(weight, size, interpolation=cv2.INTER_AREA)
    mean = cv2.resize(np.ascontiguousarray(told, np.float32), size, interpolation=cv2.INTER_AREA)
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.asarray(mean / share[..., None], np.float32), np.asarray(share, np.float32)
