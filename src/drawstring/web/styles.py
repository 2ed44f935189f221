"""One style sheet for all pages: where a browser asked for twenty, the first picture waited for all."""

from __future__ import annotations

import hashlib
from pathlib import Path

from flask import Flask, Response

SHEETS = (
    "vendor/bulma/parts.min", "css/base", "css/cord", "css/board", "css/bench", "css/arrivals",
    "css/findings", "css/frames", "css/pack", "css/packages", "css/titles", "css/depth", "css/alpha",
    "css/bench-parts", "css/eyes", "css/framing", "css/assembly", "css/made", "css/plan", "css/scene",
)  # fmt: skip
"""Below the static folder, in the order in which they overrule each other."""


def init_app(app: Flask) -> None:
    """Offer the joined sheet as `styles`, beside its parts: fonts lie where they look for them."""
    assert app.static_folder is not None
    sheet = "\n".join(Path(app.static_folder, f"{name}.css").read_text("utf-8") for name in SHEETS)
    # Browsers keep it for a year: its name says what it holds, and in which order.
    name = f"css/drawstring.{hashlib.sha256(sheet.encode()).hexdigest()[:12]}.css"
    app.add_url_rule(f"{app.static_url_path}/{name}", "styles", lambda: Response(sheet, mimetype="text/css"))
