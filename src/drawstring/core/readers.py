"""How typed texts become values that are not plain numbers: colours, names, corners."""

from __future__ import annotations

import re

from drawstring.core.errors import SettingError

Colour = tuple[float, float, float]
"""Scene-linear R, G, B in the working space."""


def read_colour(text: str, where: str) -> Colour:
    """Read a typed colour: three scene-linear numbers, or a display colour as #rrggbb.

    The latter is undone by the sRGB curve of IEC 61966-2-1:1999.

    Raises
    ------
    SettingError
        It is neither.

    Examples
    --------
    >>> read_colour("0.5 0,6 2", "mist.colour")
    (0.5, 0.6, 2.0)
    >>> tuple(round(v, 3) for v in read_colour("#808080", "mist.colour"))
    (0.216, 0.216, 0.216)
    """
    text = text.strip()
    if re.fullmatch(r"#[0-9a-fA-F]{6}", text):
        shares = [int(text[i : i + 2], 16) / 255 for i in (1, 3, 5)]
        r, g, b = (v / 12.92 if v <= 0.04045 else ((v + 0.055) / 1.055) ** 2.4 for v in shares)
        return r, g, b
    numbers = re.split(r"[\s;]+", text)
    try:
        r, g, b = (float(number.replace(",", ".")) for number in numbers)
        if not all(0 <= v <= 1e4 for v in (r, g, b)):
            raise ValueError
        return r, g, b
    except ValueError:
        raise SettingError(
            f"“{text}” is no colour.",
            where=where,
            why="Colours here are scene-linear light.",
            remedy="Type three numbers from 0 on, as 0.5 0.55 0.6, or a display colour as #8090a0.",
        ) from None


def read_names(text: str, where: str) -> tuple[str, ...]:
    """Read names typed with commas between them."""
    return tuple(name.strip() for name in text.split(",") if name.strip())


def read_corners(text: str, where: str) -> tuple[float, ...]:
    """Read the corners of a shape, "x,y x,y x,y" in pixels of the display window.

    Raises
    ------
    SettingError
        Fewer than three corners, or no numbers.
    """
    try:
        flat = tuple(float(v) for pair in text.split() for v in _pair(pair))
    except ValueError:
        flat = ()
    if len(flat) < 6 or not all(abs(v) < 1e6 for v in flat):
        raise SettingError(
            f"“{text[:40]}” is no shape.", where=where, why="A shape needs three corners at least.",
            remedy="Draw it on the picture, or type corners as 100,200 300,220 180,400.",
        )  # fmt: skip
    return flat


def _pair(text: str) -> tuple[str, str]:
    x, y = text.split(",")
    return x, y


def read_numbers(text: str, where: str) -> Colour:
    """Read three typed numbers, which may lie below 0; one alone stands for all three.

    Raises
    ------
    SettingError
        They are none.

    Examples
    --------
    >>> read_numbers("-0.1 0 0,2", "grade.offset"), read_numbers("0.5", "grade.offset")
    ((-0.1, 0.0, 0.2), (0.5, 0.5, 0.5))
    """
    try:
        numbers = [float(number.replace(",", ".")) for number in re.split(r"[\s;]+", text.strip())]
        first, second, third = numbers * 3 if len(numbers) == 1 else numbers
        if not all(abs(number) <= 1e4 for number in numbers):
            raise ValueError
        return first, second, third
    except ValueError:
        raise SettingError(
            f"“{text}” is not three numbers.",
            where=where,
            why="One belongs to each of R, G and B.",
            remedy="Type three numbers, as 0.01 0 -0.02, or one for all.",
        ) from None


def read_pairs(text: str) -> list[tuple[float, float]]:
    """Read numbers typed in pairs, "0.02,0.1 1,3"; none at all where one of them is no pair.

    Examples
    --------
    >>> read_pairs("0.02,0.1 1,3"), read_pairs("1,2 3"), read_pairs("a,b")
    ([(0.02, 0.1), (1.0, 3.0)], [], [])
    """
    try:
        return [(float(x), float(y)) for x, y in (pair.split(",") for pair in text.split())]
    except ValueError:
        return []
