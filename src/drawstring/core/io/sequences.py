"""Which files belong together: names grouped into sequences, without looking at a disk.

A frame number is the last run of digits before the extension. Padding may be mixed (`0099`, `100`).
Digits that follow a `v` are a version, not a frame: `lamp_v003.exr` is a still.
"""

from __future__ import annotations

import itertools
import os
import re
from collections.abc import Iterable
from collections.abc import Sequence as Sequence_
from dataclasses import dataclass

import fileseq

_VERSION_STEM = re.compile(r"(?:^|[._\-])v$", re.IGNORECASE)


MOST_MISSING = 10_000
"""How many missing numbers are listed one by one; one stray number may be millions away."""


@dataclass(frozen=True)
class Sequence:
    """A run of numbered files, or one still.

    Attributes
    ----------
    folder, base, extension : str
        `base` ends where the number begins; `extension` has its dot.
    padding : int
        Digits of the most usual number; 0 for a still.
    files : tuple of (int, str)
        Frame number and path, by number. A still has number 0.
    duplicates : tuple of (int, str)
        Files whose number another one has already, with other padding.
    """

    folder: str
    base: str
    extension: str
    padding: int
    files: tuple[tuple[int, str], ...]
    duplicates: tuple[tuple[int, str], ...] = ()

    @property
    def is_still(self) -> bool:
        """Whether the file carries no frame number."""
        return self.padding == 0

    @property
    def first(self) -> int:
        """The lowest frame number."""
        return self.files[0][0]

    @property
    def last(self) -> int:
        """The highest frame number."""
        return self.files[-1][0]

    @property
    def gaps(self) -> list[tuple[int, int]]:
        """Runs of numbers between first and last that have no file: (from, to), both included."""
        return gaps_between([number for number, _ in self.files])

    @property
    def missing(self) -> list[int]:
        """Numbers between first and last that have no file; at most `MOST_MISSING` of them."""
        numbers = (number for low, high in self.gaps for number in range(low, high + 1))
        return list(itertools.islice(numbers, MOST_MISSING))

    @property
    def pattern(self) -> str:
        """The name with `#` for each digit of the frame number."""
        return f"{self.base}{'#' * self.padding}{self.extension}"


def gaps_between(numbers: Sequence_[int]) -> list[tuple[int, int]]:
    """Give the runs that are missing among ascending numbers: (from, to), both included.

    Examples
    --------
    >>> gaps_between([1, 2, 5, 6, 8])
    [(3, 4), (7, 7)]
    """
    return [(a + 1, b - 1) for a, b in itertools.pairwise(numbers) if b > a + 1]


def group(paths: Iterable[str]) -> list[Sequence]:
    """Group paths into sequences.

    Parameters
    ----------
    paths : iterable of str
        Files; only their names are looked at.

    Returns
    -------
    list of Sequence
        By folder and name.

    Examples
    --------
    >>> fog, lamp = group(["a/fog.0099.exr", "a/fog.100.exr", "a/fog.0102.exr", "a/lamp_v003.exr"])
    >>> fog.pattern, fog.first, fog.last, fog.missing
    ('fog.####.exr', 99, 102, [101])
    >>> lamp.is_still
    True
    """
    numbered: dict[tuple[str, str, str], list[tuple[int, int, str]]] = {}
    stills: list[Sequence] = []
    for found in fileseq.findSequencesInList(list(paths)):
        folder = str(found.dirname()).rstrip(os.sep)
        base, extension = str(found.basename()), str(found.extension())
        if found.frameSet() is None or _VERSION_STEM.search(base):
            for path in map(str, found):
                stem, ending = os.path.splitext(os.path.basename(path))
                stills.append(Sequence(os.path.dirname(path), stem, ending, 0, ((0, path),)))
            continue
        members = numbered.setdefault((folder, base, extension), [])
        for number in found.frameSet() or ():
            path = str(found.frame(number))
            digits = len(os.path.basename(path)) - len(base) - len(extension)
            members.append((int(number), digits, path))
    sequences = [_sequence(*key, members) for key, members in numbered.items()]
    return sorted(sequences + stills, key=lambda s: (s.folder, s.base, s.extension))


def _sequence(folder: str, base: str, extension: str, members: list[tuple[int, int, str]]) -> Sequence:
    widths = [digits for _, digits, _ in members]
    padding = max(set(widths), key=lambda width: (widths.count(width), width))
    files: dict[int, str] = {}
    duplicates = []
    # The usual padding comes first, so that the odd one of two namesakes is the duplicate.
    for number, _, path in sorted(members, key=lambda m: (m[0], abs(m[1] - padding))):
        if number in files:
            duplicates.append((number, path))
        else:
            files[number] = path
    return Sequence(folder, base, extension, padding, tuple(sorted(files.items())), tuple(duplicates))
