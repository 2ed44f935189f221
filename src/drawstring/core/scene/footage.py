"""Footage for cards: a picture, a film or a row of pictures in an archive, frame by frame as scene light.

What is kept for display (8 and 16 bit, films) is undone by the sRGB curve of IEC 61966-2-1:1999; OpenEXR and
Radiance hold light already.
"""

from __future__ import annotations

import os
import tempfile
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from functools import lru_cache
from typing import Any

import numpy as np
import OpenImageIO as oiio

from drawstring.core.arrays import Picture
from drawstring.core.errors import SettingError, SourceError
from drawstring.core.io.stills import open_as_stored

PICTURES = ("png", "jpg", "jpeg", "tif", "tiff", "exr", "hdr")
FILMS = ("mov", "mp4", "mkv", "webm")
ARCHIVES = ("zip",)
ENDINGS = (*PICTURES, *FILMS, *ARCHIVES)

MOST_MB = 1024
"""Of a file of footage."""

MOST_PX = 64_000_000
"""Of one picture of it."""

MOST_FRAMES = 20_000

_LIGHT = ("exr", "hdr")


def _refused(name: str, what: str, remedy: str) -> SettingError:
    return SettingError(
        f"{name}: {what}", where="scene.cards", why="The card would show nothing.", remedy=remedy
    )


def check_footage(path: str) -> int:
    """Decode the first and the last frame of footage; give how many there are.

    Raises
    ------
    SettingError
        It can't be read.
    """
    count = frame_count(path)
    for number in {0, count - 1}:
        frame_of(path, number)
    return count


@lru_cache(maxsize=64)
def frame_count(path: str) -> int:
    """Give how many frames footage has.

    Raises
    ------
    SettingError
        It can't be read.
    """
    name, ending = os.path.basename(path), _ending(path)
    if ending in PICTURES:
        return 1
    if ending in ARCHIVES:
        count = len(_members(path))
    else:
        with _film(path) as (container, stream):
            count = stream.frames or sum(1 for _ in container.decode(stream))
    if not 0 < count <= MOST_FRAMES:
        raise _refused(name, f"it has {count} frames.", f"Bring 1 to {MOST_FRAMES:,} frames.")
    return int(count)


@lru_cache(maxsize=6)
def frame_of(path: str, number: int) -> Picture:
    """Give a frame of footage: (H, W, 4) float32, colour and alpha as they came, colours as light.

    Raises
    ------
    SettingError
        It can't be read.
    """
    name, ending = os.path.basename(path), _ending(path)
    if ending in PICTURES:
        return _picture(path, name)
    if ending in ARCHIVES:
        members = _members(path)
        inner = members[min(max(number, 0), len(members) - 1)]
        with zipfile.ZipFile(path) as archive, tempfile.TemporaryDirectory() as folder:
            if archive.getinfo(inner).file_size > MOST_MB << 20:
                raise _refused(name, f"{inner} is too large.", "Bring smaller pictures.")
            place = os.path.join(folder, f"frame.{_ending(inner)}")
            with open(place, "wb") as file:
                file.write(archive.read(inner))
            return _picture(place, f"{name}, {inner}")
    return _film_frame(path, number)


def shown_frame(count: int, place: float, *, loops: bool) -> int:
    """Give which frame of so many is shown at a place in the row.

    Examples
    --------
    >>> shown_frame(10, 12.4, loops=True), shown_frame(10, 12.4, loops=False)
    (2, 9)
    """
    at = int(np.floor(place + 1e-6))
    return at % count if loops else min(max(at, 0), count - 1)


def _ending(path: str) -> str:
    return path.rpartition(".")[2].lower()


@lru_cache(maxsize=16)
def _members(path: str) -> tuple[str, ...]:
    try:
        with zipfile.ZipFile(path) as archive:
            names = [
                one.filename for one in archive.infolist()
                if not one.is_dir() and _ending(one.filename) in PICTURES
                and not os.path.basename(one.filename).startswith(".")
            ]  # fmt: skip
    except (zipfile.BadZipFile, OSError) as error:
        raise _refused(
            os.path.basename(path), "it is no archive that can be opened.", "Pack it again."
        ) from error
    if not names:
        raise _refused(
            os.path.basename(path), "no pictures are in it.", "Pack PNG, TIFF, JPEG or EXR frames."
        )
    return tuple(sorted(names))


def _picture(path: str, name: str) -> Picture:
    # As it is stored: the library multiplies straight colours by itself.
    try:
        file = open_as_stored(path)
    except SourceError as error:
        raise _refused(name, "it is no picture that can be read.", "Bring PNG, TIFF, JPEG or EXR.") from error
    try:
        said = file.spec()
        if said.width * said.height > MOST_PX or said.depth > 1:
            raise _refused(name, f"it is too large: {said.width} × {said.height}.", "Bring a smaller one.")
        pixels = file.read_image(oiio.FLOAT)
        names = [one.rpartition(".")[2].upper() for one in said.channelnames]
    finally:
        file.close()
    if pixels is None:
        raise _refused(name, "its pixels can't be read.", "Copy it again.")
    image = np.asarray(pixels, np.float32).reshape(said.height, said.width, -1)
    made = np.ones((*image.shape[:2], 4), np.float32)
    wanted = [names.index(one) for one in "RGB"] if set("RGB") <= set(names) else [0, 0, 0]
    for i, place in enumerate(wanted):
        made[..., i] = image[..., place]
    if "A" in names:
        made[..., 3] = image[..., names.index("A")]
    if _ending(path) not in _LIGHT:
        made[..., :3] = to_light(made[..., :3])
    return np.nan_to_num(made, nan=0.0, posinf=0.0, neginf=0.0)


@contextmanager
def _film(path: str) -> Iterator[tuple[Any, Any]]:
    import av

    name = os.path.basename(path)
    try:
        with av.open(path) as container:
            if not container.streams.video:
                raise _refused(name, "no pictures are in it.", "Bring a film with pictures.")
            yield container, container.streams.video[0]
    except av.FFmpegError as error:
        raise _refused(
            name, "it can't be decoded.", "Bring it in another coding, or as an archive of pictures."
        ) from error


def _film_frame(path: str, number: int) -> Picture:
    with _film(path) as (container, stream):
        rate, base = stream.average_rate, stream.time_base
        if number > 0 and rate and base:
            container.seek(int(number / rate / base), stream=stream, backward=True)
        last, begin = None, stream.start_time or 0
        for frame in container.decode(stream):
            last = frame
            if frame.pts is None or not rate or round((frame.pts - begin) * base * rate) >= number:
                break
        if last is None:
            raise _refused(
                os.path.basename(path), f"frame {number} can't be decoded.", "Bring it in another coding."
            )
        image: Picture = last.to_ndarray(format="rgba64le").astype(np.float32) / 65535
    image[..., :3] = to_light(image[..., :3])
    return image


def to_light(shown: Picture) -> Picture:
    """Undo the sRGB curve."""
    low = shown / np.float32(12.92)
    high = np.power((np.maximum(shown, 0) + np.float32(0.055)) / np.float32(1.055), np.float32(2.4))
    return np.where(shown <= 0.04045, low, high).astype(np.float32)
