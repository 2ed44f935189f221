"""Keys of a value made from elsewhere: a pasted table, a flicker, the level of a sound that is handed in."""

from __future__ import annotations

import os
import tempfile
import threading

import xxhash
from flask import Blueprint, render_template, request
from werkzeug.wrappers import Response

from drawstring.core.errors import DrawstringError, SettingError
from drawstring.core.io.sound import Sound, read_sound
from drawstring.core.keys_from import Flicker, Following, flicker, followed, levels, table_text
from drawstring.store import deliveries, recipes, shows
from drawstring.web.bench.changing import changed
from drawstring.web.guards import brings_file
from drawstring.web.services import house, who, work

bp = Blueprint("keys_from", __name__)

_heard: dict[str, Sound] = {}
_HEARING = threading.Lock()


@bp.post("/shots/<int:shot_id>/<knot:knot>/keys-from")
@brings_file
def make(shot_id: int, knot: str) -> Response:
    """Replace a value's keys by those of a table, a flicker or a sound."""
    try:
        return _made(shot_id, knot)
    except DrawstringError as refusal:
        # Said where it was asked for, over whichever setting it is.
        raise SettingError(
            refusal.what, where="keys.from", why=refusal.why, remedy=refusal.remedy
        ) from refusal


@bp.post("/shots/<int:shot_id>/<knot:knot>/keys-from/level")
@brings_file
def level(shot_id: int, knot: str) -> str:
    """Draw a sound's level over the frames, as keys would follow it."""
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        delivery = deliveries.in_use(shot)
        first, count = delivery.first, delivery.last - delivery.first + 1
        heard = levels(_sound(), _following(), fps=shot.show.fps, count=count)
    return render_template(
        "bench/_level.html", level=heard.tolist(), first=first, floor=_following().threshold
    )


def _made(shot_id: int, knot: str) -> Response:
    setting, by = request.form.get("setting", ""), request.form.get("by", "table")
    if not setting.startswith(f"{knot}."):
        raise SettingError(
            f"“{setting}” is no value of this knot.", where="setting", why="Nothing was changed.",
            remedy="Choose one that can be keyed.",
        )  # fmt: skip
    text = _table() if by == "table" else ""
    sound = _sound() if by == "sound" else None
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        delivery = deliveries.in_use(shot)
        first, last = delivery.first, delivery.last
        if by == "flicker":
            how = Flicker(
                _number("low", 0.8), _number("high", 1.2), int(_number("every", 1)), int(_number("seed", 1))
            )
            text = table_text(flicker(how, first, last))
        if sound is not None:
            text = table_text(
                followed(
                    levels(sound, _following(), fps=shot.show.fps, count=last - first + 1),
                    _following(),
                    first,
                )
            )
        recipes.set_values(session, shot, {f"{setting}@table": text}, by=who())
        return changed(session, shot, knot)


def _table() -> str:
    file = request.files.get("file")
    if file is None or not file.filename:
        return request.form.get("text", "")
    try:
        return file.read().decode("utf-8-sig")
    except UnicodeDecodeError:
        raise SettingError(
            "The file is no text.", where="file", why="Nothing was changed.",
            remedy="Choose a CSV file of frame and value.",
        ) from None  # fmt: skip


def _sound() -> Sound:
    """Read the sound that was handed in, in a process of its own."""
    file = request.files.get("sound")
    if file is None or not file.filename:
        raise SettingError(
            "No sound was chosen.", where="sound", why="Nothing was changed.",
            remedy="Choose a WAV or FLAC file.",
        )  # fmt: skip
    content = file.read()
    digest = xxhash.xxh3_128_hexdigest(content)
    with _HEARING:
        if digest not in _heard:
            with tempfile.TemporaryDirectory(prefix="drawstring-sound-") as folder:
                path = os.path.join(folder, "sound")
                with open(path, "wb") as whole:
                    whole.write(content)
                heard = house().readers.read(path, read_sound, path, file.filename)
            # Tried out with other numbers it is the same sound: it is decoded once.
            _heard.clear()
            _heard[digest] = heard
        return _heard[digest]


def _following() -> Following:
    return Following(
        low=_number("low", 0.0),
        high=_number("high", 1.0),
        band=(_number("band_low", 0.0), _number("band_high", 0.0)),
        threshold=min(max(_number("threshold", 0.0) / 100, 0.0), 0.99),
        attack=max(_number("attack", 0.0), 0.0) / 1000,
        release=max(_number("release", 0.0), 0.0) / 1000,
        begins=_number("begins", 0.0),
    )


def _number(name: str, usual: float) -> float:
    text = request.form.get(name, "").strip().replace(",", ".")
    try:
        number = float(text) if text else usual
        if not abs(number) < 1e9:
            raise ValueError
        return number
    except ValueError:
        raise SettingError(
            f"“{text}” can't be {name.replace('_', ' ')}.", where=name, why="Nothing was changed.",
            remedy="Type a number.",
        ) from None  # fmt: skip
