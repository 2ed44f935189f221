"""A running renderer's feed over real connections: looked at, relit, recorded; lost, slow, wrong, broken."""

import threading
import time
from pathlib import Path

import httpx
import numpy as np
import OpenEXR
import pytest
from makers import wait_for
from werkzeug.serving import make_server

from drawstring.core.errors import ConflictError, MissingError, SourceError
from drawstring.core.feeds.protocol import LightChange, RenderRequest
from drawstring.local_postgres import free_port
from drawstring.runs.feeds.client import Feed, FeedLostError
from drawstring.runs.feeds.recording import carry_out_recording
from drawstring.runs.readers import Readers
from drawstring.standins.feed import FeedFaults, create_feed
from drawstring.standins.feed.service import document
from drawstring.standins.tidewrack.staging import stages
from drawstring.store import filling, recordings, shows
from drawstring.store.models import Recording

STAGES = stages()
SMALL = RenderRequest(shot="TW040", frames=(1001, 1001), size=(96, 54), samples=4, passes=("beauty", "depth"))


class Renderer:
    """The stand-in's feed in a thread, started and ended at will."""

    def __init__(self) -> None:
        self.port, self.faults, self.server = free_port(), FeedFaults(), None
        self.start()

    @property
    def address(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def start(self) -> None:
        app = create_feed(STAGES, faults=self.faults)
        self.server = make_server("127.0.0.1", self.port, app, threaded=True)
        self.thread = threading.Thread(target=self.server.serve_forever)
        self.thread.start()

    def end(self) -> None:
        if self.server is not None:
            self.server.shutdown()
            self.thread.join()
            self.server.server_close()
            self.server = None


@pytest.fixture
def renderer():
    made = Renderer()
    yield made
    made.end()


@pytest.fixture
def feed(renderer):
    made = Feed(renderer.address)
    yield made
    made.close()


@pytest.fixture(scope="module")
def readers():
    made = Readers(1)
    yield made
    made.close()


def pixels(data: bytes, folder: Path) -> dict[str, np.ndarray]:
    path = folder / "picture.exr"
    path.write_bytes(data)
    file = OpenEXR.File(str(path), separate_channels=True)
    return {name: channel.pixels for name, channel in file.channels().items()}


def finished(feed: Feed, number: str) -> None:
    wait_for(lambda: feed.status(number).state == "done")


def test_a_frame_arrives_with_its_passes_and_gets_better(feed, tmp_path):
    hello, scenes = feed.hello(), feed.scenes()
    shot = scenes.shot("TW080")
    assert {light.name for light in shot.lights} == {"work_lamp", "window"} and "depth" in hello.passes
    number = feed.render(SMALL.model_copy(update={"samples": 9})).id
    seen = []

    def looks() -> bool:
        picture = feed.picture(number, 1001, since=seen[-1].revision if seen else 0)
        seen.extend([picture] if picture else [])
        return bool(seen) and seen[-1].is_complete

    wait_for(looks)
    assert seen[-1].samples == 9 and [one.samples for one in seen] == sorted(one.samples for one in seen)
    planes = pixels(seen[-1].data, tmp_path)
    assert set(planes) == {"R", "G", "B", "A", "depth.Z"} and planes["R"].shape == (54, 96)
    assert feed.picture(number, 1001, since=seen[-1].revision) is None
    region = SMALL.model_copy(update={"region": (0.5, 0.0, 1.0, 0.5), "baked": "sRGB"})
    number = feed.render(region).id
    finished(feed, number)
    part = pixels(feed.picture(number, 1001).data, tmp_path)
    assert part["R"].shape == (27, 48) and 0 <= part["R"].min() and part["R"].max() <= 1


def test_a_light_is_changed_and_seen(feed, tmp_path):
    asked = SMALL.model_copy(update={"shot": "TW080", "passes": ("beauty", "light_group")})
    number = feed.render(asked).id
    finished(feed, number)
    before = pixels(feed.picture(number, 1001).data, tmp_path)
    feed.relight(number, {"work_lamp": LightChange(strength=0.5)})
    finished(feed, number)
    feed.relight(number, {"window": LightChange(colour=(1.0, 0.0, 0.0))})
    finished(feed, number)
    after = pixels(feed.picture(number, 1001).data, tmp_path)
    lit = before["light_work_lamp.G"] > 0.02
    np.testing.assert_allclose(
        after["light_work_lamp.G"][lit], 0.5 * before["light_work_lamp.G"][lit], rtol=0.02, atol=2e-3
    )
    assert after["light_window.R"].sum() > 0 and np.abs(after["light_window.G"]).max() < 1e-3
    with pytest.raises(ConflictError, match="no light moon"):
        feed.relight(number, {"moon": LightChange(strength=1)})


def test_what_the_renderer_does_not_offer_it_refuses_in_words(feed):
    for changed, words in (
        ({"shot": "TW777"}, "no shot TW777"), ({"camera": "cam9"}, "no camera cam9"),
        ({"passes": ("caustics",)}, "no pass caustics"), ({"frames": (9, 1)}, "first frame to its last"),
        ({"baked": "cinema"}, "no display cinema"),
    ):  # fmt: skip
        with pytest.raises(ConflictError, match=words):
            feed.render(SMALL.model_copy(update=changed))
    with pytest.raises(MissingError, match="does not know this render"):
        feed.status("nobody-1")
    with pytest.raises(SourceError, match="no name"):
        feed.status("../../etc")


def test_a_lost_slow_wrong_or_babbling_renderer_is_told_in_words(renderer, feed, monkeypatch):
    renderer.faults.version = 2
    with pytest.raises(SourceError, match="speaks version 2 of the feed; this house speaks 1"):
        feed.hello()
    renderer.faults.version, renderer.faults.garbage = 1, True
    with pytest.raises(SourceError, match="can't be read: no JSON"):
        feed.scenes()
    renderer.faults.garbage = False
    slow = Feed(renderer.address, httpx.Client(base_url=renderer.address, timeout=0.2))
    renderer.faults.slow_s = 1.0
    with pytest.raises(FeedLostError, match="does not answer within"):
        slow.hello()
    slow.close()
    renderer.faults.slow_s = 0.0
    monkeypatch.setattr("drawstring.runs.feeds.client.MOST_ANSWER", 64)
    with pytest.raises(SourceError, match="larger than"):
        feed.scenes()
    renderer.end()
    with pytest.raises(FeedLostError, match="can't be reached"):
        feed.hello()


def asked_for(sessions, folder: Path, last: int = 1004) -> int:
    with sessions.begin() as session:
        try:
            show = shows.find_show(session, "Tidewrack")
        except MissingError:
            show = shows.make_show(session, "Tidewrack")
        asked = SMALL.model_copy(update={"frames": (1001, last), "samples": 1})
        return recordings.ask(session, show, "stand-in", asked, root=str(folder)).id


def test_a_range_is_recorded_through_a_renderer_that_dies_and_comes_back(
    sessions, readers, renderer, tmp_path
):
    number = asked_for(sessions, tmp_path)
    renderer.faults.dies = True  # the first picture ends in the middle: it is fetched again
    renderer.faults.slow_s = 0.05

    def fall_and_rise() -> None:
        with sessions.begin() as session:
            folder = Path(filling.find(session, Recording, number).folder)
        wait_for(lambda: len(list(folder.glob("*.exr"))) >= 1)
        renderer.end()
        time.sleep(0.6)
        renderer.start()

    falling = threading.Thread(target=fall_and_rise)
    falling.start()
    carry_out_recording(sessions, number, readers, {"stand-in": renderer.address})
    falling.join()
    with sessions.begin() as session:
        row = filling.find(session, Recording, number)
        assert row.state == "done" and row.scan_id, row.fault
        folder = Path(row.folder)
    assert not renderer.faults.dies
    names = sorted(path.name for path in folder.iterdir())
    assert names == [f"TW040_main_feed.{frame}.exr" for frame in range(1001, 1005)]


def test_a_recording_is_given_up_or_stopped_in_words(sessions, readers, renderer, tmp_path):
    number = asked_for(sessions, tmp_path)
    renderer.end()
    carry_out_recording(sessions, number, readers, {"stand-in": renderer.address}, patience_s=0.5)
    other = asked_for(sessions, tmp_path)
    carry_out_recording(sessions, other, readers, {})
    with sessions.begin() as session:
        assert "can't be reached" in filling.find(session, Recording, number).fault["what"]
        assert "names no such feed" in filling.find(session, Recording, other).fault["what"]
        row = filling.find(session, Recording, asked_for_in(session, tmp_path))
        filling.stop(session, row)
        with pytest.raises(ConflictError, match="stopped already"):
            filling.stop(session, row)


def asked_for_in(session, folder: Path) -> int:
    show = shows.find_show(session, "Tidewrack")
    return recordings.ask(session, show, "stand-in", SMALL, root=str(folder)).id


def test_the_feed_has_a_document_that_names_every_way(renderer):
    paths = document()["paths"]
    told = httpx.get(f"{renderer.address}/feed/v1/openapi.json").json()
    assert told["paths"].keys() == paths.keys() and told["openapi"].startswith("3.1")
    app = create_feed(STAGES)
    ways = {
        str(rule).replace("<number>", "{id}").replace("<int:frame>", "{frame}")
        for rule in app.url_map.iter_rules()
    }
    assert {way for way in ways if way.startswith("/feed")} - {"/feed/v1/openapi.json"} == set(paths)
