"""Assembly knot: the sum and its terms, what is mixed in, colour; set by hand or from the picture."""

from __future__ import annotations

import numpy as np
from flask import Blueprint, request
from werkzeug.wrappers import Response

from drawstring.core.chain import PICTURE, Stage
from drawstring.core.errors import SettingError
from drawstring.core.recipe import Recipe
from drawstring.core.recipe.chains import Chains
from drawstring.store import recipes, shows
from drawstring.web.bench.changing import changed, set_settings, typed_at
from drawstring.web.pictures.points import REGION, point_in
from drawstring.web.pictures.views import FrameHere, frame_here
from drawstring.web.services import who, work

bp = Blueprint("assembly", __name__)


@bp.post("/shots/<int:shot_id>/assembly")
def set_values(shot_id: int) -> Response:
    """Change settings; every change is a revision. A value that is keyed gets its key at the shown frame."""
    return set_settings(shot_id, "assembly", typed_at("assembly"), frame=request.form.get("frame", type=int))


@bp.post("/shots/<int:shot_id>/assembly/pick")
def pick(shot_id: int) -> Response:
    """Take a value from a pixel: what is to be grey for the white balance, a tint, the pivot."""
    name = request.form.get("setting", "")
    number, x, y = (request.form.get(field, 0, type=int) for field in ("frame", "x", "y"))
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        at = frame_here(session, shot_id, number)
        recipe = recipes.current(session, shot)
        row, col = point_in(at, recipe, x, y)
        colour = _before_colour(at, recipe, row, col)
        last = name.rpartition(".")[2]
        value: tuple[float, ...] | float
        if last == "balance":
            value = tuple(float(f"{v:.5g}") for v in grey_balance(colour, name))
        elif last == "tint":
            value = tuple(float(f"{v:.5g}") for v in colour)
        elif last == "pivot":
            value = float(f"{max(float(colour.mean()), 1e-4):.5g}")
        else:
            raise SettingError(
                f"“{name}” can't be taken from the picture.", where="setting", why="Nothing was changed.",
                remedy="White balance, a tint or the pivot can.",
            )  # fmt: skip
        recipes.set_values(session, shot, {name: value}, by=who(), frame=number)
        return changed(session, shot, "assembly")


def _before_colour(at: FrameHere, recipe: Recipe, row: int, col: int) -> np.ndarray:
    """Give the unmultiplied light around a pixel as it stands before its colour is changed."""
    settings = recipe.assembly
    plain = recipe.with_knot(
        settings.model_copy(update={"grade": settings.grade.model_copy(update={"on": False})})
    )
    chain = Chains(at.passes, plain).own_chains()[0]
    picture = at.of(chain.after(Stage.ASSEMBLED, PICTURE), 0)
    around = picture[max(0, row - REGION) : row + REGION + 1, max(0, col - REGION) : col + REGION + 1]
    covered = around[..., 3:] > 0
    light = np.where(covered, around[..., :3] / np.where(covered, around[..., 3:], 1), around[..., :3])
    return np.asarray(np.maximum(np.median(light.reshape(-1, 3), axis=0), 0), np.float64)


def grey_balance(colour: np.ndarray, where: str) -> np.ndarray:
    """Give what R, G and B have to be multiplied by so that a colour becomes grey, as bright as it was.

    Raises
    ------
    SettingError
        One of them is black there.
    """
    if (colour <= 1e-6).any():
        raise SettingError(
            "There is no light in one of R, G and B there.", where=where, why="It can't be made grey.",
            remedy="Click on something that should be grey or white.",
        )  # fmt: skip
    weights = np.array([0.2126, 0.7152, 0.0722])
    gain = float(colour @ weights) / colour
    return np.asarray(gain)
