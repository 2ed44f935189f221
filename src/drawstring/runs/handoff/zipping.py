"""A package as one zip, made while it is being sent: nothing is written to disk, nothing waits for the end.

Files are stored as they are: pictures are compressed already, and whoever reads the zip can check them
against the manifest's sums.
"""

from __future__ import annotations

import os
import zipfile
from collections.abc import Iterator, Sequence

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


def zip_of(folder: str, name: str) -> Iterator[bytes]:
    """Give a package as a zip, block by block.

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
    return _blocks(folder, name, contents(folder))


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
