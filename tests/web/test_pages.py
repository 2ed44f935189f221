"""Pages without a browser: every form for view, success, each bad input, not there, from outside."""

import html
import io
import json
import re
from pathlib import Path

import numpy as np
import OpenEXR
import pytest

import drawstring.web
from drawstring.core.depth import DepthSettings, normalise, nothing_there
from drawstring.store import measuring, recipes, shows
from drawstring.store.models import Shot
from drawstring.store.standing import standing

HTMX = {"HX-Request": "true"}


def recipe_of(sessions, shot):
    with sessions() as session:
        return recipes.current(session, session.get_one(Shot, shot.id))


@pytest.mark.parametrize(
    "path",
    ["/", "/shows", "/shows/Tidewrack", "/shows/Tidewrack/arrivals", "/shows/Tidewrack/runs",
     "/shows/Tidewrack/dictionary", "/shows/Tidewrack/findings", "/shots/{id}/same-camera",
     "/shots/{id}/frames/1012/sheet", "/shots/{id}/facts/beauty", "/shots/{id}/facts/depth_normalised",
     "/shots/{id}/arrivals", "/shots/{id}/depth", "/shots/{id}/pack", "/shots/{id}", "/summary"],
)  # fmt: skip
def test_every_page_opens(client, fog, path):
    answer = client.get(path.format(id=fog.id), follow_redirects=True)
    assert answer.status_code == 200 and answer.mimetype == "text/html"


@pytest.mark.parametrize("beauty", ["finished picture beside", "finished picture"])
def test_pack_draws_what_all_knots_make_together(client, sessions, fog, beauty):
    with sessions.begin() as session:
        mist = {"depth.near": "4.8", "depth.far": "90", "depth.mist.add": "haze", "pack.beauty": beauty}
        recipes.set_values(session, session.merge(fog), mist)
    answer = client.get(f"/shots/{fog.id}/pack")
    assert answer.status_code == 200 and "made by all knots" in answer.text


BARE = {
    "away", "colour-management", "found-passes", "ghost-near", "is-fault", "is-waiting", "is-warns",
    "meaning", "others", "owed", "passes", "preview", "remedy", "summary", "sure", "trouble", "where",
}  # fmt: skip
"""Names that look like nothing by themselves: what they say stands in words, or scripts go by them."""


def test_whatever_a_page_is_called_to_look_like_is_in_its_sheet(client):
    """Of Bulma only those parts are there that are used: whoever uses another one has to add it."""
    sheet = client.get(re.search(r'href="([^"]+\.css)"', client.get("/").text)[1]).text
    web = Path(drawstring.web.__file__).parent
    sheet += (web / "static" / "css" / "monitor.css").read_text()  # of a page that has nothing else
    ruled = set(re.findall(r"\.([A-Za-z_][\w-]*)", sheet))
    asked: set[str] = set()
    for page in (web / "templates").rglob("*.html"):
        text = re.sub(r"\{%.*?%\}", " ", re.sub(r"\{\{.*?\}\}", "{}", page.read_text()))
        for names in re.findall(r'class="([^"]*)"', text):
            asked |= {name for name in names.split() if "{}" not in name}
    for script in (web / "static" / "js").rglob("*.js"):
        calls = r"(?:classList\.(?:add|remove|toggle)|className\s*=)\(?\s*[\"'`]([^\"'`$]*)"
        asked |= {name for names in re.findall(calls, script.read_text()) for name in names.split()}
    assert len(asked & ruled) > 300 and asked - ruled == BARE


@pytest.mark.parametrize(
    ("path", "status", "words"),
    [
        ("/shows/Nowhere", 404, "There is no show Nowhere"),
        ("/shots/999/depth", 404, "There is no shot number 999"),
        ("/runs/999", 404, "There is no run 999"),
        ("/packages/999", 404, "There is no package 999"),
        ("/nothing", 404, "There is no such page"),
    ],
)
def test_what_is_not_there_is_said_in_words(client, fog, path, status, words):
    answer = client.get(path)
    assert answer.status_code == status and words in answer.text and "to the board" in answer.text
    part = client.get(path, headers=HTMX)
    assert part.headers["HX-Retarget"] == "#trouble" and "<html" not in part.text


def test_the_first_show_and_its_first_shot_come_from_empty_pages(client, sources, look_through):
    assert "There is no show yet" in client.get("/").text
    refused = client.post("/shows", data={"show.code": "a b", "show.fps": "24", "show.unit": "m"})
    assert refused.status_code == 422 and "can&#39;t be a code" in refused.text
    refused = client.post("/shows", data={"show.code": "A", "show.fps": "fast"})
    assert refused.status_code == 422 and "is not a rate" in refused.text
    made = client.post("/shows", data={"show.code": "Pier", "show.fps": "25", "show.unit": "m"})
    assert made.status_code == 303 and "No shot yet" in client.get(made.location).text
    asked = client.post("/shows/Pier/arrivals", data={"arrivals.folder": "tidewrack/TW010"}, headers=HTMX)
    scan = asked.headers["HX-Redirect"]
    assert "Waiting for the engine" in client.get(scan).text
    look_through()
    found = client.get(scan, headers=HTMX).text
    assert (
        "TW010_main_v001.####.exr" in found
        and "object matte" in found
        and "Accept as new shot TW010" in found
    )
    accepted = client.post(
        f"{scan}/found/TW010~1/accept", data={"shot": "TW010", "title": "Fog"}, headers=HTMX
    )
    assert accepted.status_code == 204 and accepted.headers["HX-Redirect"].startswith("/shots/")
    assert "15 passes, 6 frames" in client.get("/shows/Pier").text


@pytest.mark.parametrize("folder", ["/etc", "../..", "", "tidewrack/../../../etc"])
def test_folders_outside_the_roots_are_refused_beside_the_page(client, fog, folder):
    answer = client.post("/shows/Tidewrack/arrivals", data={"arrivals.folder": folder}, headers=HTMX)
    assert answer.status_code == 422 and "does not lie below an allowed folder" in answer.text


@pytest.mark.parametrize(
    ("typed", "words"),
    [
        ("two", "is not a length"),
        ("-3", "more than 0"),
        ("200", "does not lie before far"),
        ("1e400", "too large"),
    ],
)
def test_a_refused_near_settles_nothing_and_answers_beside_the_field(client, sessions, fog, typed, words):
    client.post(f"/shots/{fog.id}/depth", data={"depth.far": "90"}, headers=HTMX)
    before = recipe_of(sessions, fog)
    answer = client.post(f"/shots/{fog.id}/depth", data={"depth.near": typed}, headers=HTMX)
    assert (answer.status_code, answer.headers["HX-Retarget"]) == (422, "#depth-near-note")
    assert words in answer.text and recipe_of(sessions, fog) == before


def test_settling_undoing_and_doing_without_draw_the_cord_anew(client, sessions, fog):
    base = f"/shots/{fog.id}/depth"
    answer = client.post(base, data={"depth.near": "480 cm", "depth.far": "90"}, headers=HTMX)
    assert 'hx-swap-oob="outerHTML:#cord"' in answer.text and "4.8-90 m, open" in answer.text
    assert answer.headers["HX-Trigger-After-Settle"] == "recipe-changed"
    assert "4.8-90 m, open" not in client.post(f"{base}/settle", headers=HTMX).text
    assert "4.8-90 m, open" in client.post(f"{base}/undo", headers=HTMX).text
    answer = client.post(f"{base}/needed", data={"needed": "no"}, headers=HTMX)
    assert "is-not-needed" in answer.text and "depth normalised" not in answer.text
    answer = client.post(
        f"{base}/pick", data={"setting": "depth.near", "frame": 1012, "x": 96, "y": 100}, headers=HTMX
    )
    assert answer.status_code == 200


def test_an_end_taken_from_the_picture_is_the_median_around_the_click(client, sessions, fog, report):
    path = next(frame.path for frame in report.frames if frame.number == 1012)
    z = OpenEXR.File(path, separate_channels=True).channels()["depth.Z"].pixels
    client.post(
        f"/shots/{fog.id}/depth/pick",
        data={"setting": "depth.near", "frame": 1012, "x": 60, "y": 80},
        headers=HTMX,
    )
    around = np.sort(z[78:83, 58:63], axis=None)
    assert recipe_of(sessions, fog).depth.near == pytest.approx(float(around[12]), abs=1e-4)
    sky = client.post(
        f"/shots/{fog.id}/depth/pick",
        data={"setting": "depth.far", "frame": 1012, "x": 96, "y": 0},
        headers=HTMX,
    )
    assert sky.status_code == 404 and "Click on something solid" in sky.text


def test_pixels_are_the_true_values_and_try_settings_out_without_writing_them(client, sessions, fog, report):
    path = next(frame.path for frame in report.frames if frame.number == 1011)
    planes = {n: c.pixels for n, c in OpenEXR.File(path, separate_channels=True).channels().items()}
    answer = client.get(f"/shots/{fog.id}/frames/1011/pixels/depth")
    height, width = planes["depth.Z"].shape
    assert answer.headers["X-Size"] == f"{width} {height} 1" and answer.headers["X-Kind"] == "distance"
    np.testing.assert_array_equal(
        np.frombuffer(answer.data, np.float32).reshape(height, width), planes["depth.Z"]
    )
    beauty = client.get(f"/shots/{fog.id}/frames/1011/pixels/beauty")
    assert (beauty.headers["X-Type"], beauty.headers["X-Kind"]) == ("half", "light")
    pixels = np.frombuffer(beauty.data, np.float16).reshape(height, width, 4)
    np.testing.assert_array_equal(pixels[..., 0], planes["R"].astype(np.float16))
    tried = client.get(
        f"/shots/{fog.id}/frames/1011/pixels/depth_normalised",
        query_string={"depth.near": "5", "depth.far": "50", "level": 1},
    )
    z = planes["depth.Z"][::2, ::2]
    wanted = normalise(z, DepthSettings(near=5, far=50), nothing=nothing_there(z))
    np.testing.assert_array_equal(np.frombuffer(tried.data, np.float32).reshape(z.shape), wanted)
    assert recipe_of(sessions, fog).depth.near is None
    told = client.get(f"/shots/{fog.id}/frames/1011/values", query_string={"x": 60, "y": 80}).json
    by_name = {one["name"]: one["values"] for one in told["passes"]}
    assert by_name["depth"].endswith(" m") and told["distance"] == float(planes["depth.Z"][80, 60])
    assert by_name["normal"].split()[1] == f"{float(planes['normal.Y'][80, 60]):.4f}"
    assert client.get(f"/shots/{fog.id}/frames/1011/thumb/normal").data.startswith(b"\x89PNG")


def test_a_trial_is_the_same_picture_whatever_was_tried_before_it(client, app, sessions, fog):
    with sessions.begin() as session:
        shot = session.get_one(Shot, fog.id)
        for name, value in (
            ("depth.mist.add", "haze"), ("depth.mist.1.start", "5"), ("depth.focus.on", "yes"),
            ("depth.focus.distance", "8"), ("alpha.needed", "yes"), ("alpha.stack.add", "beauty"),
            ("alpha.stack.1.right", "6"), ("framing.needed", "yes"), ("framing.whole.right", "3.5"),
        ):  # fmt: skip
            recipes.set_values(session, shot, {name: value})
    kept = app.extensions["house"].frames._tried

    def pictures(*, apart: bool) -> list[bytes]:
        """One setting of each stage moved after the other, by turns at two frames."""
        told = []
        for tried in (
            "depth.mist.1.start=6", "depth.mist.1.start=7", "depth.focus.distance=9", "alpha.stack.1.right=9",
            "framing.whole.right=1.25", "depth.mist.1.start=6", "depth.mist.1.depth=30",
        ):  # fmt: skip
            for frame in (1011, 1012):
                if apart:
                    kept.clear()
                answer = client.get(f"/shots/{fog.id}/frames/{frame}/pixels/picture?level=1&{tried}")
                assert answer.status_code == 200, answer.text
                told.append(answer.data)
        return told

    apart, after = pictures(apart=True), pictures(apart=False)
    assert after == apart and len(set(apart)) == len(apart) - 2
    assert 0 < len(kept) <= 2, "what is kept for hands that move is little"


@pytest.mark.parametrize(
    ("path", "status"),
    [
        ("frames/1011/pixels/fur", 404),
        ("frames/999/pixels/depth", 404),
        ("frames/1011/pixels/depth?level=9", 422),
        ("frames/1011/pixels/depth_normalised", 422),
        ("frames/1011/pixels/depth?depth.near=x", 422),
    ],
)
def test_pictures_that_can_not_be_made_are_refused_as_data(client, fog, path, status):
    answer = client.get(f"/shots/{fog.id}/{path}", headers={"Accept": "application/json"})
    assert answer.status_code == status and answer.json["errors"][0]["remedy"]


def test_the_strip_tells_shares_and_curve(client, sessions, fog, report):
    assert client.get(f"/shots/{fog.id}/depth/strip").json == {"ready": False}
    assert "Nothing is measured yet" in client.post(f"/shots/{fog.id}/depth/measured", headers=HTMX).text
    from drawstring.runs.measuring import measure_frame
    from drawstring.runs.run_plan import SourceFile

    with sessions.begin() as session:
        shot = session.get_one(Shot, fog.id)
        tallies = dict(
            measure_frame(
                "depth", f.number, (SourceFile(0, f.path, 0, 0),), tuple(report.passes), report.window
            )
            for f in report.frames
        )
        measuring.finish(shot.delivery.measured("depth"), tallies, {})
    strip = client.get(
        f"/shots/{fog.id}/depth/strip", query_string={"frame": 1012, "depth.near": 10, "depth.far": 60}
    ).json
    assert strip["ready"] and len(strip["edges"]) == len(strip["all"]) + 1 == len(strip["this"]) + 1
    assert max(strip["all"]) == 1 and strip["low"] < strip["nearest"] < strip["furthest"] < strip["high"]
    # Within the range, linear and white near: each value is what the formula says.
    inside = [(z, v) for z, v in strip["curve"] if 10 <= z <= 60]
    np.testing.assert_allclose([v for _, v in inside], [1 - (z - 10) / 50 for z, _ in inside], atol=1e-5)
    taken = client.post(f"/shots/{fog.id}/depth/measured", headers=HTMX)
    assert taken.status_code == 200 and recipe_of(sessions, fog).depth.near == strip["nearest"]


def test_the_channel_map_renames_leaves_out_and_stops(client, sessions, fog):
    base = f"/shots/{fog.id}/pack"
    answer = client.post(base, data={"pack.normal.layer": "N"}, headers=HTMX)
    assert "N.X, N.Y, N.Z" in answer.text
    answer = client.post(base, data={"pack.shadow.goes": "no"}, headers=HTMX)
    channel_map, _, copying = answer.text.partition("Copied as packed")
    assert "shadow.V" not in channel_map and "shadow.V of it stays behind" in copying
    answer = client.post(base, data={"pack.normal.layer": "position"}, headers=HTMX)
    assert "would both be written as position.X" in answer.text and "is-blocked" in answer.text
    refused = client.post("/shows/Tidewrack/runs", data={"shot": str(fog.id)}, headers=HTMX)
    assert refused.status_code == 409 and "would both be written" in refused.text
    refused = client.post(base, data={"pack.compression": "rar"}, headers=HTMX)
    assert (refused.status_code, refused.headers["HX-Retarget"]) == (422, "#pack-compression-note")


def test_a_corrected_role_shows_at_once(client, sessions, fog):
    answer = client.post(f"/shots/{fog.id}/passes/occlusion/role", data={"role": "shadow"}, headers=HTMX)
    assert answer.status_code == 200 and "said" in answer.text
    with sessions() as session:
        names = [one.name for one in standing(session, session.get_one(Shot, fog.id)).passes]
    assert len(names) == len(set(names)) == 15


def test_forms_from_elsewhere_and_strange_hosts_are_turned_away(installation, fog):
    from drawstring.web.app import create_app

    app = create_app(installation, TESTING=True)
    client = app.test_client()
    assert client.post(f"/shots/{fog.id}/depth", data={"depth.near": "2"}).status_code == 400
    assert client.get("/", headers={"Host": "evil.example"}).status_code == 400
    app.extensions["house"].readers.close()
    app.extensions["house"].sessions.kw["bind"].dispose()


def test_a_vanished_source_and_an_absent_database_are_told(client, sessions, fog, postgres, tmp_path):
    with sessions.begin() as session:
        frame = session.get_one(Shot, fog.id).delivery.members[0].frames[0]
        frame.path = str(tmp_path / "gone.exr")
        number = frame.number
    answer = client.get(f"/shots/{fog.id}/frames/{number}/pixels/depth")
    assert answer.status_code == 404 and f"The file of frame {number} is gone" in answer.text
    postgres.stop()
    try:
        answer = client.get("/shows/Tidewrack")
        assert answer.status_code == 503 and "database can&#39;t be reached" in answer.text
    finally:
        postgres.start()
    assert client.get("/shows/Tidewrack").status_code == 200


def test_a_profile_is_taken_from_a_file_kept_with_the_show_and_given_out_again(client, fog, sessions):
    base = f"/shots/{fog.id}/pack/profiles"

    def handed_in(text: str):
        return client.post(base, data={"profile": (io.BytesIO(text.encode()), "a.json")}, headers=HTMX)

    for text, words in (
        ("", "No file was chosen"),
        ("{", "is no JSON"),
        ('{"name": "x", "padding": 1}', "padding"),
    ):
        refused = handed_in(text)
        assert refused.status_code == 422 and words in html.unescape(refused.text)
    taken = handed_in('{"name": "to order", "padding": 6}')
    assert taken.status_code == 200 and "Set what it asks (1)" in taken.text
    with sessions() as session:
        shot = shows.find_shot(session, "TW010")
        assert recipes.head(session, shot).said == "pack.profile = to order"
    given = client.get("/shows/Tidewrack/profiles/to order")
    assert json.loads(given.data) == {"form": 1, "name": "to order", "padding": 6}
    assert "Set what it asks" not in client.post(f"/shots/{fog.id}/pack/profile", headers=HTMX).text
    assert client.get("/shows/Tidewrack/profiles/nobody").status_code == 404
