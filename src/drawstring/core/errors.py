"""What can be refused, told so that the person at the screen can act on it.

Every refusal says what happened (a whole sentence with the offending value), where, why it matters
downstream and what to do. Children differ by what the person can do about it, not by where in the
code they arise. Mistakes in the program stay `ValueError` and `TypeError` and reach the log.
"""

from __future__ import annotations


class DrawstringError(Exception):
    """The root of every refusal.

    Parameters
    ----------
    what : str
        A whole sentence, with the value that was refused.
    where : str
        The setting's dotted name, the file, the frame or the pass.
    why : str
        What would go wrong downstream.
    remedy : str
        What the person can do now.
    """

    def __init__(self, what: str, *, where: str = "", why: str = "", remedy: str = "") -> None:
        super().__init__(what)
        self.what, self.where, self.why, self.remedy = what, where, why, remedy

    def __str__(self) -> str:
        return " ".join(part for part in (self.what, self.why, self.remedy) if part)

    # Exceptions cross process borders by pickle, which by default would lose the keyword arguments.
    def __reduce__(self) -> tuple[object, ...]:
        return _rebuild, (type(self), self.what, self.where, self.why, self.remedy)

    def as_dict(self) -> dict[str, str]:
        """Give the refusal as plain text by field, for JSON and the ledger."""
        return {
            "code": type(self).__name__,
            "what": self.what,
            "where": self.where,
            "why": self.why,
            "remedy": self.remedy,
        }


def _rebuild(kind: type[DrawstringError], what: str, where: str, why: str, remedy: str) -> DrawstringError:
    return kind(what, where=where, why=why, remedy=remedy)


class SettingError(DrawstringError):
    """A value the person typed or dragged can't be used; `where` is its dotted name."""


class SeveralSettingErrors(SettingError):
    """Several refused values of one form, told together."""

    def __init__(self, refusals: list[SettingError]) -> None:
        first = refusals[0]
        super().__init__(first.what, where=first.where, why=first.why, remedy=first.remedy)
        self.refusals = refusals

    def __reduce__(self) -> tuple[object, ...]:
        return SeveralSettingErrors, (self.refusals,)


class SourceError(DrawstringError):
    """A source file or folder can't be used as it is; others go on."""


class MissingError(DrawstringError):
    """What was asked for is not there."""


class ConflictError(DrawstringError):
    """Something else holds the place: a name taken, a run under way, a version that exists."""


class OutputError(DrawstringError):
    """Nothing could be written: disk full, folder closed, or a file already there."""
