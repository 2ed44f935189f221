"""Packages sent to a made-up client's inbox that is busy, cuts the line, spoils bytes and refuses."""

import os
import threading

import httpx
import pytest
from makers import carry_out_here
from werkzeug.serving import make_server

from drawstring.core.errors import ConflictError, MissingError, OutputError
from drawstring.runs.checking import check_package
from drawstring.runs.handoff import send_package
from drawstring.standins.client_inbox import Faults, create_inbox
from drawstring.store.models import Run


@pytest.fixture
def inbox(tmp_path):
    """A served inbox: its address, folder and faults."""
    faults = Faults()
    server = make_server("127.0.0.1", 0, create_inbox(str(tmp_path / "inbox"), faults), threaded=True)
    thread = threading.Thread(target=server.serve_forever)
    thread.start()
    yield f"http://127.0.0.1:{server.port}", str(tmp_path / "inbox"), faults
    server.shutdown()
    thread.join()


@pytest.fixture
def package(plan, sessions):
    with sessions.begin() as session:
        run = session.get_one(Run, plan(pack__files="a file for each pass"))
        carry_out_here(session, run)
        return run.folder


def test_a_package_arrives_whole_whatever_the_line_does(inbox, package):
    url, folder, faults = inbox
    faults.busy, faults.cut, faults.spoil = 3, 4, 2
    waits: list[float] = []
    told: list[tuple[int, int]] = []
    receipt = send_package(
        package, url, "TW010_v001", wait=waits.append, on_bytes=lambda *sent: told.append(sent)
    )
    assert (faults.busy, faults.cut, faults.spoil) == (0, 0, 0) and len(waits) >= 9
    assert waits[:3] == [0.5, 1.0, 2.0], "longer and longer between"
    assert receipt["files"] > 6 and receipt["bytes"] == told[-1][1] == told[-1][0]
    arrived = os.path.join(folder, "TW010_v001")
    assert check_package(arrived).is_proven
    assert not [name for _, _, names in os.walk(folder) for name in names if name.endswith(".part")]
    again = send_package(package, url, "TW010_v001")
    assert again["receipt"] == receipt["receipt"], "what is there is not sent again"


def test_a_refusing_or_absent_inbox_is_told_in_its_own_words(inbox, package):
    url, folder, faults = inbox
    faults.refuse = "The project is closed."
    with pytest.raises(ConflictError, match="refuses it: The project is closed"):
        send_package(package, url, "TW010_v001", wait=lambda s: None)
    faults.refuse, faults.busy = "", 99
    with pytest.raises(OutputError, match="after 3 tries: The inbox is busy"):
        send_package(package, url, "TW010_v001", tries=3, wait=lambda s: None)
    faults.busy = 0
    with pytest.raises(OutputError, match="goes on where it was"):
        send_package(package, "http://127.0.0.1:9", "TW010_v001", tries=2, wait=lambda s: None)
    for way in ("../../outside", "/etc/x"):
        with pytest.raises(ConflictError, match="no package and name"):
            send_package(package, url, way, wait=lambda s: None)
    assert httpx.post(f"{url}/packages/TW010_v001/receipt").status_code == 409
    os.unlink(os.path.join(package, "manifest.json"))
    with pytest.raises(MissingError, match="holds no manifest"):
        send_package(package, url, "TW010_v001")
    assert not os.path.exists(os.path.join(folder, "TW010_v001"))
