"""Levels of what is seen in the well: waveform and histogram of a part of a picture."""

from __future__ import annotations

from typing import Any

import numpy as np
from flask import Blueprint, request

from drawstring.core.colour.levels import HIGHEST, LOWEST, levels_of
from drawstring.core.errors import MissingError, SettingError
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.pictures import picture, picture_inputs
from drawstring.store import shows
from drawstring.web.pictures.here import frame_here, tried
from drawstring.web.services import work

bp = Blueprint("levels", __name__)

_LEVEL = 1
"""Half size is plenty to count by, where it may be counted by."""


@bp.get("/shots/<int:shot_id>/frames/<int:number>/levels/<name>")
def levels(shot_id: int, number: int, name: str) -> dict[str, Any]:
    """Give the levels of a picture within a rectangle of the display window; settings may be tried out."""
    with work() as session:
        at, shot = frame_here(session, shot_id, number), shows.shot_by_id(session, shot_id)
        recipe = tried(session, shot, request.args, number)
    size = at.display.width, at.display.height
    chains = Chains(at.passes, recipe)
    level = 0 if chains.needs_whole(name, size, _LEVEL) else _LEVEL
    shown = picture(
        name, at.passes, recipe, at.planes(picture_inputs(name, at.passes, recipe), level), at.moment(level)
    )
    if shown.kind != "light":
        raise MissingError(
            f"{name.replace('_', ' ')} is no light.", where="levels", why="Levels are counted of light.",
            remedy="Look at a picture: the beauty, or one that was made.",
        )  # fmt: skip
    values = np.asarray(shown.values, np.float32)
    window, _ = at.lies(values.shape, level, chains)
    left, top, right, bottom = (
        _number(side, usual)
        for side, usual in (
            ("left", window.x_min), ("top", window.y_min), ("right", window.x_max), ("bottom", window.y_max),
        )
    )  # fmt: skip
    step = 1 << level
    rows = slice(max(0, int((top - window.y_min) // step)), max(0, int((bottom - window.y_min) // step) + 1))
    cols = slice(max(0, int((left - window.x_min) // step)), max(0, int((right - window.x_min) // step) + 1))
    told = levels_of(values[rows, cols])
    most = max(1, int(told.waveform.max()))
    # A waveform is looked at: one digit of brightness a cell is enough.
    bright = np.ceil(9 * np.sqrt(told.waveform / most)).astype(int)
    return {
        "lowest": LOWEST, "highest": HIGHEST, "histogram": told.histogram.tolist(),
        "waveform": ["".join(map(str, channel.ravel())) for channel in bright],
        "columns": int(told.waveform.shape[-1]), "mean": list(told.mean),
        "above": told.above, "below": told.below, "odd": told.odd,
    }  # fmt: skip


def _number(name: str, usual: float) -> float:
    text = request.args.get(name, "")
    try:
        number = float(text) if text else float(usual)
        if not abs(number) < 1e7:
            raise ValueError
        return number
    except ValueError:
        raise SettingError(
            f"“{text}” can't be {name}.", where=name, why="No levels were counted.", remedy="Give a number."
        ) from None
