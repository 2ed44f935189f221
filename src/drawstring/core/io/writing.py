"""Writing an OpenEXR file so that nobody ever sees half of it and nothing is ever overwritten.

The picture is written under a name of its own beside the final one, flushed to the disk, and only
then given its final name, by an operation that fails when that name is taken.
"""

from __future__ import annotations

import errno
import os
import re
import time
import uuid
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import OpenEXR

from drawstring.core.arrays import Stored
from drawstring.core.errors import ConflictError, OutputError
from drawstring.core.io.attributes import as_attribute
from drawstring.core.io.facts import Window

COMPRESSIONS = {
    "none": OpenEXR.NO_COMPRESSION,
    "rle": OpenEXR.RLE_COMPRESSION,
    "zips": OpenEXR.ZIPS_COMPRESSION,
    "zip": OpenEXR.ZIP_COMPRESSION,
    "piz": OpenEXR.PIZ_COMPRESSION,
    "pxr24": OpenEXR.PXR24_COMPRESSION,
    "b44": OpenEXR.B44_COMPRESSION,
    "b44a": OpenEXR.B44A_COMPRESSION,
    "dwaa": OpenEXR.DWAA_COMPRESSION,
    "dwab": OpenEXR.DWAB_COMPRESSION,
    "htj2k256": OpenEXR.HTJ2K256_COMPRESSION,
    "htj2k32": OpenEXR.HTJ2K32_COMPRESSION,
    "zstd": OpenEXR.ZSTD_COMPRESSION,
    "lj2k": OpenEXR.LJ2K_COMPRESSION,
}

UNFINISHED = ".unfinished-"
"""What marks a name as not yet final; `remove_unfinished` looks for it after a crash."""


def write_exr(
    path: str,
    channels: Mapping[str, Stored],
    *,
    compression: str,
    data_window: Window,
    display_window: Window,
    pixel_aspect: float = 1.0,
    metadata: Mapping[str, Any] | None = None,
    dwa_level: float = 45.0,
) -> int:
    """Write one single-part scan-line file.

    Parameters
    ----------
    path : str
        The final name. Its folder must exist; the name must be free.
    channels : mapping of name to (H, W) float16, float32 or uint32
        The dtype is the stored type.
    compression : str
        A key of `COMPRESSIONS`.
    data_window, display_window : Window
        The data window's size is the arrays'.
    metadata : mapping, optional
        Header attributes, as `attributes.as_attribute` takes them.
    dwa_level : float
        For "dwaa": 45 is visually lossless for most pictures, 0 keeps most.

    Returns
    -------
    int
        Bytes written.

    Raises
    ------
    ConflictError
        The final name is taken; what is there stays as it was.
    OutputError
        The disk is full, the folder closed or gone.
    """
    with final_name(path) as unfinished:
        put_exr(
            unfinished, channels, compression=compression, data_window=data_window,
            display_window=display_window, pixel_aspect=pixel_aspect, metadata=metadata, dwa_level=dwa_level,
        )  # fmt: skip
        return os.path.getsize(unfinished)


@dataclass(frozen=True)
class PartToWrite:
    """One part of a file.

    Attributes
    ----------
    channels : mapping of name to (H, W) float16, float32 or uint32
        The dtype is the stored type; the size is the data window's.
    compression : str
        A key of `COMPRESSIONS`.
    data_window : Window
    name : str
        Needed where a file has several.
    tile : int
        Side of a tile in pixels; 0 for scan lines.
    said : mapping
        Header attributes of its own, such as its view; None takes one of the file's away.
    is_upwards : bool
        Whether the file begins with the bottom line (`lineOrder` decreasingY).
    """

    channels: Mapping[str, Stored]
    compression: str
    data_window: Window
    name: str = ""
    tile: int = 0
    said: Mapping[str, Any] = field(default_factory=dict)
    is_upwards: bool = False


def put_exr(
    unfinished: str,
    channels: Mapping[str, Stored],
    *,
    compression: str,
    data_window: Window,
    display_window: Window,
    pixel_aspect: float = 1.0,
    metadata: Mapping[str, Any] | None = None,
    dwa_level: float = 45.0,
) -> None:
    """Write a file of one part as `write_exr` does, under a name lent by `final_name`.

    For callers that look at the file before it gets its final name.
    """
    put_parts(
        unfinished, [PartToWrite(channels, compression, data_window)], display_window=display_window,
        pixel_aspect=pixel_aspect, metadata=metadata, dwa_level=dwa_level,
    )  # fmt: skip


def put_parts(
    unfinished: str,
    parts: Sequence[PartToWrite],
    *,
    display_window: Window,
    pixel_aspect: float = 1.0,
    metadata: Mapping[str, Any] | None = None,
    dwa_level: float = 45.0,
) -> None:
    """Write a file of one or several parts under a name lent by `final_name`.

    Parameters
    ----------
    parts : sequence of PartToWrite
        With names where there are several; what `metadata` says is said in each of them.
    """
    made = []
    for part in parts:
        said = {**(metadata or {}), **part.said}
        header: dict[str, Any] = {
            key: as_attribute(key, value)
            for key, value in _of_its_names(said, part.channels).items()
            if value is not None
        }
        header |= {
            "compression": COMPRESSIONS[part.compression],
            "type": OpenEXR.tiledimage if part.tile else OpenEXR.scanlineimage,
            "dataWindow": _corners(part.data_window),
            "displayWindow": _corners(display_window),
            "pixelAspectRatio": float(pixel_aspect),
            "lineOrder": OpenEXR.DECREASING_Y if part.is_upwards else OpenEXR.INCREASING_Y,
        }
        if part.tile:
            tiles = OpenEXR.TileDescription()
            tiles.xSize = tiles.ySize = part.tile
            header["tiles"] = tiles
        if part.compression in ("dwaa", "dwab"):
            header["dwaCompressionLevel"] = float(dwa_level)
        planes = {name: np.ascontiguousarray(plane) for name, plane in part.channels.items()}
        made.append((header, planes, part.name))
    for header, _, _ in made[1:]:
        # They are the whole file's: what a later part says of them the first has to say, too, whatever it
        # holds ("OpenEXR File Layout", multi-part attributes; the library refuses to write the file else).
        if "chromaticities" in header:
            made[0][0].setdefault("chromaticities", header["chromaticities"])
    if len(made) == 1 and not made[0][2]:
        file = OpenEXR.File(made[0][0], made[0][1])
    else:
        file = OpenEXR.File([OpenEXR.Part(header, planes, name) for header, planes, name in made])
    with file:
        file.write(unfinished)


@contextmanager
def final_name(path: str) -> Iterator[str]:
    """Lend a name to write under; on a clean exit the file gets its final name, on any other it is removed.

    Raises
    ------
    ConflictError, OutputError
        As `write_exr` says.
    """
    unfinished = unfinished_path(path)
    try:
        with in_words(path):
            yield unfinished
        give_name(unfinished)
    finally:
        if os.path.exists(unfinished):
            os.unlink(unfinished)


def unfinished_path(path: str) -> str:
    """Make up a path to write under, beside the final one."""
    folder, name = os.path.split(path)
    return os.path.join(folder, f"{UNFINISHED}{uuid.uuid4().hex[:8]}-{name}")


def give_name(unfinished: str) -> None:
    """Give a written file its final name; it is on the disk then. The unfinished name stays, too.

    Raises
    ------
    ConflictError, OutputError
        As `write_exr` says.
    """
    path = final_path(unfinished)
    with in_words(path):
        flush(unfinished)
        os.link(unfinished, path)  # fails where the name is taken, unlike a rename


def flush(path: str) -> None:
    """Have what was written to a file put on the disk; where it is there already, that takes no time.

    Raises
    ------
    OSError
        The disk refuses. Who asks again is not told so a second time.
    """
    with open(path, "rb") as file:
        os.fsync(file.fileno())


@contextmanager
def in_words(path: str) -> Iterator[None]:
    """Turn what hinders a file from being written into a refusal; `path` is its final one.

    Raises
    ------
    ConflictError, OutputError
        As `write_exr` says.
    """
    folder, name = os.path.split(path)
    try:
        yield
    except FileExistsError as error:
        raise ConflictError(
            f"{name} is there already.",
            where=path,
            why="Outputs are never overwritten: somebody may be using the older one.",
            remedy="Start a new run; it gets the next version.",
        ) from error
    except OSError as error:
        raise _not_written(path, error) from error
    except RuntimeError as error:  # the EXR library reports a full disk as a plain failure to write
        free = os.statvfs(folder).f_bavail * os.statvfs(folder).f_frsize if os.path.isdir(folder) else 0
        code = errno.ENOSPC if free < 1 << 20 else errno.EIO
        raise _not_written(path, OSError(code, str(error))) from error


def final_path(path: str) -> str:
    """Give the path that an unfinished file will have; any other path as it is."""
    folder, name = os.path.split(path)
    return os.path.join(folder, name[len(UNFINISHED) + 9 :]) if name.startswith(UNFINISHED) else path


def remove_unfinished(folder: str, *, older_than_s: float = 0.0) -> int:
    """Remove what a killed writer left in a folder and those within; give the number of files removed.

    Parameters
    ----------
    older_than_s : float
        How long nobody has written to it.
    """
    latest = time.time() - older_than_s
    left = [
        os.path.join(place, name)
        for place, _, names in os.walk(folder)
        for name in names
        if name.startswith(UNFINISHED)
    ]
    removed = 0
    for path in left:
        with suppress(FileNotFoundError):  # whoever wrote it may be at its end just now
            if not older_than_s or os.stat(path).st_mtime < latest:
                os.unlink(path)
                removed += 1
    return removed


def _not_written(path: str, error: OSError) -> OutputError:
    folder, name = os.path.split(path)
    if error.errno in (errno.ENOSPC, errno.EDQUOT):
        what, remedy = f"The disk is full: {name} could not be written.", "Free some space, then go on."
    elif error.errno in (errno.EACCES, errno.EPERM, errno.EROFS):
        what, remedy = f"{name} may not be written in {folder}.", "Open the folder for writing, then go on."
    elif error.errno == errno.ENOENT:
        what, remedy = f"The folder {folder} is gone.", "Bring it back or start a new run."
    else:
        what, remedy = f"{name} could not be written: {error.strerror}.", "Mend the cause, then go on."
    return OutputError(
        what, where=path, why="The frame is missing from the package until then.", remedy=remedy
    )


def _corners(window: Window) -> tuple[Any, Any]:
    return (
        np.array([window.x_min, window.y_min], np.int32),
        np.array([window.x_max, window.y_max], np.int32),
    )


_OF_NAMES = re.compile(r"^cryptomatte/([^/]+)/")


def _of_its_names(said: Mapping[str, Any], channels: Iterable[str]) -> dict[str, Any]:
    """Leave out what is said of hashed names whose channels lie in another part or file."""
    here = tuple(channels)

    def is_here(key: str) -> bool:
        names = _OF_NAMES.match(key)
        layer = said.get(f"cryptomatte/{names[1]}/name") if names else None
        if not isinstance(layer, str):
            return True
        # Its channels are called by its name and a rank, `CryptoObject00.R`, perhaps with a view before it.
        own = re.compile(rf"(^|\.){re.escape(layer)}\d*\.")
        return any(own.search(name) for name in here)

    return {key: value for key, value in said.items() if is_here(key)}
