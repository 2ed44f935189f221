"""Pages of the Eyes knot without a browser: panel, evidence, pixels of eyes that have a size of their own."""

import html

import cv2
import numpy as np
import OpenEXR
import OpenImageIO as oiio
import pytest
from makers import FRAMES, HEIGHT, WIDTH, carry_out_here, write_plain

from drawstring.core.arrivals import scan
from drawstring.core.colour import through_view
from drawstring.core.eyes.packing import First, Packing, pack
from drawstring.runs.measuring import measure_frame
from drawstring.runs.planning import plan_run, source_files
from drawstring.store import deliveries, measuring, recipes, shows

PARTS = ("pair", "parallax", "glasses", "round", "forms")


@pytest.fixture
def accept(sessions):
    """Accept a folder for a shot; give its number."""

    def accept(folder, root, code: str, **settings: str) -> int:
        found = scan(str(folder), roots=[str(root)]).candidates[0]
        with sessions.begin() as session:
            shot = shows.make_shot(session, shows.make_show(session, "Tidewrack"), code)
            deliveries.accept(session, shot, found)
            if settings:
                recipes.set_values(session, shot, {f"eyes.{name}": value for name, value in settings.items()})
            return shot.id

    return accept


@pytest.fixture
def count(sessions):
    """Count every frame's passes, as workers do, and keep what it tells."""

    def count(number: int) -> None:
        with sessions.begin() as session:
            delivery = shows.shot_by_id(session, number).delivery
            passes, counted = tuple(deliveries.passes_of(delivery)), {}
            for frame, files in deliveries.frames_of(session, delivery).items():
                if any(one.fault for one in files.values()):
                    continue
                _, counted[frame] = measure_frame(
                    "facts",
                    frame,
                    source_files(files),
                    passes,
                    deliveries.window_of(delivery),
                    is_looked_at=True,
                )
            measuring.finish(delivery.measured("facts"), counted, {})

    return count


def pixels(client, number: int, name: str, level: int = 0, frame: int = 1003, **tried: str):
    query = {"level": level, **{f"eyes.{key}": value for key, value in tried.items()}}
    answer = client.get(f"/shots/{number}/frames/{frame}/pixels/{name}", query_string=query)
    assert answer.status_code == 200, answer.text
    wide, high, deep = map(int, answer.headers["X-Size"].split())
    kind = np.float16 if answer.headers["X-Type"] == "half" else np.float32
    return np.frombuffer(answer.data, kind).reshape(high, wide, deep), answer.headers


def source(sources, eye: str, frame: int = 1003) -> np.ndarray:
    path = sources / "tidewrack" / "TW040" / "v001" / f"TW040_{eye}_v001.{frame}.exr"
    with OpenEXR.File(str(path), separate_channels=True) as file:
        return np.stack([np.array(file.channels()[c].pixels, np.float32) for c in "RGBA"], -1)


def test_every_part_of_the_panel_says_what_is_known(client, accept, count, sources):
    number = accept(sources / "tidewrack" / "TW040", sources, "TW040")
    page = client.get(f"/shots/{number}/eyes").text
    assert page.count('role="tabpanel"') == 5 and "as named: left" in page and "anaglyph-matrices" in page
    before = client.get(f"/shots/{number}/eyes/evidence?part=pair&frame=1003").text
    assert "being compared" in before and "data-again" in before
    count(number)
    told = {part: client.get(f"/shots/{number}/eyes/evidence?part={part}&frame=1003").text for part in PARTS}
    assert f"over {FRAMES} frames" in told["pair"] and "right way round" in told["pair"]
    assert "<strong>0.065 m</strong> apart" in told["pair"] and "4.2 m" in told["pair"]
    assert told["parallax"].count("<rect") == FRAMES and "before the screen" in told["parallax"]
    assert "0.456" in told["glasses"] and "of the other eye" in told["glasses"]
    assert "2:1 for each eye" in told["round"] and "Tick what is to be delivered" in told["forms"]
    # What is tried out and not written shows at once.
    tried = client.get(f"/shots/{number}/eyes/evidence?part=glasses&frame=1003&eyes.method=amber-blue").text
    assert "0.456" not in tried
    refused = client.get(f"/shots/{number}/eyes/evidence?part=smell&frame=1003")
    assert refused.status_code == 422 and "There is no evidence" in html.unescape(refused.text)
    # Forms are ticked one by one.
    for slug, goes in (("anaglyph", "yes"), ("side_by_side", "yes"), ("anaglyph", "no")):
        answer = client.post(f"/shots/{number}/eyes", data={f"eyes.form.{slug}": goes})
        assert answer.status_code == 200
    forms = client.get(f"/shots/{number}/eyes/evidence?part=forms&frame=1003").text
    assert (
        f"{2 * WIDTH}x{HEIGHT}" in forms
        and "TW040_v…_side_by_side.1003" in forms
        and "anaglyph" not in forms.partition("looks")[0]
    )
    bad = client.post(f"/shots/{number}/eyes", data={"eyes.screen_m": "wide"})
    assert bad.status_code == 422 and "eyes.screen_m" in bad.text
    # The way on from Alpha leads here, and the cord says what was settled.
    client.post(f"/shots/{number}/alpha/settle")
    assert f'href="/shots/{number}/eyes">on to Eyes' in client.get(f"/shots/{number}/alpha").text
    assert "two views" in client.get("/shows/Tidewrack").text


@pytest.mark.parametrize("packing", [Packing.SIDE_BY_SIDE, Packing.ABOVE_BELOW, Packing.ROWS])
def test_packed_pictures_are_taken_apart_in_the_well_at_every_size(
    client, accept, sources, tmp_path, packing
):
    folder = tmp_path / "in" / "TW042" / "v001"
    folder.mkdir(parents=True)
    for frame in range(1001, 1005):
        both = [source(sources, eye, frame) for eye in ("left", "right")]
        packed = pack(*both, packing, First.RIGHT, is_mixed=True)
        write_plain(
            folder / f"TW042_v001.{frame}.exr",
            {c: np.ascontiguousarray(packed[..., i]) for i, c in enumerate("RGB")},
        )
    root, settings = tmp_path / "in", {"packing": packing.value, "first": "right"}
    number = accept(root, root, "TW042", needed="yes", came="packed", **settings)
    left, right = (source(sources, eye) for eye in ("left", "right"))
    for eye, meant in (("eye_left", left), ("eye_right", right)):
        whole, said = pixels(client, number, eye)
        assert said["X-Window"] == said["X-Display"] == f"0 0 {WIDTH - 1} {HEIGHT - 1}"
        kept = slice(None) if packing is not Packing.ROWS else slice(0 if eye == "eye_right" else 1, None, 2)
        # Light is looked at in half floats.
        assert np.array_equal(whole[kept, :, :3], meant[kept, :, :3].astype(np.float16))
        half, said = pixels(client, number, eye, level=1)
        assert (
            half.shape[:2] == (HEIGHT // 2, WIDTH // 2)
            and said["X-Window"] == f"0 0 {WIDTH - 1} {HEIGHT - 1}"
        )
        # Even in a proxy no line of one eye is mixed into the other's.
        small = cv2.resize(
            whole[..., :3].astype(np.float32), (WIDTH // 2, HEIGHT // 2), interpolation=cv2.INTER_AREA
        )
        assert np.abs(half[..., :3].astype(np.float32) - small).max() < 1e-3 * max(1, small.max())
    thumb = client.get(f"/shots/{number}/frames/1003/thumb/eye_left?wide=96")
    assert cv2.imdecode(np.frombuffer(thumb.data, np.uint8), cv2.IMREAD_COLOR).shape == (54, 96, 3)
    gains, _ = pixels(client, number, "eye_right", mend_gain="2 2 2")
    assert np.allclose(gains[::2, :, :3], right[::2, :, :3] / 2, rtol=1e-3)


def test_a_pair_moved_with_overscan_loses_nothing(client, accept, sources, tmp_path):
    """Eyes with 8 px more at either side than the picture: a shift of 12 px finds true pixels there."""
    folder = tmp_path / "in" / "TW043" / "v001"
    folder.mkdir(parents=True)
    for eye in ("left", "right"):
        for frame in range(1001, 1004):
            planes = {
                c: np.ascontiguousarray(source(sources, eye, frame)[..., i]) for i, c in enumerate("RGB")
            }
            display = (np.array([8, 0], np.int32), np.array([WIDTH - 9, HEIGHT - 1], np.int32))
            write_plain(folder / f"TW043_{eye}_v001.{frame}.exr", planes, displayWindow=display)
    number = accept(tmp_path / "in", tmp_path / "in", "TW043", shift="12", deliver="side by side")
    form, said = pixels(client, number, "form_side_by_side")
    assert form.shape[1] == 2 * (WIDTH - 16)
    left, right = (source(sources, eye)[..., :3] for eye in ("left", "right"))
    wide = WIDTH - 16
    assert np.array_equal(form[:, :wide, :3], left[:, 14 : 14 + wide].astype(np.float16))
    assert np.array_equal(form[:, wide:, :3], right[:, 2 : 2 + wide].astype(np.float16))
    # Further than the overscan reaches, black comes in.
    far, _ = pixels(client, number, "form_side_by_side", shift="40")
    assert not far[:, wide - 12 : wide, :3].any() and far[:, : wide - 12, :3].all(axis=-1).mean() > 0.9


@pytest.mark.parametrize(("ending", "bits"), [("tiff", 16), ("jpeg", 8)])
def test_anaglyphs_are_written_as_asked(client, sessions, accept, sources, tmp_path, ending, bits):
    settings = {"anaglyph_file": ending, "method": "red-cyan, full", "mixed": "linear light"}
    number = accept(sources / "tidewrack" / "TW040", sources, "TW040", deliver="anaglyph", **settings)
    shown, said = pixels(client, number, "anaglyph")
    assert said["X-Kind"] == "values"
    with sessions.begin() as session:
        shot = shows.shot_by_id(session, number)
        recipes.settle(session, shot, "eyes")
        run = plan_run(session, shot, output=str(tmp_path / "packages"))
        carry_out_here(session, run)
        assert run.state == "done", [frame.fault for frame in run.frames]
        (beside,) = next(frame for frame in run.frames if frame.number == 1003).proof["beside"]
        folder = run.folder
    file = oiio.ImageInput.open(f"{folder}/{beside['file']}")
    spec = file.spec()
    back = np.asarray(file.read_image(0, 0, 0, 3, "float"))
    file.close()
    assert spec.format.basesize() * 8 == bits
    if ending == "jpeg":
        # Colour at full size: whatever was lost, it was not the place of red and cyan.
        assert spec.getattribute("jpeg:subsampling") in ("4:4:4", None)
        assert (
            np.abs(back - shown[..., :3]).mean() < 0.02 and beside["proof"]["largest_difference_levels"] > 0
        )
    else:
        # The well looks through the view's cube; the file is exact.
        assert np.abs(back - shown[..., :3]).max() < 1 / 255
        eyes = [
            OpenEXR.File(f"{sources}/tidewrack/TW040/v001/TW040_{eye}_v001.1003.exr")
            .channels()["RGBA"]
            .pixels
            for eye in ("left", "right")
        ]
        light = np.stack([eyes[0][..., 0], eyes[1][..., 1], eyes[1][..., 2]], axis=-1)
        exact = through_view(np.asarray(light, np.float32), "plain")
        assert np.abs(back - exact).max() < 1.1 / 65535
        assert beside["proof"]["largest_difference_levels"] == 0


def test_frames_that_one_eye_lacks_are_told(client, accept, sources, tmp_path):
    folder = tmp_path / "in" / "TW044" / "v001"
    folder.mkdir(parents=True)
    for eye, frames in (("left", (1001, 1002, 1003)), ("right", (1001, 1003))):
        for frame in frames:
            picture = source(sources, eye, frame)
            planes = {c: np.ascontiguousarray(picture[..., i]) for i, c in enumerate("RGB")}
            write_plain(folder / f"TW044_{eye}_v001.{frame}.exr", planes)
    number = accept(tmp_path / "in", tmp_path / "in", "TW044")
    page = html.unescape(client.get(f"/shots/{number}/eyes").text)
    assert "The right eye lacks 1 frame, the first is 1002." in page
