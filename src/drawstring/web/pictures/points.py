"""Values taken from the picture by a click: a distance, a colour."""

from __future__ import annotations

import numpy as np

from drawstring.core.errors import MissingError, SettingError
from drawstring.core.passes import Role
from drawstring.core.recipe import Recipe
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.sources import depth_inputs, of_view, pass_of, read_distances
from drawstring.web.pictures.here import FrameHere

REGION = 2
"""Pixels to each side of a click that are asked for their median: one pixel alone may be an edge."""


def point_in(at: FrameHere, recipe: Recipe, x: int, y: int) -> tuple[int, int]:
    """Give row and column, in what arrived, of what is shown at a place of the display window.

    Raises
    ------
    MissingError
        The picture does not reach there.
    """
    row, col = at.came_from(Chains(at.passes, recipe), x, y)
    if row < 0 or col < 0:
        raise MissingError(
            f"There is no picture at {x}, {y}.",
            where="pick",
            why="Nothing was changed.",
            remedy="Click on the picture.",
        )
    return row, col


def place_in(setting: str, count: int) -> int:
    """Give which of several like parts a dotted name means, from 0.

    Raises
    ------
    SettingError
        There is none at that place.
    """
    place = (setting.split(".") + ["", ""])[2]
    if not place.isdigit() or not 1 <= int(place) <= count:
        raise SettingError(
            f"There is no {setting}.",
            where="setting",
            why="Nothing was changed.",
            remedy=f"There are {count}, counted from 1.",
        )
    return int(place) - 1


def distance_at(at: FrameHere, recipe: Recipe, row: int, col: int, name: str) -> float:
    """Give the distance at a pixel, of the things around it.

    Raises
    ------
    MissingError
        Nothing solid lies there.
    """
    passes = of_view(at.passes, "")
    planes = at.planes(depth_inputs(passes), 0)
    read = read_distances(planes, passes, recipe.depth, at.moment(0), repair=False)
    here = read.z[_around(row, col)][~read.nothing[_around(row, col)]]
    if not here.size:
        raise MissingError(
            f"There is no distance at {col + at.window.x_min}, {row + at.window.y_min}.",
            where=name,
            why="That part of the picture is background.",
            remedy="Click on something solid.",
        )
    # A lower median: one of the values that are there, not a mean of two sides of an edge.
    return round(float(np.sort(here, axis=None)[(here.size - 1) // 2]), 4)


def colour_at(at: FrameHere, recipe: Recipe, row: int, col: int) -> str:
    """Give the beauty's colour at a pixel as three scene-linear numbers.

    Raises
    ------
    MissingError
        There is no beauty.
    """
    beauty = pass_of(Role.BEAUTY, of_view(at.passes, ""))
    if beauty is None:
        raise MissingError(
            "There is no beauty to take a colour from.",
            where="pick",
            why="Nothing was changed.",
            remedy="Type the colour, or correct a pass's role in Arrivals.",
        )
    planes = at.of(Chains(at.passes, recipe).arrived(beauty), 0)[:3]
    light = [np.asarray(plane, np.float32)[_around(row, col)] for plane in planes]
    return " ".join(f"{max(0.0, float(np.median(one))):.5g}" for one in light)


def _around(row: int, col: int) -> tuple[slice, slice]:
    return (
        slice(max(0, row - REGION), max(0, row + REGION + 1)),
        slice(max(0, col - REGION), max(0, col + REGION + 1)),
    )
