"""Lookup tables (`.cube`, `.clf`) by OpenColorIO, for colours brought to the coding they were made for."""

from __future__ import annotations

import os
from functools import lru_cache

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from drawstring.core.colour.kept_files import find_kept
from drawstring.core.colour.management import HOUSE, SPACES, Management, Steps, space_steps, through
from drawstring.core.errors import SettingError


def read_space(text: str, where: str) -> str:
    """Read the name of a colour space that tables are made for.

    Raises
    ------
    SettingError
        There is no such space.
    """
    space = text.strip()
    if space not in SPACES:
        raise SettingError(
            f"There is no colour space “{space}”.", where=where, why="Its colours can't be read.",
            remedy=f"Choose {', '.join(SPACES)}.",
        )  # fmt: skip
    return space


def through_table(
    colour: NDArray[np.floating], path: str, space: str, management: Management = HOUSE
) -> NDArray[np.floating]:
    """Send unmultiplied colours through a kept table.

    Parameters
    ----------
    colour : (..., 3) float32
        Scene-linear light of the working space.
    path : str
        Of a kept file.
    space : str
        In which the table reads, and gives back.
    management : Management

    Returns
    -------
    (..., 3) float32
        In the working space again.

    Raises
    ------
    SettingError
        The file is gone, was changed, or can't be read.
    """
    table = find_kept(path, "grade.table")
    into, back = space_steps(space, management, inverse=True), space_steps(space, management)
    return through((*into, *table_steps(table), *back), colour)


def check_table(path: str) -> None:
    """Refuse a table that can't be read."""
    table_steps(path)


@lru_cache(maxsize=16)
def table_steps(path: str) -> Steps:
    """Make the transform of a table; refuse one that can't be read."""
    config = ocio.Config.CreateRaw()
    try:
        processor = config.getProcessor(ocio.FileTransform(src=path, interpolation=ocio.INTERP_BEST))
        return (processor.getOptimizedCPUProcessor(ocio.OPTIMIZATION_LOSSLESS),)
    except ocio.Exception as error:
        reason = " ".join(str(error).replace(path, os.path.basename(path)).split())
        raise SettingError(
            f"{os.path.basename(path)} can't be read as a table: {reason[:300]}", where="grade.table",
            why="Colour can't go through it.", remedy="Export it again as .cube or .clf.",
        ) from error  # fmt: skip
