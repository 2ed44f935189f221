"""What people look at before they open a file: a movie and a contact sheet, made from the written files.

Both show the finished picture, from files of the package, the movie at the show's rate; shot, version and
frame are burnt in, and a missing frame says so.
"""

from __future__ import annotations

import os
from collections.abc import Iterator, Mapping, Sequence
from typing import Any

import cv2
import numpy as np

from drawstring.core.colour import Management, through_view
from drawstring.core.errors import OutputError
from drawstring.core.io.frame import read_frame
from drawstring.core.io.headers import read_facts
from drawstring.core.io.writing import final_name
from drawstring.core.pack.form import Also
from drawstring.core.pack.loose_files import STILL
from drawstring.core.passes import COLOUR_ROLES, Role, recognise
from drawstring.core.recipe import upgraded
from drawstring.core.recipe.views import view_of
from drawstring.runs.handoff.contents import MOVIE, SHEET, manifest_of, put_checksums
from drawstring.runs.handoff.movie import Picture8, movie

View = tuple[str, Management]
"""Whose view pictures are seen through."""

MOVIE_WIDE = 1280
SHEET_COLUMNS, SHEET_MOST, CELL_WIDE = 6, 36, 320
_GREY = 96


def make_review(folder: str) -> list[str]:
    """Make what the recipe asks to be looked at; what is there stays as it is.

    Parameters
    ----------
    folder : str
        Of a package that is at its end.

    Returns
    -------
    list of str
        Paths of what is there now.

    Raises
    ------
    MissingError, OutputError
        There is no manifest; nothing can be written.
    """
    _, manifest = manifest_of(folder)
    recipe = upgraded(manifest["recipe"]["settings"])
    also, view = recipe.pack.also, view_of(recipe)
    made = []
    for kind, name, make in ((Also.MOVIE, MOVIE, _put_movie), (Also.SHEET, SHEET, _put_sheet)):
        path = os.path.join(folder, name)
        if kind not in also or not manifest["frames"]:
            continue
        if not os.path.exists(path):
            with final_name(path) as unfinished:
                make(unfinished, folder, manifest, view)
        made.append(path)
    put_checksums(folder)
    return made


def _put_movie(unfinished: str, folder: str, manifest: Mapping[str, Any], view: View) -> None:
    width, height = picture_size(folder, manifest, MOVIE_WIDE)
    with movie(unfinished, (width, height), manifest["frame_rate"], where=folder) as made:
        for number, picture in _all_frames(folder, manifest, view):
            made.add(burnt_in(_fitted(picture, width, height), manifest, number, picture is None))


def _put_sheet(unfinished: str, folder: str, manifest: Mapping[str, Any], view: View) -> None:
    frames = manifest["frames"]
    places = sorted({round(i * (len(frames) - 1) / max(1, SHEET_MOST - 1)) for i in range(SHEET_MOST)})
    chosen = [frames[place] for place in places]
    width, height = picture_size(folder, manifest, CELL_WIDE)
    columns = min(SHEET_COLUMNS, len(chosen))
    rows = -(-len(chosen) // columns)
    label, gap, head = 22, 8, 40
    sheet = np.full((head + rows * (height + label + gap), gap + columns * (width + gap), 3), 255, np.uint8)
    title = f"{manifest['shot']} v{manifest['version']:03d}   {manifest['first']} - {manifest['last']}"
    _write(sheet, title, (gap, 27), 0.7, 30)
    for i, frame in enumerate(chosen):
        top, left = head + i // columns * (height + label + gap), gap + i % columns * (width + gap)
        picture = _fitted(seen_picture(folder, frame, view), width, height)
        sheet[top : top + height, left : left + width] = picture
        _write(sheet, str(frame["number"]), (left, top + height + 16), 0.5, 60)
    _, data = cv2.imencode(".png", np.ascontiguousarray(sheet[..., ::-1]))
    with open(unfinished, "wb") as file:
        file.write(data.tobytes())


def _all_frames(
    folder: str, manifest: Mapping[str, Any], view: View
) -> Iterator[tuple[int, Picture8 | None]]:
    """Give every frame of the range with its picture; None where it is missing."""
    frames = {frame["number"]: frame for frame in manifest["frames"]}
    for number in range(manifest["first"], manifest["last"] + 1):
        yield number, seen_picture(folder, frames[number], view) if number in frames else None


def picture_size(folder: str, manifest: Mapping[str, Any], most: int) -> tuple[int, int]:
    """Give the size at which a package is looked at: as wide at most, square pixels, even."""
    x_min, y_min, x_max, y_max = manifest["display_window"]
    width, height = x_max - x_min + 1, y_max - y_min + 1
    aspect = read_facts(os.path.join(folder, manifest["frames"][0]["file"])).parts[0].pixel_aspect or 1.0
    wide = min(most, round(width * aspect))
    return wide // 2 * 2, max(2, round(height * wide / (width * aspect)) // 2 * 2)


def seen_picture(folder: str, frame: Mapping[str, Any], view: View) -> Picture8:
    """Give the finished picture of a frame as it is displayed: its still, else what its file holds."""
    for beside in frame["proof"].get("beside", []):
        if beside["file"].startswith(f"{STILL}/"):
            return read_still(folder, beside["file"])
    return shown_light(os.path.join(folder, frame["file"]), view)


def read_still(folder: str, name: str) -> Picture8:
    """Read a picture of a package that is as displayed already."""
    still = cv2.imread(os.path.join(folder, name), cv2.IMREAD_COLOR)
    if still is None:
        raise OutputError(
            f"{name} can't be read.", where=folder, why="What people look at is made from it.",
            remedy="Bring the folder back from a copy, or run the shot again.",
        )  # fmt: skip
    return np.asarray(still[..., ::-1], np.uint8)


def shown_light(path: str, view: View) -> Picture8:
    """Read what a file is opened for, within the frame, as it is displayed."""
    facts = read_facts(path)
    one = min(recognise(facts), key=lambda each: (each.name != Role.BEAUTY, each.role not in COLOUR_ROLES))
    display = facts.parts[one.channels[0].part].display_window
    refs = list(one.channels[:3])
    planes = read_frame({0: facts}, refs, window=display)
    light = np.stack([np.nan_to_num(np.asarray(planes[ref], np.float32)) for ref in refs], axis=-1)
    if light.shape[2] != 3:
        light = np.repeat(light[..., :1], 3, axis=2)
    seen = through_view(light, *view) if one.role in COLOUR_ROLES else np.clip(light, 0, 1)
    return np.asarray(np.round(seen * 255), np.uint8)


def _fitted(picture: Picture8 | None, width: int, height: int) -> Picture8:
    if picture is None:
        return np.full((height, width, 3), _GREY, np.uint8)
    return np.asarray(cv2.resize(picture, (width, height), interpolation=cv2.INTER_AREA), np.uint8)


def burnt_in(picture: Picture8, manifest: Mapping[str, Any], number: int, is_missing: bool) -> Picture8:
    """Write shot, version and frame into a picture's lower edge."""
    height, width = picture.shape[:2]
    made = np.ascontiguousarray(picture)
    size = max(0.4, height / 1000)
    strip = max(16, round(height * 0.055))
    made[-strip:] = made[-strip:] // 3
    below = height - strip // 3
    _write(made, f"{manifest['shot']}  v{manifest['version']:03d}", (strip // 2, below), size, 235)
    _write(made, str(number), (width - round(strip * 2.6), below), size, 235)
    if is_missing:
        _write(made, f"frame {number} is missing", (width // 3, height // 2), size * 1.6, 235)
    return made


def _write(picture: Picture8, text: str, at: Sequence[int], size: float, grey: int) -> None:
    cv2.putText(
        picture, text, (int(at[0]), int(at[1])), cv2.FONT_HERSHEY_SIMPLEX, size, (grey, grey, grey),
        max(1, round(size * 2)), cv2.LINE_AA,
    )  # fmt: skip
