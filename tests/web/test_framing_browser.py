"""Framing in Chromium: a size typed, the picture dragged in its frame, the rim filled at a press."""

import numpy as np
import OpenEXR
import pytest
from makers import wait_for
from PIL import Image
from test_browser import in_well, shown_at
from test_depth_browser import drag

from drawstring.core.colour import through_view
from drawstring.store import recipes, shows

FRAME = 1013
ROWS, COLS = np.mgrid[6:114:6, 6:154:8]


@pytest.fixture
def beauty(sources):
    """One frame's light, read by the library alone."""
    path = sources / "tidewrack" / "TW010" / "v001" / f"TW010_main_v001.{FRAME}.exr"
    with OpenEXR.File(str(path), separate_channels=True) as file:
        planes = file.channels()
        return [np.array(planes[name].pixels, np.float32) for name in "RGB"]


@pytest.fixture
def framing(sessions):
    """Give what is settled of the frame now."""

    def now():
        with sessions() as session:
            return recipes.current(session, shows.find_shot(session, "TW010")).framing

    return now


def shows_cut(page, beauty, left: float, top: float) -> None:
    """Wait until the screen shows 144 x 108 pixels of the picture, from a place on, at 160 x 120."""
    box = left, top, left + 144, top + 108
    wide = [np.pad(plane, 40, mode="edge") for plane in beauty]
    moved = tuple(side + 40 for side in box)
    cut = [
        np.asarray(Image.fromarray(plane).resize((160, 120), Image.Resampling.LANCZOS, box=moved))
        for plane in wide
    ]
    light = through_view(np.stack(cut, -1)[ROWS, COLS], "film-like")

    def is_so() -> bool:
        apart = np.abs(shown_at(page, ROWS, COLS) - np.clip(light, 0, 1) * 255)
        return bool(np.percentile(apart, 95) <= 6 and apart.mean() < 2)

    wait_for(is_so, seconds=40)


def test_a_size_is_typed_the_picture_dragged_and_its_rim_filled(page, fog, beauty, framing):
    page.set_viewport_size({"width": 1280, "height": 800})
    page.goto(f"/shots/{fog.id}/framing?frame={FRAME}")
    page.get_by_role("button", name="it is needed").click()
    page.get_by_text("Find it against a plain render").click()
    page.locator(".others select, .others .quiet").first.wait_for()
    size = page.locator("#framing-size")
    size.fill("160 by 120")
    size.press("Enter")
    page.get_by_text("is no size").first.wait_for()
    size.fill("160x120")
    size.press("Enter")
    page.locator(".frame-facts").get_by_text("160 × 120").wait_for()
    page.locator("#framing-fit").select_option("fill")
    wait_for(lambda: framing().size == (160, 120) and framing().fit == "fill")
    # The half picture is plenty to look at while it is shown smaller; here it is shown larger.
    shows_cut(page, beauty, 24, 0)
    assert page.locator(".guides .frame").count() == 1 and page.locator(".guides .safe").count() == 2
    page.get_by_role("tab", name="Move").click()
    page.keyboard.press("p")
    scale = page.evaluate("() => { const c = document.querySelector('#well canvas'); return c.clientWidth; }")
    drag(page, page.locator("#well canvas"), 60, 24)
    wait_for(lambda: framing().whole.right > 0)
    right, down = framing().whole.right, framing().whole.down
    assert scale > 400 and right / down == pytest.approx(2.5, rel=0.15)
    # The hand's way in pixels of the frame, those in pixels that came: 0.9 to one.
    flag = page.locator(".finding[data-code=frame-not-filled]")
    flag.get_by_text("px top").first.wait_for()
    flag.get_by_role("button", name="fill from the edge").click()
    wait_for(lambda: framing().outside == "filled")
    shows_cut(page, beauty, 24 - 0.9 * right, -0.9 * down)
    page.keyboard.press("Shift+ArrowRight")
    wait_for(lambda: framing().whole.right == pytest.approx(right + 1, abs=0.01))


def test_a_monitor_follows_the_bench_and_loops_without_one(page, fog):
    page.goto(f"/shots/{fog.id}/framing?frame={FRAME}")
    in_well(page, "beauty", FRAME)
    with page.expect_popup() as opened:
        page.get_by_role("link", name="monitor").click()
    monitor = opened.value
    monitor.set_viewport_size({"width": 480, "height": 300})  # drawn without a graphics card
    monitor.locator("#said", has_text=f"{FRAME}").wait_for(state="attached")
    page.locator("#frames .cell:not([disabled])").nth(1).click()
    monitor.locator("#said", has_text="1011").wait_for(state="attached")
    # Without a bench it goes through its frames by itself.
    page.goto("about:blank")
    monitor.keyboard.press("ArrowRight")
    monitor.locator("#said", has_text="1012").wait_for(state="attached")
    monitor.keyboard.press(" ")
    monitor.locator("#said", has_text="1015").wait_for(state="attached")
    monitor.locator("#said", has_text="1010").wait_for(state="attached")
    monitor.close()
