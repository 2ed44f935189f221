"""Channels of one value everywhere: what a file downstream must have, though nothing was rendered for it."""

from __future__ import annotations

import math
import re

from pydantic import BaseModel, ConfigDict

from drawstring.core.errors import SettingError

_ONE = re.compile(r"([A-Za-z0-9_]+(?:\.[A-Za-z0-9_]+)*)\s*=\s*(\S+?)(?:\s+(half|float))?")


class Constant(BaseModel):
    """A channel of one value."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: str
    value: float
    stored: str = "half"

    def __str__(self) -> str:
        return f"{self.name} = {self.value:g}" + ("" if self.stored == "half" else f" {self.stored}")


def read_constants(text: str, where: str) -> tuple[Constant, ...]:
    """Read constants as they are typed, parted by semicolons.

    Raises
    ------
    SettingError
        One of them says something else.

    Examples
    --------
    >>> [str(one) for one in read_constants("cover.V = 1; z.V=0.25 float", "pack.constants")]
    ['cover.V = 1', 'z.V = 0.25 float']
    """
    found = []
    for one in filter(None, (part.strip() for part in text.split(";"))):
        read = _ONE.fullmatch(one)
        try:
            value = float(read[2]) if read else math.nan
        except ValueError:
            value = math.nan
        if read is None or not math.isfinite(value):
            raise SettingError(
                f"“{one}” says no channel and value.", where=where, why="Nothing was changed.",
                remedy="Type name = number, and float if it is not half: `cover.V = 1; grain.V = 0 float`.",
            )  # fmt: skip
        found.append(Constant(name=read[1], value=value, stored=read[3] or "half"))
    return tuple(found)
