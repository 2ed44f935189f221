"""Half floats made and read: several times as quick as the general conversions, and the same bits."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from drawstring.core.bands import in_bands
from drawstring.core.kernels import kernel

WORTH_TWO = 500_000
"""Values that are worth a second thread."""


def singles(plane: NDArray[Any]) -> NDArray[np.float32]:
    """Give a plane as float32: itself where it is that; halves exactly, and a NaN with all it says.

    Examples
    --------
    >>> singles(np.float16([[0.5, 2]]))
    array([[0.5, 2. ]], dtype=float32)
    """
    if plane.dtype != np.float16:
        return np.asarray(plane, np.float32)
    made = np.empty(plane.shape, np.float32)
    bits = np.ascontiguousarray(plane).view(np.uint16)
    _widen(bits.ravel(), made.view(np.uint32).ravel())
    return made


def halved(planes: Sequence[NDArray[Any]]) -> NDArray[np.float16]:
    """Put planes of one size side by side as half floats: (H, W, C), rounded to the nearest, ties to even.

    Beyond what half holds is infinity; a NaN is one, whichever it was (IEEE 754-2019, binary16).

    Parameters
    ----------
    planes : sequence of (H, W)
        Any numbers; float32 and float16 are quick.
    """
    made = np.empty((*planes[0].shape, len(planes)), np.float16)

    def halve(first: int, last: int) -> None:
        beside = [_of(plane[first:last]) for plane in planes]
        if 2 <= len(beside) <= 4:
            cv2.merge(beside, made.view(np.uint16)[first:last])
        else:
            made.view(np.uint16)[first:last] = np.stack(beside, axis=-1)

    # Halves are only laid beside each other, in less time than a second thread takes to come up.
    is_work = made.size > WORTH_TWO and any(plane.dtype != np.float16 for plane in planes)
    in_bands(halve, len(made), 2 if is_work else 1)
    return made


def halves_of(values: NDArray[Any]) -> NDArray[np.float16]:
    """Give numbers of any shape as half floats, rounded as `halved` does."""
    made = np.empty(values.shape, np.float16)

    def halve(first: int, last: int) -> None:
        _of(values[first:last], made.view(np.uint16)[first:last])

    in_bands(halve, len(made), 2 if made.size > WORTH_TWO else 1)
    return made


def stored_as(plane: NDArray[np.float32], kind: np.dtype[Any]) -> NDArray[Any]:
    """Give a plane of floats in another type: halves as `halved` rounds them."""
    return _of(plane).view(np.float16) if kind == np.float16 else np.asarray(plane, kind)


def _of(plane: NDArray[Any], into: NDArray[np.uint16] | None = None) -> NDArray[np.uint16]:
    """Give a plane's halves as bits."""
    if plane.dtype == np.float16:
        halves = np.ascontiguousarray(plane).view(np.uint16)
        if into is None:
            return halves
        into[...] = halves
        return into
    single = np.ascontiguousarray(plane, np.float32)
    bits = np.empty(single.shape, np.uint16) if into is None else into
    _halve(single.view(np.uint32).ravel(), bits.ravel())
    return bits


def block_means(plane: NDArray[np.float16], level: int) -> NDArray[np.float16]:
    """Make a plane of halves smaller by halving `level` times: each value is the mean of a block.

    Where the last row or column is in no whole block, it counts as often as is needed to fill one.

    Parameters
    ----------
    plane : (H, W) float16
    level : int

    Returns
    -------
    (ceil(H / 2**level), ceil(W / 2**level)) float16
        Summed as float32, rounded to the nearest, ties to even.

    Examples
    --------
    >>> block_means(np.float16([[1, 3, 5]]), 1)
    array([[2., 5.]], dtype=float16)
    """
    height, width = plane.shape
    made = np.empty((-(-height >> level), -(-width >> level)), np.uint16)
    _mean(np.ascontiguousarray(plane).view(np.uint16), level, made)
    return made.view(np.float16)


# In what follows all ways are gone and one is chosen, so that many values are done at once. What is small is
# added to, or taken from, a number whose last digit is the smallest that a half holds: the processor rounds.


@kernel(nogil=True)
def single_of(half):  # type: ignore[no-untyped-def]
    """Give the bits of a half as those of a float, exactly (IEEE 754-2019, binary16 and binary32)."""
    size = np.uint32(np.uint32(half & np.uint16(0x7FFF)) << np.uint32(13))
    sign = np.uint32(np.uint32(half & np.uint16(0x8000)) << np.uint32(16))
    least = np.uint32(0x38800000)
    small = np.float32(np.uint32(size + least).view(np.float32) - least.view(np.float32)).view(np.uint32)
    # Infinity and NaN have the largest exponent of all, there and here.
    larger = np.uint32(0x70000000) if size >= np.uint32(0x0F800000) else np.uint32(0x38000000)
    wide = np.uint32(size + larger)
    return np.uint32((small if size < np.uint32(0x00800000) else wide) | sign)


@kernel(nogil=True)
def half_of(single):  # type: ignore[no-untyped-def]
    """Give the bits of a float as those of the nearest half, ties to even; a NaN is one, whichever it was."""
    sign = np.uint32(single & np.uint32(0x80000000))
    size = np.uint32(single ^ sign)
    odd = np.uint32((size >> np.uint32(13)) & np.uint32(1))
    whole = np.uint32((size + np.uint32(0xC8000FFF) + odd) >> np.uint32(13))
    raised = np.float32(size.view(np.float32) + np.float32(0.5)).view(np.uint32)
    narrow = np.uint32(raised - np.uint32(0x3F000000)) if size < np.uint32(0x38800000) else whole
    narrow = narrow if size < np.uint32(0x47800000) else np.uint32(0x7C00)
    narrow = narrow if size <= np.uint32(0x7F800000) else np.uint32(0x7E00)
    return np.uint16(narrow | (sign >> np.uint32(16)))


@kernel(nogil=True)
def _widen(bits, made):  # type: ignore[no-untyped-def]
    for i in range(bits.size):
        made[i] = single_of(bits[i])


@kernel(nogil=True)
def _halve(bits, made):  # type: ignore[no-untyped-def]
    for i in range(bits.size):
        made[i] = half_of(bits[i])


@kernel(nogil=True)
def _mean(bits, level, made):  # type: ignore[no-untyped-def]
    height, width = bits.shape
    step = 1 << level
    share = np.float32(1 / (step * step))
    room = np.empty((2, made.shape[1] << level), np.float32)
    for y in range(made.shape[0]):
        sums, pairs = room[0], room[1]
        sums[:] = 0
        for k in range(step):
            _add_row(bits[min(y * step + k, height - 1)], sums)
        sums[width:] = sums[width - 1]
        for k in range(1, level + 1):
            _add_pairs(sums, sums.size >> k, pairs)
            sums, pairs = pairs, sums
        for x in range(made.shape[1]):
            made[y, x] = half_of(np.float32(sums[x] * share).view(np.uint32))


# By themselves: within a larger loop numba does not see that what is read is not what is written.


@kernel(nogil=True)
def _add_row(row, sums):  # type: ignore[no-untyped-def]
    for x in range(row.size):
        sums[x] += np.uint32(single_of(row[x])).view(np.float32)


@kernel(nogil=True)
def _add_pairs(sums, count, pairs):  # type: ignore[no-untyped-def]
    for x in range(count):
        pairs[x] = sums[2 * x] + sums[2 * x + 1]
