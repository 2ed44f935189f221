"""The plan's sums as drawings: where lines and handles lie, in the drawing's own units, 720 by 400."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from drawstring.core.io.facts import Window
from drawstring.core.plan.planned import Planned
from drawstring.core.plan.sums import Round
from drawstring.core.units import say_length

WIDE, HIGH = 720.0, 400.0
MARGIN = 64.0


@dataclass(frozen=True)
class Box:
    """A rectangle in the drawing."""

    x: float
    y: float
    w: float
    h: float


@dataclass(frozen=True)
class Axis:
    """A scale along the drawing, logarithmic or even: value `low` lies at `start`, `high` at `end`."""

    low: float
    high: float
    start: float
    end: float
    is_log: bool = True

    def at(self, value: float) -> float:
        """Give where a value lies, held within the drawing."""
        value = min(max(value, min(self.low, self.high)), max(self.low, self.high))
        if self.is_log:
            share = math.log(value / self.low) / math.log(self.high / self.low)
        else:
            share = (value - self.low) / (self.high - self.low)
        return round(self.start + share * (self.end - self.start), 2)

    def ticks(self) -> list[tuple[float, str]]:
        """Give round values to write beside it."""
        if not self.is_log:
            step = 10 ** math.floor(math.log10((self.high - self.low) / 3))
            first = math.ceil(self.low / step)
            values = [n * step for n in range(first, math.floor(self.high / step) + 1)]
            values = values[:: max(1, len(values) // 8)]
        else:
            decades = range(math.floor(math.log10(self.low)), math.ceil(math.log10(self.high)) + 1)
            steps = (1,) if self.high / self.low > 3000 else (1, 2, 5)
            values = [m * 10.0**d for d in decades for m in steps if self.low <= m * 10.0**d <= self.high]
        return [(self.at(value), f"{value:g}") for value in values]


def _fitted(windows: Sequence[Window]) -> tuple[float, float, float]:
    """Give scale and offset that show all of some windows in the drawing."""
    left, top = min(w.x_min for w in windows), min(w.y_min for w in windows)
    right, bottom = max(w.x_max for w in windows) + 1, max(w.y_max for w in windows) + 1
    scale = min((WIDE - 2 * MARGIN) / (right - left), (HIGH - 2 * MARGIN) / (bottom - top))
    x = (WIDE - scale * (right - left)) / 2 - scale * left
    y = (HIGH - scale * (bottom - top)) / 2 - scale * top
    return scale, x, y


def _box(window: Window, fit: tuple[float, float, float]) -> Box:
    scale, x, y = fit
    return Box(
        round(x + scale * window.x_min, 2), round(y + scale * window.y_min, 2),
        round(scale * window.width, 2), round(scale * window.height, 2),
    )  # fmt: skip


def overscan(planned: Planned) -> dict[str, Any]:
    """Draw delivery, render, and the least that something asks for; the sides are dragged."""
    sides = planned.overscan
    width, height = sides.size
    frame = Window(0, 0, width - 1, height - 1)
    room = max(0.06, 0.62 * (max(sides.factor) - 1))
    around = Window(
        round(-room * width), round(-room * height), round(width * (1 + room)), round(height * (1 + room))
    )
    fit = _fitted([around, sides.window])
    outer, inner = _box(sides.window, fit), _box(frame, fit)
    scale = fit[0]
    middle_x, middle_y = inner.x + inner.w / 2, inner.y + inner.h / 2
    return {
        "outer": outer, "inner": inner, "scale": scale, "least": _box(planned.least.window, fit) if
        planned.least else None,
        "handles": [
            ("left", outer.x, middle_y, "x", -1 / scale, sides.left, inner.x),
            ("top", middle_x, outer.y, "y", -1 / scale, sides.top, inner.y),
            ("right", outer.x + outer.w, middle_y, "x", 1 / scale, sides.right, inner.x + inner.w),
            ("bottom", middle_x, outer.y + outer.h, "y", 1 / scale, sides.bottom, inner.y + inner.h),
        ],
    }  # fmt: skip


def depth(planned: Planned) -> dict[str, Any]:
    """Draw the camera's reach along the distance: near, far, margins, clip planes."""
    settings, known = planned.settings, planned.known
    near, far = settings.near or known.near, settings.far or known.far
    clips = [value for value in (settings.clip_near, settings.clip_far) if value]
    values = [value for value in (near, far, *clips) if value]
    low, high = (min(values) / 3, max(values) * 3) if values else (0.5, 200.0)
    if high / low < 20:
        low, high = low / 2, high * 2
    axis = Axis(low, high, 90.0, 690.0)
    reach = planned.reach
    return {
        "axis": axis, "near": near, "far": far, "ticks": axis.ticks(),
        "near_x": axis.at(near or low * 3), "far_x": axis.at(far or high / 3),
        "band": (axis.at(reach.near), axis.at(reach.far)) if reach else None,
        "clips": [
            (name, axis.at(value)) for name, value in (("clip_near", settings.clip_near), ("clip_far",
            settings.clip_far))
            if value
        ],
    }  # fmt: skip


def stereo(planned: Planned) -> dict[str, Any]:
    """Draw the rig from above, and its parallax against what the screen allows."""
    rig, settings = planned.rig, planned.settings.rig
    if rig is None:
        return {}
    far = rig.farthest if math.isfinite(rig.farthest) else 12 * rig.subject
    low = min(rig.nearest, rig.told.convergence) / 2.5
    axis = Axis(low, max(far, rig.told.convergence) * 1.3, 120.0, 690.0)
    gap = Axis(0.0, max(2 * rig.told.interaxial, 1e-9), 0.0, 130.0, is_log=False)
    half = gap.at(rig.told.interaxial) / 2
    limits = (rig.limits.near, rig.limits.far)
    most = 1.25 * max(*(abs(share) for share in rig.shares), *(abs(limit) for limit in limits), 0.1)
    bar = Axis(-most, most, 120.0, 690.0, is_log=False)
    things = [("nearest", rig.nearest), ("subject", rig.subject), ("farthest", rig.farthest)]
    return {
        "rig": rig, "axis": axis, "ticks": axis.ticks(), "half": half, "gap": gap, "eye_y": (120 - half, 120
        + half),
        "screen_x": axis.at(rig.told.convergence), "bar": bar,
        "limits": (bar.at(limits[0]), bar.at(limits[1])),
        "things": [
            {
                "name": name, "x": axis.at(min(value, axis.high)), "share": share, "bar_x": bar.at(share),
                "px": px,
                "is_over": not limits[0] <= share <= limits[1],
            }
            for (name, value), share, px in zip(
                things, rig.shares, (rig.told.at_near, rig.told.at_subject, rig.told.at_far), strict=True
            )
        ],
        "is_typed": settings.interaxial is not None,
    }  # fmt: skip


def tiles(planned: Planned) -> dict[str, Any]:
    """Draw the tiles with what they share."""
    fit = _fitted([planned.window])
    tiling = planned.tiling
    return {
        "whole": _box(planned.window, fit),
        "frame": _box(Window(0, 0, planned.display[0] - 1, planned.display[1] - 1), fit),
        "boxes": [(place, _box(window, fit)) for place, window in tiling.windows] if tiling else [],
    }


def all_round(planned: Planned) -> dict[str, Any]:
    """Draw the all-round picture's eyes, and who stands in it."""
    kind = planned.settings.round.kind
    size = planned.size if kind is not Round.NOT else (4096, 2048)
    scale = min(400.0 / size[0], 300.0 / size[1])
    whole = Box(40.0, (HIGH - scale * size[1]) / 2, scale * size[0], scale * size[1])
    eyes = [whole]
    if kind is Round.BESIDE:
        eyes = [Box(whole.x + i * whole.w / 2, whole.y, whole.w / 2, whole.h) for i in range(2)]
    elif kind is Round.ABOVE:
        eyes = [Box(whole.x, whole.y + i * whole.h / 2, whole.w, whole.h / 2) for i in range(2)]
    height = planned.settings.round.eye_height_m
    ground = 350.0
    ruler = Axis(0.0, max(3.0, height * 1.15), ground, 60.0, is_log=False)
    return {
        "eyes": eyes, "whole": whole, "ground": ground, "eye_y": ruler.at(max(0.0, height)), "ruler": ruler,
        "person": ruler.at(1.75), "ticks": ruler.ticks(),
    }  # fmt: skip


def samples(planned: Planned) -> dict[str, Any]:
    """Draw a pixel with its samples, and the shutter with its own."""
    told = planned.settings.samples
    side = min(12, max(1, round(math.sqrt(told.picture))))
    dots = [
        (60 + 200 * (i + 0.5 + 0.28 * math.sin(7 * i + 3 * j)) / side, 70 + 200 * (j + 0.5 + 0.28 *
        math.cos(5 * i + j)) / side)
        for i in range(side)
        for j in range(side)
    ]  # fmt: skip
    time = Axis(-0.6, 1.1, 330.0, 690.0, is_log=False)
    open_, close = planned.shutter or (0.0, 0.0)
    count = min(told.shutter, 64) if planned.shutter else 1
    return {
        "dots": [(round(x, 1), round(y, 1)) for x, y in dots], "time": time, "open": time.at(open_),
        "close": time.at(close), "moments": [time.at(open_ + (close - open_) * (i + 0.5) / count) for i in
        range(count)],
        "frame_x": time.at(0.0), "next_x": time.at(1.0), "is_open": planned.shutter is not None,
    }  # fmt: skip


def lens(planned: Planned) -> dict[str, Any]:
    """Draw the sharp range along the distance."""
    sharp, shutter = planned.sharp, planned.settings.shutter
    focus = shutter.focus or planned.known.near or 5.0
    far = sharp.far_m if sharp and math.isfinite(sharp.far_m) else focus * 8
    axis = Axis(min(focus, sharp.near_m if sharp else focus) / 3, max(far, focus) * 2.5, 90.0, 690.0)
    return {
        "axis": axis, "ticks": axis.ticks(), "focus_x": axis.at(focus),
        "band": (axis.at(sharp.near_m), axis.at(min(sharp.far_m, axis.high))) if sharp else None,
        "goes_on": bool(sharp and not math.isfinite(sharp.far_m)), "opening": _opening(shutter.angle or 0.0),
    }  # fmt: skip


def _opening(angle: float) -> str:
    """Give the path of a shutter's opening of some degrees."""
    if not angle:
        return ""
    turn = math.radians(min(angle, 359.9))
    x, y = 150 + 54 * math.sin(turn), 320 - 54 * math.cos(turn)
    return f"M150 320V266A54 54 0 {int(angle > 180)} 1 {x:.2f} {y:.2f}Z"


def paper(planned: Planned) -> dict[str, Any]:
    """Draw the paper with its bleed."""
    told = planned.settings.paper
    if told.size_mm is None:
        return {}
    width, height = told.size_mm
    bleed = told.bleed_mm
    scale = min((WIDE - 2 * MARGIN) / (width + 2 * bleed), (HIGH - 2 * MARGIN) / (height + 2 * bleed))
    outer = Box(
        (WIDE - scale * (width + 2 * bleed)) / 2, (HIGH - scale * (height + 2 * bleed)) / 2,
        scale * (width + 2 * bleed), scale * (height + 2 * bleed),
    )  # fmt: skip
    return {
        "outer": outer,
        "inner": Box(outer.x + scale * bleed, outer.y + scale * bleed, scale * width, scale * height),
    }


def night(planned: Planned) -> dict[str, Any]:
    """Draw the hours of the night, what the frames take of them, and the disk."""
    told, settings = planned.night, planned.settings.night
    hours = Axis(0.0, max(settings.hours, told.hours if told else 0.0) * 1.1, 110.0, 690.0, is_log=False)
    return {
        "axis": hours, "ticks": hours.ticks(), "end": hours.at(settings.hours),
        "takes": hours.at(told.hours) if told else None, "is_over": bool(told and told.hours >
        settings.hours),
        "rows": min(settings.machines, 12),
        "disk": min(1.0, told.disk_bytes / (settings.disk_gb * 1e9)) if told and settings.disk_gb else None,
    }  # fmt: skip


def cameras(planned: Planned) -> dict[str, Any]:
    """Draw views and frames as a table of pictures."""
    columns = min(max(planned.count, 1), 8)
    rows = min(len(planned.views), 6)
    wide = min(72.0, 560.0 / columns)
    return {
        "cells": [
            Box(130 + col * (wide + 6), 60 + row * (wide * 0.5625 + 16), wide, wide * 0.5625)
            for row in range(rows)
            for col in range(columns)
        ],
        "rows": [(view, 60 + row * (wide * 0.5625 + 16) + wide * 0.28) for row, view in
        enumerate(planned.views[:rows])],
        "columns": [
            (130 + col * (wide + 6), str((planned.frames[0] if planned.frames else 1) + col)) for col in
            range(columns)
        ],
    }  # fmt: skip


DRAWN = {
    "overscan": overscan, "depth": depth, "stereo": stereo, "tiles": tiles, "round": all_round, "samples":
    samples,
    "lens": lens, "paper": paper, "night": night, "cameras": cameras,
}  # fmt: skip
"""What draws each part."""


def says_of(planned: Planned) -> dict[str, str]:
    """Say each part in a word or a number, for the list of parts."""
    settings, unit = planned.settings, planned.known.scene_unit
    reach, rig, told = planned.reach, planned.rig, planned.night
    frames = f"{planned.frames[0]}-{planned.frames[1]}" if planned.frames else "no frames yet"
    ordered = sum(line.is_ordered for line in planned.asked)
    return {
        "delivery": f"{planned.size[0]} × {planned.size[1]}, {frames}",
        "overscan": "none" if planned.overscan.sides == (0, 0, 0, 0) else "{} × "
        "{}".format(*planned.overscan.render),
        "depth": f"{say_length(reach.near)}-{say_length(reach.far, unit)}" if reach else "open",
        "stereo": f"{say_length(rig.told.interaxial, unit)} apart" if rig else "on" if settings.rig.on else
        "one eye",
        "round": settings.round.kind.says,
        "tiles": "one piece" if planned.tiling is None else f"{planned.tiling.cols} × {planned.tiling.rows}",
        "cameras": f"{len(planned.views)} views" if len(planned.views) > 1 else "one view",
        "samples": f"{settings.samples.picture} a pixel" + (f", {planned.scale:g} × as large" if
        planned.scale > 1 else ""),
        "pairs": settings.pairs.says,
        "lens": "all sharp" if planned.sharp is None else
        f"{say_length(planned.sharp.near_m)}-{_far(planned.sharp.far_m)}",
        "paper": "none" if settings.paper.size_mm is None else "{:g} × {:g} "
        "mm".format(*settings.paper.size_mm),
        "night": told.says if told else "no time yet",
        "passes": f"{ordered} passes",
    }  # fmt: skip


def _far(far_m: float) -> str:
    return say_length(far_m, "m") if math.isfinite(far_m) else "∞"
