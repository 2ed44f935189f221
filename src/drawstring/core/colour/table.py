"""Lookup tables (`.cube`, `.clf`) by OpenColorIO, for colours brought to the coding they were made for."""

from __future__ import annotations

import os
from functools import lru_cache
from typing import Any

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from drawstring.core.colour.kept_files import check_kept
from drawstring.core.colour.reading import LINEAR, SPACES
from drawstring.core.colour.view import CONFIG, RENDERED_IN
from drawstring.core.errors import SettingError


def through_table(
    colour: NDArray[np.floating], path: str, space: str, *, where: str = "table"
) -> NDArray[np.floating]:
    """Send unmultiplied colours through a kept table.

    Parameters
    ----------
    colour : (..., 3) float32
        Scene-linear light of the working space.
    path : str
        Of a kept file.
    space : str
        A key of `SPACES`: in which the table reads, and gives back.

    Returns
    -------
    (..., 3) float32
        In the working space again.

    Raises
    ------
    SettingError
        The file is gone, was changed, or can't be read.
    """
    check_kept(path, where)
    made = np.array(colour, np.float32, order="C")
    table_processor(path, space, where).applyRGB(made.reshape(-1, 3))
    return made


def check_table(path: str) -> None:
    """Refuse a table that can't be read."""
    table_processor(path, LINEAR, "cdl.file")


@lru_cache(maxsize=16)
def table_processor(path: str, space: str, where: str) -> Any:
    """Make the transform of a table; refuse one that can't be read."""
    config = ocio.Config.CreateFromBuiltinConfig(CONFIG)
    steps = ocio.GroupTransform()
    if space != LINEAR:
        steps.appendTransform(ocio.ColorSpaceTransform(src=RENDERED_IN, dst=SPACES[space]))
    steps.appendTransform(ocio.FileTransform(src=path, interpolation=ocio.INTERP_BEST))
    if space != LINEAR:
        steps.appendTransform(ocio.ColorSpaceTransform(src=SPACES[space], dst=RENDERED_IN))
    try:
        return config.getProcessor(steps).getOptimizedCPUProcessor(ocio.OPTIMIZATION_LOSSLESS)
    except ocio.Exception as error:
        reason = " ".join(str(error).replace(path, os.path.basename(path)).split())
        raise SettingError(
            f"{os.path.basename(path)} can't be read as a table: {reason[:300]}", where=where,
            why="Colour can't go through it.", remedy="Export it again as .cube or .clf.",
        ) from error  # fmt: skip
