"""Looking: the picture before all else, what was decoded is kept, and frames play in order at their rate."""

import io
import json
import os
import shutil
from dataclasses import replace

import numpy as np
import pytest
from makers import FRAMES, box_of, sound_of, wait_for, write_plain
from PIL import Image
from test_browser import in_well, shown_at

from drawstring.core.arrivals import scan
from drawstring.core.recipe.counting import FACTS
from drawstring.runs.kept_planes import Keeps, KeptPlanes
from drawstring.runs.measuring import look_through
from drawstring.runs.planning import source_files
from drawstring.runs.readers import Readers
from drawstring.store import deliveries, shows
from drawstring.store.models import Review, Shot
from drawstring.web.pictures import frames as frame_cache

FIRST = 1010


def files_in(folder) -> list[str]:
    return sorted(os.path.join(place, name) for place, _, names in os.walk(folder) for name in names)


def test_decoded_planes_are_kept_by_content_under_a_limit_and_never_in_the_way(tmp_path):
    rng = np.random.default_rng(2)
    planes = {number: rng.random((64, 64)).astype(np.float16) for number in range(40)}
    kept = KeptPlanes(str(tmp_path / "kept"), 200_000)
    for number, plane in planes.items():
        kept.put(("file", number), plane)
        wait_for(lambda number=number: kept.get(("file", number)) is not None)
        if number % 5 == 0:
            os.utime(files_in(tmp_path)[-1], (1, 1))  # a clock that jumps back
    there = [number for number in planes if kept.get(("file", number)) is not None]
    assert 10 <= len(there) < 30 and planes.keys() >= set(there)
    assert sum(os.path.getsize(path) for path in files_in(tmp_path)) <= 210_000
    for number in there:
        np.testing.assert_array_equal(kept.get(("file", number)), planes[number])
    again = KeptPlanes(str(tmp_path / "kept"), 200_000)
    assert again.get(("file", there[-1])) is not None, "it outlives the house"
    # Torn, emptied, and something that is no plane at all: decoded anew, without a word.
    for path, content in zip(files_in(tmp_path), (b"", b"\x93NUMPY\x01", b"nonsense" * 9), strict=False):
        with open(path, "wb") as file:
            file.write(content)
    known = [again.get(("file", number)) for number in planes]
    assert all(plane is None or np.array_equal(plane, planes[i]) for i, plane in enumerate(known))
    closed = KeptPlanes("/proc/nowhere", 10_000_000)
    closed.put("x", planes[0])
    assert closed.get("x") is None and KeptPlanes(str(tmp_path), 0).get("x") is None


def test_a_trays_small_pictures_take_one_look_into_each_file(client, fog, monkeypatch):
    looks = []
    read = Readers.read

    def watched(self, path, task, *rest, **how):
        if task is frame_cache.decode:
            looks.append(path)
        return read(self, path, task, *rest, **how)

    monkeypatch.setattr(Readers, "read", watched)
    page = client.get(f"/shots/{fog.id}/arrivals").text
    thumbs = [part.split('"')[0] for part in page.split('data-src="')[1:]]
    assert len(thumbs) > 10 and "<img data-thumb src" not in page, "they wait for the picture"
    for address in thumbs:
        answer = client.get(address.replace("&amp;", "&").split("?")[0] + "?wide=96")
        assert answer.status_code == 200 and answer.data[:4] == b"\x89PNG"
    assert len(looks) <= 2, looks


def test_what_was_counted_is_looked_at_without_unpacking_it_again(
    client, app, sessions, fog, tmp_path, monkeypatch
):
    house = app.extensions["house"]
    keeps = Keeps(house.installation.kept_folder, 1 << 30)
    with sessions() as session:
        delivery = session.get_one(Shot, fog.id).delivery
        middle = list(deliveries.usable_frames(session, delivery))[3]
        files = source_files(deliveries.usable_frames(session, delivery)[middle])
        asked = tuple(deliveries.passes_of(delivery)), deliveries.window_of(delivery)
        keeps = replace(keeps, display=deliveries.display_window(delivery))
    elsewhere = str(tmp_path / "elsewhere" / "cache" / "planes")
    look_through(FACTS, middle, files, *asked, keeps=replace(keeps, folder=elsewhere))
    assert not os.path.exists(elsewhere), "a house that is not there has no folder made"
    look_through(FACTS, middle, (replace(files[0], mtime_ns=1),), *asked, keeps=keeps)
    assert not files_in(keeps.folder), "of another file than was accepted nothing is kept"
    look_through(FACTS, middle, files, *asked, keeps=keeps)
    assert len(files_in(keeps.folder)) == len({ref for one in asked[0] for ref in one.channels})
    tasks = []
    read = Readers.read
    monkeypatch.setattr(
        Readers, "read", lambda self, path, task, *rest: tasks.append(task) or read(self, path, task, *rest)
    )
    page = client.get(f"/shots/{fog.id}/arrivals?frame={middle}").text
    thumbs = [part.split('"')[0].replace("&amp;", "&") for part in page.split('data-src="')[1:]]
    for address in (f"/shots/{fog.id}/frames/{middle}/pixels/beauty?level=0&as=half", *thumbs):
        assert client.get(address).status_code == 200
    assert len(thumbs) > 10 and frame_cache.decode not in tasks


def test_the_page_says_which_picture_it_needs_and_it_is_fetched_once(page, fog):
    asked = []
    page.on("request", lambda request: asked.append(request.url))
    told = page.locator("link[rel=preload][as=fetch]")
    for is_known in (False, True):
        asked.clear()
        page.goto(f"/shots/{fog.id}/arrivals?frame=1013")
        in_well(page, "beauty", 1013)
        page.wait_for_timeout(500)
        # The view's cube always; the picture where the width of its place is known.
        picture, view = [[one for one in asked if part in one] for part in ("/pixels/", "/view?")]
        assert len(picture) == len(view) == 1, asked
        wanted = [*picture, *view] if is_known else view
        links = [link.get_attribute("href") for link in told.all()]
        assert len(links) == len(wanted) and all(map(str.endswith, wanted, links))
    wait_for(lambda: page.locator("#tray img[src]").count() == page.locator("#tray img").count())


def test_the_small_first_picture_is_seen_before_the_whole_one_is_asked_for(page, fog):
    """Of what is asked for at once, the whole one might come first, and the well stay empty until it does."""
    page.add_init_script("""(() => {
        window.order = [];
        const { fetch } = window;
        window.fetch = (address, ...rest) => {
            const level = String(address).match(/pixels\\/beauty\\?level=(\\d)/)?.[1];
            if (level) window.order.push(`asked ${level}`);
            return fetch(address, ...rest);
        };
        addEventListener("well-drawn", ({ target }) => queueMicrotask(() => {
            window.order.push(`drawn ${JSON.parse(target.querySelector("canvas").dataset.a)[2]}`);
        }), true);
    })()""")
    # The show's frames are small: a smaller limit has one of them begin as a large one does.
    page.route("**/js/bench/first.js", lambda route: route.fulfill(
        body=route.fetch().text().replace("1.4e6", "4e4"), content_type="text/javascript"
    ))  # fmt: skip
    page.goto(f"/shots/{fog.id}/arrivals?frame=1013")
    wait_for(lambda: page.evaluate("window.order?.at(-1)") == "drawn 0")
    seen = list(dict.fromkeys(page.evaluate("window.order")))
    assert seen[0].startswith("asked") and seen[0] != "asked 0"
    assert seen[1:] == [seen[0].replace("asked", "drawn"), "asked 0", "drawn 0"]


@pytest.fixture
def drawn(page):
    """Give the frames that were drawn so far, in their order, each with its time."""

    def watch():
        page.evaluate(
            """() => {
            window.drawn = [];
            const well = document.getElementById('well'), canvas = well.querySelector('canvas');
            well.addEventListener('well-drawn', () => setTimeout(() => {
                const frame = JSON.parse(canvas.dataset.a)[0];
                if (window.drawn.at(-1)?.[0] !== frame) window.drawn.push([frame, performance.now()]);
            }));
        }"""
        )
        return lambda: page.evaluate("window.drawn")

    return watch


def test_frames_play_in_order_at_their_rate_and_the_rate_that_is_told_is_true(page, fog, drawn):
    page.goto(f"/shots/{fog.id}/arrivals")
    in_well(page, "beauty", 1013)
    told = drawn()
    page.get_by_role("button", name="Play").click()
    wait_for(lambda: len(told()) > 14 * FRAMES)
    said = page.locator("#rate").get_attribute("data-rate")
    shown = told()
    page.get_by_role("button", name="Stop").click()
    numbers = [frame for frame, _ in shown]
    steps = {(b - a) % FRAMES for a, b in zip(numbers, numbers[1:], strict=False)}
    assert steps == {1}, "none is left out, none comes twice"
    # A frame that was late is caught up with: over a short while that is more than the rate.
    times = [moment for frame, moment in shown if moment > shown[-1][1] - 3000]
    rate = (len(times) - 1) * 1000 / (times[-1] - times[0])
    assert rate == pytest.approx(float(said), rel=0.3) and rate < 25
    assert page.locator(".cell.is-loaded").count() == FRAMES
    # The picture that stays is the true one, not what was good enough while it moved.
    wait_for(lambda: "quick" not in page.locator("#well canvas").first.get_attribute("data-a"))


def test_a_range_is_looped_both_pictures_of_a_wipe_play_and_a_drag_goes_through_the_frames(page, fog, drawn):
    page.goto(f"/shots/{fog.id}/arrivals?frame=1011")
    in_well(page, "beauty", 1011)
    page.locator(".loop summary").click()
    page.locator("#range-from").click()
    page.locator("[data-frame='1013'].cell").click()
    in_well(page, "beauty", 1013)
    page.locator("#range-to").click()
    assert page.locator("#range").inner_text() == "1011-1013"
    page.locator(".loop summary").click()
    page.locator("[data-pass='depth']").click(modifiers=["Shift"])
    in_well(page, "depth", 1013, "b")
    told = drawn()
    page.get_by_role("button", name="Play").click()
    wait_for(lambda: len(told()) > 12)
    keys = [page.locator("#well canvas").first.get_attribute(f"data-{slot}") for slot in "ab"]
    page.get_by_role("button", name="Stop").click()
    assert {frame for frame, _ in told()[1:]} <= {1011, 1012, 1013}
    assert json.loads(keys[0])[1] == "beauty" and json.loads(keys[1])[1] == "depth"
    page.locator(".loop summary").click()
    page.locator("#range-all").click()
    first, last = (box_of(page.locator(f"[data-frame='{n}'].cell")) for n in (FIRST, FIRST + FRAMES - 1))
    page.mouse.move(first["x"] + 4, first["y"] + 5)
    page.mouse.down()
    page.mouse.move(last["x"] + 4, last["y"] + 5, steps=12)
    page.mouse.up()
    in_well(page, "beauty", FIRST + FRAMES - 1)


def test_the_sound_of_the_cut_is_heard_at_its_place_while_a_shot_plays(page, fog, sessions, tmp_path):
    for name, first, last in (("before", 1001, 1012), ("own", FIRST, FIRST + FRAMES - 1)):
        (tmp_path / name).mkdir()
        (tmp_path / name / "manifest.json").write_text(json.dumps({"first": first, "last": last}))
    folders = [str(tmp_path / "before"), str(tmp_path / "own")]
    asked = {"shots": ["TW020", "TW010"], "folders": folders, "rate": 24.0, "at_once": False}
    with sessions.begin() as session:
        for version, sound in ((1, sound_of(tmp_path / "cut.wav", 4)), (2, "")):
            show = shows.find_show(session, "Tidewrack")
            told = {**asked, "sound": sound}
            session.add(Review(show=show, version=version, asked=told, total=18, state="stopped"))
    page.add_init_script(
        """const play = HTMLMediaElement.prototype.play;
        HTMLMediaElement.prototype.play = function () { window.heard = this; return play.call(this); };"""
    )
    page.goto(f"/shots/{fog.id}/arrivals?frame={FIRST}")
    in_well(page, "beauty", FIRST)
    page.locator(".loop summary").click()
    page.get_by_label("sound of the cut").check()
    page.get_by_role("button", name="Play").click()
    wait_for(lambda: page.evaluate("window.heard ? window.heard.currentTime : 0") > 0.5)
    times = []
    for _ in range(40):
        times.append(page.evaluate("window.heard.currentTime"))
        page.wait_for_timeout(50)
    # Twelve frames come before it; six are played round and round, and the sound with them.
    assert 0.35 < min(times) and max(times) < 1.0 and len(set(times)) > 5, times
    page.get_by_role("button", name="Stop").click()
    wait_for(lambda: page.evaluate("window.heard.paused"))
    # A cut whose packages went away says so, and the frames play on.
    shutil.rmtree(tmp_path / "before")
    page.reload()
    in_well(page, "beauty", FIRST)
    page.locator(".loop summary").click()
    page.get_by_label("sound of the cut").check()
    page.get_by_role("button", name="Play").click()
    page.get_by_text("holds no manifest").first.wait_for()
    assert not page.get_by_label("sound of the cut").is_checked()
    page.get_by_role("button", name="Stop").click()


def test_a_picture_that_fails_while_it_plays_is_told_and_the_others_go_on(page, fog, drawn, sources):
    path = sources / "tidewrack" / "TW010" / "v001" / "TW010_main_v001.1012.exr"
    away = path.with_suffix(".away")
    page.goto(f"/shots/{fog.id}/arrivals?frame=1010")
    in_well(page, "beauty", 1010)
    told = drawn()
    path.rename(away)
    try:
        page.get_by_role("button", name="Play").click()
        page.get_by_text("The file of frame 1012 is gone").wait_for()
        wait_for(lambda: len(told()) > 3 * FRAMES)
        page.get_by_role("button", name="Stop").click()
    finally:
        away.rename(path)
    assert {frame for frame, _ in told()} == set(range(FIRST, FIRST + FRAMES)) - {1012}


@pytest.fixture
def large(sessions, faulty):
    """A shot of a picture that no browser should hold whole: stripes of one pixel, and distances."""
    folder = faulty / "large"
    folder.mkdir()
    high, wide = 2200, 2600
    stripes = np.tile((np.arange(wide) % 2).astype(np.float32), (high, 1))
    ramp = np.linspace(2, 90, high, dtype=np.float32)[:, None] + np.linspace(0, 1, wide, dtype=np.float32)
    write_plain(
        folder / "TW900_main_v001.1001.exr",
        {"R": stripes, "G": stripes, "B": stripes, "A": np.ones_like(stripes), "depth.Z": ramp},
    )
    with sessions.begin() as session:
        shot = shows.make_shot(session, shows.make_show(session, "Tidewrack"), "TW900")
        deliveries.accept(session, shot, scan(str(folder), roots=[str(faulty)]).candidates[0])
        number = shot.id
    yield number
    shutil.rmtree(folder)


@pytest.mark.parametrize("wide", [170, 171])
def test_one_channel_is_shown_where_its_pixels_lie_at_any_width(page, sessions, faulty, wide):
    """A row of half floats in one channel may end within four bytes."""
    rows, cols = np.mgrid[:97, :wide]
    checks = ((rows // 6 + cols // 6) % 2).astype(np.float32)
    folder = faulty / f"narrow{wide}"
    folder.mkdir()
    light = {name: np.ones_like(checks) for name in "RGBA"}
    write_plain(folder / "TW910_main_v001.1001.exr", light | {"mask.V": checks})
    with sessions.begin() as session:
        shot = shows.make_shot(session, shows.make_show(session, "Tidewrack"), "TW910")
        deliveries.accept(session, shot, scan(str(folder), roots=[str(faulty)]).candidates[0])
        number = shot.id
    page.goto(f"/shots/{number}/arrivals?frame=1001")
    in_well(page, "beauty", 1001)
    page.locator("[data-pass='mask']").click()
    in_well(page, "mask", 1001)
    at = np.s_[21:97:6, 3:168:6]  # below the name that lies over it
    wait_for(lambda: np.abs(shown_at(page, rows[at], cols[at])[..., 0] - 255 * checks[at]).max() < 3)
    shutil.rmtree(folder)


def test_a_large_picture_is_looked_at_closely_in_tiles_and_read_truly(page, large):
    asked = []
    page.on("request", lambda request: asked.append(request.url) if "/pixels/" in request.url else None)
    page.goto(f"/shots/{large}/arrivals?frame=1001")
    in_well(page, "beauty", 1001)
    canvas = page.locator("#well canvas").first
    page.locator("#zoom").click()
    wait_for(lambda: int(canvas.get_attribute("data-tiles") or 0) > 0)
    page.wait_for_timeout(1500)
    box = box_of(canvas)
    shown = np.asarray(Image.open(io.BytesIO(canvas.screenshot())).convert("L"), float)
    middle = shown[len(shown) // 2 - 20 : len(shown) // 2 + 20, 100:-100]
    assert np.abs(np.diff(middle, axis=1)).min() > 100, "every stripe is one pixel wide"
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.locator("#reading").get_by_text("depth", exact=True).wait_for()
    assert not [url for url in asked if "level=0" in url and "tile=" not in url], asked
    # Another part comes when it is dragged there; what went out of sight is let go.
    before = len(asked)
    for _ in range(3):
        page.mouse.move(box["x"] + 300, box["y"] + 250)
        page.mouse.down()
        page.mouse.move(box["x"] + 20, box["y"] + 20, steps=4)
        page.mouse.up()
    # What a page reports is heard only while the page is asked something.
    wait_for(lambda: page.wait_for_timeout(50) or len(asked) > before)
    page.wait_for_timeout(800)
    assert 0 < int(canvas.get_attribute("data-tiles")) <= 6
    page.locator("[data-pass='depth']").click()
    in_well(page, "depth", 1001)
    wait_for(lambda: page.wait_for_timeout(50) or any("/depth?" in url and "tile=" in url for url in asked))


def test_tiles_are_cut_of_what_came_and_of_what_was_made_and_odd_ones_are_refused(client, fog):
    base = f"/shots/{fog.id}/frames/1013/pixels"

    def got(address):
        answer = client.get(address)
        assert answer.status_code == 200, answer.text
        rows = [int(each) for each in answer.headers["X-Size"].split()]
        dtype = np.float16 if answer.headers["X-Type"] == "half" else np.float32
        return np.frombuffer(answer.data, dtype).reshape(rows[1], rows[0], rows[2]), answer.headers[
            "X-Window"
        ]

    for name in ("beauty", "normal", "depth", "depth_normalised"):
        tried = "&depth.near=4&depth.far=90" if name == "depth_normalised" else ""
        whole, _ = got(f"{base}/{name}?level=0{tried}")
        tile, window = got(f"{base}/{name}?level=0&tile=20,10,83,41{tried}")
        assert window == "20 10 83 41"
        np.testing.assert_array_equal(tile, whole[10:42, 20:84])
        rim, window = got(f"{base}/{name}?level=0&tile=-50,-50,9,9{tried}")
        assert window == "0 0 9 9" and np.array_equal(rim, whole[:10, :10])
    for odd in ("1,2,3", "0,0,9999,9999", "9,9,2,2", "a,b,c,d", "0,0,1e9,4"):
        assert client.get(f"{base}/beauty?level=0&tile={odd}").status_code in (400, 422)
    assert client.get(f"{base}/beauty?level=0&tile=90000,90000,90010,90010").status_code == 404
    half = client.get(f"{base}/beauty?level=1&as=half")
    assert half.headers["X-Type"] == "half"
