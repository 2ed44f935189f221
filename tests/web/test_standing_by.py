"""Commands carried out by the shell that stands by in the house: the same as where they were typed."""

import json
import signal
import socket
import stat
import struct
import subprocess
import sys
from contextlib import contextmanager
from pathlib import Path

import psutil
import pytest
from makers import environment_of, wait_for
from sqlalchemy import select
from sqlalchemy.orm import sessionmaker

from drawstring.cli import standing_by
from drawstring.store import shows
from drawstring.store.database import connect
from drawstring.store.models import Revision


@pytest.fixture
def typed(house, tmp_path):
    """Begin a command as somebody types it; by itself where it should find nobody who stands by."""

    def begin(*words: str, alone: bool = False, **more) -> subprocess.Popen[str]:
        environment = environment_of(house) | {"USER": "keeper", "PYTHONPROFILEIMPORTTIME": "1"}
        if alone:
            environment["DRAWSTRING_VAR"] = str(tmp_path / "nobody")
        return subprocess.Popen(
            [sys.executable, "-m", "drawstring.cli", *words], env=environment,
            stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
            # Whatever begins the tests in the background may have had it ignored.
            preexec_fn=lambda: signal.signal(signal.SIGINT, signal.SIG_DFL), **more,
        )  # fmt: skip

    return begin


def told(process: subprocess.Popen[str]) -> tuple[int, str, str, bool]:
    """Give exit code, both texts, and whether the command was loaded where it was typed."""
    out, error = process.communicate(timeout=60)
    lines = error.splitlines()
    words = "\n".join(line for line in lines if not line.startswith("import time:"))
    return process.returncode, out, words, any("sqlalchemy" in line for line in lines)


@contextmanager
def reached(house):
    """Reach who stands by as any program could; give the connection and the number of its process."""
    with standing_by._reached(Path(house.var) / "run") as other:
        said = other.getsockopt(socket.SOL_SOCKET, socket.SO_PEERCRED, 12)
        yield other, struct.unpack("3i", said)[0]


def test_what_is_typed_is_answered_as_where_it_was_typed(typed, house):
    assert told(typed("show", "make", "Driftline", "--title", "Ünder the Tide"))[0] == 0
    for words in (
        ("show", "list", "--json"),
        ("set", "NO010", "depth.far=3", "--json"),
        ("set", "NO010"),
    ):
        by_house, by_itself = told(typed(*words)), told(typed(*words, alone=True))
        assert by_house[:3] == by_itself[:3], words
        assert (by_house[3], by_itself[3]) == (False, True), f"{words}: who loaded what"
    assert stat.S_IMODE((Path(house.var) / "run" / "shell").stat().st_mode) == 0o600, "only its owner's"


def test_folder_mask_and_name_are_those_of_who_typed(typed, house, tmp_path):
    database = connect(house.database_url)
    with sessionmaker(database).begin() as session:
        shows.make_shot(session, shows.make_show(session, "Undertow"), "UT010")
    here = {"cwd": tmp_path, "umask": 0o077}
    assert told(typed("cdl", "UT010", "mine.cc", "--out", **here))[:3] == (0, "Wrote mine.cc.\n", "")
    assert stat.S_IMODE((tmp_path / "mine.cc").stat().st_mode) == 0o600
    assert told(typed("cdl", "UT010", "mine.cc", **here))[0] == 0
    # What a shell puts for <(…) is open in the typing process alone.
    with open(tmp_path / "mine.cc") as file:
        assert told(typed("cdl", "UT010", f"/dev/fd/{file.fileno()}", pass_fds=[file.fileno()]))[3]
    with sessionmaker(database)() as session:
        revision = session.scalars(select(Revision).order_by(Revision.id.desc())).first()
        assert revision.by == "keeper"
    database.dispose()


def test_nothing_is_begun_for_who_does_not_wait_any_more(typed, house, monkeypatch):
    for name, value in environment_of(house).items():
        monkeypatch.setenv(name, value)
    with reached(house) as (other, number):
        request = standing_by._request(["show", "make", "Twofold"])
        socket.send_fds(other, [struct.pack("!Q", len(request))], [0, 1, 2])
        other.sendall(request)
        assert int(other.recv(99)) in {copy.pid for copy in psutil.Process(number).children()}
    wait_for(lambda: not psutil.Process(number).children())
    assert "Twofold" not in told(typed("show", "list"))[1]


def test_other_ground_half_a_request_and_strange_words_leave_it_standing(typed, house):
    with reached(house) as (other, _):
        request = json.dumps({"ground": ["elsewhere"]}).encode()
        socket.send_fds(other, [struct.pack("!Q", len(request))], [0, 1, 2])
        other.sendall(request)
        assert other.recv(99) == b"other ground\n", "who was changed meanwhile does it by himself"
    for spoiled in (b"", b"\0", struct.pack("!Q", 9) + b"x", struct.pack("!Q", 4) + b"null"):
        with reached(house) as (other, _):
            socket.send_fds(other, [spoiled or b"\0"], [0] if len(spoiled) < 2 else [0, 1, 2])
            other.shutdown(socket.SHUT_WR)
            assert other.recv(99) == b""
    assert told(typed("show", "list"))[3] is False


@pytest.fixture
def waiting(typed, house):
    """Have a command wait in the house for a table that somebody holds; give it and the copy at it."""
    database = connect(house.database_url)
    with reached(house) as (_, number):
        keeper = psutil.Process(number)

    def waits() -> bool:
        """Whether a copy waits for the table; the engine may, too."""
        ports = {one.laddr.port for copy in keeper.children() for one in copy.net_connections()}
        with database.connect() as looking:
            asked = "SELECT client_port FROM pg_stat_activity WHERE wait_event_type = 'Lock'"
            return bool(ports & set(looking.exec_driver_sql(asked).scalars()))

    with database.begin() as holding:
        holding.exec_driver_sql("LOCK TABLE shows")
        process = typed("show", "list")
        wait_for(waits)
        (copy,) = keeper.children()
        yield process, copy
        wait_for(lambda: not copy.is_running())
    database.dispose()


@pytest.mark.parametrize("ends", [signal.SIGINT, signal.SIGTERM, signal.SIGKILL])
def test_who_stops_a_command_stops_it_in_the_house(waiting, ends):
    process, copy = waiting
    process.send_signal(ends)
    code, out, words, _ = told(process)
    wait_for(lambda: not copy.is_running())
    assert code == (1 if ends == signal.SIGINT else -ends) and not out
    assert words == ("\nAborted!" if ends == signal.SIGINT else "")


def test_a_command_that_ends_without_an_answer_is_told(waiting):
    process, copy = waiting
    copy.kill()
    code, _, words, _ = told(process)
    assert code == 1 and "Look whether it was carried out" in words
