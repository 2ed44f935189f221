"""How soon a picture is there, and how fast frames play: a served installation looked at in Chromium.

Needs Chromium and a PostgreSQL; takes one of the tests' kind for itself. Software draws here: a machine with
a graphics card is quicker.
"""

from __future__ import annotations

import http.client
import os
import shutil
import threading
import time
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor, ThreadPoolExecutor
from multiprocessing import get_context
from pathlib import Path
from urllib.parse import urlsplit

import OpenImageIO as oiio
from floor import best, hd_frames, paths_in, tell
from playwright.sync_api import Page, sync_playwright
from serving import filled  # makes `ops` known

from browser import AS_PEOPLE_HAVE_IT, launched  # isort: skip

FRAMES, HALF, AT_ONCE = 24, 7, 4


def main() -> None:
    frames = hd_frames(FRAMES, half=HALF)
    try:
        with filled(frames) as (address, shot, restart, _), sync_playwright() as playwright:
            browser = launched(playwright, AS_PEOPLE_HAVE_IT)
            page = browser.new_context(viewport={"width": 1280, "height": 800}, bypass_csp=True).new_page()
            page.goto(f"{address}/shots/{shot}/pack")  # scripts and styles are in the browser's store
            page.wait_for_timeout(1500)
            for words, budget, settings in (
                ("after a restart", "1.2", {}),
                ("cold: nothing kept on disk either", "1.2", {"DRAWSTRING_KEPT_MB": "0"}),
                ("warm", "0.6", None),
            ):
                if settings is not None:
                    restart(**settings)
                    page.wait_for_timeout(12_000)  # the house has been up for a while
                seconds, size = first_picture(page, f"{address}/shots/{shot}/arrivals")
                tell(f"first picture after opening a bench page, {words}, s", seconds, budget)
                tell("bytes before it, MB", size / 1e6, "1.5")
                page.wait_for_timeout(4000)
            playback(page)
            browser.close()
            with ProcessPoolExecutor(os.cpu_count(), get_context("spawn")) as reading:
                answers(f"{address}/shots/{shot}/frames", frames, restart, reading)
    finally:
        shutil.rmtree(frames, ignore_errors=True)


def first_picture(page: Page, address: str) -> tuple[float, int]:
    """Open a bench page; give the seconds until a picture is drawn, and the bytes that came until then."""
    sizes: list[int] = []
    session = page.context.new_cdp_session(page)
    session.send("Network.enable")
    session.on("Network.dataReceived", lambda told: sizes.append(int(told["encodedDataLength"] or 0)))
    page.goto("about:blank")
    sizes.clear()
    began = time.perf_counter()
    page.goto(address, wait_until="commit")
    page.wait_for_function("document.querySelector('#well canvas')?.dataset.a", polling=10)
    seconds, size = time.perf_counter() - began, sum(sizes)
    session.detach()
    return seconds, size


def bare(path: str) -> None:
    """Read the shown pass of a frame as the library does it by itself."""
    oiio.attribute("threads", 1)
    source = oiio.ImageInput.open(path)
    source.read_image(0, 0, 0, 4, "half")
    source.close()


def answers(
    address: str, folder: Path, restart: Callable[..., None], reading: ProcessPoolExecutor, turns: int = 4
) -> None:
    """Ask for all frames as playing does, none of them kept; tell the rate as a share of bare reading's.

    Two floors, in turn with the answers: a core of this process's, that works alone, times the cores; and as
    many processes as there are cores, of which each is slower than one alone. The first is the stricter one.
    """
    where = urlsplit(address)
    paths = paths_in(folder)[1:]

    def ask(number: int) -> None:
        line = kept.__dict__.setdefault("line", http.client.HTTPConnection(where.netloc))
        line.request("GET", f"{where.path}/{number}/pixels/beauty?level=1&as=half")
        line.getresponse().read()

    alone, together, own = [], [], []
    for _ in range(turns):
        restart(DRAWSTRING_KEPT_MB="0")
        time.sleep(12)
        kept = threading.local()
        alone.append(best(lambda: bare(paths[0])) * len(paths) / (os.cpu_count() or 1))
        together.append(best(lambda: list(reading.map(bare, paths)), 1))
        ask(1001)  # the first frame finds the house asleep
        with ThreadPoolExecutor(AT_ONCE) as asking:
            own.append(best(lambda: list(asking.map(ask, range(1002, 1001 + FRAMES))), 1))  # noqa: B023
    for name, floor in (("one core's, times the cores", alone), ("all cores' at once", together)):
        share = min(floor) / min(own)
        tell(f"frames of HD at half size, first time, answers by the read floor, {name}", share, "0.8")


def playback(page: Page) -> None:
    """Play all frames twice; tell the frames that were drawn in a second, each time."""
    page.evaluate("""() => {
        window.drawn = [];
        const well = document.getElementById('well'), canvas = well.querySelector('canvas');
        well.addEventListener('well-drawn', () => setTimeout(() => {
            const { a } = canvas.dataset;
            if (window.drawn.at(-1)?.[0] !== a) window.drawn.push([a, performance.now()]);
        }));
    }""")
    page.locator("#play").click()
    rates = []
    for turn in (1, 2):
        page.wait_for_function(f"window.drawn.length >= {turn * FRAMES + 1}", timeout=300_000, polling=100)
        told = page.evaluate("window.drawn")
        span = told[turn * FRAMES - 1][1] - told[(turn - 1) * FRAMES][1]
        rates.append((FRAMES - 1) / span * 1000)
    page.locator("#play").click()
    tell("playback, HD at half size, first time, frames a second", rates[0], "-")
    tell("playback, HD at half size, second time, frames a second", rates[1], "24")


if __name__ == "__main__":
    main()
