"""The JSON interface: by token, with the services and refusals of the pages, as its own document says."""

import json
import urllib.parse

import pytest
from jsonschema import Draft202012Validator
from makers import FRAMES, carry_out_here

from drawstring.core.orders.document import read_order
from drawstring.store import ledger, tokens
from drawstring.store.models import Run


@pytest.fixture
def api(client, sessions):
    """Ask the interface as a program would; give status and answer."""
    with sessions.begin() as session:
        secret = tokens.make_token(session, "night shift")

    def ask(method: str, path: str, body=None, *, token: str = secret):
        headers = {"Authorization": f"Bearer {token}"} if token else {}
        answer = client.open(f"/api/v1{path}", method=method, json=body, headers=headers)
        return answer.status_code, answer.get_json() if answer.is_json else answer

    return ask


def test_nobody_is_let_in_without_a_token_and_refusals_keep_their_form(api, client, fog):
    for token in ("", "guessed"):
        status, said = api("GET", "/shows", token=token)
        assert status == 401 and "token make" in said["errors"][0]["remedy"]
    status, document = api("GET", "/openapi.json", token="")
    assert status == 200
    errors = Draft202012Validator(document["components"]["schemas"]["Errors"])
    for method, path, body, wanted, words in (
        ("GET", "/shows/Nobody/shots", None, 404, "There are: Tidewrack"),
        ("PATCH", "/shows/Tidewrack/shots/TW010/recipe", {"values": {"depth.near": "soon"}}, 422, "soon"),
        ("PATCH", "/shows/Tidewrack/shots/TW010/recipe", {"valuess": {}}, 422, "values is missing"),
        ("PATCH", "/shows/Tidewrack/shots/TW010/recipe", ["no"], 422, "no JSON object"),
        ("PUT", "/shows/Tidewrack/shots/TW010/recipe", {"form": 1, "pack": {"x": 1}}, 422, "can't be taken"),
        ("POST", "/runs/9/pause", None, 404, "no run 9"),
        ("GET", "/nowhere", None, 404, "no such page"),
    ):  # fmt: skip
        status, said = api(method, path, body)
        assert status == wanted, (path, said)
        errors.validate(said)
        assert words in json.dumps(said, ensure_ascii=False)


def test_the_document_says_every_route_and_what_it_reads(api, app):
    document = api("GET", "/openapi.json")[1]
    routes = {
        (method.lower(), rule.rule.replace("<int:", "{").replace("<", "{").replace(">", "}"))
        for rule in app.url_map.iter_rules()
        if rule.endpoint.startswith("api.")
        for method in rule.methods - {"HEAD", "OPTIONS"}
    }
    told = {(method, path) for path, ways in document["paths"].items() for method in ways}
    assert told == routes and len(told) >= 25
    for ways in document["paths"].values():
        for way in ways.values():
            assert way["summary"].endswith(".") and way["operationId"]
    for name, schema in document["components"]["schemas"].items():
        Draft202012Validator.check_schema(schema)
        assert name in json.dumps(document["paths"])


def test_a_whole_shot_is_driven_without_a_browser(api, app, sources, sessions, tmp_path):
    assert api("POST", "/shows", {"code": "Other", "fps": 25})[1]["fps"] == 25
    base = "/shows/Other/shots"
    status, shot = api("POST", f"{base}/TW010/deliveries", {"folder": str(sources / "tidewrack" / "TW010")})
    assert status == 200 and shot["frames"] == FRAMES
    asked = {"values": {"depth.near": "480 cm", "depth.far": "90", "pack.profile": "compositing"}}
    assert api("PATCH", f"{base}/TW010/recipe", asked)[1]["recipe"]["depth"]["near"] == 4.8
    status, refused = api("POST", "/shows/Other/runs", {"shots": ["TW010"]})
    assert status == 409 and "asks for pack.parts" in refused["errors"][0]["what"]
    api("PATCH", f"{base}/TW010/recipe", {"values": {"pack.parts": "a part for each pass"}})
    status, planned = api("POST", "/shows/Other/runs", {"shots": ["TW010"]})
    assert status == 200 and planned["refused"] == {}
    number = planned["runs"][0]["run"]
    assert api("POST", f"/runs/{number}/pause")[1]["state"] == "paused"
    assert api("POST", "/shows/Other/runs", {"shots": ["TW010"]})[0] == 409, "a paused run holds its shot"
    assert api("POST", f"/runs/{number}/first")[1]["priority"] >= 0
    assert api("POST", f"/runs/{number}/go-on")[1]["state"] == "waiting"
    with sessions.begin() as session:
        run = session.get_one(Run, number)
        carry_out_here(session, run)
        package = run.package.id
    told = api("GET", f"/packages/{package}")[1]
    assert (told["state"], told["frames"], told["missing"]) == ("proven", FRAMES, [])
    assert api("GET", f"/packages/{package}/manifest")[1]["profile"]["name"] == "compositing"
    assert api("POST", f"/packages/{package}/check")[1]["proven"]
    assert b"came back equal" in api("GET", f"/packages/{package}/report")[1].data
    copied = api("POST", f"/packages/{package}/copy", {"folder": "client/monday"})[1]
    assert copied["bytes"] > 0 and copied["folder"].startswith(
        app.extensions["house"].installation.handoff_folder
    )
    status, said = api("POST", f"/packages/{package}/copy", {"folder": "../../outside"})
    assert status == 422 and "leads out" in said["errors"][0]["what"]
    assert api("GET", f"/packages/{package}/zip")[1].data[:2] == b"PK"
    assert api("GET", "/shows/Other/packages")[1]["packages"][0]["package"] == package
    told = api("GET", f"/runs/{number}/frames/1012")[1]
    assert told["state"] == "proven" and told["file"].endswith(".1012.exr")
    # Sent where the installation says, and nowhere else.
    (name,) = api("GET", "/inboxes")[1]["inboxes"]
    status, said = api("POST", f"/packages/{package}/send", {"inbox": "http://127.0.0.1:9"})
    assert status == 404 and "only where this installation says" in said["errors"][0]["why"]
    sending = api("POST", f"/packages/{package}/send", {"inbox": name})[1]
    assert sending["state"] == "waiting"
    assert api("POST", f"/packages/{package}/send", {"inbox": name})[1] == sending, "once at a time"
    assert api("POST", f"/sendings/{sending['sending']}/stop")[1]["state"] == "stopped"
    assert api("GET", f"/sendings/{sending['sending']}")[1]["state"] == "stopped"
    tried = api("POST", f"{base}/TW010/estimate", {"frames": 2})[1]
    assert tried["frames"] == FRAMES and tried["bytes"] == tried["frame_bytes"] * FRAMES > 0
    # The same for another shot: told first, then written, and a recipe taken whole.
    api("POST", f"{base}/TW020/deliveries", {"folder": str(sources / "tidewrack" / "TW020")})
    asked = {"shots": ["TW020"], "from": "TW010", "knots": ["pack"]}
    would = api("POST", "/shows/Other/many", asked)[1]
    names = {one["name"] for one in would["outcomes"][0]["differences"]}
    assert names == {"pack.profile", "pack.parts"} and not would["written"]
    assert api("GET", f"{base}/TW020")[1]["recipe"]["pack"]["parts"] == "one"
    api("POST", "/shows/Other/many", {**asked, "write": True})
    assert api("GET", f"{base}/TW020")[1]["recipe"]["pack"]["parts"] == "passes"
    one = api("GET", f"{base}/TW010")[1]["recipe"]
    assert api("PUT", f"{base}/TW020/recipe", one)[1]["recipe"]["depth"]["near"] == 4.8
    assert api("POST", f"{base}/TW020/undo")[1]["recipe"]["depth"]["near"] is None
    with sessions() as session:
        assert ledger.find_run(session, number).by == "night shift"


def test_profiles_are_kept_with_versions_and_taken_away(api, fog):
    base = "/shows/Tidewrack/profiles"
    path = f"{base}/{urllib.parse.quote('to order')}"
    assert api("PUT", path, {"padding": 6})[1]["version"] == 1
    assert api("PUT", path, {"padding": 7})[1]["version"] == 2
    assert api("GET", path)[1]["padding"] == 7
    status, said = api("PUT", path, {"padding": 2, "colour": "teal"})
    assert status == 422 and "padding" in said["errors"][0]["what"] and "colour" in said["errors"][0]["what"]
    assert "to order" in [one["name"] for one in api("GET", base)[1]["profiles"]]
    assert api("DELETE", path)[0] == 200 and api("GET", path)[0] == 404
    assert api("DELETE", f"{base}/compositing")[0] == 409


def test_programs_order_and_fill_the_list(api, fog):
    status, said = api("POST", "/shows/Tidewrack/orders", {"shots": ["TW010"], "says": "night"})
    assert status == 200 and said["shots"] == ["TW010"] and said["number"] == 1
    status, document = api("GET", "/shows/Tidewrack/orders/1")
    assert status == 200 and read_order(document).shots[0].renders[0].numbers[0] == 1010
    status, said = api("POST", "/shows/Tidewrack/shots/TW010/ask-again", {"render": "main", "frames": [1011]})
    assert status == 200 and api("GET", "/shows/Tidewrack/orders")[1]["waits"][0]["frames"] == [1011]
    assert api("POST", "/shows/Tidewrack/repairs", {})[1]["kind"] == "repair"
    assert api("POST", "/shows/Tidewrack/repairs", {})[0] == 422
    assert api("POST", "/shows/Tidewrack/owed", {"table": "TW010,,,,1010-1033"})[1]["pieces"] == 1
    assert api("GET", "/shows/Tidewrack/owed")[1]["pieces"][0]["shot"] == "TW010"
    assert api("GET", "/order-schema")[1]["title"] == "Order"
