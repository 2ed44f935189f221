"""Which folders may be looked into: only what really lies below an allowed root.

Links are followed before comparing, so neither `..` nor a link leads out.
"""

from __future__ import annotations

import os
from collections.abc import Sequence

from drawstring.core.errors import MissingError, SourceError


def inside_roots(path: str, roots: Sequence[str]) -> str:
    """Give the real path of a folder or file below one of the roots.

    Parameters
    ----------
    path : str
        As typed; a relative one is meant below the first root that has it.
    roots : sequence of str
        Allowed source roots.

    Raises
    ------
    SourceError
        It lies outside, also by way of `..` or a link.
    MissingError
        It lies inside, but is not there.
    """
    typed = path.strip()
    candidates = [typed] if os.path.isabs(typed) else [os.path.join(root, typed) for root in roots]
    real = [os.path.realpath(candidate) for candidate in candidates]
    allowed = [one for one in real if any(is_below(one, root) for root in roots)]
    if "\0" in typed or not typed or not allowed:
        raise SourceError(
            f"“{typed}” does not lie below an allowed folder.",
            where="folder",
            why="Only agreed folders are read, so that nobody reaches other people's files through the page.",
            remedy=f"Choose a folder below {', '.join(roots)}, or add its root to DRAWSTRING_ROOTS.",
        )
    found = next((one for one in allowed if os.path.exists(one)), None)
    if found is None:
        raise MissingError(
            f"There is no folder “{typed}”.",
            where="folder",
            why="Nothing could be scanned.",
            remedy="Check the spelling and that the disk is connected.",
        )
    return found


def is_below(path: str, root: str) -> bool:
    """Whether a real path is the root or lies below it."""
    root = os.path.realpath(root)
    return path == root or path.startswith(root.rstrip(os.sep) + os.sep)
