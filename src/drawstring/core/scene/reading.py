"""A scene's file, whichever open format it is in: read, or refused with what to export instead."""

from __future__ import annotations

import os
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from drawstring.core.errors import DrawstringError
from drawstring.core.scene.data import SceneData, written
from drawstring.core.scene.limits import MOST_MB, refused

GLTF, USD = ("gltf", "glb"), ("usd", "usda", "usdc", "usdz")
ENDINGS = (*GLTF, *USD)
"""Of scene files that are read."""

_OTHERS = {
    "abc": "Alembic", "fbx": "FBX", "obj": "OBJ", "blend": "a program's own file", "ma": "a "
        "program's own file",
    "mb": "a program's own file", "max": "a program's own file", "c4d": "a program's own file",
}  # fmt: skip


def read_scene(path: str, name: str = "", roots: Sequence[str] = ()) -> SceneData:
    """Read a scene's file.

    Parameters
    ----------
    path : str
    name : str
        What it is called, where that is not its path's end.
    roots : sequence of str
        Folders in which files that it names may lie.

    Raises
    ------
    SettingError
        It can't be read, names files elsewhere, or is too large.
    """
    name = name or os.path.basename(path)
    ending = name.rpartition(".")[2].lower()
    if ending not in ENDINGS:
        said = f"{name} is {_OTHERS[ending]}" if ending in _OTHERS else f"“{name[:60]}” is no scene's file"
        raise refused(
            f"{said}, which is not read here.", "Export cameras and lights as USD or glTF (.usdc, .glb)."
        )
    if os.path.getsize(path) > MOST_MB << 20:
        raise refused(
            f"{name} is larger than {MOST_MB} MB.", "Export cameras, lights and what is needed alone."
        )
    try:
        if ending in GLTF:
            from drawstring.core.scene.gltf import read_gltf

            data = read_gltf(path, roots)
        else:
            from drawstring.core.scene.usd import read_usd

            data = read_usd(path, roots)
    except DrawstringError:
        raise
    except Exception as error:  # libraries answer damage with any error they have
        raise refused(f"{name} is damaged.", "Copy or export the file again.") from error
    everything = (*data.cameras, *data.lights, *data.meshes, *data.marks)
    if not everything:
        raise refused(f"{name} holds neither cameras nor lights nor meshes.", "Export them along.")
    if any(not np.isfinite(one.matrices).all() for one in everything):
        raise refused(f"{name} places something nowhere: a matrix is not finite.", "Export the file again.")
    return replace(data, origin=name)


def read_and_write(path: str, name: str = "", roots: Sequence[str] = ()) -> bytes:
    """Read a scene's file and give the document that is kept of it: what a reading process is asked."""
    return written(read_scene(path, name, roots))
