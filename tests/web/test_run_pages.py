"""Runs and packages on their pages: started, cancelled, gone on with, opened, looked at again."""

import os
import re

import pytest
from makers import FRAMES, carry_out_here

from drawstring.core.arrivals import scan
from drawstring.runs.planning import plan_run
from drawstring.store import deliveries, ledger, recipes, shows
from drawstring.store.models import Run, Shot

HTMX = {"HX-Request": "true"}


@pytest.fixture
def packed(sessions, fog, installation):
    """The fog shot, run into a package with its depth settled."""
    with sessions.begin() as session:
        shot = session.get_one(Shot, fog.id)
        recipes.set_values(session, shot, {"depth.near": "4.8", "depth.far": "90"})
        recipes.settle(session, shot, "depth")
        run = plan_run(session, shot, output=installation.output_folder)
        carry_out_here(session, run)
        _ = run.package, run.frames
        return run


def test_a_run_from_the_board_is_planned_shown_cancelled_and_gone_on_with(client, sessions, fog):
    assert client.post("/shows/Tidewrack/runs", data={}, headers=HTMX).status_code == 422
    started = client.post("/shows/Tidewrack/runs", data={"shot": str(fog.id)}, headers=HTMX)
    where = started.headers["HX-Redirect"]
    page = client.get(where)
    assert f"0 of {FRAMES}" in page.text and "is-waiting" in page.text
    assert "Depth is open: depth_normalised will not be in the package" in page.text
    assert 'hx-trigger="every 700ms"' in client.get(where, headers=HTMX).text
    assert "1 run, 0%" in client.get("/summary?code=Tidewrack").text
    assert "v001 waits its turn" in client.get("/shows/Tidewrack").text
    again = client.post("/shows/Tidewrack/runs", data={"shot": str(fog.id)}, headers=HTMX)
    assert again.status_code == 409 and "is under way" in again.text
    assert client.post(f"{where}/cancel").status_code == 303
    page = client.get(where).text
    assert "cancelled" in page and f"Go on with {FRAMES} frames" in page and "every 700ms" not in page
    assert client.post(f"{where}/cancel").status_code == 409
    assert client.post(f"{where}/go-on").status_code == 303
    assert "waiting" in client.get("/shows/Tidewrack/runs").text
    with sessions.begin() as session:
        ledger.cancel(session, session.query(Run).one())


def test_several_shots_run_and_the_one_that_can_not_says_why(client, sessions, fog, candidate):
    with sessions.begin() as session:
        show = session.get_one(Shot, fog.id).show
        bare = shows.make_shot(session, show, "TW900")
        other = shows.make_shot(session, show, "TW020")
        deliveries.accept(session, other, candidate)
        numbers = [str(fog.id), str(bare.id), str(other.id)]
    answer = client.post("/shows/Tidewrack/runs", data={"shot": numbers}, headers=HTMX)
    assert answer.headers["HX-Retarget"] == "#trouble"
    assert (
        "TW900: Nothing was accepted for TW900 yet" in answer.text and "2 other shots started" in answer.text
    )
    with sessions() as session:
        assert {run.shot.code for run in session.query(Run)} == {"TW010", "TW020"}


def test_a_package_page_tells_the_proof_and_hands_out_files(client, packed):
    base = f"/packages/{packed.package.id}"
    page = client.get(base).text
    assert f"{FRAMES} files proven" in page and "channels equal bit by bit" in page
    assert "4.8 to 90 m, linear, white is near" in page
    assert client.get(f"{base}/manifest").json["shot"] == "TW010"
    name = packed.frames[0].file_name
    file = client.get(f"{base}/files/{name}")
    assert len(file.data) == packed.frames[0].size_bytes
    assert client.get(f"{base}/files/{name}/look").data.startswith(b"\x89PNG")
    assert f"{FRAMES} files match the proof" in client.post(f"{base}/check", headers=HTMX).text
    for stranger in ("manifest.json", "..%2f..%2fv001%2fmanifest.json", "TW010_v001.9999.exr"):
        assert client.get(f"{base}/files/{stranger}").status_code == 404
    os.unlink(os.path.join(packed.folder, name))
    assert "is not there" in client.post(f"{base}/check", headers=HTMX).text
    gone = client.get(f"{base}/files/{name}")
    assert gone.status_code == 404 and "no longer what was proven" in gone.text


def test_failed_frames_are_told_on_run_and_package(client, sessions, fog, copied, installation, tmp_path):
    changed = sorted(copied.iterdir())[2]
    (candidate,) = scan(str(copied), roots=[str(tmp_path)]).candidates
    with sessions.begin() as session:
        shot = session.get_one(Shot, fog.id)
        deliveries.accept(session, shot, candidate)
        changed.write_bytes(changed.read_bytes() + b"more")
        run = plan_run(session, shot, output=installation.output_folder)
        carry_out_here(session, run)
        number, package = run.id, run.package.id
    page = client.get(f"/runs/{number}").text
    assert "has changed since it was accepted" in page and "Go on with 1 frame<" in page
    page = client.get(f"/packages/{package}").text
    assert "1 frame missing" in page and "incomplete" in page
    assert "v001, incomplete" in client.get("/shows/Tidewrack").text


def test_open_and_stale_knots_are_said_before_a_run(client, sessions, fog, copied, tmp_path):
    with sessions.begin() as session:
        shot = session.get_one(Shot, fog.id)
        recipes.set_values(session, shot, {"depth.near": "4.8", "depth.far": "90"})
    page = client.get(f"/shots/{fog.id}/pack").text
    assert "Depth is open: depth_normalised will not be in the package" in page
    client.post(f"/shots/{fog.id}/depth/settle", headers=HTMX)
    assert "will not be in the package" not in client.get(f"/shots/{fog.id}/pack").text
    sorted(copied.iterdir())[3].unlink()
    (newer,) = scan(str(copied), roots=[str(tmp_path)]).candidates
    with sessions.begin() as session:
        deliveries.accept(session, session.get_one(Shot, fog.id), newer)
    page = client.get(f"/shots/{fog.id}/pack").text
    assert "Depth is stale: v001 was accepted since" in page
    assert "Frames 1013 did not arrive" in page and "knot-stale" in page
    bench = client.get(f"/shots/{fog.id}/arrivals").text
    assert "cell is-missing" in bench and "Frame 1013 did not arrive" in bench


def test_packages_are_listed_chosen_and_sent_together(client, sessions, packed):
    board = client.get("/shows/Tidewrack/packages").text
    number = packed.package.id
    assert f'id="package-{number}"' in board and "not yet" in board and "every 1s" not in board
    assert client.get(f"/packages/{number}/face").data.startswith(b"\x89PNG")
    send = "/shows/Tidewrack/packages/send"
    refused = client.post(send, data={"inbox": "made-up-client"}, headers=HTMX)
    assert refused.status_code == 422 and "Tick at least one package" in refused.text
    stranger = client.post(send, data={"package": number, "inbox": "http://elsewhere"}, headers=HTMX)
    assert stranger.status_code == 404 and "only where this installation says" in stranger.text
    sent = client.post(send, data={"package": number, "inbox": "made-up-client"}, headers=HTMX).text
    assert "made-up-client: waiting" in sent and 'hx-trigger="every 1s"' in sent
    ticked = client.get(f"/shows/Tidewrack/packages?package={number}", headers=HTMX).text
    assert f'id="package-{number}" checked' in ticked, "what is ticked stays ticked while it is drawn anew"
    page = client.get(f"/packages/{number}").text
    stop = re.search(r'hx-post="(/sendings/\d+/stop)"', page)[1]
    stopped = client.post(stop, headers=HTMX)
    assert "stopped" in stopped.text and client.post(stop, headers=HTMX).status_code == 409
    with sessions.begin() as session:
        session.get_one(Run, packed.id).package.state = "incomplete"
    refused = client.post(send, data={"package": number, "inbox": "made-up-client"}, headers=HTMX)
    assert refused.status_code == 409 and "take it for whole" in refused.text
    assert 'name="package"' not in client.get("/shows/Tidewrack/packages").text


def test_a_frame_tells_its_steps(client, packed):
    frame = packed.frames[0]
    told = client.get(f"/runs/{packed.id}/frames/{frame.number}", headers=HTMX).text
    assert "channels equal" in told and frame.file_name in told
    assert "channels equal" in client.get(f"/runs/{packed.id}?frame={frame.number}").text, "without scripts"
    gone = client.get(f"/runs/{packed.id}/frames/9", headers=HTMX)
    assert gone.status_code == 404 and "has no frame 9" in gone.text
