"""What is written and proven beside a frame's own file: forms of a pair, pictures, layers."""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence
from typing import Any

from drawstring.core.errors import OutputError
from drawstring.core.eyes.settings import AnaglyphFile
from drawstring.core.io.display_files import difference_of, put_display
from drawstring.core.io.facts import Window
from drawstring.core.io.openraster import difference_of_layers, put_openraster
from drawstring.core.io.writing import PartToWrite, final_path, in_words, put_parts
from drawstring.core.pack import Compression
from drawstring.core.recipe import Recipe
from drawstring.core.recipe.beside import BesideFile
from drawstring.runs.frame_files import FrameFiles
from drawstring.runs.proof import checksum, prove


def write_forms(
    files: Sequence[BesideFile], *, into: FrameFiles, file_name: str, recipe: Recipe,
    metadata: Mapping[str, Any], pixel_aspect: float, compression: Compression,
) -> list[dict[str, Any]]:  # fmt: skip
    """Write and prove a frame's forms; one that is there already is proven again.

    Parameters
    ----------
    files : sequence of BesideFile
    into : FrameFiles
        Where they get their names with the frame's own file.
    file_name : str
        Of the frame's own file, `SHOT_v001.1001.exr`: a form is `SHOT_v001_side_by_side.1001.exr`.
    recipe : Recipe
    metadata : mapping
        Header attributes of the frame's own file.
    compression : Compression
        Of the forms that are OpenEXR.

    Returns
    -------
    list of dict
        `file`, `bytes`, `checksum` and `proof` of each.
    """
    stem, number, _ = file_name.rsplit(".", 2)
    told = []
    for one in files:
        ending, (place, _, slug) = one.ending, one.slug.rpartition("/")
        name = os.path.join(place, f"{stem}_{slug}.{number}.{'jpg' if ending == 'jpeg' else ending}")
        path = into.begin(name)
        if not into.is_there(name):
            with in_words(final_path(path)):
                _put(path, one, ending, recipe, metadata, pixel_aspect, compression)
        proof = _proof(path, one, ending, compression)
        told.append(
            {"file": name, "bytes": os.path.getsize(path), "checksum": checksum(path), "proof": proof}
        )
    return told


def _part(one: BesideFile, compression: Compression) -> PartToWrite:
    return PartToWrite(one.channels, compression.value, _window(one))


def _of_one_picture(metadata: Mapping[str, Any]) -> dict[str, Any]:
    """Leave out what the source's views were: a form says its own."""
    return {key: value for key, value in metadata.items() if key not in ("view", "multiView")}


def _window(one: BesideFile) -> Window:
    height, width = next(iter(one.channels.values())).shape
    return Window(0, 0, width - 1, height - 1)


def _put(
    unfinished: str,
    one: BesideFile,
    ending: str,
    recipe: Recipe,
    metadata: Mapping[str, Any],
    pixel_aspect: float,
    compression: Compression,
) -> None:
    if one.layers:
        put_openraster(unfinished, one.layers)
        return
    if one.picture is not None:
        put_display(unfinished, one.picture, ending)
        return
    put_parts(
        unfinished, [_part(one, compression)],
        display_window=_window(one), pixel_aspect=pixel_aspect * one.squeeze,
        metadata={**_of_one_picture(metadata), "drawstring.alpha": "premultiplied", **one.said},
        dwa_level=recipe.pack.dwa_level,
    )  # fmt: skip


def _proof(path: str, one: BesideFile, ending: str, compression: Compression) -> dict[str, Any]:
    if one.layers:
        return {"largest_difference_levels": difference_of_layers(path, one.layers)}
    if one.picture is None:
        return prove(path, [_part(one, compression)])
    apart = difference_of(path, one.picture, ending)
    if apart and ending != AnaglyphFile.JPEG.value:
        raise OutputError(
            f"{os.path.basename(final_path(path))} came back different.", where=final_path(path),
            why="A file that does not hold what was computed must not be handed on.",
            remedy="The frame is tried again; if it fails again, check the disk.",
        )  # fmt: skip
    return {"largest_difference_levels": apart}
