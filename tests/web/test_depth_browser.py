"""Mist, focus and keys in Chromium: handles dragged, and the screen compared with what Python computes."""

import numpy as np
import OpenEXR
import pytest
from makers import box_of, wait_for, wait_in
from test_browser import in_well, shown_at

from drawstring.core.camera import Camera, Place, camera_of
from drawstring.core.colour import through_view
from drawstring.core.depth import blur_radius, lens_for
from drawstring.core.depth.focus import focused
from drawstring.core.depth.mist import Scene, over
from drawstring.core.io.facts import Window
from drawstring.store import recipes, shows

FIRST, MIDDLE, LAST = 1010, 1013, 1015
WINDOW = Window(0, 0, 191, 107)
PLACE = Place(WINDOW, WINDOW)
ROWS, COLS = np.mgrid[14:104:6, 4:188:8]


def frame_of(sources, number: int) -> tuple[np.ndarray, np.ndarray, Camera]:
    """Read beauty, depth and camera of a frame with the library alone."""
    path = sources / "tidewrack" / "TW010" / "v001" / f"TW010_main_v001.{number}.exr"
    with OpenEXR.File(str(path), separate_channels=True) as file:
        channels = {name: np.array(c.pixels) for name, c in file.channels().items()}
        said = {key: np.asarray(v).tolist() if hasattr(v, "shape") else v for key, v in file.header().items()}
    said["sensorOverallDimensions"] = [36.0, 20.25]
    return (
        np.stack([channels[c] for c in "RGBA"], -1).astype(np.float32),
        channels["depth.Z"],
        camera_of(said),
    )


@pytest.fixture
def depth_of(sessions):
    """Give the settings of Depth as they are in the database now."""

    def now():
        with sessions() as session:
            return recipes.current(session, shows.find_shot(session, "TW010")).depth

    return now


def drag(page, place, dx: float, dy: float = 0.0) -> None:
    """Drag something by some pixels, as a hand does."""
    page.wait_for_load_state("networkidle")
    page.wait_for_timeout(200)
    box = box_of(place)
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + dx / 3, y + dy / 3, steps=3)
    page.mouse.move(x + dx, y + dy, steps=5)
    page.mouse.up()


def agrees(page, wanted: np.ndarray) -> None:
    """Wait until the screen shows light through the view, but for what the half picture rounds."""
    light = through_view(wanted[..., :3].astype(np.float16).astype(np.float32)[ROWS, COLS], "film-like")

    def is_so() -> bool:
        apart = np.abs(shown_at(page, ROWS, COLS) - np.clip(light, 0, 1) * 255)
        return bool(np.percentile(apart, 97) <= 4 and apart.mean() < 1.5)

    wait_for(is_so, seconds=40)


def test_a_mist_is_laid_dragged_coloured_and_kept_off_a_drawn_shape(page, fog, sources, depth_of):
    page.goto(f"/shots/{fog.id}/depth?part=mist")
    page.locator("#measured[data-state=done]").wait_for(timeout=60_000, state="attached")
    page.get_by_role("button", name="add a mist").click()
    page.locator(".handle[data-end=start]").wait_for()
    wait_for(lambda: len(depth_of().mist) == 1)
    before = depth_of().mist[0]
    drag(page, page.locator(".handle[data-end=start] path"), 150)
    wait_for(lambda: depth_of().mist[0].start > before.start * 1.5)
    field = page.locator("#depth-mist-1-start")
    wait_for(lambda: float(field.input_value()) == pytest.approx(depth_of().mist[0].start, rel=1e-3))
    page.locator("#depth-mist-1-depth").fill("30")
    page.locator("#depth-mist-1-depth").press("Enter")
    page.locator(".swatch").first.click()
    wait_for(lambda: depth_of().mist[0].colour != before.colour and depth_of().mist[0].depth == 30)

    picture, z, camera = frame_of(sources, MIDDLE)
    scene = Scene(z, ~np.isfinite(z), camera, PLACE, {}, alpha=picture[..., 3])

    def laid() -> np.ndarray:
        return over(picture, scene, depth_of().mist)[0]

    page.locator("#tray [data-pass=beauty_mist]").click()
    page.keyboard.press("1")
    in_well(page, "beauty_mist", MIDDLE)
    agrees(page, laid())

    # A shape around the middle stays clear; the drawing takes clicks on the picture.
    page.locator("summary").filter(has_text="Kept clear").click()
    page.get_by_role("button", name="draw on the picture").click()
    well = box_of(page.locator("#well canvas"))
    middle = well["x"] + well["width"] / 2, well["y"] + well["height"] / 2
    for dx, dy in ((-90, -60), (90, -60), (90, 60), (-90, 60)):
        page.mouse.click(middle[0] + dx, middle[1] + dy)
    page.keyboard.press("Enter")
    wait_for(lambda: len(depth_of().mist[0].clear_shape) == 8)
    page.locator(".drawing polygon").wait_for(state="attached")
    page.evaluate("document.querySelectorAll('.drawing').forEach((one) => (one.style.display = 'none'))")
    agrees(page, laid())

    # Muted to compare, and back; a wrong value lands beside its field and changes nothing.
    page.get_by_role("button", name="on", exact=True).click()
    wait_for(lambda: not depth_of().mist[0].on)
    page.get_by_role("button", name="off", exact=True).click()
    wait_for(lambda: depth_of().mist[0].on)
    field.fill("-3 m")
    field.press("Enter")
    page.locator("#depth-mist-1-start-note").get_by_text("at least 0").wait_for()
    assert depth_of().mist[0].start > 0


def test_what_takes_long_comes_coarse_first_while_a_hand_moves(page, sessions, fog):
    with sessions.begin() as session:
        recipes.set_values(session, session.merge(fog), {"depth.mist.add": "haze"})
    page.goto(f"/shots/{fog.id}/depth?part=mist")
    page.locator("#tray [data-pass=beauty_mist]").click()
    in_well(page, "beauty_mist", MIDDLE)
    handle = page.locator(".handle[data-end=start] path")
    handle.wait_for()
    page.wait_for_load_state("networkidle")
    asked = []
    page.on(
        "request", lambda request: asked.append(request.url) if "pixels/beauty_mist?" in request.url else None
    )
    far_away = {"offline": False, "latency": 400, "downloadThroughput": -1, "uploadThroughput": -1}
    page.context.new_cdp_session(page).send("Network.emulateNetworkConditions", far_away)
    box = box_of(handle)
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    for step in range(1, 6):
        page.mouse.move(x + 10 * step, y)
        page.wait_for_timeout(250)
    wait_for(
        lambda: (
            page.wait_for_timeout(100) or asked[-1].partition("level=")[2].startswith("1&") and len(asked) > 2
        )
    )
    tried = [url.partition("level=")[2].split("&") for url in asked]
    levels = [int(level) for level, _ in tried]
    assert levels[0] == 1 < levels[1] and len(asked) == len(set(asked)), asked
    # Once the hand rests it is as fine as ever; a fine one shows what the coarse one before it did.
    assert all(tried[i][1] == tried[i - 1][1] for i in range(1, len(tried)) if levels[i] == 1), asked
    page.mouse.up()
    # Events come while the page is asked for something.
    wait_for(lambda: page.wait_for_timeout(100) or "depth." not in asked[-1])


def test_a_focus_is_clicked_pulled_over_frames_and_shown_as_computed(page, fog, sources, depth_of):
    page.goto(f"/shots/{fog.id}/depth")
    page.get_by_role("button", name="use these").click(timeout=60_000)
    in_well(page, "depth_normalised", MIDDLE, "b")
    page.get_by_role("tab", name="Focus").click()
    page.locator("#depth-focus-on").check()
    wait_for(lambda: depth_of().focus.on)
    in_well(page, "beauty_focus", MIDDLE)
    page.locator("#depth-focus-stop").fill("0,12")
    page.locator("#depth-focus-stop").press("Enter")
    wait_for(lambda: depth_of().focus.stop == 0.12)

    # What is to be sharp, by a click: the distance under it.
    picture, z, camera = frame_of(sources, MIDDLE)
    page.get_by_role("button", name="from picture").locator("visible=true").click()
    well = box_of(page.locator("#well canvas"))
    at = page.locator("#well canvas").evaluate(
        "c => [c.dataset.scale, c.dataset.left, c.dataset.top].map(Number)"
    )
    row, col = 60, 80
    page.mouse.click(well["x"] + at[1] + (col + 0.5) * at[0], well["y"] + at[2] + (row + 0.5) * at[0])
    around = z[row - 2 : row + 3, col - 2 : col + 3]
    wait_for(lambda: around.min() <= depth_of().focus.distance <= around.max())

    # Keys at the first and the last frame; the curve stands over the frames; a step goes from key to key.
    page.locator(f"#frames [data-frame='{FIRST}']").click()
    page.locator("[data-key='depth.focus.distance']").click()
    page.locator("#track").wait_for()
    page.locator(f"#frames [data-frame='{LAST}']").click()
    page.locator("#depth-focus-distance").fill("14 m")
    page.locator("#depth-focus-distance").press("Enter")
    wait_for(lambda: depth_of().focus.keys["distance"].frames == [FIRST, LAST])
    page.locator("#track").get_by_text("linear").click()
    wait_for(lambda: [k.then.value for k in depth_of().focus.keys["distance"].keys][1] == "linear")
    page.keyboard.press("Control+ArrowLeft")
    wait_for(lambda: page.locator("#now").inner_text() == str(FIRST))

    page.locator(f"#frames [data-frame='{MIDDLE}']").click()
    focus = depth_of().focus.at(MIDDLE)
    wait_for(
        lambda: (
            float(page.locator("#depth-focus-distance").input_value())
            == pytest.approx(focus.distance, rel=1e-4)
        )
    )
    in_well(page, "beauty_focus", MIDDLE)
    lens = lens_for(focus, camera, width_px=192, unit_m=1.0)
    radius = blur_radius(z, lens, camera, PLACE)
    assert np.abs(radius).max() > 2
    agrees(page, focused(picture, radius, radius))

    # The key at the end is dragged two frames back; the handle on the strip sets one at the shown frame.
    width = box_of(page.locator("#frames ol"))["width"] / 6
    drag(page, page.locator(f"[data-key-frame='{LAST}']"), -width)
    wait_for(lambda: depth_of().focus.keys["distance"].frames == [FIRST, LAST - 1])
    page.locator(".handle[data-end=focus]").focus()
    page.keyboard.press("Shift+ArrowRight")
    wait_for(lambda: depth_of().focus.keys["distance"].frames == [FIRST, MIDDLE, LAST - 1])
    page.get_by_role("button", name="undo").click()
    wait_for(lambda: depth_of().focus.keys["distance"].frames == [FIRST, LAST - 1])


def test_strip_and_well_point_at_each_other(page, fog, sources):
    page.goto(f"/shots/{fog.id}/depth")
    page.get_by_role("button", name="use these").click(timeout=60_000)
    in_well(page, "depth_normalised", MIDDLE, "b")
    page.locator("#tray [data-pass=depth]").click()
    page.keyboard.press("1")
    in_well(page, "depth", MIDDLE)
    _, z, _ = frame_of(sources, MIDDLE)
    page.locator("#strip .object").first.wait_for()
    plain = shown_at(page, ROWS, COLS)

    # Pointing at a distance marks just the pixels that lie there.
    box = box_of(page.locator("#strip"))
    # Within one step of the proxy, which keeps one true distance of each block.
    around = np.lib.stride_tricks.sliding_window_view(z, (3, 3)).reshape(106, 190, 9)[ROWS - 1, COLS - 1]
    inside = np.zeros(1, bool)
    for share in np.arange(0.1, 0.95, 0.05):  # wherever enough of the picture lies
        page.mouse.move(box["x"] + box["width"] * share, box["y"] + 70)
        wait_in(page, "document.querySelector('#well canvas').dataset.band")
        page.wait_for_timeout(100)
        low, high = map(float, page.locator("#well canvas").get_attribute("data-band").split())
        inside = ((around >= low) & (around <= high)).all(axis=-1)
        if inside.sum() > 2:
            break
    page.wait_for_timeout(300)
    outside = (around < low * 0.99).all(axis=-1) | (around > high * 1.01).all(axis=-1)
    tinted = np.ptp(shown_at(page, ROWS, COLS), axis=-1) > 20
    assert inside.any() and tinted[inside].all() and not tinted[outside].any()
    page.mouse.move(5, 5)
    wait_for(lambda: np.abs(shown_at(page, ROWS, COLS) - plain).max() < 2)

    page.get_by_role("button", name="linear").click()
    assert page.get_by_role("button", name="linear").get_attribute("aria-pressed") == "true"
    page.get_by_text("from the side").click()
    page.locator("#from-side .cone").wait_for()
    assert page.locator("#from-side .points").count() == 4 and page.locator("#from-side .end").count() >= 1
