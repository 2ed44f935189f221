"""A show's review movie: shots in the order of the cut, from their packages, with burn-in and sound."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from drawstring.core.errors import OutputError
from drawstring.core.framing.grid import GridPlan, grid, near_square
from drawstring.core.io.writing import final_name
from drawstring.core.recipe import upgraded
from drawstring.core.recipe.views import view_of
from drawstring.runs.handoff.contents import manifest_of
from drawstring.runs.handoff.movie import Picture8, fitted, movie
from drawstring.runs.handoff.review import (
    MOVIE_WIDE,
    burnt_in,
    picture_size,
    read_still,
    seen_picture,
    shown_light,
)

PICTURE = "picture"
"""Of what can be seen: the finished picture; else the name of a form beside the files."""

_SOUND_OFF_S = 0.05


@dataclass(frozen=True)
class CutMovie:
    """What a review movie is to show.

    Attributes
    ----------
    folders : sequence of str
        Packages, in the order of the cut.
    seen : str
        `PICTURE`, or a form such as `anaglyph`.
    rate : float
        Frames a second.
    burn_in : bool
        Whether shot, version and frame are written into the picture.
    sound : str
        Path of the cut's sound; empty for none.
    at_once : bool
        Whether all shots run at the same time in a grid; a shorter one stays on its last frame.
    """

    folders: Sequence[str]
    seen: str = PICTURE
    rate: float = 24.0
    burn_in: bool = True
    sound: str = ""
    at_once: bool = False


@dataclass(frozen=True)
class CutPlace:
    """Where a shot lies in a cut.

    Attributes
    ----------
    first : int
        Its first frame.
    begins_s : float
        What of the cut comes before that frame, in seconds.
    """

    first: int
    begins_s: float


def place_in_cut(folders: Sequence[str], place: int, rate: float) -> CutPlace:
    """Say where one of a cut's packages begins.

    Parameters
    ----------
    folders : sequence of str
        Packages, in the order of the cut.
    place : int
        Which one, counted from 0.
    rate : float
        Of the cut, frames a second.

    Raises
    ------
    MissingError
        A package up to it is gone.
    """
    return CutPlace(
        int(manifest_of(folders[place])[1]["first"]), count_frames(folders[:place]) / rate
    )  # fmt: skip


def count_frames(folders: Sequence[str], *, at_once: bool = False) -> int:
    """Count the frames that a movie of packages has."""
    told = (manifest_of(folder)[1] for folder in folders)
    each = [one["last"] - one["first"] + 1 for one in told]
    return max(each, default=0) if at_once else sum(each)


def make_cut(path: str, cut: CutMovie, *, on_frame: Callable[[int], None] = lambda done: None) -> list[str]:
    """Write a show's review movie.

    Parameters
    ----------
    path : str
        A name that is free; it is there whole or not at all.
    cut : CutMovie
    on_frame : callable of (int)
        Told how many frames are in it; may raise to stop.

    Returns
    -------
    list of str
        What is worth knowing of it: a sound of another length, shots of another rate or shape.

    Raises
    ------
    OutputError, SourceError, MissingError
        It can't be written, the sound can't be read, a package or its form is not there.
    """
    manifests = [manifest_of(folder)[1] for folder in cut.folders]
    width, height = picture_size(cut.folders[0], manifests[0], MOVIE_WIDE)
    notes = _notes(cut, manifests)
    if cut.at_once:
        width, height = _grid_size(len(manifests), width, height)
    with (
        final_name(path) as unfinished,
        movie(unfinished, (width, height), cut.rate, has_sound=bool(cut.sound), where=path) as film,
    ):
        run = _at_once if cut.at_once else _one_by_one
        for shown in run(cut, manifests, width, height):
            film.add(shown)
            on_frame(film.frames)
        if cut.sound:
            longer = film.add_sound(cut.sound)
            if abs(longer) > _SOUND_OFF_S:
                notes.append(
                    f"The sound is {abs(longer):.1f} s {'longer' if longer > 0 else 'shorter'} than the cut: "
                    + ("its end is left out." if longer > 0 else "the end is silent.")
                )
    return notes


def _one_by_one(
    cut: CutMovie, manifests: Sequence[Mapping[str, Any]], width: int, height: int
) -> Iterator[Picture8]:
    for folder, manifest in zip(cut.folders, manifests, strict=True):
        for number, picture in _pictures(folder, manifest, cut.seen):
            shown = _grey(width, height) if picture is None else fitted(picture, width, height)
            if cut.burn_in or picture is None:
                shown = burnt_in(shown, manifest, number, picture is None)
            yield shown


def _grid_size(count: int, width: int, height: int) -> tuple[int, int]:
    """Give the size of a grid of pictures of one shape, as wide as a movie is; even, as movies want it."""
    columns, rows = near_square(count)
    return width, max(2, round(width / columns * height / width * rows) // 2 * 2)


def _at_once(
    cut: CutMovie, manifests: Sequence[Mapping[str, Any]], width: int, height: int
) -> Iterator[Picture8]:
    """Give the frames of all shots side by side."""
    columns, rows = near_square(len(manifests))
    plan = GridPlan(columns, rows, width, height, has_labels=cut.burn_in, ink=(0.8, 0.8, 0.8))
    running = [
        _pictures(folder, manifest, cut.seen) for folder, manifest in zip(cut.folders, manifests, strict=True)
    ]
    seen: list[tuple[int, Picture8 | None]] = [next(one, (0, None)) for one in running]
    for _ in range(count_frames(cut.folders, at_once=True)):
        pictures = [
            None if picture is None else np.asarray(picture, np.float32) / np.float32(255)
            for _, picture in seen
        ]
        labels = [
            f"{manifest['shot']} v{manifest['version']:03d}  {number}"
            for manifest, (number, _) in zip(manifests, seen, strict=True)
        ]
        made = grid(pictures, labels, plan)[..., :3]
        yield np.asarray(np.round(np.clip(made, 0, 1) * 255), np.uint8)
        seen = [next(one, last) for one, last in zip(running, seen, strict=True)]


def _notes(cut: CutMovie, manifests: Sequence[Mapping[str, Any]]) -> list[str]:
    notes = []
    others = sorted({each["shot"] for each in manifests if abs(each["frame_rate"] - cut.rate) > 0.01})
    if others:
        notes.append(
            f"{', '.join(others)} {'has' if len(others) == 1 else 'have'} another rate than {cut.rate:g}: "
            "every frame is shown once, so they run faster or slower."
        )
    shapes = dict[float, str]()
    for each in manifests:
        x_min, y_min, x_max, y_max = each["display_window"]
        shapes.setdefault(round((x_max - x_min + 1) / (y_max - y_min + 1), 2), each["shot"])
    if len(shapes) > 1:
        notes.append(f"Shots have different shapes ({', '.join(shapes.values())}); grey fills what is left.")
    return notes


def _pictures(folder: str, manifest: Mapping[str, Any], seen: str) -> Iterator[tuple[int, Picture8 | None]]:
    """Give every frame of a package's range with what is to be seen; None where it is missing."""
    view = view_of(upgraded(manifest["recipe"]["settings"]))
    frames = {frame["number"]: frame for frame in manifest["frames"]}
    for number in range(manifest["first"], manifest["last"] + 1):
        frame = frames.get(number)
        if frame is None:
            yield number, None
        elif seen == PICTURE:
            yield number, seen_picture(folder, frame, view)
        else:
            yield number, _form(folder, frame, seen, view)


def _form(folder: str, frame: Mapping[str, Any], form: str, view: Any) -> Picture8:
    """Read a form beside a frame's file as it is displayed."""
    names = [beside["file"] for beside in frame["proof"].get("beside", [])]
    name = next((each for each in names if each.split("/")[0] == form), None)
    if name is None:
        raise OutputError(
            f"{os.path.basename(folder)} has no {form.replace('_', ' ')}.", where=folder,
            why="The movie is to show it for every shot.",
            remedy="Choose it at the Eyes knot and run the shot again, or show the finished picture.",
        )  # fmt: skip
    if name.endswith(".exr"):
        return shown_light(os.path.join(folder, name), view)
    return read_still(folder, name)


def forms_of(folder: str) -> list[str]:
    """Name the forms that a package has beside its files, to be seen in a movie."""
    _, manifest = manifest_of(folder)
    frames = manifest["frames"]
    if not frames:
        return []
    names = [beside["file"].split("/")[0] for beside in frames[0]["proof"].get("beside", [])]
    return [name for name in dict.fromkeys(names) if name in SEEN_FORMS]


SEEN_FORMS = (
    "anaglyph", "side_by_side", "side_by_side_half", "above_below", "above_below_half", "rows", "columns",
)  # fmt: skip
"""Forms that are pictures to look at."""


def _grey(width: int, height: int) -> Picture8:
    return np.full((height, width, 3), 96, np.uint8)
