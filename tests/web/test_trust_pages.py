"""Pages and programs meet odd requests: each is answered by a refusal, none by a fault."""

import http.client
import json
import re
import socket
import threading
import time
from contextlib import ExitStack
from dataclasses import replace

import numpy as np
import pytest
from makers import write_plain
from sqlalchemy.orm import sessionmaker

from drawstring.core.arrivals import scan
from drawstring.installation import read_installation
from drawstring.local_postgres import free_port
from drawstring.store import deliveries, shows, tokens
from drawstring.store.database import connect
from drawstring.store.models import Delivery, Shot
from drawstring.web import serve
from drawstring.web.guards import POLICY
from drawstring.web.serve import LENT_BYTES

BIG = 2**31


@pytest.fixture
def bearer(sessions) -> dict[str, str]:
    """A program's token."""
    with sessions.begin() as session:
        secret = tokens.make_token(session, "night")
    return {"Authorization": f"Bearer {secret}"}


@pytest.mark.parametrize("address", [
    f"/shots/{BIG}/depth", f"/packages/{BIG}", f"/runs/{BIG}", f"/shows/Tidewrack/arrivals/{BIG}",
    f"/api/v1/runs/{BIG}", f"/api/v1/packages/{BIG}", "/shots/99999999999999999999/eyes",
    "/shows/Tide%00wrack", "/api/v1/shows/a%00b/shots",
])  # fmt: skip
def test_what_can_not_be_there_is_not_found(client, fog, bearer, address):
    answer = client.get(address, headers=bearer)
    assert answer.status_code in (404, 405)


@pytest.mark.parametrize("frame", ["abc", "1e400", "NaN", str(BIG), "9" * 400, "-1", "\0", "１０"])
def test_an_odd_frame_number_is_no_fault(client, fog, frame):
    for address in (f"/shots/{fog.id}/depth", f"/shots/{fog.id}/depth/strip"):
        assert client.get(address, query_string={"frame": frame}).status_code < 500
    pick = {"setting": "depth.near", "frame": frame, "x": frame, "y": "3"}
    assert client.post(f"/shots/{fog.id}/depth/pick", data=pick).status_code < 500


@pytest.mark.parametrize("typed", ["NaN", "1e400", "-inf", "9" * 500, "4\0", "\ufffd", "x" * 100_000])
def test_an_odd_value_is_refused_and_nothing_changes(client, sessions, fog, bearer, typed):
    before = client.get("/api/v1/shows/Tidewrack/shots/TW010", headers=bearer).json["revision"]
    page = client.post(f"/shots/{fog.id}/depth", data={"depth.near": typed})
    values = {"values": {"depth.near": typed}}
    program = client.patch("/api/v1/shows/Tidewrack/shots/TW010/recipe", json=values, headers=bearer)
    assert program.status_code == 422 and program.json["errors"][0]["remedy"]
    assert page.status_code == 422
    after = client.get("/api/v1/shows/Tidewrack/shots/TW010", headers=bearer).json["revision"]
    assert after == before


@pytest.mark.parametrize("body", [
    "[" * 100_000, '{"values":' * 5000 + "{}" + "}" * 5000, '{"values": {"depth.near": NaN}}',
    '{"values": {"depth.near": 1e400}}', '{"values": {"depth.near": ' + "9" * 5000 + "}}", "null", "\0", "",
    '{"values": {"depth.near": ' + "[" * 500 + "]" * 500 + "}}",
])  # fmt: skip
def test_odd_json_is_refused_in_words(client, fog, bearer, body):
    answer = client.patch(
        "/api/v1/shows/Tidewrack/shots/TW010/recipe", data=body, content_type="application/json",
        headers=bearer,
    )  # fmt: skip
    assert answer.status_code == 422 and len(answer.json["errors"][0]["what"]) < 400


@pytest.mark.parametrize("show", [
    {"code": "A", "fps": "NaN"}, {"code": "A", "fps": 1e9}, {"code": "A", "title": "t" * 5000},
    {"code": "A\n"}, {"code": "A\0"}, {"code": "A", "unit": "\0"}, {"code": "x" * 41},
])  # fmt: skip
def test_a_show_that_can_not_be_is_refused(client, fog, bearer, show):
    answer = client.post("/api/v1/shows", json=show, headers=bearer)
    assert answer.status_code == 422 and answer.json["errors"][0]["remedy"]
    assert [one["code"] for one in client.get("/api/v1/shows", headers=bearer).json["shows"]] == ["Tidewrack"]


def test_a_text_that_is_too_long_for_its_place_is_refused(client, fog):
    said = {"dictionary.kind": "word", "dictionary.text": "w" * 5000, "dictionary.role": "depth"}
    answer = client.post("/shows/Tidewrack/dictionary", data=said, headers={"Accept": "application/json"})
    assert answer.status_code in (404, 405, 422)
    put_away = client.post(
        f"/shots/{fog.id}/depth/findings/{'f' * 200}/dismiss", data={"finding.reason": "x" * 999}
    )
    assert put_away.status_code in (404, 409, 422)


def test_two_who_accept_at_once_get_one_delivery(app, sessions, candidate):
    with sessions.begin() as session:
        shows.make_show(session, "Tidewrack")
    together, faults = threading.Barrier(6), []

    def accept() -> None:
        try:
            with sessions.begin() as session:
                show = shows.find_show(session, "Tidewrack")
                together.wait()
                shot = shows.shot_for(session, show, "TW010")
                deliveries.accept(session, shot, candidate)
        except Exception as error:
            faults.append(error)

    threads = [threading.Thread(target=accept) for _ in range(6)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    with sessions() as session:
        assert not faults and session.query(Shot).count() == session.query(Delivery).count() == 1


def test_pages_carry_a_strict_policy_and_scripts_are_named_by_what_they_hold(client, fog):
    page = client.get(f"/shots/{fog.id}/depth")
    assert (
        page.headers["Content-Security-Policy"] == POLICY
        and "unsafe-inline" not in POLICY.partition("attr")[0]
    )
    assert page.headers["X-Content-Type-Options"] == "nosniff"
    assert page.headers["Referrer-Policy"] == "same-origin" and "frame-ancestors 'none'" in POLICY
    assert not re.search(r"<script(?![^>]*(src=|application/json))|\son\w+=|hx-on|<style", page.text)
    scripts = re.findall(r'(?:src|href)="(/static/[^"]+)"', page.text)
    assert len(scripts) > 4 and all(re.match(r"/static/[0-9a-f]{12}/", one) for one in scripts)
    for one in scripts:
        with client.get(one, headers={"Accept-Encoding": "gzip, deflate"}) as answer:
            assert "immutable" in answer.headers["Cache-Control"] and answer.status_code == 200
            if one.endswith((".js", ".css")) and len(answer.data) > 1000:
                assert answer.headers["Content-Encoding"] in ("gzip", "deflate")
    assert client.get(f"/shots/{fog.id}/depth", headers={"Accept-Encoding": "gzip"}).headers[
        "Content-Encoding"
    ]


@pytest.mark.parametrize("host", ["127.0.0.1:8470", "localhost:8470", "[::1]:8470", "[::1]"])
def test_the_house_answers_to_its_own_names_only(client, fog, host):
    assert client.get("/shows", headers={"Host": host}).status_code == 200
    assert client.get("/shows", headers={"Host": "elsewhere.example"}).status_code == 400
    assert read_installation({"DRAWSTRING_HOST": "::1"}).address == "http://[::1]:8470/"


def test_stalled_requests_hold_up_nobody(house):
    """A hundred browsers that stop in the middle of a request, in head or body, and one that does not."""
    where = ("127.0.0.1", house.port)
    head = b"POST /shows/X/inbox/20261124-120000/files HTTP/1.1\r\nHost: 127.0.0.1\r\n"
    with ExitStack() as lines:
        for i in range(100):
            line = lines.enter_context(socket.create_connection(where))
            line.sendall(head if i % 2 else head + b"Content-Length: 1000\r\n\r\nhalf of")
        for _ in range(5):
            answer = http.client.HTTPConnection(*where, timeout=5)
            answer.request("GET", "/alive")
            assert answer.getresponse().status == 200
            answer.close()
        kept = http.client.HTTPConnection(*where, timeout=5)
        for _ in range(8):  # one connection, kept alive over several requests
            kept.request("GET", "/alive")
            said = kept.getresponse()
            assert (said.status, said.read() != b"") == (200, True)
        kept.close()
    with socket.create_connection(where) as line:
        line.sendall(b"GET /alive HTTP/1.1\r\nHost: 127.0.0.1\r\nX-Long: " + b"x" * 100_000 + b"\r\n\r\n")
        assert b" 431 " in line.recv(200)
    with socket.create_connection(where) as line:
        line.sendall(head + b"Content-Length: 999999999999\r\n\r\n")
        assert b" 413 " in line.recv(200)


@pytest.mark.parametrize("size", [0, LENT_BYTES.start - 1, LENT_BYTES.start, 5_000_001, LENT_BYTES.stop + 9])
def test_answers_of_any_size_come_whole_also_where_several_wait_for_a_slow_browser(size):
    body = np.random.default_rng(size).bytes(size)

    def application(environ, start_response):
        start_response("200 OK", [("Content-Length", str(size)), ("Content-Type", "image/x-bytes")])
        return [body]

    server = serve.make_server(application, replace(read_installation({}), port=free_port()))
    running = threading.Thread(target=server.run, daemon=True)
    running.start()
    try:
        with socket.create_connection(("127.0.0.1", server.effective_port), timeout=20) as line:
            line.sendall(b"GET /a HTTP/1.1\r\nHost: x\r\n\r\nGET /b HTTP/1.1\r\nHost: x\r\n\r\n")
            time.sleep(0.3)  # what the system takes on the way is full by now
            answers = line.makefile("rb")
            for _ in range(2):
                while answers.readline().strip():
                    pass
                assert answers.read(size) == body
    finally:
        server.close()


def test_a_file_of_many_megabytes_and_a_folder_are_handed_in_through_the_browser(
    page, installation, tmp_path
):
    """As served: with the token checked, in pieces, cut off once on the way."""
    engine = connect(installation.database_url)
    with sessionmaker(engine).begin() as session:
        shows.make_show(session, "Tidewrack")
    engine.dispose()
    light = np.random.default_rng(2).random((900, 1600, 4), np.float32)
    large = write_plain(tmp_path / "TW900_v001.0001.exr", {"RGBA": light})
    assert large.stat().st_size > 16 << 20, "more than one piece"
    night = tmp_path / "night" / "霧"
    night.mkdir(parents=True)
    for number in (1, 2):
        write_plain(night / f"TW901_v001.{number:04d}.exr", {"RGBA": light[:40, :60].copy()})
    cut = []

    def cut_once(route):
        if route.request.method == "PATCH" and not cut:
            cut.append(route.request.url)
            route.abort()
        else:
            route.continue_()

    page.route("**/files/*", cut_once)
    page.goto("/shows/Tidewrack/arrivals")
    page.locator("#hand-in").set_input_files(large)
    page.locator(".candidate", has_text="TW900").wait_for(timeout=60_000)
    assert cut, "the line was cut once, and the file arrived all the same"
    page.locator("#hand-in-folder").set_input_files(tmp_path / "night")
    page.locator(".candidate", has_text="TW901").wait_for(timeout=60_000)
    root = installation.roots.split(":")[0]
    found = scan(f"{root}/inbox", roots=[root])
    assert {one.shot for one in found.candidates} >= {"TW900", "TW901"}
    assert any("霧" in report.folder for report in found.sequences)


def test_a_chunked_body_is_no_empty_file(house):
    where = ("127.0.0.1", house.port)
    line = http.client.HTTPConnection(*where, timeout=10)
    line.request("GET", "/api/v1/shows", headers={"Accept": "application/json"})
    assert line.getresponse().read()
    body = json.dumps({"code": "Chunked"}).encode()
    line.request(
        "POST", "/api/v1/shows", body=iter([body[:5], body[5:]]), encode_chunked=True,
        headers={"Transfer-Encoding": "chunked", "Content-Type": "application/json"},
    )  # fmt: skip
    assert line.getresponse().status == 401, "read whole, then asked for its token"
    line.close()
