"""An order as a table, and what changed since the former one."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator
from typing import Any

from drawstring.core.orders.document import Order, Render, ShotOrder, say_ranges

COLUMNS = (
    "shot", "render", "view", "camera", "eye", "frames", "count", "fps", "width", "height", "x_min", "y_min",
    "x_max", "y_max", "larger", "focal_mm", "filmback_mm", "render_filmback_mm", "film_factor", "tiles",
    "projection",
    "interaxial", "convergence", "unit", "samples", "shutter_samples", "shutter", "warm_up", "differs",
    "passes",
)  # fmt: skip
"""Of the CSV: a row for each render."""


def rows(order: Order) -> Iterator[dict[str, Any]]:
    """Give a row for each render."""
    for shot in order.shots:
        for render in shot.renders:
            yield _row(shot, render)


def _row(shot: ShotOrder, render: Render) -> dict[str, Any]:
    window = render.data_window
    values = (
        shot.shot, render.name, render.view, render.camera, render.eye, say_ranges(render.frames),
        len(render.numbers), shot.fps, *render.size, *window, render.larger, render.focal_mm,
        render.filmback_mm,
        render.render_filmback_mm, "{:.6g} {:.6g}".format(*render.film_factor), len(render.tiles) or "",
        render.projection, shot.interaxial,
        shot.convergence,
        shot.unit, shot.samples.picture, shot.samples.shutter,
        f"{shot.shutter[0]:g} {shot.shutter[1]:g}" if shot.shutter else "", shot.samples.warm_up,
        differs_says(render), " ".join(render.passes),
    )  # fmt: skip
    return dict(zip(COLUMNS, ("" if value is None else value for value in values), strict=True))


def as_csv(order: Order) -> str:
    """Write an order as a table (RFC 4180)."""
    text = io.StringIO()
    table = csv.DictWriter(text, COLUMNS)
    table.writeheader()
    table.writerows({name: _plain(value) for name, value in row.items()} for row in rows(order))
    return text.getvalue()


def _plain(value: Any) -> Any:
    """Give a value that no spreadsheet takes for a formula."""
    return f"'{value}" if isinstance(value, str) and value[:1] in "=+-@\t" and value[1:2].isalpha() else value


def differs_says(render: Render) -> str:
    """Say in what a render differs from the others of its shot."""
    differs = render.differs
    told = []
    if differs.transparent:
        told.append("object alone, on transparent")
    if differs.hides:
        told.append(f"without {', '.join(differs.hides)}")
    if differs.shows:
        told.append(f"nothing but {', '.join(differs.shows)}")
    if differs.ground:
        told.append(f"on a {differs.ground} ground")
    if differs.lights_off:
        told.append(f"{', '.join(differs.lights_off)} off")
    return ", ".join(told)


_QUIET = frozenset({"why", "title", "version"})


def changes(former: Order | None, now: Order) -> list[str]:
    """Say what changed since the former order, in words, of shots that are in both; and which are not.

    Parameters
    ----------
    former : Order, optional
        None where there is none.
    """
    if former is None:
        return []
    told = []
    for shot in now.shots:
        before = former.shot_named(shot.shot)
        if before is None:
            told.append(f"{shot.shot} is new")
            continue
        told += [f"{shot.shot}: {what}" for what in _shot_changes(before, shot)]
    gone = [shot.shot for shot in former.shots if now.shot_named(shot.shot) is None]
    return told + ([f"no longer asked for: {', '.join(gone)}"] if gone and now.kind == "whole" else [])


def _shot_changes(before: ShotOrder, now: ShotOrder) -> list[str]:
    told = list(_fields("", before.model_dump(mode="json"), now.model_dump(mode="json")))
    for render in now.renders:
        other = before.render_named(render.name)
        if other is None:
            told.append(f"render {render.name} is new")
            continue
        told += _fields(f"{render.name} ", other.model_dump(mode="json"), render.model_dump(mode="json"))
        more = [name for name in render.passes if name not in other.passes]
        less = [name for name in other.passes if name not in render.passes]
        told += [f"{render.name} with {', '.join(more)}"] if more else []
        told += [f"{render.name} without {', '.join(less)}"] if less else []
    told += [f"render {one.name} is gone" for one in before.renders if now.render_named(one.name) is None]
    return told


def _fields(where: str, before: dict[str, Any], now: dict[str, Any]) -> Iterator[str]:
    for name, value in now.items():
        if name in _QUIET or name in ("renders", "passes") or before.get(name) == value:
            continue
        if isinstance(value, dict):
            yield from _fields(f"{where}{name} ", before.get(name) or {}, value)
        else:
            yield f"{where}{name.replace('_', ' ')} {_said(before.get(name))} → {_said(value)}"


def _said(value: Any) -> str:
    if value is None or value == [] or value == "":
        return "none"
    if isinstance(value, float):
        return f"{value:.6g}"
    if isinstance(value, list):
        if value and isinstance(value[0], dict):
            return f"{len(value)}"
        if value and isinstance(value[0], list):
            return say_ranges([(pair[0], pair[1]) for pair in value])
        return " ".join(_said(one) for one in value)
    return str(value)
