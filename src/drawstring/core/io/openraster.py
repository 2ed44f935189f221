"""Layers in one file that painting programs open, OpenRaster 0.0.6 (freedesktop.org): written and read.

A zip with `mimetype` first, `stack.xml`, a PNG of eight bits for each layer, the merged picture, a thumbnail.
"""

from __future__ import annotations

import zipfile
from collections.abc import Sequence
from dataclasses import dataclass
from xml.sax.saxutils import quoteattr

import cv2
import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Picture
from drawstring.core.errors import OutputError

Levels = NDArray[np.uint8]

MIME = "image/openraster"
_THUMB = 256


@dataclass(frozen=True)
class Layer:
    """One layer: display values with straight alpha, (H, W, 4) in 0 to 1."""

    name: str
    picture: Picture
    is_shown: bool = True


def put_openraster(unfinished: str, layers: Sequence[Layer]) -> None:
    """Write layers, the topmost first, under a name lent by `final_name`.

    Raises
    ------
    OutputError
        There is nothing to write.
    """
    if not layers:
        raise OutputError(
            "There is no layer.", where=unfinished, why="The file would be empty.",
            remedy="Let a pass go out that can be seen.",
        )  # fmt: skip
    levels = [_levels(layer.picture) for layer in layers]
    height, width = levels[0].shape[:2]
    lines = [
        f'<layer name={quoteattr(layer.name)} src={quoteattr(f"data/{i:03d}.png")} x="0" y="0" opacity="1.0" '
        f'composite-op="svg:src-over" visibility="{"visible" if layer.is_shown else "hidden"}"/>'
        for i, layer in enumerate(layers)
    ]
    stack = (
        f'<?xml version="1.0" encoding="UTF-8"?>\n<image version="0.0.6" w="{width}" h="{height}">'
        f"<stack>{''.join(lines)}</stack></image>\n"
    )
    merged = _merged([one for one, layer in zip(levels, layers, strict=True) if layer.is_shown] or levels[:1])
    scale = min(1.0, _THUMB / max(width, height))
    small = (max(1, round(width * scale)), max(1, round(height * scale)))
    with zipfile.ZipFile(unfinished, "w", zipfile.ZIP_STORED) as archive:
        # First and uncompressed, so that the kind of file can be told from its first bytes.
        archive.writestr("mimetype", MIME)
        archive.writestr("stack.xml", stack)
        for i, one in enumerate(levels):
            archive.writestr(f"data/{i:03d}.png", _png(one))
        archive.writestr("mergedimage.png", _png(merged))
        thumbnail = np.asarray(cv2.resize(merged, small, interpolation=cv2.INTER_AREA), np.uint8)
        archive.writestr("Thumbnails/thumbnail.png", _png(thumbnail))


def difference_of_layers(path: str, layers: Sequence[Layer]) -> int:
    """Read the layers back; give the largest difference in levels.

    Raises
    ------
    OutputError
        The file can't be read, or its layers are others.
    """
    try:
        with zipfile.ZipFile(path) as archive:
            names = [name for name in archive.namelist() if name.startswith("data/")]
            whole = archive.testzip() is None and len(names) == len(layers)
            back = [archive.read(name) for name in names] if whole else []
    except (OSError, zipfile.BadZipFile):
        back = []
    largest = 0
    for data, layer in zip(back, layers, strict=False):
        picture = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
        meant = _levels(layer.picture)
        if picture is None or picture.shape != meant.shape:
            back = []
            break
        largest = max(largest, int(np.abs(picture[..., [2, 1, 0, 3]].astype(int) - meant).max(initial=0)))
    if not back:
        raise OutputError(
            "The layers were written, but can't be read back as they were meant.", where=path,
            why="A file that does not hold what was computed must not be handed on.",
            remedy="The frame is tried again; if it fails again, check the disk.",
        )  # fmt: skip
    return largest


def _levels(picture: Picture) -> Levels:
    made = np.zeros(picture.shape, np.uint8)
    # Most layers of a page are a line of text: the rest of them is left alone.
    there = _filled(np.asarray(picture.any(axis=2)))
    made[there] = np.round(np.clip(np.nan_to_num(picture[there]), 0, 1) * 255)
    return made


def _filled(is_there: NDArray[np.bool_]) -> tuple[slice, slice]:
    """Give the smallest window of (H, W) that holds all that is there."""
    rows, cols = (np.flatnonzero(is_there.any(axis=axis)) for axis in (1, 0))
    if not rows.size:
        return slice(0, 0), slice(0, 0)
    return slice(rows[0], rows[-1] + 1), slice(cols[0], cols[-1] + 1)


def _merged(levels: Sequence[Levels]) -> Levels:
    """Lay layers on each other, the first one topmost: simple alpha compositing of display values."""
    made = np.zeros(levels[0].shape, np.float32)
    for one in reversed(levels):
        there = _filled(one[..., 3] > 0)
        above, under = one[there].astype(np.float32) / 255, made[there]
        a, below = above[..., 3:], under[..., 3:]
        whole = a + below * (1 - a)
        colour = above[..., :3] * a + under[..., :3] * below * (1 - a)
        under[..., :3] = np.where(whole > 0, colour / np.maximum(whole, 1e-6), 0)
        under[..., 3:] = whole
    return np.round(made * 255).astype(np.uint8)


def _png(levels: Levels) -> bytes:
    _, data = cv2.imencode(".png", np.ascontiguousarray(levels[..., [2, 1, 0, 3]]))
    return bytes(data.tobytes())
