"""Which files belong together: names grouped into sequences, without looking at a disk.

A frame number is the last run of digits before the extension. Padding may be mixed (`0099`, `100`).
Digits that follow a `v` are a version, not a frame: `lamp_v003.exr` is a still. Negative numbers and
sub-frames (`fog.1001.50.exr`) are set aside with the reason: a package has whole frames from 0 on.
"""

from __future__ import annotations

import itertools
import os
import re
import unicodedata
from collections.abc import Iterable
from collections.abc import Sequence as Sequence_
from dataclasses import dataclass

_VERSION_STEM = re.compile(r"(?:^|[._\-])v$", re.IGNORECASE)


_SIZE = re.compile(r"(?<![0-9A-Za-z])\d{2,5}[xX]\d{2,5}$")
"""A picture's size at the end of a name: its height is no frame number."""

_NEGATIVE = re.compile(r"^(?P<base>.*[._])-\d+(?P<ending>\.[A-Za-z0-9]+)$")
_BETWEEN = re.compile(
    r"^(?P<base>.*?)(?P<whole>\d{2,})\.(?P<part>\d{1,4})(?P<ending>\.[A-Za-z][A-Za-z0-9]*)$"
)

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
        Files whose number another one has already, with other padding or spelling.
    spellings : tuple of str
        Other spellings that some of its files have: letter case, decomposed accents, other padding.
    """

    folder: str
    base: str
    extension: str
    padding: int
    files: tuple[tuple[int, str], ...]
    duplicates: tuple[tuple[int, str], ...] = ()
    spellings: tuple[str, ...] = ()

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


@dataclass(frozen=True)
class SetAside:
    """Files that carry numbers no frame of a shot can have, by what they share."""

    code: str
    """"frame-negative" or "frame-between"."""
    paths: tuple[str, ...]


def set_aside(paths: Iterable[str]) -> tuple[list[str], list[SetAside]]:
    """Take out files whose numbers are negative or lie between frames.

    Examples
    --------
    >>> whole, between = ["fog.1001.exr", "fog.-002.exr"], ["s.01.00.exr", "s.01.50.exr", "s.02.00.exr"]
    >>> kept, aside = set_aside(whole + between)
    >>> kept, [one.code for one in aside]
    (['fog.1001.exr'], ['frame-negative', 'frame-between'])
    >>> group(["yard-0101.png", "yard-0102.png"])[0].pattern
    'yard-####.png'
    >>> set_aside(["TW.010.1001.exr", "TW.010.1002.exr"])[1]
    []
    """
    kept: list[str] = []
    negative: dict[str, list[str]] = {}
    between: dict[tuple[str, str], list[tuple[str, str, str]]] = {}
    for path in paths:
        # Most names can be told to have neither by a glance at them.
        name = path[path.rfind(os.sep) + 1 :]
        before, _, last = name.rpartition(".")[0].rpartition(".")
        if "-" not in name and not (before[-1:].isdigit() and last.isdigit()):
            kept.append(path)
            continue
        folder, name = os.path.split(path)
        if match := _NEGATIVE.match(name):
            negative.setdefault(os.path.join(folder, match["base"]), []).append(path)
        elif match := _BETWEEN.match(name):
            key = (os.path.join(folder, match["base"]), match["ending"])
            between.setdefault(key, []).append((match["whole"], match["part"], path))
        else:
            kept.append(path)
    aside = [SetAside("frame-negative", tuple(sorted(several))) for several in negative.values()]
    for members in between.values():
        wholes, parts = {whole for whole, _, _ in members}, {part for _, part, _ in members}
        several = [path for _, _, path in members]
        # Two numbers in a name are a shot's and a frame's as a rule: then the first one stays the same.
        if len(wholes) > 1 and len(wholes) >= len(parts):
            aside.append(SetAside("frame-between", tuple(sorted(several))))
        else:
            kept += several
    return kept, aside


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
    named: list[str] = []
    for path in paths:
        stem, ending = os.path.splitext(os.path.basename(path))
        if ("x" in stem or "X" in stem) and _SIZE.search(stem):
            stills.append(Sequence(os.path.dirname(path), stem, ending, 0, ((0, path),)))
        else:
            named.append(path)
    import fileseq  # with its grammar; only who looks through folders needs it

    for found in fileseq.findSequencesInList(named):
        folder = str(found.dirname()).rstrip(os.sep)
        base, extension = str(found.basename()), str(found.extension())
        if found.frameSet() is None or _VERSION_STEM.search(base):
            for path in map(str, found):
                stem, ending = os.path.splitext(os.path.basename(path))
                stills.append(Sequence(os.path.dirname(path), stem, ending, 0, ((0, path),)))
            continue
        lead = f"{found.dirname()}{base}"
        before, width = len(lead), found.zfill()
        for number in found.frameSet() or ():
            # The package's own way to a frame's name asks anew each time how it is written.
            is_plain = type(number) is int and number > 0
            path = f"{lead}{number:0{width}d}{extension}" if is_plain else str(found.frame(number))
            # What looks like a minus is a dash between name and number; real minuses are set aside before.
            has_dash = path.startswith("-", before)
            stem = f"{base}-" if has_dash else base
            digits = len(path) - before - has_dash - len(extension)
            members = numbered.setdefault((folder, stem, extension), [])
            members.append((abs(int(number)), digits, path))
    alike: dict[tuple[str, str, str], list[tuple[str, str, str]]] = {}
    for folder, stem, extension in numbered:
        alike.setdefault((folder, _folded(stem), extension.lower()), []).append((folder, stem, extension))
    sequences = []
    for spellings in alike.values():
        usual = max(spellings, key=lambda key: (len(numbered[key]), key))
        # The usual spelling's files come first: of two with one number the other is the odd one.
        order = [usual, *(key for key in spellings if key != usual)]
        members = [one for key in order for one in numbered[key]]
        odd = tuple(f"{stem}{'#' * 4}{ending}" for _, stem, ending in order[1:])
        sequences.append(_sequence(*usual, members, odd))
    return sorted(sequences + stills, key=lambda s: (s.folder, s.base, s.extension))


def _folded(text: str) -> str:
    """Give a name as it is compared: composed accents, no letter case."""
    return unicodedata.normalize("NFC", text).casefold()


def _sequence(
    folder: str, base: str, extension: str, members: list[tuple[int, int, str]], odd: tuple[str, ...]
) -> Sequence:
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
    # Numbers without padding grow; those with it have one width as long as they fit.
    is_plain = all(digits == len(str(number)) for number, digits, _ in members)
    mixed = sorted({d for n, d, _ in members if not is_plain and d != max(padding, len(str(n)))})
    said = (*odd, *(f"{base}{'#' * width}{extension}" for width in mixed))
    return Sequence(folder, base, extension, padding, tuple(sorted(files.items())), tuple(duplicates), said)
