"""Scenes and footage taken over: kept by their content, and settled for a shot."""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence

from sqlalchemy.orm import Session

from drawstring.core.camera import camera_of
from drawstring.core.colour.kept_files import keep_file
from drawstring.core.scene.data import SceneData, read
from drawstring.core.scene.limits import MOST_MB
from drawstring.core.scene.reading import ENDINGS
from drawstring.store import deliveries, recipes
from drawstring.store.models import Shot

Reading = Callable[[str, str, Sequence[str]], bytes]
"""Reads a scene's file at a path, under a name, with the folders in which what it names may lie."""


def take_scene(
    session: Session,
    shot: Shot,
    path: str,
    *,
    name: str,
    folder: str,
    roots: Sequence[str],
    reading: Reading,
    by: str,
) -> SceneData:
    """Read a scene's file, keep what it says, and settle it for a shot; nothing else opens it again.

    Parameters
    ----------
    path, name : str
        Where it lies just now, and what it is called.
    folder : str
        Where files are kept.
    roots : sequence of str
        Folders in which files that it names may lie.
    reading : callable
        Reads it, in a process that may die of it.

    Raises
    ------
    DrawstringError
        It can't be read or kept.
    """
    content = reading(path, name, roots)
    data = read(content, "scene.file")
    kept = keep_file(folder, f"{name}.scene", content, most_mb=4 * MOST_MB)
    typed = {"scene.file": kept, "scene.needed": "yes"}
    delivery = shot.delivery
    if delivery is not None:
        typed |= {"scene.starts": f"{delivery.first}", "scene.rate": f"{shot.show.fps or 24:g}"}
        told = [camera_of(part.metadata) for part in deliveries.facts_of(delivery).parts]
        has_own = any(one.has_lens and one.world_to_camera is not None for one in told)
    else:
        has_own = False
    settled = recipes.current(session, shot).scene.camera
    whole = [one.name for one in data.cameras if not one.is_flat]
    if (not settled and not has_own and len(whole) == 1) or (
        settled and settled not in whole and len(whole) == 1
    ):
        typed["scene.camera"] = whole[0]
    recipes.set_values(session, shot, typed, by=by)
    return data


def scenes_beside(shot: Shot, roots: Sequence[str]) -> list[str]:
    """Give scene files that lie with the delivery in use, or one folder above it, below the source roots."""
    delivery = shot.delivery
    if delivery is None:
        return []
    own = {os.path.dirname(os.path.realpath(member.folder)) for member in delivery.members}
    own |= {os.path.realpath(member.folder) for member in delivery.members}
    allowed = [os.path.realpath(root) for root in roots]
    found = []
    for folder in sorted(own):
        if not any(folder == root or folder.startswith(root + os.sep) for root in allowed):
            continue
        try:
            with os.scandir(folder) as entries:
                found += [
                    entry.path
                    for entry in entries
                    if entry.name.rpartition(".")[2].lower() in ENDINGS
                    and entry.is_file(follow_symlinks=False)
                ]
        except OSError:
            continue
    return sorted(found)
