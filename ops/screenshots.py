"""One picture of each main view, from the demo data of a running house, into docs/screenshots.

Run by `make screenshots` after `make start`.
"""

from __future__ import annotations

import sys
import time
from collections.abc import Callable
from pathlib import Path

from browser import AS_PEOPLE_HAVE_IT, launched
from playwright.sync_api import Page, sync_playwright

from drawstring.installation import read_installation

HOME = Path(__file__).resolve().parents[1]
FOLDER = HOME / "docs" / "screenshots"

# Where this copy of the house lies is nobody's business; the folders in it are shown.
HIDE_HOME = """([home, shown]) => {
  const walk = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
  while (walk.nextNode()) walk.currentNode.data = walk.currentNode.data.replaceAll(home, shown);
  for (const field of document.querySelectorAll("input")) {
    if (field.value.includes(home)) field.value = field.value.replaceAll(home, shown);
  }
}"""


def wait_in(page: Page, expression: str, *, arg: object = None, timeout: int = 30_000) -> None:
    """Wait until something is so in a page, asked from outside: its policy lets it evaluate nothing."""
    until = time.monotonic() + timeout / 1000
    while not page.evaluate(expression, arg):
        if time.monotonic() > until:
            raise TimeoutError(expression)
        time.sleep(0.1)


def main() -> None:
    """Walk through the demo show and take the pictures."""
    FOLDER.mkdir(parents=True, exist_ok=True)
    with sync_playwright() as playwright:
        browser = launched(playwright, AS_PEOPLE_HAVE_IT)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        installation = read_installation()
        walk(page, f"http://{installation.host}:{installation.port}")
        browser.close()


def walk(page: Page, address: str) -> None:
    """Take each view once it stands still."""

    def shoot(name: str) -> None:
        page.wait_for_load_state("networkidle")
        page.evaluate(HIDE_HOME, [str(HOME), "/drawstring"])
        time.sleep(0.8)
        page.screenshot(path=FOLDER / f"{name}.png")
        print(f"  {name}.png", flush=True)

    page.goto(f"{address}/shows/Tidewrack")
    # After a fresh start the shots arrive one after the other.
    until = time.monotonic() + 1800
    while page.get_by_text("nothing yet").count():
        if time.monotonic() > until:
            raise TimeoutError("the demo show has not arrived")
        time.sleep(5)
        page.reload()
    shots = {
        code: link_of(page, code) for code in ("TW010", "TW020", "TW030", "TW040", "TW060", "TW080", "TW100")
    }
    page.goto(f"{address}/shots/{shots['TW010']}/depth")
    page.get_by_role("button", name="use these").click(timeout=120_000)
    page.wait_for_load_state("networkidle")
    page.get_by_text("revision").wait_for()
    set_value(page, "#depth-far", "90")
    shoot("bench-depth")
    page.get_by_role("button", name="Settle").click()
    plan(page, address, shots["TW060"], shoot)
    page.goto(f"{address}/shots/{shots['TW020']}/made")
    wait_in(page, "[...document.images].every(one => one.complete || one.loading === 'lazy')")
    shoot("made")
    white, lamps = (f"{address}/shots/{shots[code]}/alpha" for code in ("TW030", "TW080"))
    alpha(page, white, shoot)
    pair = f"{address}/shots/{shots['TW040']}/eyes"
    assembly(page, lamps, shoot)
    eyes(page, pair, shoot)
    framing(page, f"{address}/shots/{shots['TW060']}/framing", shoot)
    scene(page, f"{address}/shots/{shots['TW100']}/scene", shoot)
    arrivals(page, address, shoot)
    tiles(page, address, shoot)
    page.goto(f"{address}/shots/{shots['TW010']}/pack")
    if page.locator("[name='pack.normal.layer']").input_value() != "N":
        page.locator("[name='pack.normal.layer']").fill("N")
        page.locator("[name='pack.normal.layer']").press("Tab")
        page.locator("[name='pack.normal.layer'][value=N]").wait_for()
    if page.locator("[aria-label='emission goes out']").get_attribute("aria-checked") == "true":
        page.locator("[aria-label='emission goes out']").click()
        page.locator("[aria-label='emission goes out'][aria-checked=false]").wait_for()
    if page.locator("#pack-profile").input_value() != "compositing":
        page.locator("#pack-profile").select_option("compositing")
        page.get_by_role("button", name="Set what it asks").click()
    page.get_by_text("All that can be set is as asked.").wait_for()
    tick = page.get_by_role("checkbox", name="contact sheet")
    if not tick.is_checked():
        tick.click()
    page.locator("#estimate").get_by_text("bit by bit").wait_for(timeout=120_000)
    shoot("pack")
    page.get_by_role("button", name="Run ").click()
    page.locator("#run .is-proven").nth(7).wait_for(timeout=120_000)
    # It is drawn anew all the time: hidden and taken at once.
    page.evaluate(HIDE_HOME, [str(HOME), "/drawstring"])
    page.screenshot(path=FOLDER / "run.png")
    page.get_by_role("link", name="Open the package").click(timeout=300_000)
    page.locator("img.packed").first.wait_for()
    wait_in(page, "[...document.images].every(one => one.complete)", timeout=120_000)
    shoot("package")
    page.get_by_role("button", name="send", exact=True).click()
    page.locator(".sending.is-received").first.wait_for(timeout=120_000)
    page.goto(f"{address}/shows/Tidewrack")
    for code in ("TW030", "TW080"):
        page.get_by_label(f"Choose {code}").check()
    page.locator("[data-run]").click()
    page.locator("#runs").wait_for()
    wait_in(page, "!document.querySelector('#runs').hasAttribute('hx-trigger')", timeout=400_000)
    page.goto(f"{address}/shows/Tidewrack/packages")
    wait_in(page, "[...document.images].every(one => one.complete)")
    shoot("handoff")
    page.goto(f"{address}/shows/Tidewrack/titles?note=For the look of the fog.")
    place = page.locator("rect", has_text="v{version}").get_attribute("data-place")
    page.locator(f"[data-place='{place}']").click()
    page.locator(".title-page .is-chosen").wait_for()
    page.get_by_text("Everything fits its place").wait_for()
    wait_in(page, "[...document.images].every(one => one.complete)")
    shoot("title-frames")
    page.goto(f"{address}/shows/Tidewrack")
    page.locator("input[name=shot]").first.check()
    shoot("board")


def tiles(page: Page, address: str, shoot: Callable[[str], None]) -> None:
    """Take a picture in tiles of the folder of faulty arrivals."""
    page.goto(f"{address}/shows/Tidewrack/arrivals")
    page.locator(".recent a", has_text="tidewrack-arrivals").first.click()
    page.locator(".candidate", has_text="TW170").click()
    page.locator(".tile-drawing .hole").wait_for()
    wait_in(
        page,
        "Promise.all([...document.querySelectorAll('.tile-drawing image')]"
        ".map(one => fetch(one.href.baseVal))).then(() => true)",
    )
    page.locator(".candidate", has_text="TW170").scroll_into_view_if_needed()
    shoot("tiles")


def plan(page: Page, address: str, shot: str, shoot: Callable[[str], None]) -> None:
    """Take an overscan as it is planned, and the feed of the running renderer."""
    page.goto(f"{address}/shots/{shot}/plan?part=overscan")
    set_value(page, "#plan-overscan", "20 %")
    page.locator(".follows", has_text="× 1.2").wait_for()
    shoot("plan")
    page.goto(f"{address}/shows/Tidewrack/feed?shot=TW080")
    page.locator("#feed-look").click()
    page.locator("#feed[data-state=done]").wait_for(timeout=120_000)
    page.locator("[data-light-typed=work_lamp]").fill("1.6")
    page.locator("[data-light-typed=work_lamp]").press("Tab")
    time.sleep(3)
    page.locator("#feed[data-state=done]").wait_for(timeout=120_000)
    shoot("feed")


def framing(page: Page, bench: str, shoot: Callable[[str], None]) -> None:
    """Take the render that is bent to a plate's old lens, with what of it goes out."""
    page.goto(f"{bench}?part=lens&frame=1004")
    page.locator(".frame-drawing").wait_for()
    shown(page, "picture", "a")
    shoot("bench-framing")


def eyes(page: Page, pair: str, shoot: Callable[[str], None]) -> None:
    """Take the pair as an anaglyph with what was measured of it."""
    page.goto(f"{pair}?part=pair")
    shown(page, "eye_right", "b")
    page.locator(".pairs").wait_for(timeout=120_000)
    page.keyboard.press("7")
    shoot("bench-eyes")


def assembly(page: Page, lamps: str, shoot: Callable[[str], None]) -> None:
    """Take the sum of light groups, one term changed."""
    page.goto(lamps.replace("/alpha", "/assembly") + "?part=terms")
    wait_in(page, "Boolean(document.querySelector('.assembly-evidence .terms'))", timeout=90_000)
    wait_in(page, "Boolean(document.querySelector('.plot.over-all'))", timeout=180_000)
    time.sleep(2)
    shoot("bench-assembly")


def alpha(page: Page, white: str, shoot: Callable[[str], None]) -> None:
    """Take two parts of Alpha: the shadow of the buoy on white, and its stack."""
    page.goto(f"{white}?part=shadow")
    shown(page, "shadow_multiply", "a")
    page.get_by_text("RMS against the render").wait_for()
    shoot("bench-shadow")
    page.goto(f"{white}?part=stack")
    page.locator(".laid img").nth(2).wait_for()
    shown(page, "stack", "a")
    shoot("bench-stack")


def shown(page: Page, name: str, slot: str) -> None:
    """Wait until a picture lies in the well at full size."""
    wait_in(
        page,
        "([slot, name]) => document.querySelector('#well canvas').dataset[slot]?.includes(`\"${name}\",`)",
        arg=[slot, name],
    )


def arrivals(page: Page, address: str, shoot: Callable[[str], None]) -> None:
    """Take the Arrivals page with what the folder of faults holds."""
    page.goto(f"{address}/shows/Tidewrack/arrivals?chosen=TW110~1")
    page.locator(".candidate").nth(6).wait_for(timeout=60_000)
    shoot("arrivals")


def scene(page: Page, bench: str, shoot: Callable[[str], None]) -> None:
    """Take the yard with what was put into it, and the same in 3D."""
    page.goto(f"{bench}?part=lights&frame=1004")
    shown(page, "picture", "a")
    page.locator("#tray [data-pass=scene_beams] img[src]").wait_for(timeout=120_000)
    shoot("bench-scene")
    page.locator("[data-part=cards]").click()
    page.locator("#space-on").click()
    page.locator(".space-said").get_by_text("draw calls").wait_for(timeout=60_000)
    shoot("space")


def link_of(page: Page, code: str) -> str:
    """Give a shot's number from the board."""
    row = page.locator("tr", has=page.get_by_text(code, exact=True))
    return str(row.locator("input[name=shot]").get_attribute("value"))


def set_value(page: Page, field: str, value: str) -> None:
    """Type a value and wait until it is in the recipe."""
    page.locator(field).fill(value)
    page.locator(field).press("Enter")
    wait_in(page, "([f, v]) => document.querySelector(f).value === v", arg=[field, value])


if __name__ == "__main__":
    sys.exit(main())
