"""Review movies of a show: asked for in the order of the cut, taken up by the engine, stopped."""

from __future__ import annotations

import os
import re
from collections.abc import Sequence
from typing import Any

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from drawstring.core.errors import ConflictError, MissingError, SettingError, SeveralSettingErrors
from drawstring.store import ledger
from drawstring.store.models import Package, Review, Shot, Show, now

UNDER_WAY = ("waiting", "making")

MOST_SHOTS, MOST_AT_ONCE = 2000, 64


def newest_packages(session: Session, show: Show) -> dict[str, Package]:
    """Give each shot's newest whole package, by the shot's code."""
    newest: dict[str, Package] = {}
    for package in ledger.packages_of(session, show, limit=100_000):
        if package.state == "proven":
            newest.setdefault(package.run.shot.code, package)
    return dict(sorted(newest.items()))


def read_order(text: str, packages: dict[str, Package]) -> list[Package]:
    """Read typed codes of shots in the order of the cut; a shot may come more than once.

    Raises
    ------
    SettingError
        None is named, or one has no whole package.
    """
    codes = [code for code in re.split(r"[\s,;]+", text.strip()) if code]
    refusals = [
        SettingError(
            f"{code} has no whole package.", where="review.order", why="The movie would lack it.",
            remedy="Run the shot, or leave it out of the order.",
        )
        for code in dict.fromkeys(codes) if code not in packages
    ]  # fmt: skip
    if refusals:
        raise refusals[0] if len(refusals) == 1 else SeveralSettingErrors(refusals)
    if not codes or len(codes) > MOST_SHOTS:
        raise SettingError(
            "No shot is named." if not codes else f"More than {MOST_SHOTS} shots are named.",
            where="review.order", why="A movie needs shots.",
            remedy="Type the codes of the shots in the order of the cut.",
        )  # fmt: skip
    return [packages[code] for code in codes]


def ask(
    session: Session,
    show: Show,
    packages: Sequence[Package],
    *,
    seen: str,
    rate: float,
    burn_in: bool,
    sound: str,
    total: int,
    output: str,
    at_once: bool = False,
    by: str = "",
) -> Review:
    """Ask for a movie.

    Parameters
    ----------
    packages : sequence of Package
        In the order of the cut.
    seen : str
        "picture", or a form beside the files.
    rate : float
        Frames a second.
    burn_in : bool
    sound : str
        Path of the cut's sound; empty for none.
    total : int
        How many frames it will have.
    output : str
        Folder below which packages go.
    at_once : bool
        Whether all shots run at the same time in a grid.

    Raises
    ------
    SettingError
        The rate is none, or more shots are to run at once than can be told apart.
    """
    if at_once and len(packages) > MOST_AT_ONCE:
        raise SettingError(
            f"{len(packages)} shots are to run at once.", where="review.order",
            why="They would be too small to be told apart.",
            remedy=f"Name up to {MOST_AT_ONCE} shots, or let them run one after the other.",
        )  # fmt: skip
    if not 1 <= rate <= 240:
        raise SettingError(
            f"{rate:g} is no frame rate.", where="review.rate", why="The movie could not be played.",
            remedy="Type frames a second, 1 to 240.",
        )  # fmt: skip
    # Two who press at once get two numbers.
    session.execute(select(Show.id).where(Show.id == show.id).with_for_update())
    version = 1 + (session.scalar(select(func.max(Review.version)).where(Review.show_id == show.id)) or 0)
    # Files of a house that was brought back from a backup may know later numbers.
    while os.path.exists(os.path.join(output, file_name(show.code, version))):
        version += 1
    asked: dict[str, Any] = {
        "shots": [package.run.shot.code for package in packages],
        "folders": [package.folder for package in packages],
        "seen": seen, "rate": rate, "burn_in": burn_in, "sound": sound, "at_once": at_once,
    }  # fmt: skip
    review = Review(show=show, version=version, asked=asked, total=total, by=by)
    session.add(review)
    session.flush()
    return review


def reviews_of(session: Session, show: Show, *, limit: int = 50) -> list[Review]:
    """Give a show's review movies, newest first."""
    query = select(Review).where(Review.show_id == show.id).order_by(Review.version.desc()).limit(limit)
    return list(session.scalars(query))


def sounding(session: Session, shot: Shot) -> Review | None:
    """Give the newest movie with a sound that has a shot in its cut; None where there is none."""
    query = (
        select(Review)
        .where(
            Review.show_id == shot.show_id,
            Review.asked["sound"].astext != "",
            Review.asked["shots"].contains([shot.code]),
            func.coalesce(Review.asked["at_once"].as_boolean(), False).is_(False),
        )
        .order_by(Review.version.desc())
        .limit(1)
    )
    return session.scalar(query)


def find_review(session: Session, number: int) -> Review:
    """Find a review movie.

    Raises
    ------
    MissingError
        There is none of this number.
    """
    review = session.get(Review, number)
    if review is None:
        raise MissingError(
            f"There is no review movie {number}.", where="review", remedy="Look at the show's hand-off page."
        )
    return review


def due(session: Session) -> Review | None:
    """Give the movie that is to be made next: one at a time, the first asked for first."""
    query = select(Review).where(Review.state.in_(UNDER_WAY)).order_by(Review.id).limit(1)
    return session.scalar(query)


def tell(session: Session, number: int, done: int) -> bool:
    """Note how many frames are in it; give whether to go on."""
    query = update(Review).where(Review.id == number, Review.state == "making").values(done=done)
    return bool(session.execute(query).rowcount)  # type: ignore[attr-defined]


def stop(session: Session, review: Review) -> None:
    """Stop a movie; what was made of it is removed.

    Raises
    ------
    ConflictError
        It is at its end.
    """
    if review.state not in UNDER_WAY:
        raise ConflictError(
            f"It is {review.state} already.", where="review", why="There is nothing to stop.",
            remedy="Look at the show's hand-off page.",
        )  # fmt: skip
    review.state, review.ended_at = "stopped", now()
    session.flush()


def file_name(show: str, version: int) -> str:
    """Name a movie's file, beside the packages of its show."""
    return os.path.join(show, "reviews", f"{show}_review_v{version:03d}.webm")
