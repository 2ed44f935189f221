"""How a shot's picture is made: every stage in order, what is on, the picture after each."""

from __future__ import annotations

from flask import Blueprint, Response, render_template, request
from sqlalchemy.orm import Session

from drawstring.core.chain import PICTURE, Stage
from drawstring.core.colour import look
from drawstring.core.errors import MissingError
from drawstring.core.passes import Role
from drawstring.core.recipe import KNOTS
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.finished import stages_of
from drawstring.core.recipe.pulls import apart
from drawstring.core.recipe.sources import of_view, pass_of
from drawstring.store import deliveries, recipes, shows
from drawstring.store.models import Shot
from drawstring.store.standing import standing
from drawstring.web.homes import page_of
from drawstring.web.pictures.here import frame_here
from drawstring.web.pictures.views import as_png
from drawstring.web.services import work

bp = Blueprint("made", __name__)

WIDE = 480
"""Of the pictures after each stage."""


@bp.get("/shots/<int:shot_id>/made")
def page(shot_id: int) -> str:
    """Show every stage at which a knot works."""
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        how = standing(session, shot)
        has_picture = pass_of(Role.BEAUTY, of_view(how.passes, "")) is not None
        return render_template(
            "made/made.html",
            shot=shot,
            show=shot.show,
            how=how,
            frame=_frame(session, shot),
            stages=stages_of(how.passes, how.recipe) if has_picture else [],
            titles={knot.name: knot.title for knot in KNOTS},
            page_of=page_of,
        )


@bp.get("/shots/<int:shot_id>/frames/<int:number>/after/<stage>.png")
def after(shot_id: int, number: int, stage: str) -> Response:
    """Give the picture as it stands after a stage; of a packed pair its left eye."""
    if stage not in list(Stage):
        raise MissingError(
            f"There is no stage {stage}.", where="stage", remedy=f"There are: {', '.join(Stage)}."
        )
    with work() as session:
        at = frame_here(session, shot_id, number)
        recipe = recipes.current(session, shows.shot_by_id(session, shot_id))
    chains = Chains(at.passes, recipe)
    # A made eye is what "doubled" shows; everywhere else it is the picture of the shot's own file.
    made = [chains.eye_chain(side) for side in (0, 1)] if chains.has_pair else []
    chain = next((eye for eye in made if eye.subject.made), chains.own_chains()[0])
    level = at.level_within(WIDE)
    if chains.needs_whole(PICTURE, (at.display.width, at.display.height), level):
        level = 0
    planes = at.of(apart(chain.after(Stage(stage), PICTURE)), level)
    return as_png(look(Role.BEAUTY, planes), WIDE)


def _frame(session: Session, shot: Shot) -> int | None:
    """Give the frame that was asked for, else the one in the middle."""
    if shot.delivery is None:
        return None
    usable = [cell.number for cell in deliveries.frame_cells(session, shot.delivery) if cell.state == "here"]
    asked = request.args.get("frame", type=int)
    return asked if asked in usable else usable[len(usable) // 2] if usable else None
