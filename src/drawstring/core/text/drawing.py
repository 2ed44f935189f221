"""One line of text as coverage, and laid on a picture.

Letters are placed as the script wants it (ligatures, accents, right to left) by HarfBuzz and FriBidi, through
Pillow; what the font lacks shows as its box for "not there".
"""

from __future__ import annotations

from enum import StrEnum
from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from drawstring.core.arrays import Picture, Plane

FONTS = Path(__file__).parent / "fonts"


class Weight(StrEnum):
    """How heavy letters are."""

    PLAIN = "atkinson-hyperlegible-next-latin-400-normal.woff2"
    STRONG = "atkinson-hyperlegible-next-latin-700-normal.woff2"


@lru_cache(maxsize=64)
def _font(weight: Weight, size: int) -> ImageFont.FreeTypeFont:
    return ImageFont.truetype(str(FONTS / weight.value), size, layout_engine=ImageFont.Layout.RAQM)


@lru_cache(maxsize=4096)
def has_letter(letter: str, weight: Weight = Weight.PLAIN) -> bool:
    """Whether the font draws a letter: what it lacks all looks like the same box."""
    font = _font(weight, 24)
    lacking = font.getmask("\uffff")
    drawn = font.getmask(letter)
    return letter.isspace() or drawn.size != lacking.size or bytes(drawn) != bytes(lacking)


def text_size(text: str, size: int, weight: Weight = Weight.PLAIN) -> tuple[int, int]:
    """Give how wide and high a line is, in pixels; its height is the font's, whatever letters stand in it."""
    font = _font(weight, size)
    up, down = font.getmetrics()
    return round(font.getlength(text)), up + down


def fitted_size(text: str, size: int, width: int, weight: Weight = Weight.PLAIN) -> int:
    """Give the size, up to one, at which a line is no wider than that; at least 4."""
    wide, _ = text_size(text, size, weight)
    return size if wide <= width else max(4, size * width // max(1, wide))


def fitted_text(text: str, size: int, width: int, weight: Weight = Weight.PLAIN) -> tuple[str, int]:
    """Give a line and a size at which it is no wider than that: smaller at first, then cut short."""
    size = max(fitted_size(text, size, width, weight), min(size, max(8, round(0.7 * size))))
    return shortened_text(text, size, width, weight), size


def shortened_text(text: str, size: int, width: int, weight: Weight = Weight.PLAIN) -> str:
    """Give as much of a line as is no wider than that, with … where it was cut; empty where nothing fits."""
    if text_size(text, size, weight)[0] <= width:
        return text
    low, high = 0, len(text)
    while low < high:
        middle = (low + high + 1) // 2
        fits = text_size(text[:middle].rstrip() + "…", size, weight)[0] <= width
        low, high = (middle, high) if fits else (low, middle - 1)
    return text[:low].rstrip() + "…" if low else ""


def coverage(text: str, size: int, weight: Weight = Weight.PLAIN) -> Plane:
    """Draw a line: (h, w) float32, 1 where letters cover."""
    width, height = text_size(text, size, weight)
    drawn = Image.new("L", (max(1, width), max(1, height)), 0)
    ImageDraw.Draw(drawn).text((0, 0), text, font=_font(weight, size), fill=255)
    return np.asarray(drawn, np.float32) / np.float32(255)


def write_text(
    picture: Picture, text: str, at: tuple[int, int], size: int, *,
    light: tuple[float, float, float] = (1.0, 1.0, 1.0), weight: Weight = Weight.PLAIN,
) -> None:  # fmt: skip
    """Write a line into a picture, in place; what lies outside is cut off.

    Parameters
    ----------
    picture : (H, W, 3 or 4) float32
        Premultiplied where it has alpha.
    at : (x, y)
        Where the line's upper left corner lies.
    size : int
        Of the letters, in pixels.
    light : three float
    """
    if not text:
        return
    mask = coverage(text, size, weight)
    x, y = at
    left, top = max(0, -x), max(0, -y)
    shown = mask[top : picture.shape[0] - y, left : picture.shape[1] - x]
    if not shown.size:
        return
    under = picture[y + top : y + top + shown.shape[0], x + left : x + left + shown.shape[1]]
    colour: NDArray[np.float32] = np.ones(picture.shape[2], np.float32)
    colour[:3] = light
    under *= 1 - shown[..., None]
    under += shown[..., None] * colour
