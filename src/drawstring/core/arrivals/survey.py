"""Many files' headers read at once, compactly.

Frames of a sequence nearly always share one layout, so the full facts are kept once for each layout
and every frame carries only its identity: ten thousand frames fit in a message between processes.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field

from drawstring.core.errors import DrawstringError
from drawstring.core.io.chunks import Shapes
from drawstring.core.io.facts import FileFacts
from drawstring.core.io.headers import look_over, read_facts
from drawstring.core.io.stills import is_still


@dataclass(frozen=True)
class Surveyed:
    """One file: its identity, its layout, or what is wrong with it."""

    path: str
    size_bytes: int
    mtime_ns: int
    layout: tuple[object, ...] | None
    fault: dict[str, str] | None = None


@dataclass
class Survey:
    """Many files: an entry for each, and full facts for each layout that occurs."""

    files: dict[str, Surveyed] = field(default_factory=dict)
    facts: dict[tuple[object, ...], FileFacts] = field(default_factory=dict)

    def add(self, other: Survey) -> None:
        """Take over another survey's files."""
        self.files.update(other.files)
        for layout, facts in other.facts.items():
            self.facts.setdefault(layout, facts)


def survey(paths: Iterable[str], *, begin: Callable[[str], object] = lambda path: None) -> Survey:
    """Read the headers of files; a fault of one file is kept beside it, the others go on.

    Parameters
    ----------
    paths : iterable of str
    begin : callable
        Told of each file before it is read.
    """
    result = Survey()
    # Files whose structural attributes are equal byte by byte have one layout: only the first of them is
    # read attribute by attribute, which is most of the work.
    known: dict[tuple[bytes, ...], tuple[object, ...]] = {}
    shapes = Shapes()
    for path in paths:
        begin(path)
        try:
            if is_still(path):
                facts = read_facts(path)
                result.facts.setdefault(facts.layout, facts)
                result.files[path] = Surveyed(path, facts.size_bytes, facts.mtime_ns, facts.layout)
                continue
            looked = look_over(path, shapes)
            layout = known.get(looked.structure)
            if layout is None:
                facts = read_facts(path)
                layout = known[looked.structure] = facts.layout
                result.facts.setdefault(layout, facts)
        except DrawstringError as error:
            result.files[path] = faulty(path, error)
            continue
        result.files[path] = Surveyed(path, looked.status.st_size, looked.status.st_mtime_ns, layout)
    return result


def faulty(path: str, error: DrawstringError) -> Surveyed:
    """Make the entry of a file that can't be read."""
    try:
        status = os.stat(path)
        size, mtime = status.st_size, status.st_mtime_ns
    except OSError:
        size = mtime = 0
    return Surveyed(path, size, mtime, None, error.as_dict())
