"""Colour changed pixel by pixel in one pass, compiled: what `grade.graded` does step by step in words."""

from __future__ import annotations

import math

import numpy as np

from drawstring.core.kernels import kernel

_QUICK = {"contract", "reassoc", "arcp", "afn"}
"""What the compiler may do for speed; NaN and inf stay what they are."""


@kernel(nogil=True, fastmath=_QUICK)
def grade_pixels(first, last, picture, made, gains, curves, ends, cdl, weights, flags, black):
    """Change the colour of pixels, unmultiplied and multiplied back.

    Parameters
    ----------
    first, last : int
        Which pixels.
    picture, made : (N, 4) float32
        Premultiplied; read, and written.
    gains : (6,) float32
        Balance and exposure of R, G, B; contrast, pivot, saturation.
    curves : (4, S) float32
        Gains evenly in stops: the common curve's, then those of R, G, B; only those that are on are read.
    ends : (4, 2) float32
        First and last stop of each curve.
    cdl : (10,) float32
        Slope, offset and power of R, G, B, then saturation.
    weights : (3,) float32
        Of luminance.
    flags : (7,) bool
        Whether contrast, ASC CDL, its clamps, the common curve and those of R, G, B are on.
    black : (3,) float32
        What becomes of black: nothing is there to be offset where nothing covers.
    """
    one = np.float32(1)
    has_contrast, has_cdl, clamps, has_common, has_own = flags[0], flags[1], flags[2], flags[3], flags[4:]
    contrast, pivot, saturation, cdl_saturation = gains[3], gains[4], gains[5], cdl[9]
    # For each colour apart, so that everything about it stays in registers.
    for c in range(3):
        gain, slope, offset, power = gains[c], cdl[c], cdl[3 + c], cdl[6 + c]
        for i in range(first, last):
            alpha = picture[i, 3]
            x = picture[i, c] * gain
            if alpha > 0 and alpha != one:
                x = x / alpha
            if has_contrast and x > 0:
                x = pivot * np.float32(math.pow(x / pivot, contrast))
            if has_common:
                x = _curve(x, 0, curves, ends)
            if has_own[c]:
                x = _curve(x, 1 + c, curves, ends)
            made[i, c] = x
        if has_cdl and saturation == one:
            for i in range(first, last):
                made[i, c] = _decided(made[i, c], slope, offset, power, clamps)
    if saturation != one:
        _saturate(first, last, made, weights, saturation)
        if has_cdl:
            for c in range(3):
                slope, offset, power = cdl[c], cdl[3 + c], cdl[6 + c]
                for i in range(first, last):
                    made[i, c] = _decided(made[i, c], slope, offset, power, clamps)
    if has_cdl and cdl_saturation != one:
        _saturate(first, last, made, weights, cdl_saturation)
    for i in range(first, last):
        alpha = picture[i, 3]
        made[i, 3] = alpha
        for c in range(3):
            x = made[i, c]
            if has_cdl and clamps:
                x = _held(x)
            if not alpha > 0:
                x = x - black[c]
            elif alpha != one:
                x = x * alpha
            made[i, c] = x


@kernel(nogil=True, fastmath=_QUICK)
def _saturate(first, last, made, weights, saturation):
    """Bring colours nearer to their grey, or further from it."""
    red, green, blue = weights[0], weights[1], weights[2]
    for i in range(first, last):
        grey = made[i, 0] * red + made[i, 1] * green + made[i, 2] * blue
        for c in range(3):
            made[i, c] = grey + saturation * (made[i, c] - grey)


@kernel(nogil=True, fastmath=_QUICK)
def _curve(x, which, curves, ends):
    """Multiply by a gain looked up by stops, between two samples in a line; beyond the ends as at them."""
    last = curves.shape[1] - 1
    if not x > 0:
        return x * curves[which, 0]
    stop = np.float32(math.log2(x))
    place = (stop - ends[which, 0]) * np.float32(last) / (ends[which, 1] - ends[which, 0])
    if not place > 0:
        return x * curves[which, 0]
    if place >= last:
        return x * curves[which, last]
    low = int(place)
    along = place - np.float32(low)
    return x * (curves[which, low] + (curves[which, low + 1] - curves[which, low]) * along)


@kernel(nogil=True, fastmath=_QUICK)
def _decided(x, slope, offset, power, clamps):
    """Do slope, offset and power of one colour."""
    x = x * slope + offset
    if clamps:
        x = _held(x)
    if power != np.float32(1) and x > 0:
        x = np.float32(math.pow(x, power))
    return x


@kernel(nogil=True)
def _held(x):
    """Hold to 0 to 1; what is no number stays none."""
    if x < 0:
        return np.float32(0)
    return np.float32(1) if x > 1 else x
