"""Shows and shots: made, found, listed."""

from __future__ import annotations

import re
import unicodedata

from sqlalchemy import select
from sqlalchemy.orm import Session

from drawstring.core.errors import ConflictError, MissingError, SettingError
from drawstring.core.units import METRES
from drawstring.store.models import CODE, Shot, Show

LONGEST_TITLE = 200


def make_show(
    session: Session, code: str, *, title: str = "", fps: float = 24.0, scene_unit: str = "m"
) -> Show:
    """Make a show.

    Raises
    ------
    SettingError
        A code that can't be a folder name, no rate, an unknown unit.
    ConflictError
        The code is taken.
    """
    _check_code(code, "show")
    _check_title(title)
    if not 0 < fps <= 1000:
        raise SettingError(
            f"A rate of {fps:g} frames a second can't be.", where="fps", why="Playback needs a rate.",
            remedy="Type a number above 0 and up to 1000, such as 24.",
        )  # fmt: skip
    if scene_unit not in METRES:
        raise SettingError(
            f"“{scene_unit}” is not a unit of length.", where="unit", why="All distances are told in it.",
            remedy=f"Choose {', '.join(METRES)}.",
        )  # fmt: skip
    if session.scalar(select(Show).where(Show.code == code)):
        raise ConflictError(
            f"There is a show {code} already.", where="show", why="Its folders would be mixed up.",
            remedy="Use that one or choose another code.",
        )  # fmt: skip
    show = Show(code=code, title=title or code, fps=fps, scene_unit=scene_unit)
    session.add(show)
    session.flush()
    return show


def all_shows(session: Session) -> list[Show]:
    """List the shows by code."""
    return list(session.scalars(select(Show).order_by(Show.code)))


def find_show(session: Session, code: str) -> Show:
    """Find a show by its code.

    Raises
    ------
    MissingError
        There is none; the message lists those that there are.
    """
    show = session.scalar(select(Show).where(Show.code == code))
    if show is None:
        known = ", ".join(session.scalars(select(Show.code).order_by(Show.code))) or "none yet"
        raise MissingError(f"There is no show {code}.", where="show", why="", remedy=f"There are: {known}.")
    return show


def make_shot(session: Session, show: Show, code: str, *, title: str = "") -> Shot:
    """Make a shot in a show.

    Raises
    ------
    SettingError, ConflictError
        The code can't be a folder name, or is taken.
    """
    _check_code(code, "shot")
    _check_title(title)
    code = unicodedata.normalize("NFC", code)
    if session.scalar(select(Shot).where(Shot.show_id == show.id, Shot.code == code)):
        raise ConflictError(
            f"{show.code} has a shot {code} already.", where="shot", why="Its packages would be mixed up.",
            remedy="Choose another code, or accept the delivery for that shot.",
        )  # fmt: skip
    shot = Shot(show_id=show.id, code=code, title=title)
    session.add(shot)
    session.flush()
    return shot


def shot_for(session: Session, show: Show, code: str, *, title: str = "") -> Shot:
    """Give a show's shot by its code; make it where it is new. Two who come at once get the same one.

    Raises
    ------
    SettingError
        The code can't be a folder name.
    """
    session.execute(select(Show.id).where(Show.id == show.id).with_for_update())
    shot = session.scalar(select(Shot).where(Shot.show_id == show.id, Shot.code == code))
    return shot or make_shot(session, show, code, title=title)


def find_shot(session: Session, code: str, *, show: str = "") -> Shot:
    """Find a shot by its code; `SHOW/SHOT` or `show` names the show where several have one.

    Raises
    ------
    MissingError
        There is none.
    ConflictError
        Several shows have one.
    """
    if "/" in code:
        show, _, code = code.partition("/")
    query = select(Shot).join(Show).where(Shot.code == code)
    if show:
        query = query.where(Show.code == show)
    found = list(session.scalars(query))
    if not found:
        known = ", ".join(session.scalars(select(Shot.code).order_by(Shot.code).limit(20))) or "none yet"
        raise MissingError(f"There is no shot {code}.", where="shot", remedy=f"There are: {known}.")
    if len(found) > 1:
        shows = ", ".join(f"{shot.show.code}/{shot.code}" for shot in found)
        raise ConflictError(
            f"Several shows have a shot {code}.", where="shot", why="It is not clear which one is meant.",
            remedy=f"Say {shows}.",
        )  # fmt: skip
    return found[0]


def shot_by_id(session: Session, shot_id: int) -> Shot:
    """Find a shot by its number.

    Raises
    ------
    MissingError
        There is none.
    """
    shot = session.get(Shot, shot_id)
    if shot is None:
        raise no_shot(shot_id)
    return shot


def no_shot(number: int) -> MissingError:
    """Say that there is no shot of a number."""
    return MissingError(f"There is no shot number {number}.", where="shot", remedy="Go back to the board.")


def _check_title(title: str) -> None:
    if len(title) > LONGEST_TITLE:
        raise SettingError(
            f"The title has {len(title):,} letters.", where="title",
            why="It stands in a line beside its shot.", remedy=f"Use up to {LONGEST_TITLE}.",
        )  # fmt: skip


def _check_code(code: str, where: str) -> None:
    if not re.fullmatch(CODE, code):
        raise SettingError(
            f"“{code}” can't be a code.",
            where=where,
            why="Codes become folder and file names on every system.",
            remedy="Use 1 to 40 letters, digits, - or _, beginning with a letter or digit.",
        )
