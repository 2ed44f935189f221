"""The same for many shots: knots copied, settings made, and what a show's new shots begin with.

Everything can be looked at before it is written: `would` gives what a change would do to each shot.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy.orm import Session

from drawstring.core.errors import DrawstringError, SettingError
from drawstring.core.recipe import KNOTS, Recipe, change
from drawstring.core.recipe.difference import Difference, differences, with_knots_of
from drawstring.store import recipes
from drawstring.store.models import Shot, Show

Change = Callable[[Shot, Recipe], Recipe]
"""Makes a shot's next recipe of the one in use."""


@dataclass(frozen=True)
class Outcome:
    """What a change does to one shot: what differs, or why it is refused."""

    shot: Shot
    differences: list[Difference]
    refusal: DrawstringError | None = None


def copying(session: Session, source: Shot, knots: Collection[str]) -> Change:
    """Give the change that takes knots over from another shot.

    Raises
    ------
    SettingError
        No knot is named, or there is no such knot.
    """
    if not knots:
        raise SettingError(
            "No knot is chosen.", where="knot", why="There is nothing to copy.",
            remedy=f"Choose {', '.join(knot.name for knot in KNOTS)}.",
        )  # fmt: skip
    theirs = recipes.current(session, source)
    for name in knots:
        theirs.knot(name)
    return lambda shot, recipe: with_knots_of(recipe, theirs, knots)


def setting(typed: Mapping[str, Any]) -> Change:
    """Give the change that makes settings, by dotted name.

    Raises
    ------
    SettingError
        Nothing is to be set.
    """
    if not typed:
        raise SettingError(
            "No setting is given.", where="typed", why="There is nothing to change.",
            remedy="Type one to a line, such as pack.compression = piz.",
        )  # fmt: skip
    return lambda shot, recipe: change(recipe, recipes.resolved(shot, typed), scene_unit=shot.show.scene_unit)


def would(session: Session, shots: Sequence[Shot], made: Change) -> list[Outcome]:
    """Tell what a change would do, and write nothing."""
    return [_outcome(session, shot, made)[0] for shot in shots]


def carry_over(
    session: Session, shots: Sequence[Shot], made: Change, *, said: str, by: str = ""
) -> list[Outcome]:
    """Write a change into every shot that it does not refuse; each gets a revision of its own."""
    outcomes = []
    for shot in shots:
        recipes.take_turn(session, shot)
        outcome, recipe = _outcome(session, shot, made)
        if recipe is not None and outcome.differences:
            recipes.write(session, shot, recipe, said=said, by=by)
        outcomes.append(outcome)
    return outcomes


def _outcome(session: Session, shot: Shot, made: Change) -> tuple[Outcome, Recipe | None]:
    before = recipes.current(session, shot)
    try:
        after = made(shot, before)
    except DrawstringError as refusal:
        return Outcome(shot, [], refusal), None
    return Outcome(shot, differences(before, after)), after


def keep_defaults(session: Session, show: Show, source: Shot, knots: Collection[str]) -> None:
    """Let new shots of a show begin with a shot's knots; shots that somebody touched stay as they are.

    Raises
    ------
    SettingError
        No knot is named, or there is no such knot.
    """
    theirs = copying(session, source, knots)(source, recipes.defaults_of(show))
    plain = theirs.as_dict()
    # A new dictionary: the column is compared by identity.
    show.defaults = {**show.defaults, **{name: plain[name] for name in knots}}
    session.flush()


def forget_defaults(session: Session, show: Show) -> None:
    """Forget the show's defaults for new shots."""
    show.defaults = {}
    session.flush()


def overrides(session: Session, shot: Shot) -> list[Difference]:
    """Tell where a shot differs from what its show's shots begin with, in the knots that the show settles."""
    show = shot.show
    if not show.defaults:
        return []
    return differences(recipes.defaults_of(show), recipes.current(session, shot), tuple(show.defaults))
