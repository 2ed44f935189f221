"""A show's review movie: shots in the order of the cut, joined from their newest packages."""

from __future__ import annotations

import os

from flask import Blueprint, Response, render_template, request, send_file

from drawstring.core.errors import DrawstringError, MissingError, SettingError
from drawstring.core.io.sound import kept_sound, sound_seconds
from drawstring.runs.handoff.cut import PICTURE, SEEN_FORMS, count_frames, forms_of
from drawstring.store import reviews, shows
from drawstring.web.guards import brings_file
from drawstring.web.services import house, who, work

bp = Blueprint("reviews", __name__)


@bp.get("/shows/<code>/reviews")
def page(code: str) -> str:
    """Tell of a show's review movies, and ask for another; asked again by the page while one is made."""
    with work() as session:
        show = shows.find_show(session, code)
        movies = reviews.reviews_of(session, show)
        is_busy = any(movie.state in reviews.UNDER_WAY for movie in movies)
        if request.headers.get("HX-Request"):
            # Asked every second while one is made: packages and their manifests are left alone.
            return render_template("packages/_movies.html", show=show, movies=movies, is_busy=is_busy)
        newest = reviews.newest_packages(session, show)
        forms = {form for package in newest.values() for form in _forms(package.folder)}
        last = movies[0].asked if movies else {}
        return render_template(
            "packages/reviews.html",
            show=show,
            newest=newest,
            movies=movies,
            order=[shot for shot in last.get("shots", newest) if shot in newest],
            forms=[form for form in SEEN_FORMS if form in forms],
            is_busy=is_busy,
        )


def _forms(folder: str) -> list[str]:
    """Name a package's forms; one whose folder is gone has none, and the others are shown all the same."""
    try:
        return forms_of(folder)
    except DrawstringError:
        return []


@bp.post("/shows/<code>/reviews")
@brings_file
def ask(code: str) -> str:
    """Ask for a movie."""
    seen = request.form.get("review.seen", PICTURE)
    if seen != PICTURE and seen not in SEEN_FORMS:
        raise SettingError(
            f"“{seen}” can't be shown.", where="review.seen", why="The movie would be empty.",
            remedy=f"Choose {PICTURE}, {', '.join(SEEN_FORMS)}.",
        )  # fmt: skip
    file = request.files.get("review.sound")
    sound = ""
    if file is not None and file.filename:
        readers = house().readers
        sound = kept_sound(
            house().installation.sound_folder, file.filename, file.stream,
            lambda path, name: readers.read(name, sound_seconds, path, name),
        )  # fmt: skip
    at_once = request.form.get("review.at_once") == "yes"
    with work() as session:
        show = shows.find_show(session, code)
        packages = reviews.read_order(
            request.form.get("review.order", ""), reviews.newest_packages(session, show)
        )
        reviews.ask(
            session, show, packages, seen=seen, rate=_rate(show.fps), sound=sound,
            burn_in="review.burn_in" in request.form,
            total=count_frames([package.folder for package in packages], at_once=at_once), at_once=at_once,
            output=house().installation.output_folder, by=who(),
        )  # fmt: skip
    return page(code)


def _rate(usual: float) -> float:
    text = request.form.get("review.rate", "").strip().replace(",", ".")
    try:
        return float(text) if text else usual
    except ValueError:
        raise SettingError(
            f"“{text}” is no frame rate.", where="review.rate", why="The movie could not be played.",
            remedy="Type frames a second, as 24 or 23.976.",
        ) from None  # fmt: skip


@bp.post("/reviews/<int:number>/stop")
def stop(number: int) -> str:
    """Stop a movie."""
    with work() as session:
        review = reviews.find_review(session, number)
        code = review.show.code
        reviews.stop(session, review)
    return page(code)


@bp.get("/reviews/<int:number>/movie")
def movie(number: int) -> Response:
    """Give a movie's file."""
    with work() as session:
        path = reviews.find_review(session, number).file
    if not path or not os.path.exists(path):
        raise MissingError("There is no such movie.", where="review", remedy="Ask for it again.")
    return send_file(path, mimetype="video/webm", conditional=True)
