"""A piece that a show owes, and whether it has come."""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from enum import StrEnum

from drawstring.core.errors import SettingError
from drawstring.core.framing.settings import read_size

MOST_PIECES = 5000

_CODE = re.compile(r"[^\W_][\w\-]{0,39}")
_VARIANT = re.compile(r"[A-Za-z0-9][A-Za-z0-9\-]{0,19}")


@dataclass(frozen=True)
class Piece:
    """A view of a variant of a shot that is owed.

    Attributes
    ----------
    shot, variant, view : str
        Which piece: together they are unique. A variant is day, night and so on.
    title : str
    first, last : int, optional
    width, height : int, optional
    passes : tuple of str
    due : date, optional
    note : str
    """

    shot: str
    variant: str = ""
    view: str = ""
    title: str = ""
    first: int | None = None
    last: int | None = None
    width: int | None = None
    height: int | None = None
    passes: tuple[str, ...] = ()
    due: date | None = None
    note: str = ""

    @property
    def key(self) -> tuple[str, str, str]:
        """What tells it from the others."""
        return self.shot, self.variant, self.view

    @property
    def code(self) -> str:
        """The code of the shot that holds it: a variant is a shot of its own."""
        return f"{self.shot}_{self.variant}" if self.variant else self.shot

    @property
    def says(self) -> str:
        """What it is called."""
        return self.code + (f", {self.view}" if self.view else "")


class Standing(StrEnum):
    """How a piece stands."""

    HERE = "here"
    PARTLY = "partly here"
    MISSING = "missing"
    LATE = "late"
    EXTRA = "extra"


@dataclass(frozen=True)
class Came:
    """What has come of a shot: by view its whole frames, and passes of any."""

    views: Mapping[str, Collection[int]]
    passes: Mapping[str, Collection[str]]
    size: tuple[int, int] | None = None


def standing_of(piece: Piece, came: Came | None, today: date) -> tuple[Standing, str]:
    """Tell how a piece stands, and what of it is missing.

    Parameters
    ----------
    piece : Piece
    came : Came, optional
        None where nothing of its shot has come.
    today : date
    """
    is_late = piece.due is not None and piece.due < today
    nothing = Standing.LATE if is_late else Standing.MISSING
    if came is None:
        return nothing, "nothing has come"
    if piece.view and piece.view not in came.views:
        return nothing, f"view {piece.view} has not come"
    # A piece that names no view is owed in every view that the shot has.
    views = [piece.view] if piece.view else list(came.views)
    frames = set.intersection(*(set(came.views[view]) for view in views)) if views else set()
    passes = {name for view in views for name in came.passes.get(view, ())}
    lacks = []
    if piece.first is not None and piece.last is not None:
        asked = range(piece.first, piece.last + 1)
        missing = sum(number not in frames for number in asked)
        if missing:
            lacks.append(f"{missing} of {len(asked)} frames")
    without = [name for name in piece.passes if name not in passes]
    if without:
        lacks.append(f"{', '.join(without[:4])}{' …' if len(without) > 4 else ''}")
    if piece.width and piece.height and came.size is not None and came.size != (piece.width, piece.height):
        lacks.append(f"the size: {came.size[0]} × {came.size[1]} came")
    if lacks:
        return Standing.LATE if is_late else Standing.PARTLY, f"lacks {' and '.join(lacks)}"
    return Standing.HERE, ""


def piece_from(row: Mapping[str, str], where: str) -> Piece:
    """Read a piece from typed words, by column.

    Raises
    ------
    SettingError
        Something in it can't be read.
    """
    shot, variant, view = (row.get(name, "").strip() for name in ("shot", "variant", "view"))
    if not _CODE.fullmatch(shot):
        raise _refusal(shot, "a shot's code", where, "letters, digits, _ and -, without spaces")
    if variant and not _VARIANT.fullmatch(variant):
        raise _refusal(variant, "a variant", where, "one short word, such as day or night")
    if len(shot) + len(variant) >= 40:
        raise _refusal(
            f"{shot}_{variant}", "a shot's code", where, "40 letters at most, the variant included"
        )
    first, last = _range(row, where)
    size = read_size(row["size"], where) if row.get("size", "").strip() else (None, None)
    passes = tuple(dict.fromkeys(re.findall(r"[^\s,;]+", row.get("passes", ""))))
    due = row.get("due", "").strip()
    try:
        day = date.fromisoformat(due) if due else None
    except ValueError as error:
        raise _refusal(due, "a day", where, "year-month-day, such as 2031-05-17") from error
    return Piece(
        shot, variant, view[:80], row.get("title", "").strip()[:200], first, last, size[0], size[1],
        passes, day, row.get("note", "").strip()[:400],
    )  # fmt: skip


def _range(row: Mapping[str, str], where: str) -> tuple[int | None, int | None]:
    text = row.get("frames", "").strip()
    first, last = row.get("first", "").strip(), row.get("last", "").strip()
    match = re.fullmatch(r"(\d{1,8})(?:\s*(?:-|–|\.\.|to)\s*(\d{1,8}))?", text) if text else None
    if text and not match:
        raise _refusal(text, "a range of frames", where, "the first and the last, such as 1001-1096")
    if match:
        first, last = match[1], match[2] or match[1]
    for number in (first, last):
        if number and not number.isdigit():
            raise _refusal(number, "a frame's number", where, "a whole number")
    if bool(first) != bool(last):
        raise _refusal(first or last, "a range", where, "the first frame and the last one")
    if first and int(last) < int(first):
        raise _refusal(
            f"{first}-{last}", "a range of frames", where, "a last frame that is not before the first"
        )
    return (int(first), int(last)) if first else (None, None)


def _refusal(text: str, what: str, where: str, remedy: str) -> SettingError:
    return SettingError(
        f"“{text[:60]}” is not {what}.", where=where, why="The list was not changed.", remedy=f"Type "
        f"{remedy}."
    )  # fmt: skip


def doubled(pieces: Sequence[Piece]) -> list[str]:
    """Give the pieces that are in a list more than once."""
    seen: set[tuple[str, str, str]] = set()
    twice = []
    for piece in pieces:
        if piece.key in seen and piece.says not in twice:
            twice.append(piece.says)
        seen.add(piece.key)
    return twice
