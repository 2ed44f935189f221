"""Files kept with the shows: lookup tables, configurations of OpenColorIO, maps of lenses, logos.

A kept file lies in a folder named by its content, `.../0f3a...c2/show.ocio`, and is named in a recipe by its
whole path. It is used only while its content is what that name says: a table that was changed behind a
recipe's back would change pictures without a word.
"""

from __future__ import annotations

import os
from collections.abc import Collection
from contextlib import suppress
from functools import lru_cache
from pathlib import Path

import xxhash

from drawstring.core.errors import ConflictError, OutputError, SettingError
from drawstring.core.io.writing import final_name

TABLES = ("cube", "clf")
"""Endings of lookup tables."""

CONFIGS = ("ocio", "ocioz")
"""Endings of configurations: a text, and a text with its tables in one archive."""

MAPS = ("exr",)
"""Ending of coordinate maps of lenses."""

LOGOS = ("png", "jpg", "jpeg")
"""Endings of logos for title frames."""

SCENES = ("scene",)
"""Ending of what is kept of scenes' files."""

FOOTAGE = ("png", "jpg", "jpeg", "tif", "tiff", "exr", "hdr", "mov", "mp4", "mkv", "webm", "zip")
"""Endings of footage for cards: pictures, films, archives of pictures."""

KEPT = tuple(dict.fromkeys((*TABLES, *CONFIGS, *MAPS, *LOGOS, *SCENES, *FOOTAGE)))

MOST_MB = 64


def kept_place(folder: str, name: str, content: bytes) -> str:
    """Give the path at which a file of this content is kept."""
    return os.path.join(folder, xxhash.xxh3_128_hexdigest(content), name)


def keep_file(folder: str, name: str, content: bytes, *, most_mb: int = MOST_MB) -> str:
    """Keep a file; the same content under the same name is kept once.

    Parameters
    ----------
    folder : str
        Where files of colour are kept.
    name : str
        Its own, with its ending.
    content : bytes
    most_mb : int
        How large it may be.

    Returns
    -------
    str
        Its path there.

    Raises
    ------
    SettingError
        It is too large, or its ending is none of `KEPT`.
    OutputError
        It can't be written.
    """
    plain = os.path.basename(name.replace("\\", "/"))
    ending = plain.rpartition(".")[2].lower()
    if ending not in KEPT or plain.startswith(".") or not plain.isprintable():
        raise SettingError(
            f"“{plain[:60]}” is no file that can be kept.", where="file", why="Nothing was kept.",
            remedy=f"There are: {', '.join(f'.{each}' for each in KEPT)}.",
        )  # fmt: skip
    if len(content) > most_mb << 20:
        raise SettingError(
            f"{plain} is larger than {most_mb} MB.", where="file", why="Nothing was kept.",
            remedy="Export less: a table with 65 points a side, cameras and lights alone, shorter footage.",
        )  # fmt: skip
    path = kept_place(folder, plain, content)
    if os.path.exists(path):
        return path
    try:
        os.makedirs(os.path.dirname(path), exist_ok=True)
        with final_name(path) as unfinished:
            Path(unfinished).write_bytes(content)
    except ConflictError:
        pass  # another hand was quicker with the same content
    except OSError as error:
        raise OutputError(
            f"{plain} can't be kept: {error.strerror}.", where=folder, why="Workers could not read it.",
            remedy="Free space, or let this account write there.",
        ) from error  # fmt: skip
    return path


def read_kept(text: str, where: str) -> str:
    """Read the typed path of a kept file.

    Raises
    ------
    SettingError
        It is not there, or holds something else than when it was kept.
    """
    path = text.strip()
    if path:
        find_kept(path, where)
    return path


FOLDER = "DRAWSTRING_COLOUR"
"""The variable that says where files of colour are kept now: a house may have been brought back elsewhere."""


def find_kept(path: str, where: str) -> str:
    """Give the path at which a kept file lies now.

    Raises
    ------
    SettingError
        It is gone, or was changed since it was kept.
    """
    digest, name = os.path.split(path)[0].rpartition(os.sep)[2], os.path.basename(path)
    for place in (path, os.path.join(os.environ.get(FOLDER, ""), digest, name)):
        with suppress(OSError):
            about = os.stat(place)
            if _digest(place, about.st_mtime_ns, about.st_size) == digest:
                return place
    raise SettingError(
        f"{name or 'The file'} is not kept here as it was brought in.", where=where,
        why="Another one under its name would change the picture without a word.",
        remedy="Bring the file in again.",
    )  # fmt: skip


@lru_cache(maxsize=64)
def _digest(path: str, changed: int, size: int) -> str:
    return xxhash.xxh3_128_hexdigest(Path(path).read_bytes())


def kept_files(folder: str, endings: Collection[str]) -> list[tuple[str, str]]:
    """Give every kept file of some endings: its path and its name, by name."""
    files = []
    with suppress(FileNotFoundError):
        for digest in os.scandir(folder):
            names = os.listdir(digest.path) if digest.is_dir() else []
            files += [
                (os.path.join(digest.path, name), name)
                for name in names
                if name.rpartition(".")[2].lower() in endings
            ]
    return sorted(files, key=lambda file: (file[1].lower(), file[0]))
