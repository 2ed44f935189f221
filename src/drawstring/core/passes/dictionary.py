"""The show's dictionary: what people said once about a name, believed from then on.

An entry says that a whole name, or one word within a name, stands for a role. Whole names go before
words, and a longer word before a shorter one.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from drawstring.core.choices import Choice
from drawstring.core.errors import SettingError
from drawstring.core.passes.former import todays_name
from drawstring.core.passes.roles import Role
from drawstring.core.passes.words import words_of


class EntryKind(Choice):
    """What an entry looks at."""

    NAME = "name", "whole name"
    """The layer's whole name, in any letter case."""
    WORD = "word"
    """One word within the name."""


@dataclass(frozen=True)
class Entry:
    """A line of the dictionary."""

    kind: EntryKind
    text: str
    role: Role

    def as_dict(self) -> dict[str, str]:
        """Give the entry as plain data, for JSON."""
        return {"kind": self.kind.value, "text": self.text, "role": self.role.value}

    def fits(self, name: str) -> bool:
        """Whether the entry speaks of this name."""
        if self.kind is EntryKind.NAME:
            return name.casefold() == self.text.casefold()
        return self.text.casefold() in words_of(name) or self.text.casefold() in _loose(name)


def entry(kind: str, text: str, role: str) -> Entry:
    """Make an entry from what was typed.

    Raises
    ------
    SettingError
        An unknown kind or role, or a text that can't be found in a name.
    """
    text = text.strip()
    kinds, _ = EntryKind.listed(kind)
    if not kinds:
        raise SettingError(
            f"“{kind}” is no kind of entry.", where="dictionary.kind", why="Nothing was remembered.",
            remedy=f"Choose {' or '.join(EntryKind)}.",
        )  # fmt: skip
    if todays_name(role) not in set(Role):
        raise SettingError(
            f"There is no role “{role}”.", where="dictionary.role", why="Nothing was remembered.",
            remedy=f"Choose {', '.join(Role)}.",
        )  # fmt: skip
    if not text or len(text) > 200 or (kinds[0] is EntryKind.WORD and len(_loose(text)) != 1):
        raise SettingError(
            f"“{text}” can't be found in a name.", where="dictionary.text", why="Nothing was remembered.",
            remedy="Type a layer's whole name, or one word of letters and digits.",
        )  # fmt: skip
    return Entry(kinds[0], text, Role(role))


def look_up(entries: Iterable[Entry], name: str) -> Entry | None:
    """Give the entry that speaks of a name; None when none does.

    Examples
    --------
    >>> told = [entry("word", "zz", "depth"), entry("name", "fog_zz", "mist")]
    >>> look_up(told, "beauty_zz").role.value, look_up(told, "FOG_ZZ").role.value, look_up(told, "fuzzy")
    ('depth', 'mist', None)
    """
    fitting = [one for one in entries if one.fits(name)]
    return min(fitting, key=lambda one: (one.kind is EntryKind.WORD, -len(one.text)), default=None)


def read_entries(plain: object) -> list[Entry]:
    """Read a dictionary from JSON's plain data.

    Raises
    ------
    SettingError
        It is no list of entries.
    """
    lines = plain.get("entries") if isinstance(plain, dict) else None
    if (
        not isinstance(lines, Sequence)
        or isinstance(lines, str)
        or not all(isinstance(o, dict) for o in lines)
    ):
        raise SettingError(
            "This is no dictionary.", where="dictionary.file", why="Nothing was remembered.",
            remedy='It is JSON: {"entries": [{"kind": "word", "text": "zz", "role": "depth"}]}.',
        )  # fmt: skip
    return [entry(*(str(line.get(key, "")) for key in ("kind", "text", "role"))) for line in lines]


def _loose(name: str) -> list[str]:
    """Cut a name at what is neither letter nor digit, and nowhere else: people mean such words, too."""
    return ["".join(piece) for piece in _pieces(name.casefold())]


def _pieces(name: str) -> Iterable[list[str]]:
    piece: list[str] = []
    for letter in name:
        if letter.isalnum():
            piece.append(letter)
        elif piece:
            yield piece
            piece = []
    if piece:
        yield piece
