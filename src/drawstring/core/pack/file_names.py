"""What a package's files are called, by a pattern with {shot}, {version}, {frame} and {pass}."""

from __future__ import annotations

import re

USUAL = "{shot}_v{version}.{frame}.exr"
USUAL_OF_PASSES = "{pass}/{shot}_{pass}_v{version}.{frame}.exr"

_FIELD = re.compile(r"\{(.*?)\}")
_KNOWN = ("shot", "version", "frame", "pass")
_PLAIN = re.compile(r"[A-Za-z0-9_.\-/]*")


def check_pattern(pattern: str) -> str:
    """Give a pattern of file names back, or refuse it.

    Raises
    ------
    ValueError
        It has other fields, no frame, odd characters or leads out of the package.
    """
    if not pattern:
        return ""
    fields = _FIELD.findall(pattern)
    odd = [name for name in fields if name not in _KNOWN]
    if odd:
        raise ValueError(f"{{{odd[0]}}} is not known; there are {', '.join('{' + n + '}' for n in _KNOWN)}")
    if "frame" not in fields:
        raise ValueError("it needs {frame}, or all frames would have one name")
    if not _PLAIN.fullmatch(_FIELD.sub("", pattern)) or any(
        part in ("", ".", "..") for part in pattern.split("/")
    ):
        raise ValueError("it has letters, digits, _ - . and / between folders only")
    if not pattern.endswith(".{frame}.exr"):
        raise ValueError("it ends in .{frame}.exr, so that every program finds the frames")
    return pattern


def file_name(pattern: str, *, shot: str, version: int, number: int, padding: int, of_pass: str = "") -> str:
    """Name a file; where a frame is one file, its pass is called "all".

    Examples
    --------
    >>> file_name(USUAL, shot="TW010", version=3, number=1001, padding=4)
    'TW010_v003.1001.exr'
    """
    values = {
        "shot": shot, "version": f"{version:03d}", "frame": f"{number:0{padding}d}",
        # Never empty: a name that begins with {pass}/ must not begin with /.
        "pass": of_pass.replace(".", "_") or "all",
    }  # fmt: skip
    return _FIELD.sub(lambda field: values[field[1]], pattern)
