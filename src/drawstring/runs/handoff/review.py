"""What people look at before they open a file: the finished picture from files of a package, and its movie.

The movie runs at the show's rate; shot, version and frame are burnt in, and a missing frame says so.
"""

from __future__ import annotations

import os
from collections.abc import Iterator, Mapping
from typing import Any

import cv2
import numpy as np

from drawstring.core.colour import Management, through_view
from drawstring.core.errors import OutputError
from drawstring.core.io.frame import read_frame
from drawstring.core.io.headers import read_facts
from drawstring.core.pack.loose_files import STILL
from drawstring.core.passes import COLOUR_ROLES, Role, recognise
from drawstring.core.text import fitted_size, text_size, write_text
from drawstring.runs.handoff.movie import Picture8, movie

View = tuple[str, Management]
"""Whose view pictures are seen through."""

MOVIE_WIDE = 1280
_GREY = 96
_INK = (0.92, 0.92, 0.92)


def put_movie(unfinished: str, folder: str, manifest: Mapping[str, Any], view: View) -> None:
    """Write a package's review movie to an unfinished file."""
    width, height = picture_size(folder, manifest, MOVIE_WIDE)
    with movie(unfinished, (width, height), manifest["frame_rate"], where=folder) as made:
        for number, picture in _all_frames(folder, manifest, view):
            made.add(burnt_in(_fitted(picture, width, height), manifest, number, picture is None))


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
    strip = max(18, round(height * 0.055))
    size = max(9, round(strip * 0.62))
    below = np.asarray(made[-strip:], np.float32) / np.float32(3 * 255)
    top = (strip - text_size("Ag", size)[1]) // 2
    write_text(below, f"{manifest['shot']}  v{manifest['version']:03d}", (strip // 2, top), size, light=_INK)
    said = str(number)
    right = width - strip // 2 - text_size(said, size)[0]
    write_text(below, said, (right, top), size, light=_INK)
    made[-strip:] = np.round(np.clip(below, 0, 1) * 255)
    if is_missing:
        _say_in_the_middle(made, f"frame {number} is missing", 2 * size)
    return made


def _say_in_the_middle(picture: Picture8, text: str, size: int) -> None:
    wide, high = text_size(text, fitted_size(text, size, picture.shape[1]))
    top = max(0, (picture.shape[0] - high) // 2)
    band = np.asarray(picture[top : top + high], np.float32) / np.float32(255)
    at = max(0, (picture.shape[1] - wide) // 2), 0
    write_text(band, text, at, fitted_size(text, size, picture.shape[1]), light=_INK)
    picture[top : top + high] = np.round(np.clip(band, 0, 1) * 255)
