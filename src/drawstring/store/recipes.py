"""Recipes of shots in numbered revisions: changed, settled, undone; nothing is ever lost."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from pydantic import ValidationError
from sqlalchemy import select
from sqlalchemy.orm import Session

from drawstring.core.errors import ConflictError, SettingError
from drawstring.core.knots import is_before_arrivals
from drawstring.core.recipe import Recipe, change, digest_of, upgraded
from drawstring.store import measuring
from drawstring.store.facts import pass_from_row
from drawstring.store.models import Revision, Shot, Show
from drawstring.store.profiles import find_profile


def head(session: Session, shot: Shot) -> Revision | None:
    """Give the newest revision; None for a shot that nobody touched yet."""
    query = select(Revision).where(Revision.shot_id == shot.id).order_by(Revision.number.desc()).limit(1)
    return session.scalar(query)


def current(session: Session, shot: Shot) -> Recipe:
    """Give the recipe in use; the show's defaults for a shot that nobody touched yet."""
    newest = select(Revision.id, Revision.made_at).where(Revision.shot_id == shot.id)
    row = session.execute(newest.order_by(Revision.number.desc()).limit(1)).first()
    if row is None:
        return defaults_of(shot.show)
    key = row.id, row.made_at
    recipe = _READ.get(key)
    if recipe is None:
        recipe = upgraded(session.get_one(Revision, row.id).recipe)
        if len(_READ) >= MOST_READ:
            _READ.clear()
        _READ[key] = recipe
    return recipe


MOST_READ = 512
_READ: dict[tuple[int, datetime], Recipe] = {}
"""Recipes by revision and when it was made: none is ever changed, and a slider asks at every step."""


def defaults_of(show: Show) -> Recipe:
    """Give the recipe that a show's new shots begin with."""
    return upgraded(show.defaults) if show.defaults else Recipe()


def resolved(shot: Shot, typed: Mapping[str, Any]) -> dict[str, Any]:
    """Put the documents of profiles in place of their names.

    Raises
    ------
    MissingError
        The show has no such profile.
    """
    made: dict[str, Any] = dict(typed)
    named = made.get("pack.profile")
    if isinstance(named, str) and named and not named.lstrip().startswith("{"):
        made["pack.profile"] = find_profile(shot.show, named)
    return made


def set_values(
    session: Session, shot: Shot, typed: Mapping[str, Any], *, by: str = "", frame: int | None = None
) -> Revision:
    """Write a revision in which some values are replaced, by dotted name.

    Parameters
    ----------
    frame : int, optional
        Where values that change over the frames get their key.

    Raises
    ------
    SettingError
        One or several values are refused; nothing is written.
    """
    take_turn(session, shot)
    recipe = change(
        current(session, shot), resolved(shot, typed), scene_unit=shot.show.scene_unit, frame=frame
    )
    said = ", ".join(f"{name} = {value}" for name, value in typed.items())
    return write(session, shot, recipe, said=said, by=by)


def replace(session: Session, shot: Shot, document: Mapping[str, Any], *, by: str = "") -> Revision:
    """Write a revision that is a whole recipe, as it was exported from a shot.

    Raises
    ------
    SettingError
        It is no recipe, or says something that a recipe can't.
    """
    take_turn(session, shot)
    try:
        recipe = upgraded(document)
    except ValidationError as error:
        told = "; ".join(f"{'.'.join(map(str, one['loc']))}: {one['msg']}" for one in error.errors()[:4])
        raise SettingError(
            f"The recipe can't be taken: {told}.", where="recipe", why="Nothing was changed.",
            remedy="Give a recipe as “recipe export” writes it.",
        ) from error  # fmt: skip
    return write(session, shot, recipe, said="a whole recipe", by=by)


def settle(session: Session, shot: Shot, knot: str, *, said: str = "", by: str = "") -> Revision:
    """Write a revision in which a knot is settled on the delivery in use; whether it is needed stays.

    Raises
    ------
    SettingError
        There is no such knot.
    """
    take_turn(session, shot)
    digest = shot.delivery.digest if shot.delivery else ""
    if is_before_arrivals(knot):
        digest = "asked for"
    recipe = current(session, shot)
    settings = recipe.knot(knot).model_copy(update={"settled_on": digest})
    return write(session, shot, recipe.with_knot(settings), said=said or f"settled {knot}", by=by)


def undo(session: Session, shot: Shot, *, by: str = "") -> Revision:
    """Write a revision that brings back the one before; undoing again goes further back.

    Raises
    ------
    ConflictError
        There is nothing before.
    """
    take_turn(session, shot)
    revision = head(session, shot)
    stands_for = (revision.restores or revision.number) if revision else 0
    before = session.scalar(
        select(Revision)
        .where(Revision.shot_id == shot.id, Revision.number < stands_for)
        .order_by(Revision.number.desc())
        .limit(1)
    )
    if before is None:
        raise ConflictError(
            "There is nothing to undo.", where="recipe", why="This is how the shot began.", remedy="Go on."
        )
    target = before.restores or before.number
    return write(
        session, shot, upgraded(before.recipe), said=f"undo to revision {target}", by=by, restores=target
    )


def take_turn(session: Session, shot: Shot) -> None:
    """Wait until nobody else is changing the shot, so that a change builds on the newest state of it."""
    session.execute(select(Shot.id).where(Shot.id == shot.id).with_for_update())


def take_turns(session: Session, numbers: Sequence[int]) -> None:
    """Do so for several shots by their numbers, in their order, so that no two wait for each other."""
    session.execute(select(Shot.id).where(Shot.id.in_(numbers)).order_by(Shot.id).with_for_update())


def write(
    session: Session, shot: Shot, recipe: Recipe, *, said: str, by: str, restores: int | None = None
) -> Revision:
    """Write the next revision; a number taken by someone else fails here, not at the end of the request."""
    latest = head(session, shot)
    plain = recipe.as_dict()
    if latest is not None and latest.recipe == plain and restores is None:
        return latest
    revision = Revision(
        shot_id=shot.id, number=(latest.number if latest else 0) + 1, recipe=plain,
        digest=digest_of(recipe), said=said, restores=restores, by=by,
    )  # fmt: skip
    session.add(revision)
    session.flush()
    if shot.delivery is not None:
        passes = [pass_from_row(row) for row in shot.delivery.passes]
        measuring.ask_knots(session, shot.delivery, passes, recipe)
    return revision
