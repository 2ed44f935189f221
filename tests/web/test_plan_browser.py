"""Plan and feed in the browser: drawings dragged and typed, an order printed, a renderer looked at."""

import re
import threading

import pytest
from makers import box_of
from playwright.sync_api import expect
from werkzeug.serving import make_server

from drawstring.standins.feed import FeedFaults, create_feed
from drawstring.standins.tidewrack.staging import stages
from drawstring.store import recipes
from drawstring.store.models import Shot


def plan_of(sessions, shot):
    with sessions() as session:
        return recipes.current(session, session.get(Shot, shot.id)).plan


def opened(page, installation, shot, part: str) -> None:
    page.goto(f"http://127.0.0.1:{installation.port}/shots/{shot.id}/plan?part={part}")
    expect(page.locator("#panel")).to_be_visible()


def drag(page, name: str, by: tuple[float, float], at: int = 0) -> None:
    handle = page.locator(f'[data-handle="{name}"]').nth(at)
    handle.scroll_into_view_if_needed()
    box = box_of(handle)
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + by[0] / 2, y + by[1] / 2)
    page.mouse.move(x + by[0], y + by[1])
    page.mouse.up()


def test_every_drawing_is_dragged_typed_and_moved_by_keys(page, installation, fog, sessions):
    opened(page, installation, fog, "overscan")
    page.fill("#plan-overscan", "10 %")
    page.press("#plan-overscan", "Enter")
    expect(page.locator(".follows")).to_contain_text("× 1.1")
    before = plan_of(sessions, fog).overscan
    # The right side alone is dragged outwards: the others stay what they were.
    drag(page, "plan.overscan", (30, 0), at=2)
    expect(page.locator("#plan-overscan")).not_to_have_value(before)
    left, top, right, bottom = map(int, plan_of(sessions, fog).overscan.split())
    assert (left, top, bottom) == (10, 6, 6) and right > left
    expect(page.locator(".follows")).to_contain_text("Film shifted by")
    handle = page.locator('[data-handle="plan.overscan"]').nth(2)
    handle.focus()
    page.keyboard.press("Shift+ArrowRight")
    expect(page.locator("#plan-overscan")).to_have_value(f"{left} {top} {right + 10} {bottom}")
    for part, name, by in (
        ("depth", "plan.far", (-40, 0)), ("stereo", "plan.rig.convergence", (25, 0)),
        ("stereo", "plan.rig.interaxial", (0, 10)), ("round", "plan.round.eye_height_m", (0, -30)),
        ("lens", "plan.shutter.focus", (30, 0)),
    ):  # fmt: skip
        opened(page, installation, fog, part)
        if part == "stereo":
            page.check("#plan-rig-on")
            page.fill("#plan-rig-subject", "6 m")
            page.press("#plan-rig-subject", "Enter")
            expect(page.locator("#plan-rig-subject")).to_have_value("6")
            expect(page.locator('[data-handle="plan.rig.convergence"]')).to_be_visible()
        field = page.locator("#" + name.replace(".", "-"))
        was = field.input_value()
        drag(page, name, by)
        expect(field).not_to_have_value(was)
        assert float(field.input_value()) > 0, name
    page.goto(f"http://127.0.0.1:{installation.port}/shots/{fog.id}/plan?part=depth")
    page.get_by_role("button", name="nearest").click()
    page.locator("[data-pick] img").click(position={"x": 160, "y": 150})
    expect(page.locator("#plan-near")).not_to_have_value("")


def test_an_order_is_printed_to_paper(page, installation, fog, tmp_path):
    opened(page, installation, fog, "passes")
    page.get_by_label("Ask for normal").uncheck()
    expect(page.get_by_label("Ask for normal")).not_to_be_checked()
    page.get_by_role("button", name=re.compile("^Order")).click()
    page.get_by_role("link", name="order 1", exact=True).click()
    expect(page.locator("h1")).to_have_text("Order 1")
    data = page.pdf(path=str(tmp_path / "order.pdf"), format="A4")
    assert data.startswith(b"%PDF") and data.count(b"/Type /Page\n") <= 2
    expect(page.locator(".order-page")).not_to_contain_text("normal")
    expect(page.locator(".order-page")).to_contain_text("TW010/v002/TW010_main_v002")


@pytest.fixture
def renderer(installation):
    """The stand-in's feed where the house expects it."""
    faults = FeedFaults()
    server = make_server(
        "127.0.0.1", installation.feed_port, create_feed(stages(), faults=faults), threaded=True
    )
    thread = threading.Thread(target=server.serve_forever)
    thread.start()
    yield faults
    server.shutdown()
    thread.join()
    server.server_close()


def test_a_running_renderer_is_looked_at_relit_lost_found_and_recorded(page, installation, fog, renderer):
    page.goto(f"http://127.0.0.1:{installation.port}/shows/Tidewrack/feed?shot=TW010")
    page.fill("#feed-frames", "1010-1011")
    page.fill("#feed-size", "96x54")
    page.click("#feed-look")
    expect(page.locator("#feed[data-shown]")).to_be_visible()
    expect(page.locator("#feed[data-state=done]")).to_be_visible()
    expect(page.locator("#feed-samples")).to_contain_text("9 samples")
    page.locator('[data-pass="depth"]').click()
    expect(page.locator("#feed")).to_have_attribute("data-shown", re.compile("depth"))
    page.locator("#feed-scrub").focus()
    page.keyboard.press("ArrowRight")
    expect(page.locator("#feed-frame")).to_have_text("1011")
    was = page.locator("#feed-image").get_attribute("src")
    page.fill("[data-light-typed=sun]", "0.2")
    page.press("[data-light-typed=sun]", "Tab")
    expect(page.locator("#feed-image")).not_to_have_attribute("src", was)
    page.check("#feed-compare")
    expect(page.locator("#feed-arrived")).to_be_visible()
    renderer.garbage = True
    expect(page.locator("#feed-says")).to_contain_text("can't be read")
    renderer.garbage = False
    expect(page.locator("#feed-says")).to_contain_text("Done")
    page.click("#feed-record")
    expect(page.get_by_role("link", name="2 frames recorded")).to_be_visible(timeout=60_000)
    page.get_by_role("link", name="2 frames recorded").click()
    expect(page.locator(".found-head h1")).to_contain_text("TW010", timeout=60_000)
