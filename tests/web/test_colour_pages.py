"""Colour on the pages: tables, configurations, grain, picks, curves drawn by hand, a show's review movie."""

import io
import os

import numpy as np
import pytest
from makers import box_of, carry_out_here, wait_for
from test_assembly_browser import MIDDLE, parts_of
from test_assembly_pages import a_beat
from test_depth_browser import agrees

from drawstring.core.camera import Place
from drawstring.core.finishing.grain import GrainSettings, grained
from drawstring.core.io.facts import Window
from drawstring.runs.handoff.reviewer import carry_out_review
from drawstring.runs.planning import plan_run
from drawstring.store import recipes, shows
from drawstring.store.models import Shot
from drawstring.store.standing import standing

HTMX = {"HX-Request": "true"}
GAIN = "LUT_1D_SIZE 2\n0 0 0\n0.5 0.5 0.5\n"
CONFIG = """ocio_profile_version: 2
environment: {}
search_path: ""
roles: {aces_interchange: aces, scene_linear: aces, default: aces}
file_rules:
  - !<Rule> {name: fog, colorspace: half, pattern: "*TW010*", extension: "*"}
  - !<Rule> {name: Default, colorspace: aces}
displays:
  hut monitor:
    - !<View> {name: straight, colorspace: shown}
    - !<View> {name: half as bright, colorspace: half}
colorspaces:
  - !<ColorSpace> {name: aces, encoding: scene-linear}
  - !<ColorSpace>
    name: half
    encoding: scene-linear
    to_scene_reference: !<MatrixTransform> {matrix: [2, 0, 0, 0, 0, 2, 0, 0, 0, 0, 2, 0, 0, 0, 0, 1]}
  - !<ColorSpace>
    name: shown
    from_scene_reference: !<ExponentTransform> {value: [0.4545, 0.4545, 0.4545, 1]}
"""


def settled_of(sessions, code: str = "TW010"):
    with sessions() as session:
        return recipes.current(session, shows.find_shot(session, code))


def test_a_table_is_brought_in_kept_and_offered_wherever_colour_is_changed(client, fog, sessions):
    with sessions.begin() as session:
        recipes.set_values(session, shows.find_shot(session, "TW010"), {"assembly.needed": "yes"})
    at = f"/shots/{fog.id}/assembly"

    def bring(data: bytes, name: str):
        return client.post(f"{at}/cdl", data={"cdl.file": (io.BytesIO(data), name)}, headers=HTMX)

    assert bring(GAIN.encode(), "half.cube").status_code == 200
    # Larger than any form of settings: a table of 65 points a side is.
    large = "LUT_3D_SIZE 65\n" + "0.5000000 0.5000000 0.5000000\n" * 65**3
    assert len(large) > 4 << 20 and bring(large.encode(), "large.cube").status_code == 200
    assert bring(GAIN.encode(), "half.cube").status_code == 200
    path = settled_of(sessions).assembly.grade.table
    assert os.path.basename(path) == "half.cube" and os.path.exists(path)
    assert client.get(at).text.count(">half.cube</option>") > 2, "terms have it, too"
    for data, words in ((b"LUT_3D_SIZE 9\n1", "be read as a table"), (b"\x00" * 40, "be read as a table")):
        refused = bring(data, "broken.cube")
        assert refused.status_code == 422 and words in refused.text
    assert client.get(at).text.count("broken.cube") == 0
    os.unlink(path)
    with sessions.begin() as session:
        recipes.set_values(session, shows.find_shot(session, "TW010"), {"assembly.grade.exposure": "1"})
    with sessions() as session:
        codes = {one.code for one in standing(session, shows.find_shot(session, "TW010")).all_findings}
    assert "table-gone" in codes and "half.cube: gone" in client.get(at).text


def test_a_configuration_of_the_shows_own_is_checked_and_its_views_are_offered(client, fog, sessions):
    at = f"/shots/{fog.id}/arrivals"

    def bring(text: str, name: str = "yard.ocio"):
        data = {"colour.file": (io.BytesIO(text.encode()), name)}
        return client.post(f"{at}/colour", data=data, headers=HTMX)

    plain = client.get(f"/shots/{fog.id}/view?name=plain")
    assert plain.status_code == 200
    answer = bring(CONFIG)
    assert answer.status_code == 200 and "half as bright" in answer.text
    assert 'data-code="space-by-rule"' in answer.text and "reads files of this name as half" in answer.text
    assert settled_of(sessions).arrivals.management.says == "yard.ocio"
    assert client.get(f"/shots/{fog.id}/view?name=straight").data != plain.data
    assert client.get(f"/shots/{fog.id}/view?name=plain").status_code == 422
    for text, name, words in (
        (CONFIG.replace("!<MatrixTransform> {matrix: [2, 0, 0, 0, 0, 2, 0, 0, 0, 0, 2, 0, 0, 0, 0, 1]}",
                        "!<FileTransform> {src: stock.spi1d}"), "other.ocio",
         "tables beside it: stock.spi1d"),
        ("nothing: [of", "noise.ocio", "be read as a configuration"),
        (CONFIG, "yard.txt", "No configuration was chosen"),
    ):  # fmt: skip
        refused = bring(text, name)
        assert refused.status_code == 422 and words in refused.text, refused.text
    # Another configuration begins with its own displays; the same reading is undone with one press.
    set_to = {"arrivals.colour.config": "", "arrivals.colour.working": "ACEScg"}
    assert client.post(at, data=set_to, headers=HTMX).status_code == 200
    assert settled_of(sessions).arrivals.colour.working == "ACEScg"
    refused = client.post(at, data={"arrivals.colour.display": "cinema"}, headers=HTMX)
    assert refused.status_code == 422 and "has no display" in refused.text


def test_grain_is_measured_on_a_plate_and_picks_match(client, buoy, sessions, monkeypatch):
    from drawstring.web.assembly import views

    with sessions.begin() as session:
        shot = shows.find_shot(session, "TW030")
        for typed in ({"alpha.stack.add": "plate"}, {"alpha.stack.add": "grain"}, {"assembly.needed": "yes"}):
            recipes.set_values(session, shot, typed)
    ask = {"frame": "1001", "grain.of": "plate"}
    truth = GrainSettings(by_light=(0.0, 0.01), seed=4)
    light = np.linspace(0.02, 0.8, 768, dtype=np.float32)[None, :, None] * np.ones((512, 1, 4), np.float32)
    wall = np.concatenate([light[..., :3], np.ones((512, 768, 1), np.float32)], axis=-1)
    window = Window(0, 0, 767, 511)

    def filmed(at, recipe, name):
        return grained(wall, truth, Place(window, window), frame=at.number, eye=0)[..., :3]

    monkeypatch.setattr(views, "_light_of", filmed)
    answer = client.post(f"/shots/{buoy.id}/assembly/grain/2", data=ask, headers=HTMX)
    assert answer.status_code == 200
    measured = settled_of(sessions, "TW030").alpha.stack[1].change_settings()
    assert measured.deviation(np.float32([0.1, 0.5])) == pytest.approx([0.01, 0.01], rel=0.05)
    monkeypatch.undo()
    for layer, name, words in ((1, "plate", "is no grain"), (2, "sky", "There is no pass")):
        asked = {"frame": "1001", "grain.of": name}
        refused = client.post(f"/shots/{buoy.id}/assembly/grain/{layer}", data=asked, headers=HTMX)
        assert refused.status_code == 404 and words in refused.text
    at = f"/shots/{buoy.id}/assembly"
    for name, x, y in (("grey", 89, 49), ("plate_grey", 20, 50)):
        picked = {"setting": f"assembly.picks.{name}", "frame": "1001", "x": x, "y": y}
        assert client.post(f"{at}/pick", data=picked, headers=HTMX).status_code == 200
    asked = {"match.plate": "plate", "match.by": "picks", "frame": "1001"}
    matched = client.post(f"{at}/match", data=asked, headers=HTMX)
    assert matched.status_code == 200, matched.text
    settings = settled_of(sessions, "TW030").assembly
    grey, plate_grey = np.array(settings.picks.grey), np.array(settings.picks.plate_grey)
    np.testing.assert_allclose(settings.grade.slope, plate_grey / grey, rtol=1e-4)


def test_a_layers_and_all_belows_balance_is_picked_so_that_it_becomes_grey(client, buoy, sessions):
    with sessions.begin() as session:
        shot = shows.find_shot(session, "TW030")
        for typed in ({"alpha.stack.add": "plate"}, {"alpha.stack.add": "grade"}):
            recipes.set_values(session, shot, typed)
    at = f"/shots/{buoy.id}/alpha"
    for name in ("alpha.stack.1.grade.balance", "alpha.stack.2.change.balance"):
        picked = {"setting": name, "frame": "1001", "x": 60, "y": 80}
        assert client.post(f"{at}/pick", data=picked, headers=HTMX).status_code == 200
        answer = client.get(f"/shots/{buoy.id}/frames/1001/pixels/stack")
        width, height = (int(v) for v in answer.headers["X-Size"].split()[:2])
        kind = np.float16 if answer.headers["X-Type"] == "half" else np.float32
        around = np.frombuffer(answer.data, kind).reshape(height, width, -1)[78:83, 58:63, :3].astype(float)
        grey = np.median(around.reshape(-1, 3), axis=0)
        assert np.ptp(grey) < 0.01 * grey.mean(), name
    stack = settled_of(sessions, "TW030").alpha.stack
    assert stack[0].grade.balance != (1, 1, 1) and stack[1].change_settings().balance == pytest.approx(
        (1, 1, 1), abs=0.02
    )


def test_a_show_gets_its_review_movie(client, fog, sessions, installation):
    page = "/shows/Tidewrack/reviews"
    assert "No package yet" in client.get(page).text
    with sessions.begin() as session:
        shot = session.get_one(Shot, fog.id)
        recipes.set_values(session, shot, {"depth.near": "4.8", "depth.far": "90"})
        recipes.settle(session, shot, "depth")
        run = plan_run(session, shot, output=installation.output_folder)
        carry_out_here(session, run)
    text = client.get(page).text
    assert ">TW010</textarea>" in text and "No movie yet" in text
    for typed, words in (
        ({"review.order": "TW999"}, "TW999 has no whole package"),
        ({"review.order": "TW010", "review.rate": "fast"}, "no frame rate"),
        ({"review.order": "TW010", "review.seen": "smell"}, "be shown"),
        ({"review.order": "TW010", "review.sound": (io.BytesIO(b"noise"), "a.wav")}, "be read"),
    ):
        refused = client.post(page, data=typed, headers=HTMX, content_type="multipart/form-data")
        assert refused.status_code == 422 and words in refused.text, refused.text
    asked = {"review.order": "TW010, TW010", "review.rate": "12", "review.burn_in": "on"}
    waiting = client.post(page, data=asked, headers=HTMX)
    assert waiting.status_code == 200 and "0 of 12 frames" in waiting.text
    carry_out_review(sessions, 1, installation.output_folder)
    done = client.get(page, headers=HTMX).text
    assert "Tidewrack_review_v001.webm" in done and "have another rate" not in done
    movie = client.get("/reviews/1/movie")
    assert movie.status_code == 200 and movie.data[:4] == b"\x1a\x45\xdf\xa3"
    assert client.post("/reviews/1/stop", headers=HTMX).status_code == 409
    # A package whose folder went away takes no page with it, and asking for it says what is gone.
    os.rename(run.folder, f"{run.folder}.elsewhere")
    assert client.get(page).status_code == 200
    lost = client.post(page, data={"review.order": "TW010"}, headers=HTMX)
    assert lost.status_code == 404 and "manifest" in lost.text
    assert client.get("/reviews/9/movie").status_code == 404


def test_a_curve_is_pressed_and_dragged_and_the_well_shows_it(page, fog, sources, sessions):
    beauty = parts_of(sources)["beauty"]
    page.goto(f"/shots/{fog.id}/assembly?frame={MIDDLE}")
    page.get_by_role("button", name="it is needed").click()
    page.get_by_text("Adds up").wait_for()
    # Once its frames are counted, the panel is drawn anew: not under the hand that comes next.
    page.locator(".plot.over-all").wait_for(timeout=60_000)
    page.locator(".parts [data-part=colour]").click()
    page.locator("#assembly-grade-curves summary").click()
    plot = page.locator("[data-curves='assembly.grade'] svg")

    def curve() -> tuple[float, ...]:
        return settled_of(sessions).assembly.grade.curve

    def at(stop: float, out: float) -> tuple[float, float]:
        box = box_of(plot)
        return box["x"] + box["width"] * (stop + 8) / 12, box["y"] + box["height"] * (1 - (out + 8) / 12)

    plot.scroll_into_view_if_needed()
    page.mouse.click(*at(-2, -2))
    wait_for(lambda: len(curve()) == 2)
    assert np.log2(curve()) == pytest.approx([-2, -2], abs=0.1)
    circle = page.locator("[data-curves='assembly.grade'] circle")
    circle.wait_for()
    page.mouse.move(*at(-2, -2))
    page.mouse.down()
    page.mouse.move(*at(-2, -1.5))
    page.mouse.move(*at(-2, -1))
    page.mouse.up()
    wait_for(lambda: curve()[1] > 0.4)
    # One point is a gain: twice the light, as near as a hand lets go.
    gain = curve()[1] / curve()[0]
    assert gain == pytest.approx(2, rel=0.1)
    page.locator("input[name=compare][value=one]").check(force=True)
    page.locator("#tray [data-pass=beauty_assembled]").click()
    agrees(page, beauty * np.float32(gain))
    circle.focus()
    page.keyboard.press("Delete")
    wait_for(lambda: curve() == ())
    wait_for(lambda: circle.count() == 0)


def test_a_sounds_level_is_drawn_before_keys_follow_it(page, fog, tmp_path, sessions):
    (tmp_path / "beat.wav").write_bytes(a_beat())
    page.goto(f"/shots/{fog.id}/assembly?frame={MIDDLE}")
    page.get_by_role("button", name="it is needed").click()
    page.get_by_text("Adds up").wait_for()
    page.locator(".plot.over-all").wait_for(timeout=60_000)
    page.locator(".parts [data-part=colour]").click()
    page.locator("[data-key='assembly.grade.exposure']").click()
    wait_for(lambda: settled_of(sessions).assembly.grade.keys)
    page.locator("[data-keys-from]").click()
    page.locator("#keys-from label", has_text="a sound").click()
    page.locator("#keys-sound").set_input_files(str(tmp_path / "beat.wav"))
    page.locator(".sound-level rect").first.wait_for(state="attached")
    assert page.locator(".sound-level rect").count() == 6
    page.locator("#keys-from").get_by_role("button", name="Make keys").click()
    wait_for(lambda: len(settled_of(sessions).assembly.grade.keys["exposure"].keys) > 2)
    assert page.locator("[name='assembly.grade.exposure']").count() == 1, "the panel is where it was"
