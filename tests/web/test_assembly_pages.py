"""Assembly's pages: evidence and shares, what is picked, keys from elsewhere."""

import io
import re
import wave

import numpy as np
import pytest

from drawstring.store import recipes, shows

HTMX = {"HX-Request": "true"}
MIDDLE = 1013


@pytest.fixture
def taken_up(client, fog, sessions):
    """The fog shot with Assembly taken up; give the address of its knot."""
    with sessions.begin() as session:
        recipes.set_values(session, shows.find_shot(session, "TW010"), {"assembly.needed": "yes"})
    return f"/shots/{fog.id}/assembly"


@pytest.fixture
def assembly_of(sessions):
    def now():
        with sessions() as session:
            return recipes.current(session, shows.find_shot(session, "TW010")).assembly

    return now


def a_beat() -> bytes:
    """Half a second of sound in three: as many frames at 24 a second."""
    t = np.arange(3 * 8000) / 8000
    samples = (np.sin(2 * np.pi * 100 * t) * (t < 0.125) * 30000).astype("<i2")
    held = io.BytesIO()
    with wave.open(held, "wb") as file:
        file.setnchannels(1)
        file.setsampwidth(2)
        file.setframerate(8000)
        file.writeframes(samples.tobytes())
    return held.getvalue()


def test_shares_add_up_and_what_is_not_there_is_said(client, taken_up):
    told = client.get(f"{taken_up}/shares?frame={MIDDLE}&x=60&y=70").json
    assert sum(told["shares"].values()) + told["rest"] == pytest.approx(1, abs=1e-6)
    assert abs(told["rest"]) < 1e-3 and set(told["shares"]) >= {"diffuse_direct", "emission", "environment"}
    assert client.get(f"{taken_up}/shares?frame={MIDDLE}&x=999&y=70").json["shares"] == {}
    page = client.get(f"{taken_up}/evidence?frame={MIDDLE}&part=sum").text
    assert "Adds up" in page and page.count("data-shows=") == 6
    assert client.get(f"{taken_up}/evidence?frame={MIDDLE}&part=song").status_code == 422


def test_white_is_picked_so_that_it_becomes_grey(client, taken_up, assembly_of):
    picked = {"setting": "assembly.grade.balance", "frame": MIDDLE, "x": 60, "y": 70}
    assert client.post(f"{taken_up}/pick", data=picked, headers=HTMX).status_code == 200
    address = taken_up.replace("/assembly", f"/frames/{MIDDLE}/pixels/beauty_assembled")
    pixels = np.frombuffer(client.get(address).data, np.float16).reshape(108, 192, 4).astype(float)
    around = np.median(pixels[68:73, 58:63, :3].reshape(-1, 3), axis=0)
    assert np.ptp(around) < 0.02 * around.mean()
    refused = client.post(f"{taken_up}/pick", data=picked | {"setting": "assembly.own"}, headers=HTMX)
    assert refused.status_code == 422 and "be taken from the picture" in refused.text


def test_keys_come_from_a_table_a_flicker_and_a_sound_or_are_refused(client, taken_up, assembly_of):
    strength = "assembly.terms.emission.strength"
    ask = {"setting": strength, "by": "table", "text": "1010; 0,5\n1012; 2"}

    def make(**more):
        data = {**ask, **more}
        return client.post(
            f"{taken_up}/keys-from", data=data, headers=HTMX, content_type="multipart/form-data"
        )

    def course() -> list[float]:
        return [assembly_of().term("emission").at(n).strength for n in range(1010, 1016)]

    assert make().status_code == 200
    np.testing.assert_allclose(course(), [0.5, 1.25, 2, 2, 2, 2])
    assert make(by="flicker", low="-1", high="1", every="1", seed="3").status_code == 200
    flickered = course()
    assert len(set(flickered)) == 6 and max(map(abs, flickered)) <= 1
    assert make(by="flicker", low="-1", high="1", every="1", seed="3").status_code == 200
    assert course() == flickered
    drawn = client.post(
        f"{taken_up}/keys-from/level", data={"sound": (io.BytesIO(a_beat()), "beat.wav"), "threshold": "25"},
        headers=HTMX, content_type="multipart/form-data",
    )  # fmt: skip
    heights = [float(each) for each in re.findall(r'<rect[^>]*height="([\d.]+)"', drawn.text)]
    assert (
        len(heights) == 6 and min(heights[:3]) > 19 and heights[3:] == [0, 0, 0] and 'y1="15.0"' in drawn.text
    )
    sound = (io.BytesIO(a_beat()), "beat.wav")
    assert make(by="sound", sound=sound, low="0", high="6").status_code == 200
    assert course() == [pytest.approx(6, abs=0.2)] * 3 + [0, 0, 0]
    before = course()
    for wrong, words in (
        ({"text": "1010 fast"}, "no number"), ({"text": "1010 99"}, "99 at frame 1010"),
        ({"setting": "assembly.terms.emission.on"}, "can&#39;t change over the frames"),
        ({"setting": "depth.near"}, "no value of this knot"),
        ({"by": "sound"}, "No sound was chosen"),
        ({"by": "sound", "sound": (io.BytesIO(b"no sound"), "a.wav")}, "be read"),
        ({"by": "sound", "sound": (io.BytesIO(a_beat()), "b.wav"), "band_low": "9000"}, "no band"),
        ({"by": "flicker", "every": "often"}, "be every"),
    ):  # fmt: skip
        refused = make(**wrong)
        assert refused.status_code == 422 and words in refused.text, (wrong, refused.text)
        assert refused.headers["HX-Retarget"] == "#keys-from-note"
    assert course() == before


def test_a_correction_is_brought_in_and_taken_out(client, taken_up, assembly_of):
    text = (
        '<ColorCorrection id="yard"><SOPNode><Slope>1.2 1 0.9</Slope><Offset>0 0.01 -0.01</Offset>'
        "<Power>1 1 1</Power></SOPNode></ColorCorrection>"
    )
    bring = {"cdl.file": (io.BytesIO(text.encode()), "yard.cc")}
    assert client.post(f"{taken_up}/cdl", data=bring, headers=HTMX).status_code == 200
    assert assembly_of().grade.slope == (1.2, 1, 0.9) and assembly_of().grade.offset == (0, 0.01, -0.01)
    out = client.get(f"{taken_up}/correction.ccc?frame={MIDDLE}")
    assert "1.2 1 0.9" in out.text and "TW010.ccc" in out.headers["Content-Disposition"]
    for data, words in (
        ({}, "No correction and no table was chosen"),
        ({"cdl.file": (io.BytesIO(b"<a>"), "a.cc")}, "be read"),
    ):
        refused = client.post(f"{taken_up}/cdl", data=data, headers=HTMX)
        assert refused.status_code == 422 and words in refused.text
    assert client.get(f"{taken_up}/correction.lut").status_code == 422


def test_levels_are_those_of_what_is_seen(client, taken_up):
    base = taken_up.replace("/assembly", f"/frames/{MIDDLE}")
    whole = client.get(f"{base}/levels/beauty").json
    assert sum(map(sum, whole["histogram"])) == 3 * 96 * 54
    part = client.get(f"{base}/levels/beauty?left=0&top=0&right=19&bottom=9").json
    assert sum(map(sum, part["histogram"])) == 3 * 10 * 5
    assert len(part["waveform"][0]) == 128 * part["columns"] and set("".join(part["waveform"])) <= set(
        "0123456789"
    )
    brighter = client.get(f"{base}/levels/beauty_assembled?assembly.grade.exposure=1").json
    assert brighter["mean"] == pytest.approx([2 * v for v in whole["mean"]], rel=1e-3)
    assert client.get(f"{base}/levels/beauty?left=900&right=990").json["above"] == 0
    for address, status in (("depth", 404), ("beauty?left=far", 422), ("nobody", 404)):
        assert client.get(f"{base}/levels/{address}").status_code == status


def test_an_element_is_matched_to_its_plate(client, buoy, sessions):
    address = f"/shots/{buoy.id}/assembly"
    with sessions.begin() as session:
        recipes.set_values(session, shows.find_shot(session, "TW030"), {"assembly.needed": "yes"})
    asked = {"match.plate": "plate", "match.by": "spread", "frame": "1001"}
    assert "match this frame" in client.get(address).text
    assert client.post(f"{address}/match", data=asked, headers=HTMX).status_code == 200
    base = f"/shots/{buoy.id}/frames/1001/pixels"

    def of(name: str) -> np.ndarray:
        answer = client.get(f"{base}/{name}")
        height, width = (int(v) for v in answer.headers["X-Size"].split()[1::-1])
        kind = np.float16 if answer.headers["X-Type"] == "half" else np.float32
        return np.frombuffer(answer.data, kind).reshape(height, width, -1).astype(float)

    made, plate = of("beauty_assembled"), of("plate")
    covered = made[..., 3] > 0.5
    light = made[covered][:, :3] / made[covered][:, 3:]
    np.testing.assert_allclose(light.mean(0), plate[..., :3].reshape(-1, 3).mean(0), rtol=0.02)
    np.testing.assert_allclose(light.std(0), plate[..., :3].reshape(-1, 3).std(0), rtol=0.02)
    for wrong, status in (({"match.plate": "sky"}, 404), ({"match.by": "magic"}, 422)):
        assert client.post(f"{address}/match", data=asked | wrong, headers=HTMX).status_code == status
