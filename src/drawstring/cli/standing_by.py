"""A shell that stands by in the house with everything loaded: what is typed is carried out by a copy of it.

To load what a setting needs takes a second and more, to carry it out a fraction of that. So a copy of the
pages' process listens on a socket in the state folder, which only its owner may open. Who types a command
there hands it all that a command knows of the world: words, folder, environment and three channels. Where
nobody stands by, or somebody with other code or other files, the command is carried out where it was typed.
"""

from __future__ import annotations

import json
import os
import select
import signal
import socket
import struct
import sys
import threading
import time
import traceback
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from importlib import import_module
from pathlib import Path
from typing import Any, NoReturn

from drawstring.cli.common import ROOMS, main
from drawstring.core.errors import SettingError
from drawstring.core.loaded import keep_loaded
from drawstring.installation import Installation, read_installation

QUICK = (
    "cdl", "dictionary", "findings", "keep", "keys", "order", "owed", "pass", "patterns", "profile", "recipe",
    "runs", "set", "settle", "shot", "show", "token", "undo",
)  # fmt: skip
"""Commands that ask or change what the house remembers. Those that compute have processes of their own."""

NAME = "drawstring"

PATIENCE_S = 5.0
"""For what the other side has to say at once."""

_LENGTH = struct.Struct("!Q")
_CREDENTIALS = struct.Struct("3i")  # process, user, group: unix(7), SO_PEERCRED
_OTHER_GROUND, _BEGIN = b"other ground\n", b"!"


def run() -> None:
    """Carry out what was typed: by whoever stands by in the house, else here."""
    try:
        code = carried_out(sys.argv[1:])
    except KeyboardInterrupt:
        sys.exit("\nAborted!")
    if code is not None:
        sys.exit(code)
    main(prog_name=NAME)


def carried_out(words: list[str]) -> int | None:
    """Have the house carry out a command; give its exit code, None where nobody stands by for it.

    Parameters
    ----------
    words : list of str
        As typed, without the program's name.
    """
    if not words or words[0] not in QUICK or None in (sys.stdin, sys.stdout, sys.stderr):
        return None
    if any(place in word for word in words for place in ("/dev/fd/", "/proc/")):
        return None  # what this process has open, such as what a shell puts for <(…)
    try:
        house = _reached(Path(read_installation(dict(os.environ)).var) / "run")
    except (OSError, SettingError):  # whatever is wrong is told where it is carried out
        return None
    if house is None:
        return None
    with house, house.makefile("rb") as answers:
        try:
            request = _request(words)
            socket.send_fds(house, [_LENGTH.pack(len(request))], [0, 1, 2])
            house.sendall(request)
            answer = answers.readline()
            if not answer or answer == _OTHER_GROUND:
                return None
            house.sendall(_BEGIN)
        except OSError:  # it went, is too slow, or a channel of ours is closed: nothing has begun
            return None
        house.settimeout(None)
        return _awaited(answers, int(answer))


def stand_by(installation: Installation) -> None:
    """Leave a copy of this process standing by until this one ends.

    Nobody stands by where this process has more than one thread, or the state folder takes no socket.
    """
    from drawstring.runs.forks import is_single  # who types a command should not have to load it

    folder = Path(installation.var) / "run"
    try:
        folder.mkdir(parents=True, exist_ok=True)
        listener = _bound(folder) if is_single() else None
    except OSError:
        return
    if listener is None:
        return
    ended, ours = os.pipe()
    keep_loaded()  # what both have stays shared
    if os.fork():
        listener.close()
        os.close(ended)  # `ours` is closed by the end of this process, however it comes
        return
    try:
        os.close(ours)
        _serve(listener, ended)
    finally:
        os._exit(0)


def _request(words: list[str]) -> bytes:
    channels = [sys.stdin, sys.stdout, sys.stderr]
    umask = os.umask(0)
    os.umask(umask)
    return json.dumps(
        {
            "words": words,
            "folder": os.getcwd(),
            "environment": dict(os.environ),
            "umask": umask,
            "encodings": [(one.encoding, one.errors) for one in channels],
            "ground": _ground(),
        }
    ).encode()


def _ground() -> list[Any]:
    """Tell what must be the same for both: the code, when it was changed last, and where paths lead.

    A container that shares the state folder has other files under the same names.
    """
    home = Path(__file__).parents[1]
    changed = [
        os.stat(os.path.join(place, name)).st_mtime_ns
        for place, _, names in os.walk(home)
        for name in names
        if name.endswith(".py")
    ]
    root = os.stat("/")
    spaces = [os.readlink(f"/proc/self/ns/{kind}") for kind in ("mnt", "pid", "user")]
    return [str(home), sys.version, len(changed), max(changed), root.st_dev, root.st_ino, *spaces]


def _reached(folder: Path) -> socket.socket | None:
    """Reach who stands by; None where that is another account, who would get all that we hand over."""
    house = socket.socket(socket.AF_UNIX)
    house.settimeout(PATIENCE_S)
    try:
        with _address(folder) as address:
            house.connect(address)
        if _account(house) == os.geteuid():
            return house
    except OSError:
        house.close()
        raise
    house.close()
    return None


def _awaited(answers: Any, process: int) -> int:
    """Wait for the exit code; what stops this program stops the command."""
    while True:
        try:
            last = answers.readline()
        except KeyboardInterrupt:
            with suppress(ProcessLookupError):
                os.kill(process, signal.SIGINT)
            continue
        if last:
            return int(last)
        print("The command ended without an answer. Look whether it was carried out.", file=sys.stderr)
        return 1


@contextmanager
def _address(folder: Path) -> Iterator[str]:
    """Lend a short way to the socket: its path may be longer than an address may be (unix(7))."""
    place = os.open(folder, os.O_PATH | os.O_CLOEXEC)
    try:
        yield f"/proc/self/fd/{place}/shell"
    finally:
        os.close(place)


def _account(other: socket.socket) -> int:
    said = other.getsockopt(socket.SOL_SOCKET, socket.SO_PEERCRED, _CREDENTIALS.size)
    return int(_CREDENTIALS.unpack(said)[1])


def _bound(folder: Path) -> socket.socket:
    with suppress(FileNotFoundError):
        os.unlink(folder / "shell")  # of a house that went
    listener = socket.socket(socket.AF_UNIX)
    umask = os.umask(0o177)
    try:
        with _address(folder) as address:
            listener.bind(address)
    finally:
        os.umask(umask)
    return listener


def _serve(listener: socket.socket, ended: int) -> None:
    from sqlalchemy.orm import configure_mappers

    from drawstring.core.knots import NAMES, part_of

    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, signal.SIG_DFL)
    signal.signal(signal.SIGCHLD, signal.SIG_IGN)  # nobody waits for the copies
    ground = _ground()
    # All that each copy would else load, or put together, for itself.
    for name in ("psycopg", *(f"drawstring.cli.{file}" for quick in QUICK for file in ROOMS[quick].files)):
        import_module(name)
    for knot in NAMES:
        for layer in ("core", "store"):
            part_of(layer, knot, "home")
    configure_mappers()
    keep_loaded()
    listener.listen(64)
    while True:
        ready, _, _ = select.select([listener.fileno(), ended], [], [])
        if ended in ready:
            return
        caller, _ = listener.accept()
        with caller:
            # Where no copy can be made, the caller is left without an answer, and does it by itself.
            with suppress(OSError):
                if _account(caller) == os.geteuid() and not os.fork():
                    listener.close()
                    os.close(ended)
                    _carry_out(caller, ground)


def _carry_out(caller: socket.socket, ground: list[Any]) -> NoReturn:
    """Carry out one command in this copy, as the process would in which it was typed, and end."""
    status = 1
    try:
        os.setsid()  # who presses Ctrl-C where the house was started does not mean this
        signal.signal(signal.SIGCHLD, signal.SIG_DFL)
        signal.signal(signal.SIGINT, signal.default_int_handler)
        request = _received(caller)
        if request["ground"] != ground:
            caller.sendall(_OTHER_GROUND)
            os._exit(0)
        _become(request)
        caller.sendall(b"%d\n" % os.getpid())
        # Who has waited too long does it by himself: it must not be done twice.
        caller.settimeout(PATIENCE_S)
        if caller.recv(1) != _BEGIN:
            os._exit(status)
        caller.settimeout(None)
        threading.Thread(target=_end_with, args=(caller,), daemon=True).start()
        status = _status_of(request["words"])
        caller.sendall(b"%d\n" % status)
    except OSError:
        pass  # who asked is gone
    finally:
        os._exit(status)


def _received(caller: socket.socket) -> dict[str, Any]:
    """Read a request, whose channels become our own."""
    caller.settimeout(PATIENCE_S)
    head, channels, _, _ = socket.recv_fds(caller, _LENGTH.size, 3)
    if len(head) < _LENGTH.size or len(channels) < 3:
        raise ConnectionError
    rest = bytearray()
    while len(rest) < _LENGTH.unpack(head)[0]:
        piece = caller.recv(1 << 16)
        if not piece:
            raise ConnectionError
        rest += piece
    caller.settimeout(None)
    for number, channel in enumerate(channels):
        os.dup2(channel, number)
        os.close(channel)
    request: dict[str, Any] = json.loads(rest)
    return request


def _become(request: dict[str, Any]) -> None:
    """Take over the surroundings of the process in which a command was typed."""
    os.environ.clear()
    os.environ.update(request["environment"])
    time.tzset()
    os.umask(request["umask"])
    os.chdir(request["folder"])
    sys.argv = [NAME, *request["words"]]
    (encoding, errors), *others = request["encodings"]
    sys.stdin = open(0, encoding=encoding, errors=errors, closefd=False)
    sys.stdout, sys.stderr = (
        open(number, "w", encoding=encoding, errors=errors, closefd=False, buffering=1)
        for number, (encoding, errors) in enumerate(others, 1)
    )


def _end_with(caller: socket.socket) -> None:
    """End this command when the program in which it was typed has gone."""
    with suppress(OSError):
        caller.recv(1)
    os.kill(os.getpid(), signal.SIGTERM)


def _status_of(words: list[str]) -> int:
    try:
        main(words, prog_name=NAME)
    except SystemExit as end:
        status = end.code if isinstance(end.code, int) else int(end.code is not None)
    except BaseException:
        traceback.print_exc()
        status = 1
    else:
        status = 0
    with suppress(OSError):  # nobody reads on
        sys.stdout.flush()
        sys.stderr.flush()
    return status
