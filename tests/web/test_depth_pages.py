"""Depth's pages without a browser: what is picked, refused, found and drawn."""

import json

import numpy as np
import OpenEXR
import pytest
from makers import FRAMES

from drawstring.core.depth import FrameDistances, tally
from drawstring.core.depth.counting import reading_of
from drawstring.runs.measuring import measure_frame
from drawstring.runs.planning import source_files
from drawstring.store import deliveries, measuring, recipes, shows
from drawstring.store.depth.measured import told_distances, whole_tally

MIDDLE = 1013


@pytest.fixture
def measured(sessions, fog):
    """The fog shot with its depth measured as the engine would."""
    with sessions.begin() as session:
        delivery = shows.find_shot(session, "TW010").delivery
        passes, window = tuple(deliveries.passes_of(delivery)), deliveries.window_of(delivery)
        counted = {}
        for number, files in deliveries.usable_frames(session, delivery).items():
            asked = ("depth", number, source_files(files), passes, window)
            counted[number] = measure_frame(*asked, is_looked_at=number == MIDDLE)[1]
        measuring.finish(delivery.measured("depth"), counted, {})
    return fog


@pytest.fixture
def beauty(sources):
    """The middle frame by the library alone."""
    path = sources / "tidewrack" / "TW010" / "v001" / f"TW010_main_v001.{MIDDLE}.exr"
    with OpenEXR.File(str(path), separate_channels=True) as file:
        return {name: np.array(channel.pixels) for name, channel in file.channels().items()}


@pytest.fixture
def settle(client, fog):
    """Send settings as the panel does; give the answer."""

    def send(frame: int | None = None, **settings: str):
        names = {f"depth.{n.replace('__', '.').replace('_AT_', '@')}": v for n, v in settings.items()}
        return client.post(
            f"/shots/{fog.id}/depth",
            data=names | ({"frame": frame} if frame else {}),
            headers={"HX-Request": "true"},
        )

    return send


@pytest.fixture
def depth_of(sessions):
    """Give the settings of Depth as they are written now."""

    def now():
        with sessions() as session:
            return recipes.current(session, shows.find_shot(session, "TW010")).depth

    return now


def recipe_of(session):
    return recipes.current(session, shows.find_shot(session, "TW010"))


def test_the_measurement_tells_along_which_line_and_what_that_means(
    client, measured, settle, sessions, depth_of
):
    page = client.get(f"/shots/{measured.id}/depth").text
    with sessions() as session:
        tally = whole_tally(session, shows.find_shot(session, "TW010").delivery)
    assert client.post(f"/shots/{measured.id}/depth/measured", data={"cut": "1"}).status_code == 200
    now = depth_of()
    assert tally.share_nearer(now.near) == pytest.approx(0.01, abs=0.002) and now.near > tally.nearest
    assert tally.share_further(now.far) == pytest.approx(0.01, abs=0.002)
    assert client.post(f"/shots/{measured.id}/depth/measured", data={"cut": "60"}).status_code == 422
    assert "along the axis, m; the position pass agrees to 0." in page
    # Read the other way, it is a finding with the press that puts it right; and it is measured again.
    assert settle(arrived__along="ray", along="ray").status_code == 200
    with sessions() as session:
        again = shows.find_shot(session, "TW010").delivery.measured("depth")
        assert again.state == "waiting", "other distances follow from the same numbers"
        # The engine begins; while it measures, the reading is changed back: what it measures is of no use.
        again.state, again.key = "measuring", reading_of(recipe_of(session).depth)
        session.commit()
    assert settle(arrived__along="axis", along="axis").status_code == 200
    with sessions() as session:
        newest = shows.find_shot(session, "TW010").delivery.measured("depth")
        assert newest.state == "waiting" and newest.id != again.id


def test_values_are_picked_from_the_picture_by_what_they_are(client, fog, settle, depth_of, beauty):
    settle(mist__add="veil")
    row, col = 70, 96

    def pick(setting: str, r: int = row, c: int = col):
        return client.post(
            f"/shots/{fog.id}/depth/pick", data={"setting": setting, "frame": MIDDLE, "x": c, "y": r}
        )

    for setting in ("depth.near", "depth.mist.1.start", "depth.focus.distance"):
        assert pick(setting).status_code == 200
    around = beauty["depth.Z"][row - 2 : row + 3, col - 2 : col + 3]
    now = depth_of()
    picked = {now.near, now.mist[0].start, now.focus.distance}
    assert len(picked) == 1 and np.abs(around - picked.pop()).min() < 1e-3
    pick("depth.mist.1.colour")
    wanted = [np.median(beauty[c][row - 2 : row + 3, col - 2 : col + 3]) for c in "RGB"]
    np.testing.assert_allclose(depth_of().mist[0].colour, wanted, rtol=1e-3)
    # An object by the name that covers the pixel; a second click takes it off again.
    buoy = np.argwhere((beauty["depth.Z"] > 7) & (beauty["depth.Z"] < 9.5) & (beauty["R"] > 2 * beauty["B"]))
    r, c = buoy[len(buoy) // 2]
    pick("depth.mist.1.clear_names", r, c)
    assert depth_of().mist[0].clear_names == ("buoy_red",)
    pick("depth.mist.1.clear_names", r, c)
    assert depth_of().mist[0].clear_names == ()
    sky = pick("depth.near", 2, 96)
    assert sky.status_code == 404 and "There is no distance at 96, 2" in sky.text
    assert (
        pick("depth.mapping").status_code == 422
        and pick("depth.mist.1.clear_names", 2, 96).status_code == 404
    )


def test_a_refusal_lands_beside_its_field_and_keyed_values_want_a_frame(settle, depth_of):
    settle(mist__add="veil", focus__on="yes")
    for name, value, words in (
        ("mist__1.low", "2", "less than 1"),
        ("mist__1.colour", "grey", "no colour"),
        ("focus__stop", "0", "more than 0"),
        ("near", "4 parsec", "not a length"),
    ):
        answer = settle(**{name: value})
        where = "depth-" + name.replace("__", "-").replace(".", "-")
        assert answer.status_code == 422 and words in answer.text
        assert answer.headers["HX-Retarget"] == f"#{where}-note"
    settle(frame=1011, focus__distance_AT_1011="6")
    settle(frame=1014, focus__distance="9 m")
    assert depth_of().focus.keys["distance"].frames == [1011, 1014]
    assert settle(focus__distance="9 m").status_code == 422
    settle(near="2", far="80", locked="yes")
    refused = settle(near="3")
    assert refused.status_code == 422 and "locked for this shot" in refused.text and depth_of().near == 2


def test_the_strip_draws_what_is_settled_and_what_is_tried_out(client, measured, settle):
    settle(near="5", far="60", mist__add="veil", focus__on="yes", focus__distance="9", focus__stop="0.2")
    base = f"/shots/{measured.id}/depth"
    told = client.get(f"{base}/strip?frame={MIDDLE}&depth.mist.1.start=20&depth.mist.1.depth=40").json
    (mist,) = told["mist"]
    assert (mist["start"], mist["end"]) == (20, 60)
    amounts = dict(mist["curve"])
    at = min(amounts, key=lambda z: abs(z - 40))
    assert amounts[at] == pytest.approx((at - 20) / 40, abs=1e-4)
    focus = told["focus"]
    assert (
        focus["distance"] == 9
        and focus["sharp"][0] < 9 < focus["sharp"][1]
        and focus["says"].startswith("sharp")
    )
    assert told["clips"] == pytest.approx([0.1, 1000]) and len(told["frames"]) == FRAMES
    ranges = {one["name"]: one for one in client.get(f"{base}/objects?frame={MIDDLE}").json["objects"]}
    assert ranges["mooring_buoy"]["high"] < ranges["buoy_red"]["low"] + 1 < ranges["far_hills"]["low"]
    side = client.get(f"{base}/side?frame={MIDDLE}").json
    assert side["ready"] and side["slope"] == pytest.approx(36 / 2 / 30 * 108 / 192 * (1 - 1 / 108), rel=1e-3)
    assert side["focus"]["distance"] == 9 and len(side["counts"]) > 50
    panel = client.get(f"{base}?part=mist&frame={MIDDLE}").text
    tracks = panel.partition('id="tracks">')[2].partition("<")[0]
    assert json.loads(tracks) == {}
    swatches = client.get(f"{base}/swatches?frame={MIDDLE}&mist=1").text
    assert swatches.count('data-sets="depth.mist.1.colour"') >= 5 and "furthest things" in swatches


def test_what_mist_and_focus_lack_is_found_before_anything_runs(client, measured, settle, depth_of):
    settle(mist__add="veil")
    settle(**{"mist__1.start": "400", "mist__1.clear_names": "nobody", "mist__1.strength@2000": "1"})
    settle(focus__on="yes", focus__distance="2 cm")
    page = client.get(f"/shots/{measured.id}/depth").text
    for words in (
        "begins at 400 m, behind everything",
        "nobody, to be left clear by veil",
        "lies within the focal length",
        "outside the frames 1010 to 1015",
    ):
        assert words in page
    # Millimetres typed as metres: what was meant is one press away.
    answer = settle(near="4800", far="90000", focus__on="no")
    assert answer.status_code == 200, answer.text
    page = client.get(f"/shots/{measured.id}/depth").text
    assert "Near and far look like mm" in page and "they were meant in mm" in page


def test_other_views_share_the_range_or_have_their_own(
    client, sessions, tmp_path, installation, settle, depth_of
):
    with sessions() as session:
        delivery = shows.find_shot(session, "TW010").delivery
        measured = delivery.measured("depth")
        of_right = tally(np.float32([[3, 40]]))
        measuring.finish(
            measured, {1010: FrameDistances(tally(np.float32([[2, 50]])), {"right": of_right})}, {}
        )
        session.commit()
        told = told_distances(session, delivery)
        assert told["views"]["right"].nearest == 3
    shot = f"/shots/{delivery.shot_id}/depth"
    assert client.post(f"{shot}/measured", data={"view": "right"}).status_code == 200
    assert depth_of().of_view("right").near == 3 and depth_of().near is None
    settle(**{"views__right.near": "4"})
    assert depth_of().views["right"].near == 4
    settle(**{"views__right.share": "yes"})
    assert not depth_of().views
