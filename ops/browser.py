"""Debian's Chromium, as tests, screenshots and timings start it."""

from __future__ import annotations

import shutil

from playwright.sync_api import Browser, Playwright

OPTIONS = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync", "--use-gl=angle", "--use-angle=swiftshader",
    "--enable-unsafe-swiftshader",
    # Pages of the browser's own, made with every window: they took longer than ours.
    "--disable-features=WebUIOmniboxPopup,WebUIOmniboxAimPopup",
]  # fmt: skip

WITHOUT_WINDOWS, AS_PEOPLE_HAVE_IT = "chromium-headless-shell", "chromium"
"""Two packages of one browser. The first draws pages alone, no windows around them: a fifth less work."""


def launched(playwright: Playwright, preferred: str = WITHOUT_WINDOWS) -> Browser:
    """Start the browser, by the other package where the preferred one is not installed."""
    packages = sorted((WITHOUT_WINDOWS, AS_PEOPLE_HAVE_IT), key=lambda package: package != preferred)
    path = next((path for path in map(shutil.which, packages) if path), None)
    return playwright.chromium.launch(executable_path=path, args=OPTIONS)
