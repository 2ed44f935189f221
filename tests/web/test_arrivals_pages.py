"""Arrivals without a browser: every form for view, success, each bad input, not there."""

import base64
import io
import json
import zipfile

import cv2
import numpy as np
import OpenEXR
import pytest

from drawstring.core.colour import to_working
from drawstring.runs.measuring import measure_frame
from drawstring.runs.planning import source_files
from drawstring.standins.tidewrack import make_faults
from drawstring.store import deliveries, measuring
from drawstring.store.models import ScanRow, Shot, Show
from drawstring.store.standing import standing

HTMX = {"HX-Request": "true"}


@pytest.fixture(scope="session")
def sources(tmp_path_factory):
    """The folder of faults in place of the demo show. Not to be changed."""
    root = tmp_path_factory.mktemp("faulty")
    make_faults(str(root / "faults"), width=96, height=54)
    torn = root / "torn" / "TW180_main_v001.1001.exr"
    torn.parent.mkdir()
    torn.write_bytes(next((root / "faults").rglob("*.exr")).read_bytes()[:500])
    return root


@pytest.fixture
def scanned(client, look_through) -> str:
    """The address of a finished scan of the folder of faults."""
    client.post("/shows", data={"show.code": "Tidewrack", "show.fps": "24", "show.unit": "m"})
    asked = client.post("/shows/Tidewrack/arrivals", data={"arrivals.folder": "faults"}, headers=HTMX)
    look_through()
    return asked.headers["HX-Redirect"]


@pytest.fixture
def accept(client, sessions, scanned):
    """Accept a delivery that was found; give its shot, its frames counted."""

    def take(key: str) -> Shot:
        answer = client.post(
            f"{scanned}/found/{key}/accept", data={"shot": key.partition("~")[0]}, headers=HTMX
        )
        assert answer.status_code == 204
        with sessions.begin() as session:
            shot = session.query(Shot).filter_by(code=key.partition("~")[0]).one()
            delivery = shot.delivery
            passes, window = tuple(deliveries.passes_of(delivery)), deliveries.window_of(delivery)
            counted = dict(
                measure_frame("facts", number, source_files(files), passes, window)
                for number, files in deliveries.frames_of(session, delivery).items()
            )
            measuring.finish(delivery.measured("facts"), counted, {})
            return shot

    return take


def test_a_scan_shows_its_shots_their_passes_and_what_is_wrong(client, scanned):
    page = client.get(scanned).text
    assert page.count('class="candidate"') == 10 and "newer" not in page
    assert "negative frame numbers left out" in page
    one = client.get(f"{scanned}/found/TW110~1", headers=HTMX).text
    assert "Frame 1004 did not arrive." in one and "Left out: TW110_" in one
    assert one.count('class="cell is-missing"') == 1 and "please look" not in one
    odd = client.get(f"{scanned}/found/TW160~3", headers=HTMX).text
    assert odd.count("please look") == 3 and "take it for" in odd
    assert client.get(f"{scanned}/found/TW999~1", headers=HTMX).status_code == 404
    picture = client.get(f"{scanned}/found/TW110~1/thumb/0").data
    assert cv2.imdecode(np.frombuffer(picture, np.uint8), cv2.IMREAD_COLOR).shape[1] == 320
    assert client.get(f"{scanned}/found/TW110~1/thumb/99").status_code == 404
    assert client.get("/shows/Tidewrack/arrivals/999").status_code == 404
    assert client.get("/shows/Tidewrack/arrivals").location.startswith(scanned)
    assert "Folders with pictures" in client.get("/shows/Tidewrack/arrivals?new=1").text
    refused = client.post(f"{scanned}/found/TW110~1/accept", data={"shot": "a b"}, headers=HTMX)
    assert refused.status_code == 422 and "can&#39;t be a code" in refused.text


def test_what_cannot_be_accepted_says_so_where_it_would_be(client, scanned, look_through):
    asked = client.post("/shows/Tidewrack/arrivals", data={"arrivals.folder": "torn"}, headers=HTMX)
    look_through()
    page = client.get(f"{asked.headers['HX-Redirect']}/found/TW180~1", headers=HTMX).text
    assert "It can't be accepted." in page and "No frame of TW180_main_v001" in page
    assert "ends" in page and "/accept" not in page


def test_names_mean_what_the_patterns_say_as_they_are_typed(client, sessions, scanned, look_through):
    assert (
        "{shot}/{version}/{shot}_{pass}_{version}.{frame}"
        in client.get(f"{scanned}/names", headers=HTMX).text
    )
    typed = {"patterns.text": "{shot}/{version}/{shot}_{pass}_{version}.{frame}\n{shot}_{name"}
    tried = client.post(f"{scanned}/meaning", data=typed, headers=HTMX).text
    assert "20 of 25 fit" in tried and "lone brace" in tried
    refused = client.post(f"{scanned}/patterns", data=typed, headers=HTMX)
    assert (refused.status_code, refused.headers["HX-Retarget"]) == (422, "#patterns-text-note")
    good = {"patterns.text": "{shot}-{pass}-{frame}"}
    again = client.post(f"{scanned}/patterns", data=good, headers=HTMX).headers["HX-Redirect"]
    assert again != scanned
    look_through()
    assert "TW130" in client.get(again).text
    with sessions() as session:
        assert session.query(Show).one().patterns == ["{shot}-{pass}-{frame}"]


def test_folders_are_watched_and_left_to_themselves_again(client, sessions, scanned):
    data = {"arrivals.folder": "faults", "arrivals.watch": "yes"}
    assert client.post("/shows/Tidewrack/arrivals/watched", data=data, headers=HTMX).headers["HX-Refresh"]
    with sessions() as session:
        assert len(session.query(Show).one().watched) == 1
    client.post("/shows/Tidewrack/arrivals/watched", data={"arrivals.folder": "faults"}, headers=HTMX)
    with sessions() as session:
        assert session.query(Show).one().watched == []
    outside = client.post("/shows/Tidewrack/arrivals/watched", data={"arrivals.folder": "/etc"}, headers=HTMX)
    assert outside.status_code == 422


def test_what_was_counted_is_drawn_flagged_and_mended(client, sessions, accept):
    shot = accept("TW110~1")
    plot = client.get(f"/shots/{shot.id}/facts/diffuse_indirect").text
    assert plot.count('class="column') == 10 and plot.count("is-flagged") == 1 and "△ 1006" in plot
    page = client.get(f"/shots/{shot.id}/arrivals").text
    assert "emission is black in all 10 frames" in page and "and 9 more" in page and 'data-go="1007"' in page
    answer = client.post(f"/shots/{shot.id}/arrivals/mend", data={"pack.emission.goes": "no"}, headers=HTMX)
    assert answer.status_code == 200
    with sessions() as session:
        how = standing(session, session.get_one(Shot, shot.id))
        assert not how.recipe.pack.row("emission").goes
        fact = next(f.fact for f in how.all_findings if f.code == "pass-doubled")
    base = f"/shots/{shot.id}/arrivals/findings/{fact}"
    refused = client.post(f"{base}/dismiss", data={"finding.reason": ""}, headers=HTMX)
    assert (refused.status_code, refused.headers["HX-Retarget"]) == (422, "#finding-reason-note")
    away = client.post(f"{base}/dismiss", data={"finding.reason": "asked for it twice"}, headers=HTMX)
    assert "1 finding dismissed" in away.text and "asked for it twice" in away.text
    everything = client.get("/shows/Tidewrack/findings").text
    assert "1 dismissed" in everything and "are the same picture" not in everything
    assert "are the same picture" in client.get("/shows/Tidewrack/findings?away=yes").text
    narrowed = client.get(
        "/shows/Tidewrack/findings?kind=pass-nan&shot=TW110&severity=warns", headers=HTMX
    ).text
    assert narrowed.count("data-code=") == 1 and "<html" not in narrowed and "frame=1007" in narrowed
    back = client.post(f"{base}/bring-back", data={"back": "here"}, headers=HTMX)
    assert back.headers["HX-Refresh"] == "true"
    assert "are the same picture" in client.get("/shows/Tidewrack/findings").text


def test_a_correction_is_offered_previewed_and_remembered(client, sessions, accept):
    shot = accept("TW160~3")
    corrected = client.post(
        f"/shots/{shot.id}/passes/rust_streaks/role", data={"role": "specular"}, headers=HTMX
    )
    assert corrected.status_code == 200 and "said" in corrected.text
    base = "/shows/Tidewrack/dictionary"
    offer = client.get(f"{base}/offer", query_string={"name": "zz7_wet", "role": "depth"}, headers=HTMX).text
    assert (
        "this name “zz7_wet”" in offer and "any name with “wet”" in offer and "no other pass changes" in offer
    )
    typed = {"dictionary.kind": "whole name", "dictionary.text": "ZZ7", "dictionary.role": "mist"}
    preview = client.get(f"{base}/preview", query_string=typed, headers=HTMX).text
    assert "1 pass would change" in preview and "zz7" in preview
    assert client.post(base, data=typed, headers=HTMX).headers["HX-Redirect"].endswith("/dictionary")
    here = client.post(base, data=typed | {"back": "here"}, headers=HTMX)
    assert here.headers["HX-Refresh"] == "true"
    with sessions() as session:
        names = {one.layer: one.name for one in session.get_one(Shot, shot.id).delivery.passes}
    assert (names["zz7"], names["rust_streaks"]) == ("mist", "specular")
    exported = client.get(f"{base}.json").json
    assert exported == {"entries": [{"kind": "name", "text": "ZZ7", "role": "mist"}]}
    for name, value, words in (
        ("dictionary.kind", "song", "no kind"), ("dictionary.role", "fur", "no role"),
        ("dictionary.text", " ", "in a name"),
    ):  # fmt: skip
        refused = client.post(base, data=typed | {name: value}, headers=HTMX)
        note = f"#{name.replace('.', '-')}-note"
        assert (refused.status_code, refused.headers["HX-Retarget"]) == (422, note) and words in refused.text
    exported["entries"].append({"kind": "word", "text": "wet", "role": "reflection"})
    for body, status in ((json.dumps(exported), 204), ("{", 422), ("[]", 422)):
        file = {"dictionary.file": (io.BytesIO(body.encode()), "d.json")}
        assert client.post(f"{base}/file", data=file, headers=HTMX).status_code == status
    assert len(client.get(f"{base}.json").json["entries"]) == 2
    with sessions() as session:
        line = session.query(Show).one().entries[0].id
    assert client.post(f"{base}/{line}/forget", headers=HTMX).status_code == 204
    assert client.post(f"{base}/{line}/forget", headers=HTMX).status_code == 404


def test_both_readings_of_a_colour_are_shown_and_one_is_chosen(client, sessions, accept, sources):
    shot = accept("TW130~0")
    path = next((sources / "faults" / "TW130").glob("*beauty-1002.png"))
    codes = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)[..., 2::-1].astype(np.float32) / 255

    def pixels(name: str) -> np.ndarray:
        answer = client.get(f"/shots/{shot.id}/frames/1002/pixels/{name}")
        assert answer.headers["X-Kind"] == "light"
        return np.frombuffer(answer.data, np.float16).reshape(*codes.shape[:2], 4)[..., :3].astype(np.float32)

    undone = to_working(codes, "sRGB display")
    np.testing.assert_allclose(pixels("beauty"), undone, atol=1e-3)
    np.testing.assert_allclose(pixels("beauty@linear"), codes, atol=1e-3)
    np.testing.assert_allclose(pixels("beauty@sRGB display"), undone, atol=1e-3)
    base = f"/shots/{shot.id}/arrivals"
    assert "PNG of 8 bits holds display values" in client.get(base).text
    answer = client.post(base, data={"arrivals.spaces.beauty": "linear"}, headers=HTMX)
    assert answer.status_code == 200
    np.testing.assert_allclose(pixels("beauty"), codes, atol=1e-3)
    refused = client.post(base, data={"arrivals.spaces.beauty": "sepia"}, headers=HTMX)
    assert (refused.status_code, refused.headers["HX-Retarget"]) == (422, "#arrivals-spaces-beauty-note")
    refused = client.post(base, data={"arrivals.first": "9", "arrivals.last": "3"}, headers=HTMX)
    assert refused.status_code == 422
    client.post(base, data={"arrivals.spaces.beauty": ""}, headers=HTMX)
    np.testing.assert_allclose(pixels("beauty"), undone, atol=1e-3)


def test_former_deliveries_and_twins_are_one_press_away(client, sessions, accept, scanned):
    shot = accept("TW160~3")
    answer = client.post(f"/shots/{shot.id}/arrivals/twin", data={"pass": "beauty_noisy"}, headers=HTMX)
    assert answer.status_code == 200
    client.post(f"{scanned}/found/TW120~2/accept", data={"shot": "TW160"}, headers=HTMX)
    page = client.get(f"/shots/{shot.id}/arrivals").text
    assert "2 × 9" not in page and "use v003" in page and "right.beauty, right.depth are new" in page
    with sessions() as session:
        first, second = (one.id for one in session.get_one(Shot, shot.id).deliveries)
    used = client.post(f"/shots/{shot.id}/deliveries/{first}/use", headers=HTMX)
    assert "use v002" in used.text
    with sessions() as session:
        assert session.get_one(Shot, shot.id).delivery_id == first
    assert client.post(f"/shots/{shot.id}/deliveries/999/use", headers=HTMX).status_code == 404


def test_what_is_in_use_leads_to_the_bench_until_its_files_change(client, sessions, accept, scanned):
    found = f"{scanned}/found/TW120~2"
    assert "Accept as new shot TW120" in client.get(found).text
    shot = accept("TW120~2")
    page = client.get(found).text
    assert "Open on the bench" in page and f"/shots/{shot.id}/arrivals" in page and "Accept for" not in page
    with sessions.begin() as session:
        session.get_one(Shot, shot.id).delivery.digest = "of what lay there"
    page = client.get(found).text
    assert "in use, files have changed" in page and "Accept for TW120" in page


def test_two_pictures_are_compared(client, accept):
    shot, other = accept("TW120~2"), accept("TW110~1")
    page = client.get(f"/shots/{shot.id}/same-camera").text
    assert "right.beauty" in page and "TW110 v001, beauty" in page
    with client.application.app_context():
        keys = [line.split('"')[1] for line in page.split("<option ") if ":" in line.split('"')[1]]
    right = next(key for key in keys if key.endswith("right.beauty"))
    answer = client.get(f"/shots/{shot.id}/same-camera", query_string={"with": right, "frame": 1002}).text
    assert "Not the same camera" in answer and "<circle" in answer
    gone = client.get(f"/shots/{shot.id}/same-camera", query_string={"with": "9:x", "frame": 1002})
    assert gone.status_code == 404
    missing = client.get(f"/shots/{shot.id}/same-camera", query_string={"with": right, "frame": 7})
    assert missing.status_code == 404 and other.code == "TW110"


def handed_in(client, base, name, data, *, length=None):
    """Hand a file in as the page's script does: announced, then sent; give the last answer."""
    said = {"Accept": "application/json", "Tus-Resumable": "1.0.0"}
    called = base64.b64encode(name.encode()).decode()
    told = {"Upload-Length": str(length or len(data)), "Upload-Metadata": f"filename {called}"}
    announced = client.post(f"{base}/files", headers=said | told)
    if announced.status_code != 201:
        return announced
    piece = {"Upload-Offset": "0", "Content-Type": "application/offset+octet-stream"}
    return client.patch(announced.headers["Location"], data=data, headers=said | piece)


def test_files_are_handed_in_scanned_and_refused_one_by_one(client, sessions, scanned, look_through, sources):
    files = sorted((sources / "faults" / "TW150").glob("TW150_beauty.*.exr"))
    data = io.BytesIO()
    with zipfile.ZipFile(data, "w") as packed:
        for path in files:
            packed.write(path, f"TW155/v001/{path.name.replace('TW150', 'TW155')}")
    base = "/shows/Tidewrack/inbox/20261124-120000"
    assert handed_in(client, base, "night.zip", data.getvalue()).status_code == 204
    assert handed_in(client, base, "TW156.exr", files[0].read_bytes()).status_code == 204
    for name, body, status in (("TW156.exr", b"again", 409), ("run.sh", b"x", 422), ("b.zip", b"x", 422)):
        refused = handed_in(client, base, name, body)
        assert refused.status_code == status and refused.json["errors"][0]["remedy"]
    assert handed_in(client, "/shows/Tidewrack/inbox/..", "a.exr", b"x").status_code in (404, 422)
    scan = client.post(f"{base}/scan").json["scan"]
    look_through()
    with sessions() as session:
        found = session.get_one(ScanRow, scan)
        assert found.state == "done"
    page = client.get(f"/shows/Tidewrack/arrivals/{scan}").text
    assert "TW155" in page and "TW156" in page
    planes = OpenEXR.File(str(files[0]), separate_channels=True).channels()
    assert planes["R"].pixels.shape == (54, 96)
