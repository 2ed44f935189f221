"""Words in file names that nobody knows: whether they name views or passes, by what lies in their files.

Several views of a shot hold the same channels, several passes do not. So a word that is no known one
(left, right, cam2 ...) names a view only where every such word of a delivery comes with the same
channels; else it names a pass. What people have said about a word goes before that.
"""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace

from drawstring.core.arrivals.patterns import EYES, Meaning, folded
from drawstring.core.arrivals.report import SequenceReport

PASS, VIEW = "pass", "view"

_KNOWN_VIEW = re.compile(r"^(cam|camera|view|persp|top|front|side|main|hero)[_\-]?[0-9a-z]?$", re.IGNORECASE)

Held = frozenset[tuple[str, frozenset[str]]]
"""What comes with a word: pass names, each with its channels."""


def is_known_view(word: str) -> bool:
    """Whether a word names a view in everybody's habit.

    Examples
    --------
    >>> [is_known_view(word) for word in ("left", "cam2", "camB", "rust", "watch")]
    [True, True, True, False, False]
    """
    return word.lower() in EYES or bool(_KNOWN_VIEW.match(word))


def with_words_settled(
    reports: Sequence[SequenceReport], said: Mapping[str, str] | None = None
) -> list[SequenceReport]:
    """Take unknown words in names for what they are.

    Parameters
    ----------
    reports : sequence of SequenceReport
        Of one scan, headers known, passes not yet recognised.
    said : mapping of word to "pass" or "view"
        What people have said about words of the show.
    """
    told = {folded(word): taken for word, taken in (said or {}).items()}
    together: dict[tuple[str, int], list[SequenceReport]] = defaultdict(list)
    for report in reports:
        together[folded(report.code), report.version].append(report)
    passes = {key: _that_are_passes(several, told) for key, several in together.items()}
    return [
        replace(report, meaning=_taken(report.meaning, passes[folded(report.code), report.version]))
        for report in reports
    ]


def _that_are_passes(reports: Iterable[SequenceReport], told: Mapping[str, str]) -> set[str]:
    """Give the words of one delivery that name passes."""
    held: dict[str, set[tuple[str, frozenset[str]]]] = defaultdict(set)
    for report in reports:
        if report.facts is not None:
            channels = frozenset(c.name for part in report.facts.parts for c in part.channels)
            held[folded(report.meaning.view)].add((folded(report.meaning.pass_name), channels))
    unknown = {word for word in held if word and not is_known_view(word)}
    agree = len({frozenset(several) for several in held.values()}) == 1
    return {word for word in unknown if told.get(word, VIEW if agree else PASS) == PASS}


def _taken(meaning: Meaning, passes: set[str]) -> Meaning:
    # A pattern of the show says what is what; only guesses are looked at.
    if meaning.pattern or not meaning.view or is_known_view(meaning.view):
        return meaning
    if folded(meaning.view) not in passes:
        return replace(meaning, word=meaning.view)
    called = "_".join(part for part in (meaning.view, meaning.pass_name) if part)
    return replace(meaning, view="", pass_name=called, word=meaning.view)
