"""Alpha's pages without a browser: what is picked, refused, found and shown as evidence."""

import io
import re

import numpy as np
import OpenEXR
import pytest
from makers import carry_out_here
from PIL import Image

from drawstring.runs.measuring import measure_frame
from drawstring.runs.planning import plan_run, source_files
from drawstring.store import deliveries, measuring, recipes, shows

FRAME = 1003


@pytest.fixture
def counted(sessions, buoy):
    """The buoy shot with its facts counted as the engine would."""
    with sessions.begin() as session:
        delivery = shows.find_shot(session, "TW030").delivery
        passes, window = tuple(deliveries.passes_of(delivery)), deliveries.window_of(delivery)
        found = {}
        for number, files in deliveries.usable_frames(session, delivery, set()).items():
            asked = ("facts", number, source_files(files), passes, window)
            found[number] = measure_frame(*asked, is_looked_at=number == FRAME)[1]
        measuring.finish(delivery.measured("facts"), found, {})
    return buoy


@pytest.fixture
def settle(client, buoy):
    """Send settings one after the other as the panel does; give the last answer."""

    def send(**settings: str):
        for name, value in settings.items():
            answer = client.post(
                f"/shots/{buoy.id}/alpha",
                data={f"alpha.{name.replace('__', '.')}": value, "frame": FRAME},
                headers={"HX-Request": "true"},
            )
        return answer

    return send


@pytest.fixture
def alpha_of(sessions):
    """Give the settings of Alpha as they are written now."""

    def now():
        with sessions() as session:
            return recipes.current(session, shows.find_shot(session, "TW030")).alpha

    return now


@pytest.fixture
def planes(sources):
    """A frame's three files by the library alone: main, ground, plate."""

    def read(of: str):
        path = sources / "tidewrack" / "TW030" / "v001" / f"TW030_{of}_v001.{FRAME}.exr"
        with OpenEXR.File(str(path), separate_channels=True) as file:
            return {name: np.array(channel.pixels, np.float32) for name, channel in file.channels().items()}

    return read


def evidence(client, shot, part: str, **more: object) -> str:
    answer = client.get(
        f"/shots/{shot.id}/alpha/evidence", query_string={"part": part, "frame": FRAME, **more}
    )
    assert answer.status_code == 200
    return answer.text


def test_three_sequences_are_told_apart_by_their_names(sessions, buoy):
    with sessions() as session:
        passes = deliveries.passes_of(shows.find_shot(session, "TW030").delivery)
    roles = {one.name: one.role.value for one in passes}
    assert roles["ground_picture"] == "ground_picture" and roles["plate"] == "plate"
    assert roles["beauty"] == "beauty" and roles["asset_matte"] == "asset_matte"


def test_the_page_says_what_the_pixels_say_and_what_it_would_be_read_as(client, counted, settle):
    page = client.get(f"/shots/{counted.id}/alpha").text
    assert re.search(r"pixels say premultiplied: \d+% of [\d,]+ rim pixels", page)
    assert 'data-code="alpha-kind"' not in page
    page = settle(kinds__beauty="straight").text
    assert 'data-code="alpha-kind"' in page and "read it as premultiplied" in page
    mended = client.post(
        f"/shots/{counted.id}/alpha/mend",
        data={"alpha.kinds.beauty": "premultiplied"},
        headers={"HX-Request": "true"},
    )
    assert mended.status_code == 200 and 'data-code="alpha-kind"' not in mended.text


def test_the_evidence_of_rims_is_drawn_and_its_crops_are_pictures(client, counted):
    page = evidence(client, counted, "kind")
    assert page.count("<circle") > 30 and "rim pixels are fringes" in page
    for ground in ("black", "white", "checker"):
        answer = client.get(f"/shots/{counted.id}/frames/{FRAME}/edge/{ground}.png")
        shown = np.array(Image.open(io.BytesIO(answer.data)))
        assert shown.shape[:2] == (130, 150)


def test_things_are_picked_by_click_and_listed_with_what_they_cover(
    client, counted, settle, alpha_of, planes
):
    settle(mattes__add="thing")
    main = planes("main")
    row, col = np.argwhere(main["A"] == 1)[len(np.argwhere(main["A"] == 1)) // 2]

    def pick(r: int, c: int, setting: str = "alpha.mattes.1.things"):
        data = {"setting": setting, "frame": FRAME, "x": c, "y": r}
        return client.post(f"/shots/{counted.id}/alpha/pick", data=data)

    assert pick(row, col).status_code == 200
    assert alpha_of().mattes[0].names == ("painted_buoy",)
    page = evidence(client, counted, "mattes")
    share = (
        100 * main["CryptoObject00.G"][main["CryptoObject00.R"] == main["CryptoObject00.R"][row, col]].sum()
    )
    told = float(re.search(r"thing</strong> covers <strong>([\d.]+) %", page).group(1))
    assert told == pytest.approx(share / main["A"].size, abs=0.3)
    assert re.search(r'aria-pressed="true"[^>]*data-thing="painted_buoy"', page)
    found = evidence(client, counted, "mattes", search="ch*")
    assert 'data-thing="chain"' in found and 'data-thing="painted_buoy"' not in found
    thumb = client.get(f"/shots/{counted.id}/frames/{FRAME}/thing/object_matte/painted_buoy.png")
    assert np.array(Image.open(io.BytesIO(thumb.data))).std() > 10
    pick(row, col)
    assert alpha_of().mattes[0].names == ()
    empty = pick(2, 2)
    assert empty.status_code == 404 and "Nothing with a name lies there." in empty.text
    for setting, x in (("alpha.mattes.9.things", col), ("alpha.mattes.x.things", col), ("alpha.kinds", col)):
        assert pick(row, x, setting).status_code == 422
    assert pick(row, 5000).status_code == 404
    # By kind of thing, from the second set of names.
    settle(mattes__1__of="asset_matte", mattes__1__names="painted")
    assert re.search(r"covers <strong>[1-9]", evidence(client, counted, "mattes"))


def test_the_shadow_is_shown_with_its_proof_and_the_numbers_are_true(client, counted, settle, planes):
    assert "Switch the shadow layer on" in evidence(client, counted, "shadow")
    settle(shadow__on="yes")
    page = evidence(client, counted, "shadow")
    told = float(re.search(r"proof ([\d.]+) %", page).group(1)) / 100
    main, ground = planes("main"), planes("ground")

    def picture(name: str) -> np.ndarray:
        answer = client.get(f"/shots/{counted.id}/frames/{FRAME}/pixels/{name}")
        height, width, count = (int(answer.headers["X-Size"].split()[i]) for i in (1, 0, 2))
        kind = np.float16 if answer.headers["X-Type"] == "half" else np.float32
        return np.frombuffer(answer.data, kind).reshape(height, width, count).astype(np.float32)

    s, clean = picture("shadow_multiply")[..., :3], picture("ground_fitted")[..., :3]
    element = np.stack([main[c] for c in "RGB"], -1)
    again = element + (1 - main["A"][..., None]) * s * clean
    off = (again - np.stack([ground[c] for c in "RGB"], -1)) / np.median(clean.max(axis=-1))
    assert np.sqrt(np.mean(off**2)) == pytest.approx(told, abs=2e-3)
    assert told < 0.06
    # A pixel is read in every pass; what depends on its neighbours is not asked for it alone.
    answer = client.get(f"/shots/{counted.id}/frames/{FRAME}/values", query_string={"x": 90, "y": 50})
    assert answer.status_code == 200 and "beauty" in {one["name"] for one in answer.json["passes"]}
    assert client.get(f"/shots/{counted.id}/alpha/evidence?part=other&frame={FRAME}").status_code == 422


def test_layers_are_laid_faults_told_and_sent_as_settled(client, counted, settle, sessions, tmp_path, planes):
    settle(shadow__on="yes", stack__add="plate")
    settle(stack__add="shadow_multiply", stack__2__mode="multiply")
    page = settle(stack__add="beauty", sends="both").text
    assert 'data-code="layer-not-there"' not in page
    assert evidence(client, counted, "stack").count("<li") == 3
    wrong = settle(stack__3__matte="nothing").text
    assert 'data-code="layer-not-there"' in wrong and "there is no matte nothing" in wrong
    settle(stack__3__matte="")
    with sessions.begin() as session:
        shot = shows.find_shot(session, "TW030")
        only = {"arrivals.first": str(FRAME), "arrivals.last": str(FRAME)}
        recipes.set_values(session, shot, {"depth.near": "3", "depth.far": "9", **only})
        for knot in ("depth", "alpha"):
            recipes.settle(session, shot, knot)
        run = plan_run(session, shot, output=str(tmp_path / "packages"))
        carry_out_here(session, run)
        assert run.state == "done"
        folder = run.folder
    path = next(p for p in sorted(__import__("pathlib").Path(folder).glob("*.exr")) if str(FRAME) in p.name)
    with OpenEXR.File(str(path), separate_channels=True) as file:
        out = {name: np.array(c.pixels, np.float32) for name, c in file.channels().items()}
    main, plate = planes("main"), planes("plate")
    wanted = main["R"] + (1 - main["A"]) * plate["R"] * out["shadow_multiply.R"]
    free = main["A"] < 0.9
    np.testing.assert_allclose(out["stack.R"][free], wanted[free], rtol=2e-3, atol=2e-3)
    np.testing.assert_array_equal(out["layer_beauty.A"], main["A"])
    assert {"layer_plate.R", "layer_shadow_multiply.G", "shadow_layer.A"} <= set(out)


@pytest.mark.parametrize(
    ("name", "typed", "says"),
    [
        ("mattes__1__name", "Two Words", "small letters"),
        ("mattes__1__grow", "far", "Type a number"),
        ("shadow__floor", "1.5", "less than 1"),
        ("stack__9__amount", "1", "There is no layer 9"),
        ("kinds__beauty", "odd", "Choose premultiplied"),
    ],
)
def test_a_refused_value_settles_nothing_and_says_what_would_do(settle, alpha_of, name, typed, says):
    settle(mattes__add="one")
    before = alpha_of()
    answer = settle(**{name: typed})
    assert answer.status_code == 422 and says in answer.text
    assert alpha_of() == before


def test_too_little_ground_is_told_where_the_evidence_would_stand(client, counted, settle):
    settle(shadow__on="yes", shadow__strokes__add="no ground r=2000 soft=0: 96,54")
    page = evidence(client, counted, "shadow")
    assert "Hardly any ground is seen" in page and "third render" in page
    answer = client.get(f"/shots/{counted.id}/frames/{FRAME}/pixels/shadow_multiply")
    assert answer.status_code == 422 and "Hardly any ground is seen" in answer.text
