"""A show's inbox: what people hand in through the browser, whole or not at all, then scanned."""

from __future__ import annotations

import errno
import os
import re
import shutil
import uuid
from typing import BinaryIO

from drawstring.core.arrivals.inbox import MAX_UPLOAD_BYTES, safe_name, unpack
from drawstring.core.errors import ConflictError, OutputError, SettingError, SourceError

_BATCH = re.compile(r"[0-9]{8}-[0-9]{6}(?:-[0-9a-z]{1,6})?")


def batch_folder(root: str, show: str, batch: str) -> str:
    """Give the folder that one hand-in goes to, below the first source root.

    Raises
    ------
    SettingError
        The batch's name is none that a page makes.
    """
    if not _BATCH.fullmatch(batch):
        raise SettingError(
            f"“{batch}” is no hand-in.",
            where="inbox.batch",
            why="",
            remedy="Load the page anew and try again.",
        )
    return os.path.join(root, "inbox", show, batch)


def receive(folder: str, name: str, stream: BinaryIO, size: int) -> list[str]:
    """Take one file into a hand-in's folder; an archive is unpacked. Give the names that are there now.

    Parameters
    ----------
    folder : str
        Made if it is not there.
    name : str
        As the browser says it.
    stream : binary file
        Its bytes; read up to `size`.
    size : int
        How many bytes were announced.

    Raises
    ------
    SourceError
        It is too large, cut short, no picture, or an archive that is refused.
    ConflictError
        A file of that name is there already.
    OutputError
        It can't be written.
    """
    final = os.path.join(folder, safe_name(name))
    if size > MAX_UPLOAD_BYTES:
        raise SourceError(
            f"{os.path.basename(final)} has {size:,} bytes.", where="inbox",
            why=f"Up to {MAX_UPLOAD_BYTES:,} bytes of one file are taken.",
            remedy="Copy it into a source folder instead.",
        )  # fmt: skip
    unfinished = os.path.join(folder, f".unfinished-{uuid.uuid4().hex}")
    try:
        os.makedirs(folder, exist_ok=True)
        with open(unfinished, "xb") as file:
            _copy(stream, file, size, final)
            file.flush()
            os.fsync(file.fileno())
        if final.lower().endswith(".zip"):
            return _unpacked(unfinished, final)
        os.link(unfinished, final)
        return [os.path.basename(final)]
    except FileExistsError as error:
        raise ConflictError(
            f"{os.path.basename(final)} was handed in already.", where="inbox", why="Nothing is overwritten.",
            remedy="Rename it, or begin another hand-in.",
        ) from error  # fmt: skip
    except OSError as error:
        full = error.errno in (errno.ENOSPC, errno.EDQUOT)
        raise OutputError(
            f"{os.path.basename(final)} can't be written: {'the disk is full' if full else error.strerror}.",
            where=folder, why="The hand-in is not complete.",
            remedy="Free some space or open the folder for writing, then hand it in again.",
        ) from error  # fmt: skip
    finally:
        if os.path.exists(unfinished):
            os.unlink(unfinished)


def _copy(stream: BinaryIO, file: BinaryIO, size: int, final: str) -> None:
    left = size
    while left > 0:
        block = stream.read(min(left, 1 << 20))
        if not block:
            raise SourceError(
                f"{os.path.basename(final)} was cut short after {size - left:,} of {size:,} bytes.",
                where="inbox", why="A torn file would become a torn frame.", remedy="Hand it in again.",
            )  # fmt: skip
        file.write(block)
        left -= len(block)


def _unpacked(archive: str, final: str) -> list[str]:
    """Unpack beside the hand-in and give the folder its name only when all is well."""
    stem = os.path.splitext(final)[0]
    beside = f"{archive}.folder"
    os.mkdir(beside)
    try:
        unpack(archive, beside)
        if os.path.exists(stem):
            raise FileExistsError(stem)
        os.rename(beside, stem)
    except SourceError as error:
        error.what = error.what.replace(os.path.basename(archive), os.path.basename(final))
        raise
    finally:
        shutil.rmtree(beside, ignore_errors=True)
    return sorted(
        os.path.relpath(os.path.join(place, name), os.path.dirname(stem))
        for place, _, names in os.walk(stem)
        for name in names
    )
