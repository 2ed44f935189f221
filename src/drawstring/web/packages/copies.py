"""Where copies of packages may go: below the hand-off folder, and nowhere else."""

from __future__ import annotations

import os

from drawstring.core.errors import SettingError


def target_below(root: str, typed: str, name: str) -> str:
    """Give the folder for a copy.

    Parameters
    ----------
    root : str
        The hand-off folder.
    typed : str
        A folder below it.
    name : str
        Of the copy's own folder.

    Raises
    ------
    SettingError
        It leads out of the hand-off folder.
    """
    target = os.path.realpath(os.path.join(root, typed.strip().strip("/"), name))
    if not target.startswith(os.path.realpath(root) + os.sep):
        raise SettingError(
            f"“{typed}” leads out of the hand-off folder.", where="folder", why="Nothing was copied.",
            remedy=f"Name a folder below {root}.",
        )  # fmt: skip
    return target
