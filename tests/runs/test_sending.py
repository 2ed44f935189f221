"""Packages sent to a made-up client's inbox that is busy, cuts the line, spoils bytes and refuses."""

import os

import httpx
import pytest
from makers import carry_out_here, wait_for

from drawstring.core.errors import ConflictError, MissingError, OutputError
from drawstring.runs.checking import check_package
from drawstring.runs.handoff import Sender, carry_out_sending, send_package
from drawstring.store import sendings
from drawstring.store.models import Package, Run, Sending, now


@pytest.fixture
def sent(sessions, package):
    """Ask for the package to be sent, carry it out as the engine does; give its row."""

    def send(address: str, *, tries: int = 6) -> Sending:
        with sessions.begin() as session:
            number = sendings.ask(session, session.query(Package).one(), "client", address).id
        carry_out_sending(sessions, number, tries=tries)
        with sessions() as session:
            return session.get_one(Sending, number)

    return send


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


def test_a_sending_in_the_ledger_ends_with_a_receipt_or_says_when_it_is_tried_again(inbox, sessions, sent):
    url, folder, faults = inbox
    faults.busy = 1
    row = sent(url, tries=1)
    assert (row.state, row.tries) == ("waiting", 1) and "inbox is busy" in row.fault["what"]
    assert 20 < (row.due_at - now()).total_seconds() <= 30
    with sessions() as session:
        assert not sendings.due(session), "not before its time"
    row = sent(url)  # asked again while it waits: it is the same one
    assert row.state == "received" and row.done_bytes == row.total_bytes > 0 and not row.fault
    assert row.receipt["package"] == "TW010_v001"
    assert os.path.exists(os.path.join(folder, "TW010_v001", "report.html")), (
        "made where it was not there yet"
    )
    assert check_package(os.path.join(folder, "TW010_v001")).is_proven
    faults.miscount = 1
    row = sent(url)
    assert row.state == "refused" and "does not prove" in row.fault["why"]
    assert "receipt speaks of" in row.fault["what"] and not row.receipt
    faults.refuse = "The project is closed."
    row = sent(url)
    assert row.state == "refused" and "project is closed" in row.fault["what"]


def test_the_engine_sends_to_each_inbox_beside_the_others_and_goes_on_after_a_crash(inbox, sessions, sent):
    url, folder, faults = inbox
    with sessions.begin() as session:
        of = session.query(Package).one()
        # What an engine that was killed left: under way, with nobody at it.
        left = sendings.ask(session, of, "client", url)
        left.state = "sending"
        other = sendings.ask(session, of, "somebody away", "http://127.0.0.1:9")
        ids = left.id, other.id
    sender = Sender(sessions)
    wait_for(lambda: sender.step() or _state(sessions, ids[0]) == "received")
    # Beside it: its thread may come to its turn later than the first one to its end.
    wait_for(lambda: sender.step() or _state(sessions, ids[1]) == "sending")
    with sessions.begin() as session:
        sendings.stop(session, session.get_one(Sending, ids[1]))
        with pytest.raises(ConflictError, match="stopped already"):
            sendings.stop(session, session.get_one(Sending, ids[1]))
        session.query(Package).one().state = "incomplete"
    with sessions.begin() as session, pytest.raises(ConflictError, match="take it for whole"):
        sendings.ask(session, session.query(Package).one(), "client", url)


def _state(sessions, number: int) -> str:
    with sessions() as session:
        return session.get_one(Sending, number).state
