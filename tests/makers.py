"""Small makers that tests share."""

from __future__ import annotations

import os
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import OpenEXR

from drawstring.installation import Installation

WIDTH, HEIGHT, FRAMES = 192, 108, 6
"""Of the small demo show."""


def environment_of(installation: Installation) -> dict[str, str]:
    """Give the environment in which another process finds the same installation."""
    return {
        **os.environ,
        "DRAWSTRING_VAR": installation.var,
        "DRAWSTRING_ROOTS": installation.roots,
        "DRAWSTRING_OUTPUT": installation.output,
        "DRAWSTRING_PORT": str(installation.port),
        "DRAWSTRING_DATABASE_URL": installation.database_url,
        "DRAWSTRING_WORKERS": str(installation.workers),
    }


def write_plain(path: Path, channels: dict[str, np.ndarray], **header: object) -> Path:
    """Write an EXR with the library itself, none of our code between."""
    said = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage, **header}
    # The library puts objects of its own into the dictionary it is given.
    with OpenEXR.File(said, dict(channels)) as file:
        file.write(str(path))
    return path


def wait_for(is_so: Callable[[], object], *, seconds: float = 60) -> None:
    """Wait until something is so."""
    until = time.monotonic() + seconds
    while not is_so():
        assert time.monotonic() < until, "it did not come to be in time"
        time.sleep(0.1)
