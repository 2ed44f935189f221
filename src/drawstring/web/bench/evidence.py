"""What the evidence of all knots shares: which part of a knot is asked for."""

from __future__ import annotations

from collections.abc import Collection

from flask import request

from drawstring.core.errors import SettingError


def asked_part(known: Collection[str]) -> str:
    """Give the part of a knot whose evidence is asked for, the first one where none is named.

    Raises
    ------
    SettingError
        There is no such part.
    """
    part = request.args.get("part", next(iter(known)))
    if part not in known:
        raise SettingError(
            f"There is no evidence of “{part}”.",
            where="part",
            why="",
            remedy=f"There is: {', '.join(known)}.",
        )
    return part
