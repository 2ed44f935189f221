"""What the distance strip draws.

The picture's share at each distance, and everything that is settled along it.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from flask import Blueprint, request
from numpy.typing import NDArray

from drawstring.core.camera import Moment
from drawstring.core.depth import (
    DepthSettings,
    DepthTally,
    Falloff,
    FocusBy,
    MistFrom,
    clipped_shares,
    lens_for,
    normalise,
)
from drawstring.core.depth.measure import bin_edges
from drawstring.core.depth.mist import amount_at
from drawstring.core.depth.reading import lens_of
from drawstring.core.errors import DrawstringError
from drawstring.core.passes import Role
from drawstring.core.passes.hashed import names_in
from drawstring.core.recipe.sources import depth_inputs, of_view, pass_of, read_distances
from drawstring.core.units import say_length
from drawstring.store import deliveries, shows
from drawstring.store.depth import measured
from drawstring.web.depth.objects import object_ranges
from drawstring.web.pictures.here import FrameHere, frame_here, tried
from drawstring.web.services import work

bp = Blueprint("strip", __name__)

SIDE = (220, 72)
"""Columns and rows of the side view."""


@bp.get("/shots/<int:shot_id>/depth/strip")
def strip(shot_id: int) -> dict[str, Any]:
    """Give what the distance strip draws; settings in the query are tried out, nothing is written."""
    number = request.args.get("frame", 0, type=int)
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        recipe = tried(session, shot, request.args, number)
        unit = shot.show.scene_unit
        measurement = measured.measurement_of(deliveries.in_use(shot))
        tally = measured.whole_tally(session, shot.delivery)
        if measurement is None or tally is None or not tally.seen:
            return {"ready": False}
        this = measurement.frames.get(str(number))
        frames = _over_frames(measurement.frames)
        here = frame_here(session, shot_id, number) if this else None
    settings = recipe.depth
    moment = here.moment(0) if here else Moment(number)
    low, high = _ends_of(tally, settings, number)
    first, counts = tally.coarse()
    edges = bin_edges(np.arange(first, first + len(counts) + 1), coarse=True)
    most = max(counts) or 1
    z = np.unique(np.concatenate([np.geomspace(low, high, 160), np.linspace(low, high, 60)]))
    nearer, further = clipped_shares(tally, settings)
    return {
        "ready": True,
        "unit": unit,
        "low": low,
        "high": high,
        "nearest": tally.nearest,
        "furthest": tally.furthest,
        "near": settings.near,
        "far": settings.far,
        "locked": settings.locked,
        "edges": edges.tolist(),
        "all": [count / most for count in counts],
        "this": _this_frame(this, first, len(counts)),
        "frames": frames,
        "ticks": [{"at": at, "label": say_length(at)} for at in _ticks(low, high)],
        "linear_ticks": [{"at": at, "label": say_length(at)} for at in _even_ticks(low, high)],
        "curve": _curve(settings, z),
        "nearer": f"{nearer:.1%} nearer",
        "further": f"{further:.1%} further",
        "mist": _mists(settings, z, number),
        "focus": _focus(settings, z, moment, here, unit),
        "clips": _clips(here, moment),
    }


@bp.get("/shots/<int:shot_id>/depth/objects")
def objects(shot_id: int) -> dict[str, Any]:
    """Give where along the distance the frame's named objects lie, the largest in the picture first."""
    number = request.args.get("frame", 0, type=int)
    with work() as session:
        here = frame_here(session, shot_id, number)
        recipe = tried(session, shows.shot_by_id(session, shot_id), {}, number)
    passes = of_view(here.passes, "")
    named = pass_of(Role.OBJECT_MATTE, passes)
    if named is None or pass_of(Role.DEPTH, passes) is None:
        return {"objects": []}
    level = 1 if here.window.width > 900 else 0
    planes = here.planes([*depth_inputs(passes), *named.channels], level)
    read = read_distances(planes, passes, recipe.depth, here.moment(level), repair=False)
    headers = [part.metadata for facts in here.headers().values() for part in facts.parts]
    names = sorted({name for said in headers for name in names_in(said)})
    ranks = [planes[ref] for ref in named.channels]
    return {"objects": object_ranges(names, ranks, read.z, read.nothing)}


@bp.get("/shots/<int:shot_id>/depth/side")
def side(shot_id: int) -> dict[str, Any]:
    """Give the frame's points from the side.

    How many lie at each distance and height, and the view's cone.
    """
    number = request.args.get("frame", 0, type=int)
    with work() as session:
        here = frame_here(session, shot_id, number)
        shot = shows.shot_by_id(session, shot_id)
        recipe = tried(session, shot, request.args, number)
        unit = shot.show.scene_unit
    passes = of_view(here.passes, "")
    level = 2 if here.window.width > 900 else 0
    moment = here.moment(level)
    planes = here.planes(depth_inputs(passes), level)
    read = read_distances(planes, passes, recipe.depth, moment, repair=False)
    if read.nothing.all():
        return {"ready": False, "why": "No pixel of this frame holds a distance."}
    if not read.camera.has_lens or read.camera.is_latlong:
        return {
            "ready": False,
            "why": "The side view needs the lens of a pin-hole camera; the header has none.",
        }
    from drawstring.core.camera import slopes

    _, down = slopes(read.camera, moment.placed(read.z.shape), read.z.shape)
    # Far hills would squeeze everything else to the left edge: most of the picture, and what is settled,
    # counts.
    seen = read.z[~read.nothing]
    settled = [one.at(number).start * 1.5 for one in recipe.depth.mist if one.on]
    settled += [recipe.depth.focus.at(number).distance * 1.8] if recipe.depth.focus.on else []
    far = min(float(np.percentile(seen, 99.5)) * 1.1, max([float(np.percentile(seen, 75)) * 1.4, *settled]))
    half = float(np.abs(down).max())
    height = -np.broadcast_to(down, read.z.shape) * read.z
    within = ~read.nothing & (read.z < far)
    top = float(np.percentile(np.abs(height[within]), 99)) * 1.15 if within.any() else 1.0
    counts, _, _ = np.histogram2d(
        height[within], read.z[within], bins=(SIDE[1], SIDE[0]), range=((-top, top), (0, far))
    )
    focus = recipe.depth.focus.at(number)
    return {
        "ready": True,
        "unit": unit,
        "far": far,
        "top": top,
        "columns": SIDE[0],
        "rows": SIDE[1],
        "counts": [
            [int(row), int(col), round(float(v), 3)]
            for row, col in zip(*np.nonzero(counts), strict=True)
            if (v := min(1.0, 0.25 + math.log1p(counts[row, col]) / 6))
        ],
        "slope": half,
        "near_at": recipe.depth.near,
        "far_at": recipe.depth.far,
        "mist": [
            {
                "name": one.name,
                "start": one.at(number).start,
                "end": one.at(number).start + one.at(number).depth,
            }
            for one in recipe.depth.mist
            if one.on
        ],
        "focus": {"distance": focus.distance, "lean": math.tan(math.radians(focus.tilt))}
        if focus.on
        else None,
        "clips": _clips(here, moment),
        "ticks": [{"at": at, "label": say_length(at)} for at in _even_ticks(0, far)],
    }


def _ends_of(tally: DepthTally, settings: DepthSettings, number: int) -> tuple[float, float]:
    """Give the ends of the axis: whatever is measured or settled has its place on it."""
    low, high = tally.nearest / 1.35, tally.furthest * 1.35
    starts = [one.at(number).start for one in settings.mist if one.on and one.source is MistFrom.DEPTH]
    focus = [settings.focus.at(number).distance] if settings.focus.on else []
    for end in (settings.near, settings.far, *starts, *focus):
        if end and tally.nearest / 200 < end < tally.furthest * 200:
            low, high = min(low, end / 1.1), max(high, end * 1.1)
    return low, high


def _over_frames(curves: dict[str, dict[str, Any]]) -> list[list[float]]:
    """Give number, nearest, median and furthest of each frame that holds a distance, by number."""
    return [
        [int(number), one["nearest"], one["median"], one["furthest"]]
        for number, one in sorted(curves.items(), key=lambda item: int(item[0]))
        if one["nearest"] is not None
    ]


def _this_frame(curve: dict[str, Any] | None, first: int, length: int) -> list[float]:
    """Put one frame's counts on the bins of all frames, 1 for its own fullest."""
    if not curve or not curve["counts"]:
        return []
    most = max(curve["counts"])
    lifted = [0.0] * length
    for i, count in enumerate(curve["counts"]):
        at = curve["first_bin"] + i - first
        if 0 <= at < length:
            lifted[at] = count / most
    return lifted


def _ticks(low: float, high: float) -> list[float]:
    """Give round distances between two ends, about ten of them."""
    steps = (1, 2, 5) if high / low > 60 else (1, 1.5, 2, 3, 4, 6, 8)
    ticks = []
    power = 10.0 ** np.floor(np.log10(low))
    while power <= high:
        ticks += [step * power for step in steps if low <= step * power <= high]
        power *= 10
    return [float(round(tick, 6)) for tick in ticks]


def _even_ticks(low: float, high: float) -> list[float]:
    """Give round distances in equal steps."""
    rough = (high - low) / 9
    power = 10.0 ** math.floor(math.log10(rough))
    step = next(one * power for one in (1, 2, 5, 10) if one * power >= rough)
    return [float(round(tick, 6)) for tick in np.arange(math.ceil(low / step) * step, high, step) if tick > 0]


def _curve(settings: DepthSettings, z: NDArray[np.float64]) -> list[tuple[float, float]]:
    """Sample the value that each distance gets, for drawing."""
    if settings.near is None or settings.far is None:
        return []
    z = np.sort(np.append(z, [settings.near, settings.far]))
    drawn = np.clip(
        normalise(z[None].astype(np.float32), settings, nothing=np.zeros((1, z.size), bool))[0], 0, 1
    )
    return [(float(a), float(b)) for a, b in zip(z, drawn, strict=True)]


def _mists(settings: DepthSettings, z: NDArray[np.float64], number: int) -> list[dict[str, Any]]:
    """Sample how much of each mist lies before each distance."""
    told = []
    for place, layer in enumerate(settings.mist, start=1):
        one = layer.at(number)
        begins = one.start * (1 + 1e-6)
        at = np.sort(np.append(z, [begins, one.start + one.depth]))
        amount = amount_at(at.astype(np.float32), one)
        is_drawn = one.source is MistFrom.DEPTH
        told.append(
            {
                "place": place,
                "name": one.name,
                "on": one.on,
                "start": one.start if is_drawn else None,
                "end": one.start + one.depth if is_drawn and one.falloff is not Falloff.EXPONENTIAL else None,
                "curve": [(float(a), float(b)) for a, b in zip(at, amount, strict=True)] if is_drawn else [],
            }
        )
    return told


def _focus(
    settings: DepthSettings, z: NDArray[np.float64], moment: Moment, here: FrameHere | None, unit: str
) -> dict[str, Any] | None:
    """Sample the blur's radius at each distance, and say what is sharp."""
    if not settings.focus.on or here is None:
        return None
    focus = settings.focus.at(moment.frame)
    try:
        camera = lens_of(settings.arrived, moment.camera())
        lens = lens_for(focus, camera, width_px=here.display.width, unit_m=moment.scene_unit_m)
    except DrawstringError as refusal:
        return {"distance": focus.distance, "why": refusal.what, "curve": [], "sharp": None}
    z = np.sort(np.append(z, focus.distance))
    radius = np.abs(lens.radius(z.astype(np.float32)))
    sharp = lens.sharp_range()
    end = f"to {say_length(sharp[1], unit)}" if math.isfinite(sharp[1]) else f"{unit} and all beyond"
    largest = float(radius.max()) or 1.0
    by = f"{lens.focal_mm:g} mm, f/{focus.stop:g}" if focus.by is FocusBy.LENS else "by largest radius"
    return {
        "distance": focus.distance,
        "curve": [(float(a), float(b) / largest) for a, b in zip(z, radius, strict=True)],
        "largest": f"{largest:.1f} px",
        "radii": [(float(a), float(b)) for a, b in zip(z[::8], radius[::8], strict=True)],
        "sharp": [sharp[0], sharp[1] if math.isfinite(sharp[1]) else None],
        "says": f"sharp {say_length(sharp[0])} {end}",
        "by": by,
        "why": "",
    }


def _clips(here: FrameHere | None, moment: Moment) -> list[float]:
    camera = moment.camera() if here else None
    return [clip for clip in (camera.near_clip, camera.far_clip) if clip] if camera else []
