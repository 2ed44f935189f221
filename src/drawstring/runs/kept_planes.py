"""Decoded planes kept on disk by content, under a limit: what was looked at yesterday is there at once today.

A file is named by a digest of all that its plane depends on, so nothing ever has to be thrown away for being
out of date; the least used go when there is too much. Whatever goes wrong here (a full disk, a folder that
was closed, a torn file) costs time and nothing else: planes are decoded anew.

Whoever counts a delivery unpacks it, too, and keeps one frame of it small: its first picture and its tray are
there before anybody looks.
"""

from __future__ import annotations

import hashlib
import logging
import os
import queue
import threading
import uuid
from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from typing import Any

import numpy as np

from drawstring.core.arrays import Stored
from drawstring.core.io.facts import ChannelRef, FileFacts, Window
from drawstring.core.io.frame import read_frame
from drawstring.core.passes import Pass
from drawstring.core.recipe.pictures import light_among, proxy

log = logging.getLogger(__name__)

SHEET_PX = 320
"""At least as wide are the small pictures of a tray and of a board."""

MAX_LEVEL = 4
"""Of halvings."""

MOST_SHEET_BYTES = 1 << 30
"""Of all of a frame's channels at full size, for them to be unpacked together."""

_COUNTED_ANEW = 256
"""Planes after which it is looked how much there is: others write there, too."""

Key = tuple[str, int, int, int, str, Window, int, bool, Window | None]

_ENDING = ".npy"
MOST_BYTES = 256 << 20
"""Of one plane: larger ones are not kept."""


def plane_key(
    facts: FileFacts | None, ref: ChannelRef, window: Window, level: int, is_averaged: bool,
    display: Window | None,
) -> Key:  # fmt: skip
    """Name all that a decoded plane depends on: a file that changed is another one."""
    path, size, mtime = (facts.path, facts.size_bytes, facts.mtime_ns) if facts else ("", 0, 0)
    return (path, size, mtime, ref.part, ref.name, window, level, is_averaged, display)


def level_within(width: int, px: int = SHEET_PX) -> int:
    """Give how often a picture is halved to be just as wide as that, or wider."""
    return min(MAX_LEVEL, max(0, (width // px).bit_length() - 1))


class KeptPlanes:
    """A folder of planes.

    Parameters
    ----------
    folder : str
        Made when it is first written to; only this class writes there.
    limit_bytes : int
        How much may lie in it; 0 keeps nothing.
    """

    def __init__(self, folder: str, limit_bytes: int) -> None:
        self._folder, self._limit = folder, limit_bytes
        self._size: int | None = None
        self._written = 0
        self._todo: queue.Queue[tuple[str, Stored]] = queue.Queue(maxsize=64)
        self._writer: threading.Thread | None = None
        self._lock = threading.Lock()

    def get(self, key: Any) -> Stored | None:
        """Give a plane; None where it is not kept, or can't be read."""
        if not self._limit:
            return None
        path = self._path(key)
        try:
            plane = np.load(path, allow_pickle=False)
            os.utime(path)  # what was asked for last leaves last
        except (OSError, ValueError, EOFError):
            return None
        return np.asarray(plane)

    def put(self, key: Any, plane: Stored) -> None:
        """Keep a plane, a moment later; where too many wait to be written, this one is not."""
        if not self._limit or plane.nbytes > min(MOST_BYTES, self._limit // 4):
            return
        with self._lock:
            if self._writer is None or not self._writer.is_alive():
                self._writer = threading.Thread(target=self._write_all, name="kept planes", daemon=True)
                self._writer.start()
        with suppress(queue.Full):
            self._todo.put_nowait((self._path(key), plane))

    def keep(self, key: Any, plane: Stored) -> None:
        """Keep a plane now.

        Raises
        ------
        OSError
            It can't be written.
        """
        if self._limit:
            self._write(self._path(key), plane)

    def _path(self, key: Any) -> str:
        name = hashlib.blake2b(repr(key).encode(), digest_size=16).hexdigest()
        return os.path.join(self._folder, name[:2], name + _ENDING)

    def _write_all(self) -> None:
        while True:
            path, plane = self._todo.get()
            try:
                self._write(path, plane)
            except (OSError, ValueError) as error:
                log.warning("A decoded plane can't be kept in %s: %s", self._folder, error)

    def _write(self, path: str, plane: Stored) -> None:
        if os.path.exists(path):
            return
        os.makedirs(os.path.dirname(path), exist_ok=True)
        unfinished = f"{path}.{uuid.uuid4().hex[:8]}"
        try:
            with open(unfinished, "wb") as file:
                np.save(file, plane, allow_pickle=False)
            os.replace(unfinished, path)
        except BaseException:
            with suppress(OSError):
                os.unlink(unfinished)
            raise
        self._written += 1
        if self._size is None or not self._written % _COUNTED_ANEW:
            self._size = self._all_bytes()
        else:
            self._size += plane.nbytes
        if self._size > self._limit:
            self._make_room()

    def _files(self) -> list[tuple[float, int, str]]:
        files = []
        for place, _, names in os.walk(self._folder):
            for name in names:
                with suppress(OSError):
                    told = os.stat(os.path.join(place, name))
                    files.append((told.st_mtime, told.st_size, os.path.join(place, name)))
        return sorted(files)

    def _all_bytes(self) -> int:
        return sum(size for _, size, _ in self._files())

    def _make_room(self) -> None:
        """Remove what was used least lately, down to nine tenths of the limit."""
        files = self._files()
        size = sum(each for _, each, _ in files)
        for _, each, path in files:
            if size <= self._limit * 0.9:
                break
            with suppress(OSError):
                os.unlink(path)
            size -= each
        self._size = size


@dataclass(frozen=True)
class Keeps:
    """Where a worker keeps what it has unpacked for those who will look at it.

    Attributes
    ----------
    folder : str
        Of this house; a worker elsewhere has none.
    limit_bytes : int
    display : Window or None
        Into which files of another size are fitted.
    """

    folder: str
    limit_bytes: int
    display: Window | None = None


def keep_sheet(files: Mapping[int, FileFacts], passes: Sequence[Pass], window: Window, keeps: Keeps) -> None:
    """Keep all of a frame's channels at the size of small pictures, under the keys that pages look for.

    Raises
    ------
    SourceError, OSError
        The frame can't be read, or nothing can be written.
    """
    refs = [ref for ref in dict.fromkeys(r for one in passes for r in one.channels) if ref.source in files]
    is_here = os.path.isdir(os.path.dirname(os.path.dirname(keeps.folder)))
    if not is_here or not refs or window.width * window.height * 4 * len(refs) > MOST_SHEET_BYTES:
        return
    kept, level = KeptPlanes(keeps.folder, keeps.limit_bytes), level_within(window.width)
    averaged = light_among(refs, passes)
    for ref, plane in read_frame(files, refs, window=window, display=keeps.display).items():
        small = proxy(plane, level, is_light=ref in averaged)
        is_averaged = ref in averaged and level > 0
        kept.keep(plane_key(files[ref.source], ref, window, level, is_averaged, keeps.display), small)
