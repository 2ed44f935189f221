"""Lengths as people type them: "4.2", "4,2 m", "420 cm", "13 ft", read into the scene's unit."""

from __future__ import annotations

import math
import re

from drawstring.core.errors import SettingError

METRES = {"mm": 0.001, "cm": 0.01, "m": 1.0, "km": 1000.0, "in": 0.0254, "ft": 0.3048}
"""One unit in metres; inch and foot as defined in 1959."""

_TYPED = re.compile(
    r"^\s*(?P<number>[-+]?(?:\d+[.,]?\d*|[.,]\d+)(?:[eE][-+]?\d+)?)\s*(?P<unit>[a-zA-Z]*)\s*$"
)


def read_length(text: str, *, scene_unit: str, where: str) -> float:
    """Read a typed length into the scene's unit.

    Parameters
    ----------
    text : str
        A number, a comma or a point for the decimals, and optionally a unit of `METRES`.
    scene_unit : str
        What a bare number means.
    where : str
        The setting's dotted name, for the refusal.

    Raises
    ------
    SettingError
        Not a finite number, or an unknown unit.

    Examples
    --------
    >>> read_length("420 cm", scene_unit="m", where="depth.near")
    4.2
    """
    match = _TYPED.match(text)
    unit = match["unit"].lower() if match and match["unit"] else scene_unit
    if not match or unit not in METRES:
        raise SettingError(
            f"“{text}” is not a length.",
            where=where,
            why="Distances are numbers in the scene's unit.",
            remedy=f"Type a number, meant in {scene_unit}, or one with its unit: 4.2 m, 420 cm, 13 ft.",
        )
    number = float(match["number"].replace(",", "."))
    if not math.isfinite(number):
        raise SettingError(
            f"“{text}” is too large for a length.",
            where=where,
            why="No scene reaches that far.",
            remedy=f"Type a distance in {scene_unit}.",
        )
    return number if unit == scene_unit else round(number * METRES[unit] / METRES[scene_unit], 9)


def say_length(value: float | None, unit: str = "") -> str:
    """Write a length with as many digits as the hand can set: four that count.

    Examples
    --------
    >>> say_length(4.2, "m"), say_length(84, "m"), say_length(1234.56), say_length(None)
    ('4.2 m', '84 m', '1235', 'open')
    """
    if value is None:
        return "open"
    digits = max(0, 3 - math.floor(math.log10(abs(value)))) if value else 0
    text = f"{value:.{digits}f}"
    text = text.rstrip("0").rstrip(".") if "." in text else text
    return f"{text} {unit}".strip()
