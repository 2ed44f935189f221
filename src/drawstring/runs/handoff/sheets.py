"""Contact sheets: a package's frames, or a picture of each of several packages, labelled, on one page."""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence
from typing import Any

import cv2
import numpy as np

from drawstring.core.arrays import Picture
from drawstring.core.errors import MissingError
from drawstring.core.framing.grid import GridPlan, grid
from drawstring.core.recipe import upgraded
from drawstring.core.recipe.views import view_of
from drawstring.core.text import Weight, write_text
from drawstring.runs.handoff.contents import manifest_of
from drawstring.runs.handoff.review import Picture8, View, picture_size, seen_picture

COLUMNS, MOST, CELL_WIDE = 6, 36, 320
_GUTTER, _HEAD, _LINE = 10, 44, 22
_PAPER, _INK = (1.0, 1.0, 1.0), (0.22, 0.22, 0.22)
MOST_PACKAGES = 200


def sheet_of_frames(folder: str, manifest: Mapping[str, Any], view: View) -> bytes:
    """Make a package's contact sheet: up to `MOST` frames, evenly over its range. PNG.

    Parameters
    ----------
    folder : str
        Of the package.
    manifest : mapping
    view : View
        Through which light is seen.
    """
    frames = manifest["frames"]
    chosen = [frames[place] for place in _places(len(frames))]
    title = f"{manifest['shot']} v{manifest['version']:03d}   {manifest['first']} - {manifest['last']}"
    pictures = [seen_picture(folder, frame, view) for frame in chosen]
    size = picture_size(folder, manifest, CELL_WIDE)
    return _png(pictures, [str(frame["number"]) for frame in chosen], title, size)


def sheet_of_packages(folders: Sequence[str], title: str) -> bytes:
    """Make one contact sheet of several packages: the middle frame of each, under its name. PNG.

    Raises
    ------
    MissingError
        No package is chosen, or none of them has a frame.
    """
    pictures, labels, sizes = [], [], []
    for folder in folders[:MOST_PACKAGES]:
        _, manifest = manifest_of(folder)
        frames = manifest["frames"]
        if not frames:
            continue
        view = view_of(upgraded(manifest["recipe"]["settings"]))
        pictures.append(seen_picture(folder, frames[len(frames) // 2], view))
        labels.append(
            f"{manifest['shot']} v{manifest['version']:03d}, {manifest['first']}-{manifest['last']}"
        )
        sizes.append(picture_size(folder, manifest, CELL_WIDE))
    if not pictures:
        raise MissingError(
            "No package with a frame is chosen.", where="package", why="The sheet would be empty.",
            remedy="Tick at least one package.",
        )  # fmt: skip
    # Cells are as high as the highest shape asks for; others lie in their middle.
    return _png(pictures, labels, title, (CELL_WIDE, max(high for _, high in sizes)))


def _places(count: int) -> list[int]:
    return sorted({round(i * (count - 1) / max(1, MOST - 1)) for i in range(MOST)})


def _png(pictures: Sequence[Picture8], labels: Sequence[str], title: str, cell: tuple[int, int]) -> bytes:
    columns = min(COLUMNS, len(pictures))
    rows = -(-len(pictures) // columns)
    width = _GUTTER + columns * (cell[0] + _GUTTER)
    height = _HEAD + _GUTTER + rows * (cell[1] + _LINE + _GUTTER)
    plan = GridPlan(columns, rows, width, height, _GUTTER, True, _PAPER, _INK, _HEAD)
    shown = [np.asarray(picture, np.float32) / np.float32(255) for picture in pictures]
    made: Picture = grid(shown, labels, plan)
    write_text(made, title, (_GUTTER, 8), 24, light=_INK, weight=Weight.STRONG)
    eight = np.asarray(np.round(np.clip(made[..., :3], 0, 1) * 255), np.uint8)
    _, data = cv2.imencode(".png", np.ascontiguousarray(eight[..., ::-1]))
    return data.tobytes()


def put_sheet(unfinished: str, folder: str, manifest: Mapping[str, Any], view: View) -> None:
    """Write a package's contact sheet to an unfinished file."""
    data = sheet_of_frames(folder, manifest, view)
    with open(unfinished, "wb") as file:
        file.write(data)
        os.fsync(file.fileno())
