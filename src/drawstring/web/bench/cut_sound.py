"""The cut's sound, heard while a shot is played: from the newest review movie that has one."""

from __future__ import annotations

import os
from typing import Any

from flask import Blueprint, Response, send_file, url_for

from drawstring.core.errors import MissingError
from drawstring.runs.handoff.cut import place_in_cut
from drawstring.store import reviews, shows
from drawstring.web.services import work

bp = Blueprint("cut_sound", __name__)

_KINDS = {".wav": "audio/wav", ".flac": "audio/flac", ".ogg": "audio/ogg"}
"""What browsers play; movies take more."""


def is_heard(path: str) -> bool:
    """Whether a browser plays a kept sound."""
    return os.path.splitext(path)[1].lower() in _KINDS


@bp.get("/shots/<int:shot_id>/cut-sound")
def place(shot_id: int) -> dict[str, Any]:
    """Say where a shot begins in its show's cut: address of the sound, seconds, first frame, rate."""
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        review = reviews.sounding(session, shot)
        if review is None:
            raise MissingError(
                f"No review movie with a sound has {shot.code} in it.", where="review",
                why="There is no sound of the cut to be played.",
                remedy="Ask for a review movie with the cut's sound at the show's hand-off.",
            )  # fmt: skip
        asked = review.asked
        begins = place_in_cut(asked["folders"], asked["shots"].index(shot.code), asked["rate"])
        return {
            "address": url_for("cut_sound.sound", number=review.id),
            "begins": begins.begins_s,
            "first": begins.first,
            "rate": asked["rate"],
        }


@bp.get("/reviews/<int:number>/sound")
def sound(number: int) -> Response:
    """Give the sound of a movie's cut, as it was handed in."""
    with work() as session:
        path = reviews.find_review(session, number).asked.get("sound", "")
    if not is_heard(path) or not os.path.exists(path):
        raise MissingError(
            "The cut's sound is gone." if is_heard(path) else "There is no sound that could be heard.",
            where="review", why="The shot plays without it.",
            remedy="Ask for the movie again with a WAV or FLAC file.",
        )  # fmt: skip
    return send_file(path, mimetype=_KINDS[os.path.splitext(path)[1].lower()], conditional=True)
