"""The real pages in Chromium, over real files, a real PostgreSQL and a real engine."""

import io
import os

import cv2
import numpy as np
import OpenEXR
import OpenImageIO as oiio
import pytest
from makers import FRAMES, box_of, wait_for, wait_in

from drawstring.core.colour import through_view
from drawstring.core.depth import DepthSettings, normalise, nothing_there
from drawstring.runs.checking import check_package
from drawstring.store import recipes, shows
from drawstring.store.models import Run


def canvas_pixels(page) -> np.ndarray:
    """Give what stands in the well on the screen: (H, W, 3) of 0 to 255."""
    shot = page.locator("#well").screenshot()
    return cv2.imdecode(np.frombuffer(io.BytesIO(shot).read(), np.uint8), cv2.IMREAD_COLOR)[..., ::-1].astype(
        float
    )


def place_of(page) -> tuple[float, float, float]:
    """Give where the picture lies in the well: scale, left, top."""
    data = page.locator("#well canvas").evaluate("canvas => ({...canvas.dataset})")
    return float(data["scale"]), float(data["left"]), float(data["top"])


def shown_at(page, rows: np.ndarray, cols: np.ndarray) -> np.ndarray:
    """Give what the screen shows in the middle of picture pixels."""
    scale, left, top = place_of(page)
    seen = canvas_pixels(page)
    return seen[(top + (rows + 0.5) * scale).astype(int), (left + (cols + 0.5) * scale).astype(int)]


def in_well(page, name: str, frame: int, slot: str = "a"):
    """Wait until a picture lies in the well."""
    wait_in(
        page,
        "([slot, start]) => document.querySelector('#well canvas').dataset[slot]?.startsWith(start)",
        arg=[slot, f'[{frame},"{name}",'],
    )


@pytest.fixture
def source(sources):
    """One frame of the fog shot, read by the library alone."""
    path = sources / "tidewrack" / "TW010" / "v001" / "TW010_main_v001.1013.exr"
    return {n: c.pixels for n, c in OpenEXR.File(str(path), separate_channels=True).channels().items()}


def test_from_a_folder_to_a_proven_package(page, source, sessions):
    # A show and its first shot, from nothing.
    page.goto("/")
    page.get_by_label("Code").fill("Tidewrack")
    page.get_by_role("button", name="Make the show").click()
    page.get_by_role("link", name="Scan for arrivals", exact=True).click()
    page.get_by_label("Folder", exact=True).fill("tidewrack/TW010")
    page.get_by_role("button", name="Scan").click()
    passes = page.locator(".found-passes li")
    passes.nth(14).wait_for(timeout=60_000)
    assert "object matte" in passes.filter(has_text="CryptoObject").inner_text()
    page.get_by_role("button", name="Accept as new shot TW010").click()
    page.wait_for_url("**/depth")

    # Measured by the engine while the page looks on, taken, and in the well at once.
    page.get_by_role("button", name="use these").click(timeout=60_000)
    in_well(page, "depth_normalised", 1013, "b")
    handle = page.locator(".handle[data-end=near]")
    box = box_of(handle.locator("rect"))
    x, y = box["x"] + box["width"] / 2, box["y"] + 60
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 40, y, steps=4)
    page.mouse.move(x + 120, y, steps=6)
    page.mouse.up()
    with sessions() as session:
        shot = shows.find_shot(session, "TW010")
        wait_for(lambda: session.expire_all() or len(shot.revisions) == 3)
        near, far = (recipes.current(session, shot).depth.model_dump()[end] for end in ("near", "far"))
    field = page.locator("#depth-near")
    wait_for(lambda: float(field.input_value()) == pytest.approx(near, rel=1e-3))
    assert near > 1.2 * np.nanmin(source["depth.Z"]), "the drag moved near away from the nearest thing"

    # What the screen shows is what Python computes: the depth, alone in the well.
    page.locator("#tray [data-pass=depth_normalised]").click()
    page.keyboard.press("1")
    in_well(page, "depth_normalised", 1013)
    z = source["depth.Z"]
    wanted = normalise(z, DepthSettings(near=near, far=far), nothing=nothing_there(z))
    rows, cols = np.mgrid[12:100:7, 4:188:9]  # below the label
    page.wait_for_timeout(200)
    np.testing.assert_allclose(shown_at(page, rows, cols)[..., 0], wanted[rows, cols] * 255, atol=1.01)

    page.get_by_role("button", name="Settle depth").click()
    page.get_by_role("link", name="on to Alpha").click()
    page.wait_for_url("**/alpha*")
    page.wait_for_load_state()
    page.get_by_role("button", name="Settle alpha").click()
    page.get_by_role("link", name="on to Pack").click()
    page.get_by_role("textbox", name="Layer name of normal").fill("N")
    page.get_by_role("textbox", name="Layer name of normal").press("Tab")
    page.locator("[data-name=normal] input[title^='N.X, N.Y, N.Z']").first.wait_for()
    page.get_by_role("button", name=f"Run {FRAMES} frames").click()
    page.get_by_role("link", name="Open the package").click(timeout=90_000)
    page.get_by_text(f"{FRAMES} files proven").wait_for()
    page.get_by_role("button", name="check the files again").click()
    page.get_by_text(f"{FRAMES} files match the proof").wait_for()
    assert page.locator("img.packed").evaluate("img => img.naturalWidth") == z.shape[1]

    with sessions() as session:
        run = session.query(Run).one()
        assert run.state == "done" and check_package(run.folder).is_proven
        frame = next(f for f in run.frames if f.number == 1013)
        packed = oiio.ImageBuf(os.path.join(run.folder, frame.file_name))
        assert {"N.X", "depth_normalised.V", "depth.Z"} <= set(packed.spec().channelnames)
        index = packed.spec().channelnames.index("depth_normalised.V")
        pixels = np.asarray(packed.get_pixels(oiio.FLOAT))[..., index]
        np.testing.assert_array_equal(pixels, wanted)
    page.goto("/shows/Tidewrack")
    assert "v001, proven" in page.locator("table.board").inner_text()


def test_the_well_shows_light_through_the_view_exposed_and_compared(page, source, fog):
    page.goto(f"/shots/{fog.id}/arrivals")
    in_well(page, "beauty", 1013)
    rows, cols = np.mgrid[12:105:6, 3:190:8]
    light = np.stack([source[c] for c in "RGB"], axis=-1).astype(np.float16).astype(np.float32)[rows, cols]

    def agrees(wanted, *, within=4.0):
        def is_so() -> bool:
            apart = np.abs(shown_at(page, rows, cols) - np.clip(wanted, 0, 1) * 255)
            return np.percentile(apart, 98) <= within and apart.mean() < 1.5

        wait_for(is_so, seconds=20)

    agrees(through_view(light, "film-like"))
    page.keyboard.press("]")
    page.keyboard.press("]")
    agrees(through_view(light * 2, "film-like"))
    page.get_by_label("View", exact=True).select_option("plain")
    agrees(through_view(light * 2, "plain"))
    page.get_by_label("Exposure").fill("0")
    page.get_by_label("Channel").select_option("G")
    agrees(through_view(np.repeat(light[..., 1:2], 3, axis=-1), "plain"))
    page.get_by_label("Channel").select_option("all")

    # Difference against the environment pass is their plain distance.
    page.locator("#tray [data-pass=environment]").click(modifiers=["Shift"])
    in_well(page, "environment", 1013, "b")
    page.locator("#well canvas").focus()
    page.keyboard.press("4")
    air = np.stack([source[f"environment.{c}"] for c in "RGB"], axis=-1).astype(np.float32)[rows, cols]
    agrees(np.abs(light - air), within=1.5)

    # Pointing reads every pass's true value.
    page.keyboard.press("1")
    scale, left, top = place_of(page)
    box = box_of(page.locator("#well"))
    page.mouse.move(box["x"] + left + 60.5 * scale, box["y"] + top + 80.5 * scale)
    reading = page.locator("#reading")
    reading.get_by_text("position").wait_for()
    words = reading.inner_text()
    assert words.startswith("60, 80") and f"{float(source['normal.Y'][80, 60]):.4f}" in words
    assert f"beauty {float(source['R'][80, 60]):.4f}" in words


def test_frames_keys_taking_from_the_picture_refusals_and_undo(page, source, fog, sessions):
    page.set_viewport_size({"width": 1280, "height": 800})
    page.goto(f"/shots/{fog.id}/depth")
    in_well(page, "beauty", 1013)
    page.locator("#well canvas").focus()
    page.keyboard.press("ArrowRight")
    in_well(page, "beauty", 1014)
    page.keyboard.press("ArrowLeft")
    page.keyboard.press("ArrowLeft")
    in_well(page, "beauty", 1012)
    assert page.locator("#frames [aria-current]").get_attribute("data-frame") == "1012"
    page.locator("#frames [data-frame='1013']").click()
    in_well(page, "beauty", 1013)

    page.keyboard.press("n")
    scale, left, top = place_of(page)
    box = box_of(page.locator("#well"))
    page.mouse.click(box["x"] + left + 60.5 * scale, box["y"] + top + 90.5 * scale)
    field = page.locator("#depth-near")
    around = np.sort(source["depth.Z"][88:93, 58:63], axis=None)[12]
    wait_for(lambda: field.input_value() and float(field.input_value()) == pytest.approx(around, rel=1e-4))

    far = page.locator("#depth-far")
    far.fill("1 mm")
    far.press("Enter")
    page.locator("#depth-near-note").get_by_text("does not lie before far").wait_for()
    far.fill("90 m")
    far.press("Enter")
    in_well(page, "depth_normalised", 1013, "b")
    page.get_by_role("button", name="undo").click()
    wait_for(lambda: page.locator("#depth-far").input_value() == "")

    # The strip answers the keyboard, too.
    page.locator(".handle[data-end=near]").wait_for(timeout=60_000)
    before = float(field.input_value())
    page.locator(".handle[data-end=near]").focus()
    page.keyboard.press("Shift+ArrowRight")
    wait_for(
        lambda: float(page.locator("#depth-near").input_value()) == pytest.approx(before * 1.1, rel=1e-3)
    )

    page.keyboard.press("?")
    assert page.get_by_role("dialog").is_visible()
    page.keyboard.press("Escape")
    page.locator("#dim").click()
    dark = page.evaluate("getComputedStyle(document.body).backgroundColor")
    assert dark == "rgb(29, 29, 29)", "grey without a tint"


def test_changes_that_overtake_each_other_end_in_what_was_typed_last(page, fog, sessions):
    page.goto(f"/shots/{fog.id}/depth")
    page.get_by_role("button", name="use these").wait_for(timeout=60_000)
    # Three changes before the first answer is back; none may undo another, and the panel shows the end.
    page.get_by_role("button", name="use these").click(no_wait_after=True)
    page.locator("#depth-far").fill("60")
    page.locator("#depth-far").press("Enter")
    page.get_by_text("reciprocal").click()
    page.locator(".cord-top").get_by_text("-60 m").wait_for()
    wait_for(lambda: page.locator("#depth-far").input_value() == "60")
    page.locator("#panel").get_by_text("lies further than far").wait_for()
    wait_for(lambda: page.locator("input[value=reciprocal]").is_checked())

    def settled() -> tuple[bool, float | None, str]:
        with sessions() as session:
            depth = recipes.current(session, shows.find_shot(session, "TW010")).depth
            return bool(depth.near), depth.far, depth.mapping

    # A pressed choice shows at once and is written in its turn.
    wait_for(lambda: settled() == (True, 60, "reciprocal"))
    wait_for(lambda: page.locator("input[value=reciprocal]").is_checked())


def test_playing_goes_through_the_frames(page, fog):
    page.goto(f"/shots/{fog.id}/arrivals")
    in_well(page, "beauty", 1013)
    page.get_by_role("button", name="Play").click()
    seen = set()
    wait_for(lambda: seen.add(page.locator("#now").inner_text()) or len(seen) == FRAMES, seconds=30)
    page.get_by_role("button", name="Stop").click()


def test_distances_over_the_frames_and_the_map_of_edges(page, fog, sessions):
    page.goto(f"/shots/{fog.id}/depth")
    page.get_by_role("button", name="use these").click(timeout=60_000)
    page.locator("#depth-near").fill("5.2")
    page.locator("#depth-near").press("Enter")
    page.locator(".cord-top").get_by_text("5.2-").wait_for()
    page.get_by_text("over frames").click()
    plot = page.locator("#over-frames")
    assert plot.is_visible() and not page.locator("#strip").is_visible()
    wait_for(lambda: plot.locator(".column").count() == FRAMES)
    wait_for(lambda: plot.locator(".column.is-flagged").count() > 0)

    # The plot is drawn anew with every answer: a click that met a column just leaving is made again.
    def went_to_the_last() -> bool:
        plot.locator(".column").last.dispatch_event("click")
        return page.locator("#now").inner_text() == str(1009 + FRAMES)

    wait_for(went_to_the_last)
    page.get_by_text("by distance").click()
    assert page.locator("#strip").is_visible() and not plot.is_visible()
    page.locator("#tray [data-pass=depth_edges]").click()
    in_well(page, "depth_edges", 1009 + FRAMES)
    page.get_by_text("nearer", exact=True).click()
    wait_for(lambda: page.locator("input[value=nearer]").is_checked())
    with sessions() as session:
        wait_for(
            lambda: (
                session.expire_all()
                or recipes.current(session, shows.find_shot(session, "TW010")).depth.edges == "nearer"
            )
        )
