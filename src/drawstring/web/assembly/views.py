"""Assembly knot: the sum and its terms, what is mixed in, colour; set by hand or from the picture."""

from __future__ import annotations

import numpy as np
from flask import Blueprint, request
from werkzeug.wrappers import Response

from drawstring.core.arrays import Picture
from drawstring.core.arrivals.steps import picture_of_pass
from drawstring.core.chain import MATTE, PICTURE, Stage
from drawstring.core.colour.grade import grey_balance
from drawstring.core.colour.match import MatchBy, matched, matched_picks
from drawstring.core.errors import MissingError, SettingError
from drawstring.core.finishing.grain_measuring import measure_grain as measured_grain
from drawstring.core.passes import Role
from drawstring.core.recipe import Recipe
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.sources import pass_named
from drawstring.store import deliveries, recipes, shows
from drawstring.web.bench.changing import changed, set_settings, typed_at
from drawstring.web.pictures.here import FrameHere, frame_here
from drawstring.web.pictures.points import REGION, point_in
from drawstring.web.services import who, work

bp = Blueprint("assembly", __name__)

GRAIN_FRAMES = 4
"""Around the shown one, from which grain is measured."""


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
        last = name.rpartition(".")[2]
        is_of_plate = name.startswith("assembly.picks.plate_")
        colour = _of_plate(at, recipe, row, col) if is_of_plate else _before_colour(at, recipe, row, col)
        value: tuple[float, ...] | float
        if last == "balance":
            value = tuple(float(f"{v:.5g}") for v in grey_balance(colour, name))
        elif last == "tint" or name.startswith("assembly.picks."):
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


@bp.post("/shots/<int:shot_id>/assembly/match")
def match(shot_id: int) -> Response:
    """Match the picture's colour to a plate's in the shown frame: slope and offset are set."""
    number, plate_name = request.form.get("frame", 0, type=int), request.form.get("match.plate", "")
    asked = request.form.get("match.by", MatchBy.SPREAD.value)
    if asked not in list(MatchBy):
        raise SettingError(
            f"“{asked}” is no way to match.", where="match.by", why="Nothing was changed.",
            remedy=f"Choose {', '.join(MatchBy)}.",
        )  # fmt: skip
    by = MatchBy(asked)
    mattes = [request.form.get(f"match.{name}", "") for name in ("matte", "plate_matte")]
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        at = frame_here(session, shot_id, number)
        recipe = recipes.current(session, shot)
        chain = Chains(at.passes, _without_colour(recipe)).own_chains()[0]
        plate = pass_named(plate_name, chain.subject.passes)
        if plate is None:
            raise MissingError(
                f"There is no plate “{plate_name}”.", where="match.plate", why="Nothing was changed.",
                remedy="Choose a pass that came.",
            )  # fmt: skip
        if by is MatchBy.PICKS:
            found = matched_picks(recipe.assembly.picks)
        else:
            within = [at.of(chain.after(Stage.DERIVED, MATTE + name), 0) if name else None for name in mattes]
            element = at.of(chain.after(Stage.ASSEMBLED, PICTURE), 0)
            light = at.of(picture_of_pass(chain, Stage.ARRIVED, plate), 0)
            found = matched(element, light, by, matte=within[0], plate_matte=within[1])
        values = {**found.values(), "assembly.grade.power": "1 1 1", "assembly.grade.cdl_saturation": "1"}
        recipes.set_values(session, shot, values, by=who())
        return changed(session, shot, "assembly")


@bp.post("/shots/<int:shot_id>/assembly/grain/<int:place>")
def measure_grain(shot_id: int, place: int) -> Response:
    """Measure a pass's grain around the shown frame, and set a layer of grain to it."""
    number, name = request.form.get("frame", 0, type=int), request.form.get("grain.of", "")
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        recipe = recipes.current(session, shot)
        layers = recipe.alpha.stack
        if not 1 <= place <= len(layers) or layers[place - 1].does != "grain":
            raise MissingError(
                f"Layer {place} is no grain.", where="grain.of", why="Nothing was changed.",
                remedy="Lay grain on the stack first.",
            )  # fmt: skip
        there = deliveries.usable_frames(session, deliveries.in_use(shot))
        near = sorted(sorted(there, key=lambda frame: abs(frame - number))[:GRAIN_FRAMES])
        frames = [_light_of(frame_here(session, shot_id, frame), recipe, name) for frame in near]
        grain = measured_grain(frames)
        values = {f"alpha.stack.{place}.change.{key}": value for key, value in grain.typed().items()}
        recipes.set_values(session, shot, values, by=who())
        return changed(session, shot, "alpha")


def _light_of(at: FrameHere, recipe: Recipe, name: str) -> Picture:
    """Give a pass's light as it arrived: (H, W, 3) float32."""
    chain = Chains(at.passes, recipe).own_chains()[0]
    one = pass_named(name, chain.subject.passes)
    if one is None:
        raise MissingError(
            f"There is no pass “{name}”.", where="grain.of", why="Nothing was changed.",
            remedy="Choose a pass that came.",
        )  # fmt: skip
    return np.asarray(at.of(picture_of_pass(chain, Stage.ARRIVED, one), 0)[..., :3], np.float32)


def _of_plate(at: FrameHere, recipe: Recipe, row: int, col: int) -> np.ndarray:
    """Give the light of the first plate around a pixel."""
    plate = next((one for one in at.passes if one.role is Role.PLATE), None)
    if plate is None:
        raise MissingError(
            "There is no plate.", where="assembly.picks", why="Nothing was changed.",
            remedy="Accept the plate with the shot, or correct a pass's role in Arrivals.",
        )  # fmt: skip
    light = _light_of(at, recipe, plate.name)
    around = light[max(0, row - REGION) : row + REGION + 1, max(0, col - REGION) : col + REGION + 1]
    return np.asarray(np.median(around.reshape(-1, 3), axis=0), np.float64)


def _without_colour(recipe: Recipe) -> Recipe:
    settings = recipe.assembly
    grade = settings.grade.model_copy(update={"on": False})
    return recipe.with_knot(settings.model_copy(update={"grade": grade}))


def _before_colour(at: FrameHere, recipe: Recipe, row: int, col: int) -> np.ndarray:
    """Give the unmultiplied light around a pixel as it stands before its colour is changed."""
    chain = Chains(at.passes, _without_colour(recipe)).own_chains()[0]
    picture = at.of(chain.after(Stage.ASSEMBLED, PICTURE), 0)
    around = picture[max(0, row - REGION) : row + REGION + 1, max(0, col - REGION) : col + REGION + 1]
    covered = around[..., 3:] > 0
    light = np.where(covered, around[..., :3] / np.where(covered, around[..., 3:], 1), around[..., :3])
    return np.asarray(np.maximum(np.median(light.reshape(-1, 3), axis=0), 0), np.float64)
