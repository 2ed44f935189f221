"""Decoded planes of frames, kept in memory by content while there is room.

The key is the file's identity (path, size, time of change), channel and proxy level, so that a
changed file is another entry. Decoding happens in the readers' processes.
"""

from __future__ import annotations

import os
import threading
from collections import OrderedDict
from collections.abc import Collection, Hashable, Iterator, Mapping, Sequence
from dataclasses import fields, is_dataclass
from typing import Any

import numpy as np

from drawstring.core.arrays import Stored
from drawstring.core.io.facts import ChannelRef, FileFacts, Window
from drawstring.core.io.frame import read_frame
from drawstring.core.io.headers import read_facts
from drawstring.core.io.pixels import use_threads
from drawstring.core.recipe.pictures import proxy
from drawstring.runs.kept_planes import MOST_SHEET_BYTES, KeptPlanes, Key, plane_key
from drawstring.runs.readers import Readers

Files = Mapping[int, FileFacts]
"""A frame's files by source."""

LASTING = 2
"""Frames of which computations keep something: that can be 180 MB to a frame at HD."""

TRIED, MOST_TRIED_BYTES = 2, 256 << 20
"""Pictures of which all that the last trial was made from is kept, and how much that may be for each."""


class FrameCache:
    """Planes by content, the least used leaving first.

    Parameters
    ----------
    readers : Readers
    limit_bytes : int
    kept : KeptPlanes
        Where they lie on disk.
    """

    def __init__(self, readers: Readers, limit_bytes: int, kept: KeptPlanes) -> None:
        self._readers, self._limit, self._kept = readers, limit_bytes, kept
        self._sheets: dict[Key, threading.Lock] = {}
        self._planes: OrderedDict[Key, Stored] = OrderedDict()
        self._size = 0
        self._headers: dict[tuple[str, int, int], FileFacts] = {}
        self._lasting: OrderedDict[tuple[Any, ...], dict[Any, Any]] = OrderedDict()
        self._tried: OrderedDict[tuple[Any, ...], Mapping[str, Any]] = OrderedDict()
        self._lock = threading.Lock()

    def planes(
        self,
        files: Files,
        refs: Sequence[ChannelRef],
        *,
        window: Window,
        level: int,
        is_light: bool,
        display: Window | None = None,
    ) -> dict[ChannelRef, Stored]:
        """Give planes of a frame at a proxy level, decoding what is not kept.

        Parameters
        ----------
        files : mapping of source to FileFacts
        refs : sequence of ChannelRef
        window : Window
            What the planes are to cover.
        display : Window, optional
            The picture into which files of another size are fitted.

        Raises
        ------
        SourceError, MissingError
            A file can't be decoded, is gone, or lacks a channel.
        """
        # At full size nothing is averaged, so both readings are one entry.
        keys = {
            ref: plane_key(files.get(ref.source), ref, window, level, is_light and level > 0, display)
            for ref in dict.fromkeys(refs)
        }
        with self._lock:
            found = {ref: self._planes[key] for ref, key in keys.items() if key in self._planes}
            for ref in found:
                self._planes.move_to_end(keys[ref])
        missing = [ref for ref in keys if ref not in found]
        if missing:
            there = {ref: plane for ref in missing if (plane := self._kept.get(keys[ref])) is not None}
            found |= there
            self._keep({keys[ref]: plane for ref, plane in there.items()})
            missing = [ref for ref in missing if ref not in there]
        if missing:
            needed = {ref.source: files[ref.source] for ref in missing if ref.source in files}
            path = next((facts.path for facts in needed.values()), "")
            lights = set(missing) if is_light else set()
            read = self._readers.read(path, decode, needed, missing, window, level, lights, display)
            found |= read
            self._keep({keys[ref]: plane for ref, plane in read.items()})
            for ref, plane in read.items():
                self._kept.put(keys[ref], plane)
        return found

    def sheet(
        self,
        files: Files,
        lights: Sequence[ChannelRef],
        others: Sequence[ChannelRef],
        *,
        window: Window,
        level: int,
        display: Window | None = None,
    ) -> None:
        """Have all of a frame's channels at a small size, by one look into each file.

        A part's channels lie packed together: whoever unpacks one has unpacked all. Whoever asks meanwhile
        waits for this look instead of taking another one.

        Parameters
        ----------
        lights, others : sequence of ChannelRef
            What may be averaged, and what may not.
        """
        every = [*lights, *others]
        if window.width * window.height * 4 * len(every) > MOST_SHEET_BYTES or not every:
            return  # a picture that can't be held whole with all of its passes: each is looked at by itself
        key = plane_key(files.get(every[0].source), every[0], window, level, True, display)
        with self._lock:
            turn = self._sheets.setdefault(key, threading.Lock())
        averaged = set(lights)
        with turn:
            keys = {
                ref: plane_key(files.get(ref.source), ref, window, level, ref in averaged, display)
                for ref in every
            }
            missing = [ref for ref in every if not self._has(keys[ref])]
            if missing:
                needed = {ref.source: files[ref.source] for ref in missing}
                path = next(facts.path for facts in needed.values())
                read = self._readers.read(
                    path, decode, needed, missing, window, level, averaged, display
                )  # fmt: skip
                self._keep({keys[ref]: plane for ref, plane in read.items()})
                for ref, plane in read.items():
                    self._kept.put(keys[ref], plane)
        with self._lock:
            self._sheets.pop(key, None)

    def _has(self, key: Key) -> bool:
        with self._lock:
            if key in self._planes:
                return True
        plane = self._kept.get(key)
        if plane is not None:
            self._keep({key: plane})
        return plane is not None

    def lasting(self, files: Files, level: int, window: Window) -> dict[Any, Any]:
        """Give where computations keep what stays true for a frame; of the last few frames only."""
        key = (level, window, *_identities(files))
        with self._lock:
            kept = self._lasting.setdefault(key, {})
            self._lasting.move_to_end(key)
            while len(self._lasting) > LASTING:
                self._lasting.popitem(last=False)
        return kept

    def tried(self, picture: Hashable, files: Files) -> Mapping[str, Any]:
        """Give what the last trial of a picture was made from.

        Parameters
        ----------
        picture : hashable
            All that tells it from others of these files, but for its settings.
        """
        with self._lock:
            return self._tried.get((picture, *_identities(files)), {})

    def keep_tried(self, picture: Hashable, files: Files, kept: Mapping[Any, Any]) -> None:
        """Keep what a trial was made from for the next one: one setting moves, and most stays as it was."""
        values = {digest: value for digest, value in kept.items() if isinstance(digest, str)}
        if sum(dict(_memory(list(values.values()))).values()) > MOST_TRIED_BYTES:
            return
        with self._lock:
            self._tried[picture, *_identities(files)] = values
            self._tried.move_to_end((picture, *_identities(files)))
            while len(self._tried) > TRIED:
                self._tried.popitem(last=False)

    def headers(self, files: Files) -> dict[int, FileFacts]:
        """Give the facts that each file's own header tells, kept by the file's identity."""
        return {source: self._header(facts) for source, facts in files.items()}

    def _header(self, facts: FileFacts) -> FileFacts:
        key = (facts.path, facts.size_bytes, facts.mtime_ns)
        with self._lock:
            known = self._headers.get(key)
        if known is None:
            known = self._readers.read(facts.path, read_facts, facts.path)
            with self._lock:
                if len(self._headers) > 5000:
                    self._headers.clear()
                self._headers[key] = known
        return known

    def _keep(self, planes: dict[Key, Stored]) -> None:
        with self._lock:
            for key, plane in planes.items():
                if key not in self._planes:
                    self._planes[key] = plane
                    self._size += plane.nbytes
            while self._size > self._limit and len(self._planes) > 1:
                _, gone = self._planes.popitem(last=False)
                self._size -= gone.nbytes


def _identities(files: Files) -> list[tuple[str, int, int]]:
    return [(facts.path, facts.size_bytes, facts.mtime_ns) for facts in files.values()]


def _memory(value: Any) -> Iterator[tuple[int, int]]:
    """Give what a value holds, each by where it begins, and how much that is: arrays may share theirs."""
    if isinstance(value, np.ndarray):
        owner = value
        while isinstance(owner.base, np.ndarray):
            owner = owner.base
        yield id(owner), owner.nbytes
    elif isinstance(value, list | tuple):
        for each in value:
            yield from _memory(each)
    elif is_dataclass(value):
        for field in fields(value):
            yield from _memory(getattr(value, field.name))


def decode(
    files: Files,
    refs: Sequence[ChannelRef],
    window: Window,
    level: int,
    lights: Collection[ChannelRef],
    display: Window | None = None,
) -> dict[ChannelRef, Stored]:
    """Read channels and make proxies of them, those of `lights` averaged; runs in a reader's process.

    Somebody is waiting for just this picture, so one read may use every core.
    """
    use_threads(os.cpu_count() or 1)
    planes = read_frame(files, refs, window=window, display=display)
    return {ref: proxy(plane, level, is_light=ref in lights) for ref, plane in planes.items()}
