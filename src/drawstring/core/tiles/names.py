"""Where in a name a tile's place is said, by any habit: `r02c03`, `row2_col3`, `x3_y2`, `tile_2x3`."""

from __future__ import annotations

import os
import re
from dataclasses import dataclass

MOST = 200
"""Tiles a side: larger numbers are a picture's size or a frame."""

_N = r"[_\-.]?(\d{1,3})"
_BEGINS, _ENDS = r"(?<![A-Za-z0-9])", r"(?![A-Za-z0-9])"
_HABITS = [
    (re.compile(f"{_BEGINS}(?:row|r){_N}[_\\-.x]?(?:column|col|c){_N}{_ENDS}", re.IGNORECASE), False, True),
    (re.compile(f"{_BEGINS}(?:column|col|c){_N}[_\\-.x]?(?:row|r){_N}{_ENDS}", re.IGNORECASE), True, True),
    (re.compile(f"{_BEGINS}[xu]{_N}[_\\-.]?[yv]{_N}{_ENDS}", re.IGNORECASE), True, True),
    (re.compile(f"{_BEGINS}[yv]{_N}[_\\-.]?[xu]{_N}{_ENDS}", re.IGNORECASE), False, True),
    (
        re.compile(f"{_BEGINS}(?:tile|region|crop|part){_N}[_\\-.x](\\d{{1,3}}){_ENDS}", re.IGNORECASE),
        False, False,
    ),
    (re.compile(f"{_BEGINS}()(\\d{{1,2}})x(\\d{{1,2}}){_ENDS}"), False, False),
]  # fmt: skip
"""What a place looks like, whether the column comes first, and whether the name says which is which."""


@dataclass(frozen=True)
class NamedPlace:
    """A tile's place as its name says it.

    Attributes
    ----------
    whole : str
        The path that the whole picture would have: the same for all its tiles.
    row, col : int
        As counted in the name, from wherever it begins.
    is_sure : bool
        Whether the name says which of them is the row.
    is_still : bool
        Whether the name ends with the place: what is before it is no frame number.
    """

    whole: str
    row: int
    col: int
    is_sure: bool
    is_still: bool = False


def place_in_name(path: str) -> NamedPlace | None:
    """Read a tile's place from its file's name, or else from its folder's.

    Examples
    --------
    >>> place_in_name("/in/TW090_r02c03_v001.1001.exr")
    NamedPlace(whole='/in/TW090_v001.1001.exr', row=2, col=3, is_sure=True, is_still=False)
    >>> place_in_name("/in/tile_2x3/TW090.exr")
    NamedPlace(whole='/in/TW090.exr', row=2, col=3, is_sure=False, is_still=False)
    >>> place_in_name("/in/TW090_1920x1080_v001.1001.exr"), place_in_name("/in/lamp_rc1.exr")
    (None, None)
    """
    folder, name = os.path.split(path)
    above, last = os.path.split(folder)
    for place in (name, last):
        for habit, is_column_first, is_sure in _HABITS:
            match = habit.search(place)
            if not match:
                continue
            first, second = (int(text) for text in match.groups()[-2:])
            row, col = (second, first) if is_column_first else (first, second)
            if max(row, col) > MOST:
                continue
            rest = _without(place, match.start(), match.end())
            whole = os.path.join(folder, rest) if place is name else os.path.join(above, rest, name)
            is_last = place is name and match.end() == len(os.path.splitext(name)[0])
            return NamedPlace(whole, row, col, is_sure, is_last)
    return None


def _without(text: str, start: int, end: int) -> str:
    """Take a piece out of a name, and one of the separators beside it."""
    before, after = text[:start], text[end:]
    if before and after and before[-1] in "_-." and after[0] in "_-.":
        before = before[:-1]
    else:
        before = before.rstrip("_-.") if not after else before
        after = after.lstrip("_-") if not before else after
    return before + after
