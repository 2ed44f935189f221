"""Decoded planes of frames, kept in memory by content while there is room.

The key is the file's identity (path, size, time of change), channel and proxy level, so that a
changed file is another entry. Decoding happens in the readers' processes.
"""

from __future__ import annotations

import os
import threading
from collections import OrderedDict
from collections.abc import Sequence

from drawstring.core.arrays import Stored
from drawstring.core.io.facts import ChannelRef, FileFacts
from drawstring.core.io.pixels import read_channels, use_threads
from drawstring.core.recipe.pictures import proxy
from drawstring.runs.readers import Readers

Key = tuple[str, int, int, ChannelRef, int, bool]


class FrameCache:
    """Planes by content, the least used leaving first.

    Parameters
    ----------
    readers : Readers
    limit_bytes : int
    """

    def __init__(self, readers: Readers, limit_bytes: int) -> None:
        self._readers, self._limit = readers, limit_bytes
        self._planes: OrderedDict[Key, Stored] = OrderedDict()
        self._size = 0
        self._lock = threading.Lock()

    def planes(
        self, facts: FileFacts, refs: Sequence[ChannelRef], *, level: int, is_light: bool
    ) -> dict[ChannelRef, Stored]:
        """Give planes of a frame at a proxy level, decoding what is not kept.

        Raises
        ------
        SourceError, MissingError
            The file can't be decoded or lacks a channel.
        """
        keys = {
            # At full size nothing is averaged, so both readings are one entry.
            ref: (facts.path, facts.size_bytes, facts.mtime_ns, ref, level, is_light and level > 0)
            for ref in dict.fromkeys(refs)
        }
        with self._lock:
            found = {ref: self._planes[key] for ref, key in keys.items() if key in self._planes}
            for ref in found:
                self._planes.move_to_end(keys[ref])
        missing = [ref for ref in keys if ref not in found]
        if missing:
            read = self._readers.read(facts.path, decode, facts.path, missing, level, is_light)
            found |= read
            self._keep({keys[ref]: plane for ref, plane in read.items()})
        return found

    def _keep(self, planes: dict[Key, Stored]) -> None:
        with self._lock:
            for key, plane in planes.items():
                if key not in self._planes:
                    self._planes[key] = plane
                    self._size += plane.nbytes
            while self._size > self._limit and len(self._planes) > 1:
                _, gone = self._planes.popitem(last=False)
                self._size -= gone.nbytes


def decode(path: str, refs: Sequence[ChannelRef], level: int, is_light: bool) -> dict[ChannelRef, Stored]:
    """Read channels and make proxies of them; runs in a reader's process.

    Somebody is waiting for just this picture, so one read may use every core.
    """
    use_threads(os.cpu_count() or 1)
    return {ref: proxy(plane, level, is_light=is_light) for ref, plane in read_channels(path, refs).items()}
