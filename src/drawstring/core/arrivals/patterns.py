"""What a path says: shot, view, eye, pass, version and frame, by the show's own patterns.

A pattern is a path with named fields in braces, compared from the file's name upwards:

    {shot}/{version}/{shot}_{view}_{pass}_{version}.{frame}.exr

- `{shot}`, `{view}`, `{pass}` stand for any text within one name (as little as fits); `{variant}` for day,
  night and the like: a variant of a shot is a shot of its own; `{eye}` for left or right in its usual
  spellings; `{version}` for v and digits; `{frame}` for digits; `{any}` for any text that
  does not matter.
- A field that is named twice must read the same both times.
- What stands in square brackets may be missing: `{shot}[_{eye}].{frame}.exr`.
- Everything else stands for itself, in any letter case; the ending may be left out.

Several patterns are tried in order; the first that fits a file counts.
"""

from __future__ import annotations

import os
import re
import unicodedata
from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import lru_cache

from drawstring.core.errors import SettingError
from drawstring.core.passes.naming import role_from_name
from drawstring.core.passes.words import is_known

FIELDS: dict[str, str] = {
    "shot": r"[^/]+?",
    "view": r"[^/]+?",
    "variant": r"[A-Za-z0-9\-]+?",
    "eye": r"left|right|links|rechts|lft|rgt|le|re|l|r",
    "pass": r"[^/]+?",
    "version": r"v\d{1,4}",
    "frame": r"\d+",
    "any": r"[^/]*?",
}
"""Fields and what each may read."""

EYES = {
    "left": "left", "l": "left", "lft": "left", "le": "left", "links": "left",
    "right": "right", "r": "right", "rgt": "right", "re": "right", "rechts": "right",
}  # fmt: skip

VARIANTS = frozenset({"day", "night", "dawn", "dusk", "noon", "summer", "winter", "autumn"})
"""Words right behind a shot's code that name a variant of it."""

_TOKEN = re.compile(r"\{(?P<field>[^{}]*)\}|(?P<open>\[)|(?P<close>\])|(?P<text>[^\[\]{}]+)|(?P<odd>[{}])")
_MAIN = frozenset({"main", "hero", "cam", "camera"})
_CAMERA = re.compile(r"^(?:cam|camera|view)\d*$", re.IGNORECASE)
_VERSION = re.compile(r"^v\d{1,4}$", re.IGNORECASE)
SIZE = re.compile(r"^\d{2,5}x\d{2,5}$", re.IGNORECASE)
"""A picture's size in its name, which is neither a view nor a frame number."""


@dataclass(frozen=True)
class Meaning:
    """What a path says; empty where it says nothing, version 0 for none.

    Attributes
    ----------
    shot, view, eye, pass_name : str
        `eye` is "left", "right" or empty.
    version : int
    pattern : str
        The pattern that fitted; empty when none did.
    word : str
        A word that nobody knows, which was taken for the view or for (the beginning of) the pass.
    variant : str
        Day, night and so on; the shot's code ends with it.
    """

    shot: str = ""
    view: str = ""
    eye: str = ""
    pass_name: str = ""
    version: int = 0
    pattern: str = ""
    word: str = ""
    variant: str = ""

    @property
    def camera(self) -> str:
        """View and eye together: what tells one run of frames of a shot from another."""
        return "_".join(part for part in (self.view, self.eye) if part)


def folded(text: str) -> str:
    """Give a text as it is compared: composed accents, no letter case (Unicode's NFC and case folding).

    Examples
    --------
    >>> folded("TW010_GRÜN") == folded("tw010_gru\u0308n")
    True
    """
    return unicodedata.normalize("NFC", text).casefold()


def check_pattern(pattern: str) -> str:
    """Give the pattern as it will be used.

    Raises
    ------
    SettingError
        A field that does not exist, a bracket left open, no field for the shot.
    """
    pattern = pattern.strip().strip("/")
    _compiled(pattern)
    if "{shot}" not in pattern:
        raise _refusal(pattern, "has no {shot}", "Say which part of the path is the shot's code.")
    return pattern


def read_path(path: str, patterns: Sequence[str]) -> Meaning:
    """Read what a path says by the first pattern that fits; a plain guess when none does.

    Parameters
    ----------
    path : str
        Of one file.
    patterns : sequence of str

    Examples
    --------
    >>> read_path("/in/TW020/v003/TW020_L_diffuse_v003.1001.exr", ["{shot}_{eye}_{pass}_{version}.{frame}"])
    Meaning(shot='TW020', view='', eye='left', pass_name='diffuse', version=3, pattern='{shot}_{eye}_{pass}_{version}.{frame}', word='', variant='')
    """  # noqa: E501, as a doctest's answer stands in one line
    for pattern in patterns:
        if meaning := _read(path, pattern):
            return meaning
    return guess(path)


def guess(path: str) -> Meaning:
    """Read what a path says without a pattern: by what its pieces look like."""
    pieces = _pieces(path)
    folders = [
        piece for folder in os.path.dirname(path).split(os.sep)[-3:] for piece in re.split(r"[._\- ]", folder)
    ]
    versions = [piece for piece in [*pieces[::-1], *folders[::-1]] if _VERSION.match(piece)]
    eyes = [EYES[piece.lower()] for piece in pieces[1:] if piece.lower() in EYES]
    shot = pieces[0] if pieces else ""
    variant = pieces[1] if len(pieces) > 1 and pieces[1].lower() in VARIANTS else ""
    rest = [
        p
        for p in pieces[2 if variant else 1 :]
        if not _VERSION.match(p) and p.lower() not in EYES and p.lower() not in _MAIN and not SIZE.match(p)
    ]
    view, called = view_and_pass(rest)
    return Meaning(
        shot=f"{shot}_{variant}" if variant else shot,
        variant=variant,
        eye=eyes[-1] if eyes else "",
        pass_name="_".join(called),
        view="_".join(view),
        version=int(versions[0][1:]) if versions else 0,
    )


def view_and_pass(pieces: Sequence[str]) -> tuple[list[str], list[str]]:
    """Part a name's pieces into a view's and a pass's: the last ones that are the trade's words are the pass.

    Examples
    --------
    >>> view_and_pass(["cam2", "diffuse", "direct"]), view_and_pass(["watch", "a"])
    ((['cam2'], ['diffuse', 'direct']), (['watch', 'a'], []))
    """
    at = len(pieces)
    while at and is_known(pieces[at - 1]) and not _CAMERA.match(pieces[at - 1]):
        at -= 1
    if not role_from_name("_".join(pieces[at:])):
        at = len(pieces)
    return list(pieces[:at]), list(pieces[at:])


@dataclass(frozen=True)
class Suggestion:
    """A pattern found by looking at the files, and how many of them it fits."""

    pattern: str
    fits: int
    of: int


def suggest(paths: Iterable[str], *, most: int = 4) -> list[Suggestion]:
    """Suggest patterns for files, the best first: those that fit most files and say most about them.

    Parameters
    ----------
    paths : iterable of str
        One file of each sequence is enough.
    """
    paths = list(paths)
    # A loose pattern would swallow what another reads better: each path counts for its own shape alone.
    shapes = Counter(shape for path in paths if (shape := _shape(path)))
    made = [Suggestion(shape, fits, len(paths)) for shape, fits in shapes.items()]
    made.sort(key=lambda one: (-one.fits, -one.pattern.count("{"), len(one.pattern)))
    return made[:most]


def _shape(path: str) -> str:
    """Put fields for what the pieces of a name look like; the shot's folder when it has the shot's name."""
    stem, _ = os.path.splitext(os.path.basename(path))
    parts = re.split(r"([._\- ])", stem)
    shape: list[str] = []
    has: set[str] = set()
    pending: list[str] = []
    last = len(parts) - 1

    def flush() -> None:
        if not pending:
            return
        pieces = pending[::2]
        view, called = view_and_pass([piece for piece in pieces if piece])
        if view and called:
            between = pending[2 * len(view) - 1]
            fields = [("view", ""), ("pass", between)]
        else:
            fields = [("pass" if called else "view", "")]
        for field, separator in fields:
            shape.append(f"{separator}{{{field if field not in has else 'any'}}}")
            has.add(field)
        pending.clear()

    for i, part in enumerate(parts):
        if i % 2:
            if pending and i < last and not _telling(parts[i + 1], i + 1 == last, has):
                pending.append(part)
            else:
                flush()
                shape.append(part)
            continue
        kind = _telling(part, i == last, has) if i else "shot"
        if kind and kind not in has:
            flush()
            has.add(kind)
            shape.append(f"{{{kind}}}")
        else:
            pending.append(part)
    flush()
    if "frame" not in has and "version" not in has and "pass" not in has:
        return ""
    folders = os.path.dirname(path).split(os.sep)
    above = []
    if folders and _VERSION.match(folders[-1]):
        above, folders = ["{version}"], folders[:-1]
    if folders and folders[-1] and stem.lower().startswith(folders[-1].lower()) and above:
        above = ["{shot}", *above]
    return "/".join([*above, "".join(shape)])


def _telling(part: str, is_last: bool, has: set[str]) -> str:
    if _VERSION.match(part):
        return "version"
    if part.isdigit() and is_last:
        return "frame"
    if part.lower() in EYES and "eye" not in has:
        return "eye"
    return ""


def _pieces(path: str) -> list[str]:
    """Cut a file's name at its separators, the frame number left out."""
    stem, _ = os.path.splitext(os.path.basename(path))
    pieces = [piece for piece in re.split(r"[._\- ]", stem) if piece]
    if len(pieces) > 1 and pieces[-1].isdigit():
        pieces = pieces[:-1]
    return pieces


def _read(path: str, pattern: str) -> Meaning | None:
    match = _compiled(pattern).search(path)
    if not match:
        return None
    found = {name: (text or "") for name, text in match.groupdict().items()}
    version, view, called = (found.get(name, "") for name in ("version", "view", "pass"))
    if side := re.search(r"\{view\}([._\- ])\{pass\}", pattern):
        # Where one ends and the other begins is told by the words, not by the first separator.
        own, known = view_and_pass(f"{view}{side[1]}{called}".split(side[1]))
        if own and known:
            view, called = side[1].join(own), side[1].join(known)
    return Meaning(
        shot="_".join(part for part in (found.get("shot", ""), found.get("variant", "")) if part),
        view=view if view.lower() not in _MAIN else "",
        eye=EYES.get(found.get("eye", "").lower(), ""),
        pass_name=called,
        version=int(version[1:]) if version else 0,
        pattern=pattern,
        variant=found.get("variant", ""),
    )


@lru_cache(maxsize=256)
def _compiled(pattern: str) -> re.Pattern[str]:
    said: list[str] = []
    seen: set[str] = set()
    depth = 0
    for token in _TOKEN.finditer(pattern):
        field = token["field"]
        if field is not None:
            if field not in FIELDS:
                raise _refusal(pattern, f"has a field {{{field}}}", f"Fields are {', '.join(FIELDS)}.")
            if field == "any":
                said.append(f"(?:{FIELDS[field]})")
            elif field in seen:
                said.append(f"(?P={field})")
            else:
                said.append(f"(?P<{field}>{FIELDS[field]})")
                seen.add(field)
        elif token["open"]:
            depth += 1
            said.append("(?:")
        elif token["close"]:
            depth -= 1
            said.append(")?")
        elif token["odd"]:
            raise _refusal(pattern, "has a lone brace", "Write a field as {shot}.")
        else:
            said.append(re.escape(token["text"]))
        if depth < 0 or depth > 1:
            raise _refusal(pattern, "has brackets within brackets or one too many", "Use [ and ] in pairs.")
    if depth:
        raise _refusal(pattern, "has a bracket left open", "Close it with ].")
    if not pattern:
        raise _refusal(pattern, "is empty", "Type one, or take a suggestion.")
    return re.compile(r"(?:^|/)" + "".join(said) + r"(?:\.[A-Za-z0-9]+)?$", re.IGNORECASE)


def _refusal(pattern: str, what: str, remedy: str) -> SettingError:
    return SettingError(
        f"The pattern “{pattern}” {what}.", where="patterns.text", why="Nothing was changed.", remedy=remedy
    )


__all__ = [
    "EYES", "FIELDS", "Meaning", "Suggestion", "check_pattern", "guess", "read_path", "suggest",
]  # fmt: skip
