"""What scene files may ask of this house: how large they are, and which other files they may name."""

from __future__ import annotations

import os
from collections.abc import Sequence

from drawstring.core.errors import SettingError

MOST_MB = 512
"""Of a scene's file."""

MOST_POINTS = 2_000_000
"""Of all its meshes together."""

MOST_SAMPLES = 200_000
"""Of all that moves, together."""


def refused(what: str, remedy: str) -> SettingError:
    """Make the refusal of a scene's file."""
    return SettingError(what, where="scene.file", why="The scene was not taken over.", remedy=remedy)


def safe_reference(path: str, roots: Sequence[str]) -> str:
    """Give the real path of a file that a scene names, once it is known to lie where files may be read.

    Raises
    ------
    SettingError
        It lies elsewhere, is not there, or is too large.
    """
    real = os.path.realpath(path)
    inside = any(
        os.path.commonpath([real, os.path.realpath(root)]) == os.path.realpath(root) for root in roots
    )
    if not inside:
        raise refused(
            f"It names another file, {os.path.basename(path)}, which does not lie where files may be read.",
            "Export one file that holds everything (.glb, .usdc, .usdz), or bring the folder below "
            "a source root.",
        )
    if not os.path.isfile(real):
        raise refused(f"It names {os.path.basename(path)}, which is not there.", "Bring that file, too.")
    if os.path.getsize(real) > MOST_MB << 20:
        raise refused(f"{os.path.basename(path)} is larger than {MOST_MB} MB.", "Export only what is needed.")
    return real
