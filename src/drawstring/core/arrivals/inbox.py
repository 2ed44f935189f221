"""What people hand in through the browser: names made harmless, archives unpacked within bounds.

A name from outside is only ever a name, never a way to another folder; an archive may neither name files
outside its folder, nor hold links, nor unpack to more than is allowed, whatever it claims about itself.
"""

from __future__ import annotations

import os
import re
import stat
import unicodedata
import zipfile
import zlib
from collections.abc import Callable

from drawstring.core.errors import SourceError
from drawstring.core.io.stills import ENDINGS

MAX_UPLOAD_BYTES = 8 * 1024**3
"""Bytes of one uploaded file."""

MAX_UNPACKED_BYTES = 64 * 1024**3
"""Bytes that one archive may unpack to."""

MAX_UNPACKED_FILES = 50_000
"""Files that one archive may hold."""

MAX_RATIO = 200
"""How many times larger than packed a file may become; pictures stay far below."""

TAKEN = ENDINGS | {".exr", ".zip"}
"""Endings that are taken."""

_ODD = re.compile(r"[^\w .,+=@#()\-]")
"""What a name may not hold; letters of every script may."""


def safe_name(name: str) -> str:
    r"""Give the last part of a name without anything that could lead elsewhere.

    Raises
    ------
    SourceError
        Nothing is left of it, or it is no picture and no archive.

    Examples
    --------
    >>> safe_name("../../etc/fog.0001.exr"), safe_name("C:\\in\\yard.zip")
    ('fog.0001.exr', 'yard.zip')
    """
    last = _harmless(re.split(r"[/\\]", name)[-1])
    if os.path.splitext(last)[1].lower() not in TAKEN or len(last.encode()) > 200:
        raise SourceError(
            f"“{name[-80:]}” is not taken.",
            where="inbox",
            why="Only pictures and zip archives of pictures are scanned.",
            remedy=f"Choose files ending in {', '.join(sorted(TAKEN))}.",
        )
    return last


def safe_path(path: str) -> str:
    """Give a path below a folder, folders included, that can't lead anywhere else.

    Raises
    ------
    SourceError
        Its last part is no picture and no archive, or it is deeper than people's folders are.

    Examples
    --------
    >>> safe_path("night/../v002/fog.0001.exr")
    'night/v002/fog.0001.exr'
    """
    *folders, name = re.split(r"[/\\]", path)
    kept = [_harmless(one)[:80] for one in folders]
    return os.path.join(*[one for one in kept if one][:12], safe_name(name))


def _harmless(part: str) -> str:
    """Give a part of a path without what could lead elsewhere, composed as most systems write it."""
    return _ODD.sub("_", unicodedata.normalize("NFC", part)).strip(" .")


def unpack(
    archive: str,
    folder: str,
    *,
    max_bytes: int = MAX_UNPACKED_BYTES,
    max_files: int = MAX_UNPACKED_FILES,
    told: Callable[[int, int], None] = lambda done, total: None,
) -> int:
    """Unpack an archive's pictures below a folder; give how many there were.

    Parameters
    ----------
    archive : str
        A zip file.
    folder : str
        An empty folder of its own; what was unpacked before a refusal is left for the caller to remove.
    max_bytes, max_files : int
        Bounds on what comes out, counted while it comes out.
    told : callable
        Told how many files are done, of how many.

    Raises
    ------
    SourceError
        It is damaged, encrypted, leads outside, holds links, or is larger than the bounds.
    """
    try:
        with zipfile.ZipFile(archive) as packed:
            members = [one for one in packed.infolist() if not one.is_dir()]
            if len(members) > max_files:
                raise _refused(archive, f"holds {len(members):,} files; up to {max_files:,} are taken")
            # Many small members add up, so the whole counts, too.
            grown = sum(one.file_size for one in members)
            if grown > 1 << 20 and grown > MAX_RATIO * max(1, os.path.getsize(archive)):
                raise _refused(archive, f"claims to grow {MAX_RATIO} times and more")
            wanted = [one for one in members if _is_picture(archive, one)]
            left = max_bytes
            for i, member in enumerate(wanted, 1):
                left -= _unpack_one(packed, member, folder, archive, left)
                told(i, len(wanted))
    except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError) as error:
        raise _refused(archive, f"can't be unpacked: {error}") from error
    if not wanted:
        raise _refused(archive, "holds no picture")
    return len(wanted)


def _is_picture(archive: str, member: zipfile.ZipInfo) -> bool:
    path = member.filename.replace("\\", "/")
    if path.startswith("/") or re.match(r"^[A-Za-z]:", path) or ".." in path.split("/") or "\0" in path:
        raise _refused(archive, f"names a place outside its folder: {member.filename[:80]}")
    if stat.S_ISLNK(member.external_attr >> 16):
        raise _refused(archive, f"holds a link: {member.filename[:80]}")
    if member.flag_bits & 1:
        raise _refused(archive, "is encrypted")
    if member.file_size > 1 << 20 and member.file_size > MAX_RATIO * max(1, member.compress_size):
        raise _refused(archive, f"claims that {member.filename[:80]} grows {MAX_RATIO} times and more")
    # Hidden files are a system's own notes beside pictures, and bear their names.
    is_hidden = any(part.startswith(".") or part == "__MACOSX" for part in path.split("/"))
    return not is_hidden and os.path.splitext(path)[1].lower() in TAKEN - {".zip"}


def _unpack_one(
    packed: zipfile.ZipFile, member: zipfile.ZipInfo, folder: str, archive: str, left: int
) -> int:
    """Unpack one file, counting bytes as they come: what the archive says of its size is not believed."""
    parts = [part for piece in member.filename.replace("\\", "/").split("/") if (part := _harmless(piece))]
    path = os.path.join(folder, *parts)
    os.makedirs(os.path.dirname(path), exist_ok=True)
    size = 0
    with packed.open(member) as source, open(path, "xb") as target:
        while block := source.read(1 << 20):
            size += len(block)
            if size > left:
                raise _refused(archive, "unpacks to more than is allowed")
            target.write(block)
    return size


def _refused(archive: str, what: str) -> SourceError:
    return SourceError(
        f"{os.path.basename(archive)} {what}.",
        where="inbox",
        why="Nothing of it was taken: such an archive could fill the disk or reach other folders.",
        remedy="Pack the pictures anew, in smaller archives if they are many, or copy them over.",
    )
