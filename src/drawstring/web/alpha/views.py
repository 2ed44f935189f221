"""Alpha knot: kinds, mattes, shadow and stack, set by hand or from the picture."""

from __future__ import annotations

from typing import Any

import numpy as np
from flask import Blueprint, request
from sqlalchemy.orm import Session
from werkzeug.wrappers import Response

from drawstring.core.alpha.coded import whole_numbers
from drawstring.core.alpha.matte_settings import MatteFrom, MatteSettings
from drawstring.core.alpha.mattes import pass_for
from drawstring.core.chain import PICTURE, Stage
from drawstring.core.colour.grade import grey_balance
from drawstring.core.errors import MissingError, SettingError
from drawstring.core.passes.hashed import bare_name, name_bits, name_set_of
from drawstring.core.recipe import Recipe, change
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.sources import of_view
from drawstring.store import recipes, shows
from drawstring.store.models import Shot
from drawstring.web.bench.changing import changed, set_settings, typed_at
from drawstring.web.pictures.here import FrameHere, frame_here
from drawstring.web.pictures.points import REGION, colour_at, distance_at, place_in, point_in
from drawstring.web.services import who, work

bp = Blueprint("alpha", __name__)


@bp.post("/shots/<int:shot_id>/alpha")
def set_values(shot_id: int) -> Response:
    """Change settings; every change is a revision. A value that is keyed gets its key at the shown frame."""
    return set_settings(shot_id, "alpha", typed_at("alpha"), frame=request.form.get("frame", type=int))


@bp.post("/shots/<int:shot_id>/alpha/pick")
def pick(shot_id: int) -> Response:
    """Take a value from a pixel: an object, a number, a colour or a distance, by what the setting is."""
    name = request.form.get("setting", "")
    number, x, y = (request.form.get(field, 0, type=int) for field in ("frame", "x", "y"))
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        at = frame_here(session, shot_id, number)
        row, col = point_in(at, recipes.current(session, shot), x, y)
        last = name.rpartition(".")[2]
        if last == "things":
            typed = _with_thing(session, shot, at, row, col, name)
        elif last in ("colour", "tint", "ground", "over_colour"):
            typed = {name: colour_at(at, recipes.current(session, shot), row, col)}
        elif last == "balance":
            typed = {name: _balance(at, recipes.current(session, shot), name, row, col)}
        elif last == "distance":
            typed = {name: distance_at(at, recipes.current(session, shot), row, col, name)}
        else:
            raise SettingError(
                f"“{name}” can't be taken from the picture.", where="setting", why="Nothing was changed.",
                remedy="A thing, a colour or a distance can.",
            )  # fmt: skip
        recipes.set_values(session, shot, typed, by=who(), frame=number)
        return changed(session, shot, "alpha")


def _balance(at: FrameHere, recipe: Recipe, name: str, row: int, col: int) -> tuple[float, ...]:
    """Give the balance that makes what is seen at a pixel grey, as it is without that change of colour."""
    bare = change(recipe, {f"{name.rpartition('.')[0]}.on": "no"}, scene_unit=at.scene_unit)
    picture = at.of(Chains(at.passes, bare).own_chains()[0].after(Stage.LAID, PICTURE), 0)
    around = picture[max(0, row - REGION) : row + REGION + 1, max(0, col - REGION) : col + REGION + 1]
    colour = np.maximum(np.median(around[..., :3].reshape(-1, 3), axis=0), 0).astype(np.float64)
    return tuple(float(f"{v:.5g}") for v in grey_balance(colour, name))


def _with_thing(session: Session, shot: Shot, at: FrameHere, row: int, col: int, name: str) -> dict[str, Any]:
    """Give a matte with the thing under a pixel added, or taken away if it was there."""
    recipe = recipes.current(session, shot)
    place = place_in(name, len(recipe.alpha.mattes))
    matte, passes = recipe.alpha.mattes[place], of_view(at.passes, "")
    one = pass_for(matte, passes)
    if one is None:
        raise MissingError(
            f"There is no pass of {matte.source.says} to pick from.", where=name,
            why="A click needs something that tells one thing from another.",
            remedy="Choose another source for the matte, or draw it.",
        )  # fmt: skip
    refs = list(one.channels)
    planes = at.planes(refs, 0)
    here = [np.asarray(planes[ref])[row, col] for ref in refs]
    dotted = f"alpha.mattes.{place + 1}"
    if matte.source is MatteFrom.NUMBERS:
        value = int(whole_numbers(np.asarray(planes[refs[0]]))[row, col])
        numbers = [n for n in matte.numbers if n != value]
        return {f"{dotted}.numbers": tuple(numbers if value in matte.numbers else [*numbers, value])}
    if matte.source is MatteFrom.COLOURS:
        return {f"{dotted}.colours": _toggled_colour(matte, [float(v) for v in here[:3]])}
    said = at.moment(0).said.get(refs[0].source, {})
    found = _name_here(here, name_set_of(one.layer or one.name, said))
    return {f"{dotted}.names": toggled(matte, found)}


def toggled(matte: MatteSettings, name: str) -> tuple[str, ...]:
    """Give a matte's names with one added, or taken away if it was there."""
    kept = [one for one in matte.names if one not in (name, f"-{name}")]
    if name in matte.names:
        return tuple(kept)
    return (*kept, name)


def _toggled_colour(matte: MatteSettings, colour: list[float]) -> tuple[float, ...]:
    known = matte.colour_triples()
    near = [
        one for one in known if max(abs(a - b) for a, b in zip(one, colour, strict=True)) <= matte.tolerance
    ]
    kept = [one for one in known if one not in near]
    flat = [v for one in kept for v in one]
    return tuple(flat if near else [*flat, *(float(f"{v:.5g}") for v in colour)])


def _name_here(values: list[Any], named: Any) -> str:
    """Give the name of what covers a pixel most."""
    pairs = [
        (float(share), int(np.asarray([name], np.float32).view(np.uint32)[0]))
        for name, share in zip(values[0::2], values[1::2], strict=False)
    ]
    share, bits = max(pairs)
    if share <= 0 or bits == 0:
        raise MissingError(
            "Nothing with a name lies there.", where="pick", why="A name finds the thing in every frame.",
            remedy="Click on a thing, or draw a shape around it.",
        )  # fmt: skip
    names = [name for name in (named.names if named else ()) if name_bits(name) == bits]
    return names[0] if names else bare_name(bits)
