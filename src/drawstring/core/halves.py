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

_HALVES = np.arange(1 << 16, dtype=np.uint16).view(np.float16)
FLOAT_OF_HALF: NDArray[np.uint32] = _HALVES.astype(np.float32).view(np.uint32)
"""The bits of every half as a float, by numpy's conversion, which is exact."""


def singles(plane: NDArray[Any]) -> NDArray[np.float32]:
    """Give a plane as float32: itself where it is that; halves by a table, which is exact.

    Examples
    --------
    >>> singles(np.float16([[0.5, 2]]))
    array([[0.5, 2. ]], dtype=float32)
    """
    if plane.dtype != np.float16:
        return np.asarray(plane, np.float32)
    made = np.empty(plane.shape, np.float32)
    bits = np.ascontiguousarray(plane).view(np.uint16)
    _widen(bits.ravel(), FLOAT_OF_HALF, made.view(np.uint32).ravel())
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

    in_bands(halve, len(made), 2 if made.size > WORTH_TWO else 1)
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
    _halve(single.ravel(), single.view(np.uint32).ravel(), bits.ravel())
    return bits


@kernel(nogil=True)
def _widen(bits, table, made):  # type: ignore[no-untyped-def]
    for i in range(bits.size):
        made[i] = table[bits[i]]


@kernel(nogil=True)
def _halve(values, bits, made):  # type: ignore[no-untyped-def]
    # All ways are gone and one is chosen, so that many values are done at once.
    half, units = np.float32(0.5), np.float32(1 << 24)
    for i in range(values.size):
        sign = bits[i] & np.uint32(0x80000000)
        size = bits[i] ^ sign
        odd = (size >> np.uint32(13)) & np.uint32(1)
        whole = (size + np.uint32(0xC8000FFF) + odd) >> np.uint32(13)
        # Below what half holds with all its digits: added to a half, the processor rounds it to units.
        near = values[i] if size < np.uint32(0x38800000) else np.float32(0)
        small = np.uint32(np.int32((np.float32(abs(near)) + half - half) * units))
        narrow = small if size < np.uint32(0x38800000) else whole
        narrow = narrow if size < np.uint32(0x47800000) else np.uint32(0x7C00)
        narrow = narrow if size <= np.uint32(0x7F800000) else np.uint32(0x7E00)
        made[i] = np.uint16(narrow | (sign >> np.uint32(16)))
