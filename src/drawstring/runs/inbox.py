"""A show's inbox: what people hand in through the browser, resumed where it was cut off, then scanned.

A file announced gets a number; its pieces are appended under an unfinished name beside its place, with a
note of what was announced. Nothing is kept in memory, so a hand-in goes on after the house was
restarted. What nobody goes on with is removed after a day.
"""

from __future__ import annotations

import errno
import fcntl
import json
import os
import re
import shutil
import time
import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import asdict, dataclass
from typing import BinaryIO

from drawstring.core.arrivals.inbox import MAX_UPLOAD_BYTES, safe_path, unpack
from drawstring.core.errors import ConflictError, MissingError, OutputError, SettingError, SourceError

LEFTOVER_S = 24 * 3600.0
"""After so long without a new piece an unfinished file is removed."""

_BATCH = re.compile(r"[0-9]{8}-[0-9]{6}(?:-[0-9a-z]{1,6})?")
_NUMBER = re.compile(r"[0-9a-f]{32}")
_BLOCK = 1 << 20


def batch_folder(root: str, show: str, batch: str) -> str:
    """Give the folder that one hand-in goes to, below the first source root.

    Raises
    ------
    SettingError
        The batch's name is none that a page makes.
    """
    if not _BATCH.fullmatch(batch):
        raise SettingError(
            f"“{batch[:40]}” is no hand-in.",
            where="inbox.batch",
            why="",
            remedy="Load the page anew and try again.",
        )
    return os.path.join(root, "inbox", show, batch)


@dataclass(frozen=True)
class Upload:
    """A file on its way.

    Attributes
    ----------
    number : str
    name : str
        Its place below the hand-in's folder.
    size : int
        Bytes announced.
    offset : int
        Bytes that are here.
    """

    number: str
    name: str
    size: int
    offset: int = 0


def announce(folder: str, name: str, size: int) -> Upload:
    """Take note of a file that is going to be handed in.

    Parameters
    ----------
    folder : str
        The hand-in's; made if it is not there.
    name : str
        As the browser says it; folders before it are kept.
    size : int
        Its bytes.

    Raises
    ------
    SourceError
        It is no picture and no archive, or too large.
    ConflictError
        A file of that name is there already.
    OutputError
        The folder can't be written in.
    """
    place = safe_path(name)
    if size > MAX_UPLOAD_BYTES:
        raise SourceError(
            f"{os.path.basename(place)} has {size:,} bytes.", where="inbox",
            why=f"Up to {MAX_UPLOAD_BYTES:,} bytes of one file are taken.",
            remedy="Copy it into a source folder instead.",
        )  # fmt: skip
    if os.path.exists(os.path.join(folder, place)):
        raise _there_already(place)
    upload = Upload(uuid.uuid4().hex, place, size)
    with _in_words(folder, place):
        os.makedirs(folder, exist_ok=True)
        with open(_part(folder, upload.number), "xb"):
            pass
        with open(_note(folder, upload.number), "x", encoding="utf-8") as file:
            json.dump(asdict(upload), file)
    return upload


def find_upload(folder: str, number: str) -> Upload:
    """Find a file on its way, with how much of it is here.

    Raises
    ------
    MissingError
        Nothing was announced under that number, or it was removed since.
    """
    try:
        if not _NUMBER.fullmatch(number):
            raise FileNotFoundError(number)
        with open(_note(folder, number), encoding="utf-8") as file:
            said = json.load(file)
        offset = os.path.getsize(_part(folder, number)) if not said.get("is_whole") else said["size"]
        return Upload(number, said["name"], said["size"], offset)
    except (FileNotFoundError, NotADirectoryError, json.JSONDecodeError, KeyError) as error:
        raise MissingError(
            "This hand-in is not known here any more.", where="inbox",
            why="What is left unfinished is removed after a day.", remedy="Hand the file in again.",
        ) from error  # fmt: skip


def append(folder: str, number: str, offset: int, stream: BinaryIO) -> tuple[Upload, list[str]]:
    """Append a piece; when it was the last one, give the file its name, or unpack it.

    Parameters
    ----------
    offset : int
        Where the piece begins, as whoever sends it believes.
    stream : binary file
        Read to its end; what goes beyond the announced size is refused.

    Returns
    -------
    upload : Upload
    names : list of str
        What is there now below the hand-in's folder; empty while pieces are missing.

    Raises
    ------
    ConflictError
        The file goes on elsewhere, somebody else is sending a piece, or its name is taken.
    SourceError
        It is larger than announced, or an archive that is refused.
    OutputError
        It can't be written.
    """
    upload = find_upload(folder, number)
    part = _part(folder, number)
    with _in_words(folder, upload.name), open(part, "ab") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError as error:
            raise ConflictError(
                f"{upload.name} is being sent by another page, too.", where="inbox",
                why="Two pieces at once would be mixed up.", remedy="Wait for the other one.",
            ) from error  # fmt: skip
        here = os.fstat(file.fileno()).st_size
        if here != offset:
            raise ConflictError(
                f"{upload.name} goes on at {here:,}, not at {offset:,}.", where="inbox",
                why="A piece would be missing or doubled.", remedy="Ask how much is here, and go on there.",
            )  # fmt: skip
        while block := stream.read(min(_BLOCK, upload.size - here + 1)):
            here += len(block)
            if here > upload.size:
                file.truncate(offset)
                raise SourceError(
                    f"{upload.name} is larger than the {upload.size:,} bytes that were announced.",
                    where="inbox", why="It changed while it was handed in.", remedy="Hand it in again.",
                )  # fmt: skip
            file.write(block)
        file.flush()
        os.fsync(file.fileno())
        if here < upload.size:
            return Upload(number, upload.name, upload.size, here), []
        return Upload(number, upload.name, upload.size, here), _finish(folder, upload)


def forget(folder: str, number: str) -> None:
    """Let go of a file on its way; what is here of it is removed."""
    find_upload(folder, number)
    for path in (_part(folder, number), _note(folder, number)):
        if os.path.exists(path):
            os.unlink(path)


def remove_leftovers(root: str, *, older_than_s: float = LEFTOVER_S) -> int:
    """Remove what hand-ins below a root left unfinished; give how many files and folders that were.

    Only what nobody has added to for so long is touched.
    """
    until, removed = time.time() - older_than_s, 0
    for place, folders, names in os.walk(os.path.join(root, "inbox")):
        for name in [name for name in (*folders, *names) if name.startswith(".unfinished-")]:
            path = os.path.join(place, name)
            try:
                if os.stat(path).st_mtime < until:
                    shutil.rmtree(path) if os.path.isdir(path) else os.unlink(path)
                    removed += 1
            except OSError:
                continue  # somebody else has removed it, or may not be written
        folders[:] = [name for name in folders if not name.startswith(".unfinished-")]
    return removed


def _finish(folder: str, upload: Upload) -> list[str]:
    part, final = _part(folder, upload.number), os.path.join(folder, upload.name)
    note = _note(folder, upload.number)
    try:
        os.makedirs(os.path.dirname(final), exist_ok=True)
        if final.lower().endswith(".zip"):
            names = _unpacked(part, final)
        else:
            os.link(part, final)  # fails where the name is taken, unlike a rename
            names = [upload.name]
    except FileExistsError as error:
        os.unlink(note)
        raise _there_already(upload.name) from error
    except SourceError:
        os.unlink(note)
        raise
    finally:
        os.unlink(part)
    # Whoever did not hear the answer asks again: the note stays until the leftovers are removed.
    with open(note, "w", encoding="utf-8") as file:
        json.dump(asdict(upload) | {"is_whole": True}, file)
    return names


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


def _part(folder: str, number: str) -> str:
    return os.path.join(folder, f".unfinished-{number}")


def _note(folder: str, number: str) -> str:
    return os.path.join(folder, f".unfinished-{number}.json")


def _there_already(name: str) -> ConflictError:
    return ConflictError(
        f"{os.path.basename(name)} was handed in already.", where="inbox", why="Nothing is overwritten.",
        remedy="Rename it, or begin another hand-in.",
    )  # fmt: skip


@contextmanager
def _in_words(folder: str, name: str) -> Iterator[None]:
    try:
        yield
    except OSError as error:
        full = error.errno in (errno.ENOSPC, errno.EDQUOT)
        reason = "the disk is full" if full else error.strerror
        raise OutputError(
            f"{os.path.basename(name)} can't be written: {reason}.", where=folder,
            why="The hand-in is not complete.",
            remedy="Free some space or open the folder for writing, then hand it in again.",
        ) from error  # fmt: skip
