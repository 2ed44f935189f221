"""Overscan: what is rendered beyond the delivery, and what has to change with it.

A picture that is to show more has to be larger *and* be seen by more film: with only one of both changed,
every
thing in it has another size. The factor for the film comes from the size after it was rounded to whole
pixels, for
each axis by itself.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass

from drawstring.core.errors import SettingError
from drawstring.core.framing.settings import MOST_PX
from drawstring.core.io.facts import Window

Sides = tuple[float, float, float, float]
"""Left, top, right, bottom."""

_NUMBER = r"(\d+(?:\.\d+)?)"
_FORMS = (
    ("total", re.compile(rf"{_NUMBER}\s*%(?:\s*(?:in total|total))?")),
    ("each", re.compile(rf"{_NUMBER}\s*%\s*(?:a side|per side|each side)")),
    ("render", re.compile(r"(?:render(?:ed)?(?: at)?\s*)?(\d{1,6})\s*[x×]\s*(\d{1,6})(?:\s*px)?")),
    ("factor", re.compile(rf"(?:film\s*)?[x×]\s*{_NUMBER}")),
    ("film", re.compile(rf"(?:film\s*)?{_NUMBER}\s*mm")),
    ("field", re.compile(rf"{_NUMBER}\s*(?:°|deg|degrees)")),
)
_SIDES = re.compile(r"[\d.]+(?: +[\d.]+){0,3}(?:\s*px)?")


def read_overscan(text: str, where: str) -> str:
    """Take what is typed for overscan, in any of its forms; what it comes to depends on the delivery's size.

    Raises
    ------
    SettingError
        It is none of them.

    Examples
    --------
    >>> read_overscan("10 %", ""), read_overscan("2112x1188", ""), read_overscan("96 54", "")
    ('10 %', '2112x1188', '96 54')
    """
    plain = " ".join(text.replace(",", ".").lower().split())
    words = plain.removesuffix("px").split()
    is_sides = bool(_SIDES.fullmatch(plain)) and len(words) in (1, 2, 4) and all(map(_is_number, words))
    if is_sides or any(form.fullmatch(plain) for _, form in _FORMS):
        numbers = [float(number) for number in re.findall(r"\d+(?:\.\d+)?", plain)]
        if max(numbers) <= MOST_PX:
            return plain
    raise SettingError(
        f"“{text[:60]}” is no overscan.", where=where, why="Nothing was changed.",
        remedy="Type 10 % (in total), 5 % a side, 96 (px on every side), 96 54, left top right bottom, the "
        "size to render (2112x1188), or what the camera gets: x1.1, 39.6 mm of film, or 60° across.",
    )  # fmt: skip


def _is_number(word: str) -> bool:
    try:
        return math.isfinite(float(word))
    except ValueError:
        return False


@dataclass(frozen=True)
class Overscan:
    """What a delivery with something around it comes to.

    Attributes
    ----------
    size : (int, int)
        Of the delivery.
    left, top, right, bottom : int
        Whole pixels on each side.
    """

    size: tuple[int, int]
    left: int
    top: int
    right: int
    bottom: int

    @property
    def sides(self) -> tuple[int, int, int, int]:
        """Left, top, right, bottom."""
        return self.left, self.top, self.right, self.bottom

    @property
    def render(self) -> tuple[int, int]:
        """The size to render.

        Examples
        --------
        >>> overscan_of("10 %", (1920, 1080)).render, overscan_of("5 %", (1920, 1080)).render
        ((2112, 1188), (2016, 1134))
        """
        return self.size[0] + self.left + self.right, self.size[1] + self.top + self.bottom

    @property
    def factor(self) -> tuple[float, float]:
        """By how much the film gets wider and higher; from the size in whole pixels."""
        return self.render[0] / self.size[0], self.render[1] / self.size[1]

    @property
    def window(self) -> Window:
        """The data window of the render, where the delivery is the display window."""
        width, height = self.size
        return Window(-self.left, -self.top, width - 1 + self.right, height - 1 + self.bottom)

    @property
    def percent(self) -> tuple[float, float]:
        """In percent of width and height, both sides together."""
        return 100 * (self.factor[0] - 1), 100 * (self.factor[1] - 1)

    @property
    def is_even(self) -> bool:
        """Whether both axes get the same share, so that one number in the camera is enough."""
        return abs(self.factor[0] - self.factor[1]) < 0.5 / max(self.size)

    @property
    def middle(self) -> tuple[float, float]:
        """How far right and down the middle of the render lies from the delivery's; pixels."""
        return (self.right - self.left) / 2, (self.bottom - self.top) / 2

    @property
    def cost(self) -> float:
        """By how much a frame has more pixels."""
        return self.factor[0] * self.factor[1]

    def film(self, filmback_mm: float) -> float:
        """Give the width of the film that sees all of it."""
        return filmback_mm * self.factor[0]

    def field(self, focal_mm: float, filmback_mm: float) -> float:
        """Give the angle across, in degrees, of a pin-hole camera with that film."""
        return 2 * math.degrees(math.atan(self.film(filmback_mm) / 2 / focal_mm))

    def shift(self, filmback_mm: float) -> tuple[float, float]:
        """Give how far the film moves right and down, in mm, where the sides differ."""
        per_px = filmback_mm / self.size[0]
        return self.middle[0] * per_px, self.middle[1] * per_px


def overscan_of(
    typed: str, size: tuple[int, int], *, focal_mm: float | None = None, filmback_mm: float | None = None
) -> Overscan:
    """Work out what was typed (see `read_overscan`); each side is rounded up to a whole pixel.

    What is the same on both sides stays so: an odd size would move the picture by half a pixel.

    Raises
    ------
    SettingError
        The render would be smaller than the delivery; film or field are typed and the camera is not known.

    Examples
    --------
    >>> overscan_of("60°", (1920, 1080), focal_mm=35, filmback_mm=36).render
    (2156, 1214)
    """
    width, height = size
    kind = next((name for name, form in _FORMS if form.fullmatch(typed)), "sides")
    numbers = [float(number) for number in re.findall(r"\d+(?:\.\d+)?", typed)]
    sides: Sides
    if kind == "sides":
        typed_sides = numbers * 4 if len(numbers) == 1 else numbers * 2 if len(numbers) == 2 else numbers
        left, top, right, bottom = typed_sides or [0.0] * 4
        sides = left, top, right, bottom
    elif kind == "render":
        across, down = (numbers[0] - width) / 2, (numbers[1] - height) / 2
        # An odd rest goes to the right and below: the size is what was typed.
        sides = math.floor(across), math.floor(down), math.ceil(across), math.ceil(down)
    else:
        share = _share(kind, numbers[0], focal_mm, filmback_mm)
        sides = share * width, share * height, share * width, share * height
    if min(sides) < 0:
        raise SettingError(
            f"{typed} is less than the delivery's {width} × {height}.", where="plan.overscan",
            why="The rim of the frame would be missing.", remedy="Type what lies outside it as well.",
        )  # fmt: skip
    left_px, top_px, right_px, bottom_px = (math.ceil(side - 1e-6) for side in sides)
    if max(width + left_px + right_px, height + top_px + bottom_px) > MOST_PX:
        raise SettingError(
            f"{typed} comes to more than {MOST_PX} px across or down.", where="plan.overscan",
            why="No renderer takes it in one piece.", remedy="Type less, or have it rendered in tiles.",
        )  # fmt: skip
    return Overscan(size, left_px, top_px, right_px, bottom_px)


def _share(kind: str, number: float, focal_mm: float | None, filmback_mm: float | None) -> float:
    """Give what is typed as a share of the frame on each side."""
    if kind in ("total", "each"):
        return number / 100 / (1 if kind == "each" else 2)
    if kind == "factor":
        return (number - 1) / 2
    if filmback_mm is None or (kind == "field" and focal_mm is None):
        raise SettingError(
            "The camera is not known yet.", where="plan.overscan",
            why="Film and field say nothing without it.",
            remedy="Type lens and film under “Delivery”, or the overscan in % or pixels.",
        )  # fmt: skip
    if kind == "film":
        return (number / filmback_mm - 1) / 2
    assert focal_mm is not None
    if not 0 < number < 170:
        raise SettingError(
            f"A field of {number:g}° can't be rendered flat.", where="plan.overscan",
            why="The rim would be stretched without end.", remedy="Type less than 170°.",
        )  # fmt: skip
    return (2 * focal_mm * math.tan(math.radians(number) / 2) / filmback_mm - 1) / 2


def largest(several: list[Overscan]) -> Overscan:
    """Give the overscan that is enough for each of several of one delivery."""
    left, top, right, bottom = (max(sides) for sides in zip(*(each.sides for each in several), strict=True))
    return Overscan(several[0].size, left, top, right, bottom)
