"""A frame's files, which get their names together: none before all of them are proven."""

from __future__ import annotations

import os
from concurrent.futures import Future, ThreadPoolExecutor
from types import TracebackType

from drawstring.core.errors import OutputError
from drawstring.core.io.writing import final_path, flush, give_name, in_words, unfinished_path


class FrameFiles:
    """Lends names to write under; on a clean end every file gets its own, on any other none does.

    Parameters
    ----------
    folder : str
        The package's.
    last : str
        The file whose name says that the frame is done: it comes after all others.
    """

    def __init__(self, folder: str, last: str) -> None:
        self._folder, self._last = folder, last
        self._lent: dict[str, str] = {}
        self._disk = ThreadPoolExecutor(1, "disk")
        self._flushes: dict[str, Future[None]] = {}

    def __enter__(self) -> FrameFiles:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        try:
            if kind is None:
                for name in sorted(self._lent, key=lambda name: name == self._last):
                    self._await_flush(name)
                    give_name(self._lent[name])
        finally:
            self._disk.shutdown()
            for unfinished in self._lent.values():
                if os.path.exists(unfinished):
                    os.unlink(unfinished)

    def begin(self, name: str) -> str:
        """Give where to write a file; its final path where it is there already, from before a crash.

        Raises
        ------
        OutputError
            Its folder can't be made.
        """
        path = os.path.join(self._folder, name)
        if name not in self._lent and not os.path.exists(path):
            _make_folder(os.path.dirname(path))
            self._lent[name] = unfinished_path(path)
        return self._lent.get(name, path)

    def flush(self, name: str) -> None:
        """Begin to put a written file on the disk: that takes time, but no core, while it is read back."""
        self._flushes[name] = self._disk.submit(flush, self._lent[name])

    def _await_flush(self, name: str) -> None:
        if name in self._flushes:
            with in_words(final_path(self._lent[name])):
                self._flushes[name].result()

    def is_there(self, name: str) -> bool:
        """Whether a file is there under its final name."""
        return name not in self._lent and os.path.exists(os.path.join(self._folder, name))


def _make_folder(folder: str) -> None:
    try:
        os.makedirs(folder, exist_ok=True)
    except OSError as error:
        raise OutputError(
            f"The folder {folder} can't be made: {error.strerror}.", where=folder,
            why="The frame is missing from the package until then.",
            remedy="Open the package's folder for writing, then go on.",
        ) from error  # fmt: skip
