"""Two eyes in one picture: how they lie there, taken apart and put together.

Full packings and the lines of interlaced pictures are moved, never computed: they come back bit by bit.

Half sizes keep every second column or row for what must not be mixed (distances, names). Light is filtered:
reduced by the mean of two neighbours, enlarged linearly between the middles of the reduced samples (weights
3/4 and 1/4), which is what the mean's samples stand for. Lines that an interlaced picture left out are the
mean of the lines beside them, or the line before where values must not be mixed.
"""

from __future__ import annotations

import numpy as np

from drawstring.core.arrays import Stored
from drawstring.core.choices import Choice
from drawstring.core.errors import SettingError


class Packing(Choice):
    """How two eyes lie in one picture."""

    SIDE_BY_SIDE = "side_by_side", "side by side"
    """Next to each other, each whole."""
    SIDE_BY_SIDE_HALF = "side_by_side_half", "side by side, half"
    """Next to each other, each squeezed to half its width."""
    ABOVE_BELOW = "above_below", "above/below"
    """One above the other, each whole."""
    ABOVE_BELOW_HALF = "above_below_half", "above/below, half"
    """One above the other, each squeezed to half its height."""
    ROWS = "rows_interlaced", "rows interlaced"
    """Every second row belongs to one eye."""
    COLUMNS = "columns_interlaced", "columns interlaced"
    """Every second column belongs to one eye."""


class First(Choice):
    """Which eye lies at the left, above, or on the first line."""

    LEFT = "left"
    RIGHT = "right"


_ACROSS = {Packing.SIDE_BY_SIDE, Packing.SIDE_BY_SIDE_HALF, Packing.COLUMNS}
_HALF = {Packing.SIDE_BY_SIDE_HALF, Packing.ABOVE_BELOW_HALF}
_LINES = {Packing.ROWS, Packing.COLUMNS}


def packed_size(width: int, height: int, packing: Packing) -> tuple[int, int]:
    """Give the size of a packed picture from that of an eye.

    Examples
    --------
    >>> packed_size(1920, 1080, Packing.ABOVE_BELOW)
    (1920, 2160)
    """
    if packing is Packing.SIDE_BY_SIDE:
        return 2 * width, height
    if packing is Packing.ABOVE_BELOW:
        return width, 2 * height
    return width, height


def eye_size(width: int, height: int, packing: Packing) -> tuple[int, int]:
    """Give the size of an eye from that of a packed picture.

    Raises
    ------
    SettingError
        The picture can't be parted into two equal halves.
    """
    _refuse_odd(width, height, packing)
    if packing is Packing.SIDE_BY_SIDE:
        return width // 2, height
    if packing is Packing.ABOVE_BELOW:
        return width, height // 2
    return width, height


def round_packing(width: int, height: int) -> Packing | None:
    """Give how an all-round picture of some size holds two eyes, each 2:1; None where it holds one.

    Examples
    --------
    >>> round_packing(8192, 2048), round_packing(4096, 4096), round_packing(4096, 2048)
    (<Packing.SIDE_BY_SIDE: 'side_by_side'>, <Packing.ABOVE_BELOW: 'above_below'>, None)
    """
    shape = width / max(1, height)
    if abs(shape - 4) < 0.04:
        return Packing.SIDE_BY_SIDE
    return Packing.ABOVE_BELOW if abs(shape - 1) < 0.01 else None


def unsqueezed(packing: Packing) -> Packing:
    """Give how eyes lie that keep their half size: as whole ones of half the width or height.

    Examples
    --------
    >>> unsqueezed(Packing.SIDE_BY_SIDE_HALF)
    <Packing.SIDE_BY_SIDE: 'side_by_side'>
    """
    whole = {
        Packing.SIDE_BY_SIDE_HALF: Packing.SIDE_BY_SIDE,
        Packing.ABOVE_BELOW_HALF: Packing.ABOVE_BELOW,
    }
    return whole.get(packing, packing)


def pack(left: Stored, right: Stored, packing: Packing, first: First, *, is_mixed: bool) -> Stored:
    """Put two eyes into one picture.

    Parameters
    ----------
    left, right : (H, W, ...)
        Of one shape and type.
    packing : Packing
    first : First
    is_mixed : bool
        Whether values may be averaged (light), or each must stay a true one.

    Raises
    ------
    SettingError
        The eyes differ in size, or a side that is to be halved is odd.
    """
    if left.shape != right.shape:
        raise SettingError(
            f"The eyes have {left.shape[1]}x{left.shape[0]} and {right.shape[1]}x{right.shape[0]} pixels.",
            where="eyes.packing", why="A packed picture holds two eyes of one size.",
            remedy="Render both at one size, or deliver them apart.",
        )  # fmt: skip
    axis = 1 if packing in _ACROSS else 0
    if packing in _HALF:
        _refuse_odd(left.shape[1], left.shape[0], packing)
        left, right = (_halved(one, axis, is_mixed=is_mixed) for one in (left, right))
    one, other = (left, right) if first is First.LEFT else (right, left)
    if packing not in _LINES:
        return np.concatenate([one, other], axis=axis)
    made = np.array(one)
    _lines(made, axis)[1::2] = _lines(other, axis)[1::2]
    return made


def halved(plane: Stored, packing: Packing, *, is_mixed: bool) -> Stored:
    """Reduce an eye to half its width or height, as a half packing has it.

    Raises
    ------
    SettingError
        The side to be halved is odd.
    """
    _refuse_odd(plane.shape[1], plane.shape[0], packing)
    return _halved(plane, 1 if packing in _ACROSS else 0, is_mixed=is_mixed)


def enlarged(plane: Stored, packing: Packing, *, is_mixed: bool) -> Stored:
    """Bring an eye that a half packing squeezed to the size it is shown at."""
    return _doubled(plane, 1 if packing in _ACROSS else 0, is_mixed=is_mixed)


def unpack(packed: Stored, packing: Packing, first: First, *, is_mixed: bool) -> tuple[Stored, Stored]:
    """Take the left and the right eye out of one picture.

    Parameters
    ----------
    packed : (H, W, ...)
    packing : Packing
    first : First
    is_mixed : bool
        Whether what is missing may be averaged (light), or is repeated.

    Raises
    ------
    SettingError
        The picture can't be parted into two equal halves.
    """
    _refuse_odd(packed.shape[1], packed.shape[0], packing)
    axis = 1 if packing in _ACROSS else 0
    if packing in _LINES:
        lines = _lines(packed, axis)
        eyes = [_lines(_filled(lines, begin, is_mixed=is_mixed), axis) for begin in (0, 1)]
    else:
        eyes = list(np.split(packed, 2, axis=axis))
        if packing in _HALF:
            eyes = [_doubled(one, axis, is_mixed=is_mixed) for one in eyes]
    one, other = (np.ascontiguousarray(eye) for eye in eyes)
    return (one, other) if first is First.LEFT else (other, one)


def _refuse_odd(width: int, height: int, packing: Packing) -> None:
    side, count = ("wide", width) if packing in _ACROSS else ("high", height)
    if count % 2 and packing is not Packing.ROWS and packing is not Packing.COLUMNS:
        raise SettingError(
            f"A picture {count} px {side} can't be parted into two equal halves.",
            where="eyes.packing", why="One eye would have a line more than the other.",
            remedy="Choose another packing, or have it rendered with an even size.",
        )  # fmt: skip


def _lines(plane: Stored, axis: int) -> Stored:
    """Turn a picture so that its lines come first (a view of it)."""
    return np.swapaxes(plane, 0, axis)


def _halved(plane: Stored, axis: int, *, is_mixed: bool) -> Stored:
    lines = _lines(plane, axis)
    if not is_mixed:
        return np.ascontiguousarray(_lines(lines[::2], axis))
    mean = (lines[::2].astype(np.float32) + lines[1::2].astype(np.float32)) * np.float32(0.5)
    return np.ascontiguousarray(_lines(mean.astype(plane.dtype), axis))


def _doubled(plane: Stored, axis: int, *, is_mixed: bool) -> Stored:
    lines = _lines(plane, axis)
    made = np.repeat(lines, 2, axis=0)
    if is_mixed:
        here = lines.astype(np.float32)
        before, after = np.concatenate([here[:1], here[:-1]]), np.concatenate([here[1:], here[-1:]])
        made[0::2] = (0.75 * here + 0.25 * before).astype(plane.dtype)
        made[1::2] = (0.75 * here + 0.25 * after).astype(plane.dtype)
    return np.ascontiguousarray(_lines(made, axis))


def _filled(lines: Stored, begin: int, *, is_mixed: bool) -> Stored:
    """Keep every second line from `begin` on; make those between from it."""
    made = np.array(lines)
    own, lacks = lines[begin::2], np.arange(1 - begin, len(lines), 2)
    if not len(own):
        return made
    before = np.clip((lacks - 1 - begin) // 2, 0, len(own) - 1)
    after = np.clip((lacks + 1 - begin) // 2, 0, len(own) - 1)
    if is_mixed:
        mean = (own[before].astype(np.float32) + own[after].astype(np.float32)) * np.float32(0.5)
        made[lacks] = mean.astype(lines.dtype)
    else:
        made[lacks] = own[before]
    return made
