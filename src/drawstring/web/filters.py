"""How values are written on pages."""

from __future__ import annotations

import math
import time
from collections.abc import Sequence
from datetime import UTC, datetime
from functools import lru_cache
from typing import Any

import numpy as np
from flask import Flask, current_app
from markupsafe import Markup

from drawstring.core.colour.curve import curved
from drawstring.core.recipe import KnotView
from drawstring.core.units import say_length
from drawstring.store import ledger
from drawstring.store.database import DatabaseAway
from drawstring.web.depth.words import shown
from drawstring.web.drawing import cord_drawing
from drawstring.web.services import work


def init_app(app: Flask) -> None:
    """Give templates these filters and functions."""
    app.jinja_env.filters.update(
        distance=say_length,
        size=say_size,
        ago=say_ago,
        span=say_span,
        seconds_until=seconds_until,
        percent=say_percent,
        plural=say_plural,
        shown=shown,
        curve_path=curve_path,
        curve_points=curve_points,
    )
    app.jinja_env.globals.update(cord_drawing=cord_drawing, cord_row=cord_row, engine_summary=engine_summary)
    app.jinja_env.trim_blocks = app.jinja_env.lstrip_blocks = True


def cord_row(knots: Sequence[KnotView], base: str) -> Markup:
    """Draw a shot's cord for the board; drawn once for as long as its knots stand as they do."""
    return _cord_row(tuple(knots), base)


@lru_cache(maxsize=4000)
def _cord_row(knots: tuple[KnotView, ...], base: str) -> Markup:
    module: Any = current_app.jinja_env.get_template("_cord.html").module
    return Markup(module.cord_row(knots, base))


_DARKEST, _STOPS, _WIDE, _HIGH = -8, 12, 240, 160
"""Of the plot of curves: its darkest stop, how many there are, its size."""


def curve_path(curve: tuple[float, ...]) -> str:
    """Draw a curve over stops of light, as an SVG path."""
    stops = np.linspace(_DARKEST, _DARKEST + _STOPS, 121, dtype=np.float32)
    out = np.log2(np.maximum(curved(np.exp2(stops), curve), 1e-9))
    return "M" + " ".join(f"{_across(x):.1f},{_down(y):.1f}" for x, y in zip(stops, out, strict=True))


def curve_points(curve: tuple[float, ...]) -> list[tuple[float, float]]:
    """Give where a curve's points lie in its plot."""
    pairs = zip(curve[0::2], curve[1::2], strict=True)
    return [(round(_across(math.log2(x)), 1), round(_down(math.log2(y)), 1)) for x, y in pairs]


def _across(stop: float) -> float:
    return (stop - _DARKEST) * _WIDE / _STOPS


def _down(stop: float) -> float:
    return _HIGH - (stop - _DARKEST) * _HIGH / _STOPS


def say_size(count: int) -> str:
    """Write bytes as people read them: 9.4 MB."""
    size = float(count)
    for unit in ("bytes", "kB", "MB", "GB"):
        if size < 1000:
            return f"{size:.0f} {unit}" if unit == "bytes" or size >= 100 else f"{size:.1f} {unit}"
        size /= 1000
    return f"{size:.1f} TB"


def say_ago(when: datetime | None) -> str:
    """Write how long ago a moment was."""
    if when is None:
        return ""
    seconds = (datetime.now(UTC) - when).total_seconds()
    if seconds < 90:
        return "just now"
    for limit, step, unit in ((5400, 60, "minute"), (129600, 3600, "hour"), (float("inf"), 86400, "day")):
        if seconds < limit:
            return f"{say_plural(round(seconds / step), unit)} ago"
    return ""


def seconds_until(when: datetime) -> float:
    """Count the seconds until a moment; none when it is past."""
    return max(0.0, (when - datetime.now(UTC)).total_seconds())


def say_span(seconds: float | None) -> str:
    """Write a span of time: 4 min, 40 s; a dash while unknown."""
    if seconds is None:
        return "–"
    if seconds < 90:
        return f"{seconds:.0f} s"
    if seconds < 5400:
        return f"{seconds / 60:.0f} min"
    return f"{seconds / 3600:.1f} h"


def say_percent(share: float) -> str:
    """Write a share with as many digits as matter."""
    return f"{share:.1%}" if 0 < share < 0.1 else f"{share:.0%}"


def say_plural(count: int, noun: str) -> str:
    """Write a count with its noun: 1 shot, 2 shots."""
    if count == 1:
        return f"1 {noun}"
    return f"{count:,} {noun}{'es' if noun.endswith(('s', 'x', 'ch', 'sh')) else 's'}"


def engine_summary() -> dict[str, Any] | None:
    """Tell of the runs under way, for the top of every page; None while nothing runs or nobody knows."""
    kept = current_app.extensions.setdefault("summary", {"at": -1e9, "says": None})
    if time.monotonic() - kept["at"] >= current_app.config["SUMMARY_S"]:
        try:
            kept.update(at=time.monotonic(), says=_summary())
        except DatabaseAway:
            return None  # the page itself says so
    says: dict[str, Any] | None = kept["says"]
    return says


def _summary() -> dict[str, Any] | None:
    with work() as session:
        runs = ledger.together(session)
        if not runs:
            return None
        whole = ledger.as_one(ledger.progress(session, runs).values())
        return {
            "runs": sum(run.state in ledger.UNDER_WAY for run in runs),
            "share": whole.share,
            "left": whole.seconds_left,
        }
