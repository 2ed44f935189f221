"""Closed sets of values: stored as short codes, read by people as words.

The words live beside the code once, so wording can change without touching what is stored. Where a text comes
in (a recipe, a profile, a shell, a form), the code is taken, today's words, and former spellings.
"""

from __future__ import annotations

from enum import StrEnum
from typing import Self


class Choice(StrEnum):
    """A set of values: `CODE = "code", "what people read", "a former spelling" ...`.

    Without words, people read the code with spaces for underscores.

    Examples
    --------
    >>> class Side(Choice):
    ...     NEAR = "near"
    ...     FAR_END = "far_end", "the far end", "as far end"
    >>> Side("as far end").value, Side("the far end").says, Side.NEAR.says
    ('far_end', 'the far end', 'near')
    """

    says: str
    former: tuple[str, ...]

    def __new__(cls, code: str, says: str = "", *former: str) -> Self:
        """Make a member of its code, its words, and what it was called formerly."""
        member = str.__new__(cls, code)
        member._value_ = code
        member.says = says or code.replace("_", " ")
        member.former = former
        return member

    @classmethod
    def _missing_(cls, value: object) -> Self | None:
        """Take today's words and former spellings for the code."""
        return next((member for member in cls if value in (member.says, *member.former)), None)

    @classmethod
    def listed(cls, text: str) -> tuple[list[Self], list[str]]:
        """Read several typed with semicolons: those there are, in the set's order, and what is none."""
        names = [name.strip() for name in text.split(";") if name.strip()]
        chosen = [member for member in cls if {member.value, member.says, *member.former} & set(names)]
        known = {spelling for member in cls for spelling in (member.value, member.says, *member.former)}
        return chosen, [name for name in names if name not in known]
