"""A package sent to a client's inbox over HTTP: resumed where it was cut off, and only then receipted.

Files go by the open tus protocol 1.0.0 (resumable upload) with their xxh3 sums; whatever may pass (a busy
inbox, a cut line) is tried again after a while, whatever will not is told in the inbox's own words.
"""

from __future__ import annotations

import base64
import os
import time
from collections.abc import Callable, Collection
from dataclasses import dataclass
from functools import partial
from typing import TYPE_CHECKING, Any, BinaryIO

from drawstring.core.errors import ConflictError, MissingError, OutputError
from drawstring.runs.handoff.contents import contents
from drawstring.runs.proof import checksum

if TYPE_CHECKING:
    import httpx

_TUS = {"Tus-Resumable": "1.0.0"}
TRIES = 6
"""How often in a row one file may be cut off."""

_BLOCK = 4 << 20
_CHECKSUM_MISMATCH = 460
_GOES_ON_ELSEWHERE = 409
"""tus's answer to bytes that are not where the file goes on; asked again, the inbox says where."""


class _CutOffError(Exception):
    """What may pass: the inbox is busy or away, or the line was cut."""


def send_package(
    folder: str,
    url: str,
    name: str,
    *,
    tries: int = TRIES,
    wait: Callable[[float], None] = time.sleep,
    on_bytes: Callable[[int, int], None] = lambda done, total: None,
    client: httpx.Client | None = None,
) -> dict[str, Any]:
    """Send a package and fetch its receipt; sent again after a fault it goes on where it was.

    Parameters
    ----------
    folder : str
    url : str
        Address of the inbox.
    name : str
        What the package is called there.
    tries : int
        How often in a row one file may be cut off.
    wait : callable
        Waits so many seconds; twice as long after each try.
    on_bytes : callable
        Told how many bytes are there, of how many.

    Returns
    -------
    dict
        The inbox's receipt.

    Raises
    ------
    MissingError
        The folder is no whole package; nothing was sent.
    ConflictError
        The inbox refuses it.
    OutputError
        The inbox can't be reached, or stays busy.
    """
    files = contents(folder)
    total, done = sum(one.size_bytes for one in files), 0
    import httpx  # only a sending needs it

    with client or httpx.Client(base_url=url, timeout=60) as inbox:
        for one in files:
            upload = _Upload(os.path.join(folder, one.name), one.size_bytes)
            sum_ = one.checksum or checksum(upload.path)
            said = {"package": name, "name": one.name, "sum": sum_}
            told = partial(_tell, on_bytes, done, total)
            _again(partial(_send_file, inbox, upload, said, told), tries, wait, url, lambda: upload.offset)  # noqa: B023 - called at once
            done += one.size_bytes
        answer = _again(lambda: _asked(inbox.post, f"/packages/{name}/receipt"), tries, wait, url)
        return _receipt(answer, len(files), total)


@dataclass
class _Upload:
    path: str
    size: int
    offset: int = 0
    """How much of it the inbox has, as far as is known."""


def _tell(on_bytes: Callable[[int, int], None], before: int, total: int, sent: int) -> None:
    on_bytes(before + sent, total)


def _send_file(
    inbox: httpx.Client, upload: _Upload, said: dict[str, str], on_sent: Callable[[int], None]
) -> httpx.Response:
    metadata = ",".join(f"{key} {base64.b64encode(value.encode()).decode()}" for key, value in said.items())
    announced = _asked(
        inbox.post, "/files", headers={**_TUS, "Upload-Length": str(upload.size), "Upload-Metadata": metadata}
    )
    place = announced.headers["Location"]
    answer = _asked(inbox.head, place, headers=_TUS)
    upload.offset = int(answer.headers["Upload-Offset"])
    with _opened(upload.path) as file:
        file.seek(upload.offset)
        while upload.offset < upload.size:
            block = file.read(_BLOCK)
            headers = {
                **_TUS, "Upload-Offset": str(upload.offset),
                "Content-Type": "application/offset+octet-stream",
            }  # fmt: skip
            answer = _asked(
                inbox.patch, place, may_pass=(_GOES_ON_ELSEWHERE,), content=block, headers=headers
            )
            upload.offset = int(answer.headers["Upload-Offset"])
            on_sent(upload.offset)
    return answer


def _receipt(answer: httpx.Response, files: int, size: int) -> dict[str, Any]:
    """Read the receipt; one that speaks of something else than was sent is none."""
    told: dict[str, Any] = {"files": files, "bytes": size, **answer.json()}
    if not told.get("receipt") or (told["files"], told["bytes"]) != (files, size):
        raise ConflictError(
            f"The receipt speaks of {told['files']} files and {told['bytes']} bytes; "
            f"{files} files and {size} bytes were sent.", where=str(answer.url),
            why="It does not prove that the client has this package.",
            remedy="Ask the client what arrived, then send it again.",
        )  # fmt: skip
    return told


def _opened(path: str) -> BinaryIO:
    try:
        return open(path, "rb")
    except OSError as error:
        raise MissingError(
            f"{os.path.basename(path)} can't be read: {error.strerror}.", where=path,
            why="The package is no longer what was proven.",
            remedy="Bring the file back from a copy, then send it again.",
        ) from error  # fmt: skip


def _asked(
    call: Callable[..., httpx.Response], path: str, *, may_pass: Collection[int] = (), **how: Any
) -> httpx.Response:
    import httpx

    try:
        answer = call(path, **how)
    except httpx.TransportError as error:
        raise _CutOffError(str(error) or type(error).__name__) from error
    if answer.status_code >= 500 or answer.status_code in (408, 429, _CHECKSUM_MISMATCH, *may_pass):
        raise _CutOffError(_words(answer))
    if answer.status_code >= 400:
        raise ConflictError(
            f"The inbox refuses it: {_words(answer)}", where=path,
            why="The client does not have the package.",
            remedy="Ask the client, or mend what is named; what arrived is kept there.",
        )  # fmt: skip
    return answer


def _words(answer: httpx.Response) -> str:
    try:
        return str(answer.json()["what"])
    except (ValueError, KeyError, TypeError):
        return f"it answered {answer.status_code}."


def _again(
    does: Callable[[], httpx.Response],
    tries: int,
    wait: Callable[[float], None],
    url: str,
    mark: Callable[[], int] = lambda: 0,
) -> httpx.Response:
    """Try until it passes, longer and longer between; who got further by `mark` begins the count anew."""
    last, attempt, at = "", 0, mark()
    while attempt < tries:
        try:
            return does()
        except _CutOffError as fault:
            last = str(fault)
            attempt, at = (attempt + 1, at) if mark() <= at else (1, mark())
            if attempt < tries:
                wait(min(60.0, 0.5 * 2.0 ** (attempt - 1)))
    raise OutputError(
        f"The inbox could not take it after {tries} tries: {last}", where=url,
        why="The client does not have the package yet.",
        remedy="Send it again later: it goes on where it was.",
    )  # fmt: skip
