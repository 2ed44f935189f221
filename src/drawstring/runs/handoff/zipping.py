"""A package as one zip, made while it is being sent: nothing is written to disk, nothing waits for the end.

Files are stored as they are: pictures are compressed already, and whoever reads the zip can check them
against the manifest's sums.
"""

from __future__ import annotations

import os
import zipfile
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from drawstring.core.errors import SourceError
from drawstring.runs.handoff.contents import Content, contents

_BLOCK = 1 << 20


class _Sink:
    """What a zip is written to: keeps what came until it is fetched."""

    def __init__(self) -> None:
        self._parts: list[bytes] = []
        self._at = 0

    def write(self, data: bytes) -> int:
        self._parts.append(bytes(data))
        self._at += len(data)
        return len(data)

    def tell(self) -> int:
        return self._at

    def flush(self) -> None:
        pass

    def fetch(self) -> bytes:
        whole = b"".join(self._parts)
        self._parts.clear()
        return whole


@dataclass(frozen=True)
class Zip:
    """A package as a zip that is about to be sent: its blocks, how many bytes they will be, its name."""

    blocks: Iterator[bytes]
    size_bytes: int
    file_name: str


def zip_of(folder: str, name: str) -> Zip:
    """Give a package as a zip, to be fetched block by block.

    Parameters
    ----------
    folder : str
    name : str
        Of the folder within the zip.

    Raises
    ------
    MissingError
        The folder is no whole package; raised before the first block.
    SourceError
        A file changes its size while it is read: the zip stays without its end, and so can't be opened.
    """
    files = contents(folder)
    return Zip(_blocks(folder, name, files), _size(name, files), f"{name}.zip")


def _size(name: str, files: Sequence[Content]) -> int:
    """Work out a zip's size before it is made (PKWARE, "APPNOTE", 6.3.10: sections 4.3.7 to 4.3.16).

    Every entry is stored, with 64-bit sizes and a descriptor after it, since it is written in one go.
    """
    most = zipfile.ZIP64_LIMIT
    at = listing = 0
    for one in files:
        path = len(f"{name}/{one.name}".encode())
        wide = 2 * (one.size_bytes > most) + (at > most)
        listing += 46 + path + (4 + 8 * wide if wide else 0)
        at += 30 + path + 20 + one.size_bytes + 24
    is_wide = len(files) >= zipfile.ZIP_FILECOUNT_LIMIT or at > most or listing > most
    return at + listing + (76 if is_wide else 0) + 22


def _blocks(folder: str, name: str, files: Sequence[Content]) -> Iterator[bytes]:
    sink = _Sink()
    with zipfile.ZipFile(sink, "w", zipfile.ZIP_STORED, allowZip64=True) as archive:  # type: ignore[call-overload]
        for one in files:
            path = os.path.join(folder, one.name)
            said = zipfile.ZipInfo.from_file(path, f"{name}/{one.name}")
            count = 0
            with open(path, "rb") as file, archive.open(said, "w", force_zip64=True) as entry:
                while block := file.read(_BLOCK):
                    count += len(block)
                    entry.write(block)
                    yield sink.fetch()
            if count != one.size_bytes:
                raise SourceError(
                    f"{one.name} has {count:,} bytes instead of {one.size_bytes:,}.", where=path,
                    why="The zip would hold something else than what was proven.",
                    remedy="Look at the package's files again.",
                )  # fmt: skip
    yield sink.fetch()
