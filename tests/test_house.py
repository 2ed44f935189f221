"""The house itself: what is documented is what exists; make start survives what it may meet."""

import os
import re
import socket
import subprocess
import sys
import time
import urllib.request
from dataclasses import fields
from importlib import import_module
from pathlib import Path
from pkgutil import iter_modules

import click
import psutil
import pytest
from makers import environment_of

from drawstring import cli
from drawstring.cli import main
from drawstring.cli.common import ROOMS
from drawstring.core.errors import MissingError, SettingError
from drawstring.core.pack.profile import Profile, read_profile
from drawstring.core.recipe import KNOTS, Recipe
from drawstring.installation import Installation, read_installation, secret
from drawstring.local_postgres import LocalPostgres, Trouble, free_port

HOME = Path(__file__).resolve().parents[1]
README = (HOME / "README.md").read_text()


def commands(group: click.Group, before: str = "drawstring") -> list[str]:
    names = []
    for name in group.list_commands(click.Context(group)):
        command = group.get_command(click.Context(group), name)
        names += (
            commands(command, f"{before} {name}")
            if isinstance(command, click.Group)
            else [f"{before} {name}"]
        )
    return names


def test_every_installation_setting_and_command_is_in_the_readme():
    missing = [
        f.metadata["variable"] for f in fields(Installation) if f"`{f.metadata['variable']}`" not in README
    ]
    missing += [command for command in commands(main) if f"`{command}" not in README]
    assert not missing


def test_every_command_that_is_written_can_be_called():
    """Commands are loaded when they are called: what nobody listed is not there for whoever types it."""
    for module in iter_modules(cli.__path__):
        if module.name != "__main__":
            import_module(f"drawstring.cli.{module.name}")
    assert set(main.commands) == set(ROOMS)
    # The list of commands is told without loading them: in their own words all the same.
    assert {name: one.get_short_help_str(200) for name, one in main.commands.items()} == {
        name: room.says for name, room in ROOMS.items()
    }


def test_every_setting_of_every_knot_has_its_line():
    text = (HOME / "docs" / "settings.md").read_text()
    for knot in KNOTS:
        for name, field in type(Recipe().knot(knot.name)).model_fields.items():
            assert f"`{knot.name}.{name}`" in text, f"{knot.name}.{name}"
            assert field.description


def test_every_field_of_a_profile_has_its_line_and_the_example_is_one():
    text = (HOME / "docs" / "profiles.md").read_text()
    told = re.findall(r"^\| `(\w+)` \|", text, re.MULTILINE)
    assert told == list(Profile.model_fields)
    asked = read_profile(text.partition("```json")[2].partition("```")[0])
    assert asked.ranges == {"depth_normalised": (0, 1)} and asked.padding == 5


def test_every_finding_has_its_page_and_no_page_is_left_over():
    text = (HOME / "docs" / "findings.md").read_text()
    told = set(re.findall(r"^\| `([a-z-]+)`", text, re.MULTILINE))
    used = set()
    for path in (HOME / "src" / "drawstring").rglob("*.py"):
        used |= set(re.findall(r'[Ff]inding\(\s*"([a-z-]+)"', path.read_text()))
    assert told == used


def test_screenshots_are_linked_and_few():
    shots = sorted(path.name for path in (HOME / "docs" / "screenshots").glob("*.png"))
    assert 6 <= len(shots) < 20 and all(name in README for name in shots)


@pytest.mark.parametrize(
    ("said", "words"),
    [({"DRAWSTRING_PORT": "many"}, "not a whole number"), ({"DRAWSTRING_HOST": "0.0.0.0"}, "reach")],
)
def test_wrong_installation_settings_are_refused_at_start(said, words):
    with pytest.raises(Exception, match=words):
        read_installation(said)


def test_secrets_are_made_once_and_for_their_owner_only(tmp_path):
    path = tmp_path / "secrets" / "word"
    first = secret(path)
    assert len(first) == 48 and secret(path) == first
    assert oct(path.stat().st_mode & 0o777) == "0o600"


@pytest.fixture
def place(postgres):
    """A folder beside the tests' database, which its account can enter."""
    import tempfile

    folder = Path(tempfile.mkdtemp(dir=postgres.folder.parent))
    folder.chmod(0o755)
    return folder / "data"


def test_a_half_made_data_folder_is_made_anew_and_a_strange_one_left_alone(place, capsys):
    half = place.with_name("data.making")
    half.mkdir()
    (half / "leftover").write_text("")
    server = LocalPostgres(place, free_port(), "word", is_lasting=False)
    assert server.make() and "made anew" in capsys.readouterr().out
    assert not server.make(), "the second time there is nothing to do"
    strange = place.with_name("strange")
    strange.mkdir()
    with pytest.raises(Trouble, match="holds no database"):
        LocalPostgres(strange, free_port(), "word").make()
    with socket.create_server(("127.0.0.1", 0)) as taken:
        server.port = taken.getsockname()[1]
        with pytest.raises(Trouble, match="is taken by another program"):
            server.start()
    server.port = free_port()
    server.start()
    try:
        server.start()
        server.make_database("one")
        wrong = LocalPostgres(place, server.port, "other word")
        with pytest.raises(Trouble, match="refuses the kept password"):
            wrong.make_database("two")
    finally:
        server.stop()


def test_an_inbox_without_name_or_address_is_refused_at_the_start():
    for odd in ("http://somewhere", "client=ftp://somewhere", "=http://somewhere"):
        with pytest.raises(SettingError, match="no name with an address"):
            read_installation({"DRAWSTRING_CLIENT_INBOXES": odd})
    known = read_installation({"DRAWSTRING_CLIENT_INBOXES": "a=http://one b=https://two:8/x"})
    assert known.inbox_addresses == {"a": "http://one", "b": "https://two:8/x"}
    with pytest.raises(MissingError, match="There is no inbox “c”"):
        known.inbox_address("c")


def of_house(process: psutil.Process, var: str) -> bool:
    """Whether a process belongs to a house, by the folder that its environment names."""
    try:
        return process.environ().get("DRAWSTRING_VAR") == str(var) and process.status() != "zombie"
    except psutil.Error:
        return False


@pytest.fixture
def small_house(installation, tmp_path):
    """The environment of a house that is down again when the test is over, however it ends."""
    environment = environment_of(installation) | {"DRAWSTRING_ROOTS": str(tmp_path / "roots")}
    yield environment
    subprocess.run([sys.executable, "ops/house.py", "stop"], env=environment, cwd=HOME, capture_output=True)


def test_start_and_stop_bring_a_small_house_up_and_down(installation, small_house):
    environment = small_house
    (Path(installation.var) / "run").mkdir(parents=True)
    # A killed start may have left the number of some other process.
    (Path(installation.var) / "run" / "serve.pid").write_text(str(os.getpid()))
    environment |= {"DRAWSTRING_DEMO_WIDTH": "96", "DRAWSTRING_DEMO_FRAMES": "2"}
    start = [sys.executable, "ops/house.py", "start"]
    started = subprocess.run(start, env=environment, cwd=HOME, capture_output=True, text=True, timeout=180)
    assert started.returncode == 0, started.stderr
    assert (
        f"http://127.0.0.1:{installation.port}/" in started.stdout
        and "Pages and engine are up" in started.stdout
    )
    mine = [one for one in psutil.process_iter() if of_house(one, installation.var)]
    behind = {one.nice() for one in mine if one.cmdline()[-1:] == ["engine"]}
    before = {one.nice() for one in mine if "drawstring.web.serve" in one.cmdline()}
    assert behind and min(behind) > max(before), "whoever looks at a picture goes first"
    pages = {one.pid: one.ppid() for one in mine if "drawstring.web.serve" in one.cmdline()}
    assert pages.keys() & pages.values(), "readers come of a copy of the pages, which has loaded all already"
    # The house is up with its first shot; the others come in one after the other.
    board = f"http://127.0.0.1:{installation.port}/shows/Tidewrack"
    until = time.monotonic() + 120
    while "nothing yet" in urllib.request.urlopen(board, timeout=20).read().decode():
        assert time.monotonic() < until, "the other shots did not arrive"
        time.sleep(1)
    again = subprocess.run(start, env=environment, cwd=HOME, capture_output=True, text=True, timeout=180)
    assert again.returncode == 0 and "Pages and engine are up" not in again.stdout, "they were up already"
    # A night in it, driven by a program: what is whole goes through, what is spoiled says why not.
    night = subprocess.run(
        [sys.executable, "ops/overnight.py", "--shots", "6", "--frames", "2"],
        env=environment, cwd=HOME, capture_output=True, text=True, timeout=300,
    )  # fmt: skip
    assert night.returncode == 0, night.stdout + night.stderr
    assert "3 shots went through, 3 of them receipted; 3 did not." in night.stdout
    for told in ("did not arrive or can't be used", "has changed since it was accepted", "motion of water"):
        assert told in night.stdout
    stopped = subprocess.run(
        [sys.executable, "ops/house.py", "stop"], env=environment, cwd=HOME, capture_output=True, text=True
    )
    assert "Pages and engine are down" in stopped.stdout and "inbox is down" in stopped.stdout
    left = [one.pid for one in psutil.process_iter() if of_house(one, installation.var)]
    assert not left, "nothing that the house began outlives it"
    logs = "".join(log.read_text() for log in (Path(installation.var) / "log").iterdir())
    assert "leaked" not in started.stdout + started.stderr + logs, "libraries end without a word"
    with socket.create_server(("127.0.0.1", installation.port)):
        refused = subprocess.run(start, env=environment, cwd=HOME, capture_output=True, text=True)
    assert refused.returncode != 0 and "is taken by another program" in refused.stderr
