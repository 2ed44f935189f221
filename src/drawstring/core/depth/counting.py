"""What is counted of a delivery for Depth: how much picture lies at each distance, and along which line."""

from __future__ import annotations

import base64
import json
import math
import zlib
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from drawstring.core.camera import Moment
from drawstring.core.depth.axis import AlongFound, along_of
from drawstring.core.depth.measure import DepthTally, FrameDistances, merged, tally
from drawstring.core.depth.settings import DepthSettings, Held
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import Role
from drawstring.core.recipe.counting import Counting
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.sources import (
    Pixels,
    depth_inputs,
    depth_pass,
    of_view,
    other_views,
    pass_of,
    read_distances,
)


def reading_of(settings: DepthSettings) -> str:
    """Name how a depth pass's numbers are read.

    What was measured under another name must be measured again.
    """
    return json.dumps([settings.arrived.model_dump(mode="json"), settings.along.value], sort_keys=True)


def counting(passes: Sequence[Pass], recipe: Recipe) -> Counting | None:
    """Say what has to be counted; None without a depth pass."""
    depth = depth_pass(passes)
    if depth is None:
        return None
    first = of_view(passes, "")
    position, twin = pass_of(Role.POSITION, first), _twin(first)
    looked_at = [*(position.channels[:3] if position else ()), *(twin.channels[:1] if twin else ())]
    beside = [ref for own in _measured(passes).values() for ref in depth_inputs(own)]
    return Counting(
        reading_of(recipe.depth),
        tuple(depth_inputs(passes)),
        "measuring depth",
        beside=tuple(beside),
        looked_at=tuple(looked_at),
        pass_name=depth.name,
        is_waited_for=True,
        is_whole=True,
    )


def count(
    passes: Sequence[Pass], recipe: Recipe, pixels: Pixels, at: Moment, *, is_looked_at: bool
) -> FrameDistances:
    """Count one frame: distances of every view and, of a frame that is looked at, along which line."""
    settings, own = recipe.depth, _measured(passes)
    tallies = {}
    for view, mine in own.items():
        if all(ref in pixels for ref in depth_inputs(mine)):
            read = read_distances(pixels, mine, settings, at, repair=False)
            tallies[view] = tally(read.z, read.alpha, nothing=read.nothing)
    is_told = is_looked_at and settings.arrived.holds is Held.DISTANCES
    along = _along(own[""], settings, pixels, at) if is_told else None
    return FrameDistances(tallies.pop(""), tallies, along)


def kept(counted: Mapping[int, FrameDistances]) -> tuple[dict[int, Any], dict[str, Any]]:
    """Give what is kept of all frames.

    Returns
    -------
    by frame : dict of number to what is drawn of it (`curve_of`)
    whole : dict
        The tally of all together (`tally_to_json`); `ends` by frame, `views` of the others, `along`.
    """
    first = {number: one.first for number, one in sorted(counted.items())}
    views = {view for one in counted.values() for view in one.views}
    by_view = {
        view: merged(one.views[view] for one in counted.values() if view in one.views) for view in views
    }
    alongs = [one.along for _, one in sorted(counted.items()) if one.along]
    whole = tally_to_json(merged(first.values())) | {
        "ends": {str(n): [one.nearest, one.furthest] for n, one in first.items() if one.seen},
        "views": {view: tally_to_json(one) for view, one in sorted(by_view.items())},
        "along": _agreed(alongs),
    }
    return {number: curve_of(one) for number, one in first.items()}, whole


def _measured(passes: Sequence[Pass]) -> dict[str, list[Pass]]:
    """Give the passes of each view whose distances are counted; the default one's under ""."""
    views = {view: of_view(passes, view) for view in other_views(passes)}
    with_depth = {view: own for view, own in views.items() if depth_pass(own) is not None}
    return {"": of_view(passes, "")} | with_depth


def _twin(first: Sequence[Pass]) -> Pass | None:
    """Give another depth pass of the same picture."""
    depth = depth_pass(first)
    return next((one for one in first if one.role is Role.DEPTH and one is not depth), None)


def _along(first: Sequence[Pass], settings: DepthSettings, pixels: Pixels, at: Moment) -> AlongFound:
    assert at.place is not None
    # The numbers as they came, in scene units: what they were taken for does not matter here.
    plain = settings.model_copy(update={"along": settings.arrived.along})
    read = read_distances(pixels, first, plain, at, repair=False)
    position, twin = pass_of(Role.POSITION, first), _twin(first)
    refs = position.channels[:3] if position else ()
    points = [np.asarray(pixels[ref], np.float32) for ref in refs if ref in pixels]
    point = (points[0], points[1], points[2]) if len(points) == 3 else None
    has_twin = twin is not None and twin.channels[0] in pixels
    beside = np.asarray(pixels[twin.channels[0]], np.float32) if twin and has_twin else None
    return along_of(read.z, read.nothing, read.camera, at.place, point, beside)


def _agreed(alongs: Sequence[AlongFound]) -> dict[str, Any] | None:
    """Give the line that most frames tell; those that can't tell do not outvote one that can."""
    known = [one.along for one in alongs if one.along is not None]
    best = max(set(known), key=known.count) if known else None
    evidence = next((one for one in alongs if one.along is best), None)
    if evidence is None:
        return None
    return {
        "is": best.value if best else None,
        "by": evidence.by,
        "off_axis": _finite(evidence.off_axis),
        "off_ray": _finite(evidence.off_ray),
        "focal_share": evidence.focal_share,
    }


def tally_to_json(counted: DepthTally) -> dict[str, Any]:
    """Give a tally as plain data, its counts packed."""
    packed = base64.b64encode(zlib.compress(counted.counts.astype("<i8").tobytes(), 6)).decode()
    return {
        "pixels": counted.pixels,
        "nothing": counted.nothing,
        "nan": counted.nan,
        "negative": counted.negative,
        "nearest": _number(counted.nearest),
        "furthest": _number(counted.furthest),
        "first_bin": counted.first_bin,
        "edges": counted.edges,
        "mixed": counted.mixed,
        "ways": [counted.infinite, counted.zero, counted.huge],
        "counts": packed,
    }


def tally_from_json(plain: Mapping[str, Any]) -> DepthTally:
    """Read a tally back."""
    counts = np.frombuffer(zlib.decompress(base64.b64decode(plain["counts"])), "<i8").astype(np.int64)
    nearest, furthest = (math.nan if plain[e] is None else plain[e] for e in ("nearest", "furthest"))
    return DepthTally(
        plain["pixels"],
        plain["nothing"],
        plain["nan"],
        plain["negative"],
        nearest,
        furthest,
        plain["first_bin"],
        counts,
        plain.get("edges", 0),
        plain.get("mixed", 0),
        *plain.get("ways", (0, 0, 0)),
    )


def curve_of(counted: DepthTally) -> dict[str, Any]:
    """Give what is drawn of one frame: ends, median, share of nothing, coarse counts."""
    first, counts = counted.coarse()
    return {
        "nearest": _number(counted.nearest),
        "furthest": _number(counted.furthest),
        "median": _number(counted.percentile(50)),
        "nothing": round(counted.nothing / max(1, counted.pixels), 5),
        "first_bin": first,
        "counts": counts,
    }


def _number(number: float) -> float | None:
    return None if math.isnan(number) else number


def _finite(number: float) -> float | None:
    return number if math.isfinite(number) else None
