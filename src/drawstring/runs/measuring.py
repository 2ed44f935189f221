"""One frame counted: its distances, or what its passes hold. Runs in a worker."""

from __future__ import annotations

import logging
import os
from dataclasses import replace
from typing import Any

import numpy as np

from drawstring.core.arrays import Stored
from drawstring.core.camera import Moment, moment_of
from drawstring.core.depth import DepthSettings, FrameDistances, Held, along_of, tally
from drawstring.core.errors import DrawstringError
from drawstring.core.eyes.telling import told_parallax
from drawstring.core.io import limits
from drawstring.core.io.facts import ChannelRef, FileFacts, Window
from drawstring.core.io.frame import read_frame
from drawstring.core.io.headers import read_facts
from drawstring.core.io.pixels import use_threads
from drawstring.core.passes import COLOUR_ROLES, Pass, PassStatistics, Role, joined, pass_statistics
from drawstring.core.recipe import Recipe
from drawstring.core.recipe.homes import count, countings, tell
from drawstring.core.recipe.sources import (
    depth_inputs,
    depth_pass,
    of_view,
    other_views,
    pass_of,
    read_distances,
)
from drawstring.runs.plan import SourceFile

log = logging.getLogger(__name__)


def measure_frame(
    kind: str,
    number: int,
    files: tuple[SourceFile, ...],
    passes: tuple[Pass, ...],
    window: Window,
    recipe: Recipe | None = None,
    scene_unit: str = "m",
    is_looked_at: bool = False,
) -> tuple[int, Any]:
    """Count one frame: its distances, what its passes hold, or what a knot asks for.

    A refusal is an answer, not an exception.

    Parameters
    ----------
    kind : str
        "depth", "facts", or the name of a knot.
    recipe : Recipe, optional
        As it stands: how numbers are read.
    is_looked_at : bool
        Whether it is asked, too, what takes longer: along which line distances were measured, whether two
        renders line up.

    Returns
    -------
    number, answer
        `FrameDistances` for kind "depth"; for "facts" a dict of a pass's place to `PassStatistics`; a plain
        dict for a knot; a dict of words when the frame is refused.
    """
    use_threads(1)
    recipe = recipe or Recipe()
    try:
        here = {one.source: read_facts(one.path) for one in files}
        at = moment_of(here, frame=number, window=window, scene_unit=scene_unit)
        if kind == "depth":
            return number, _distances(here, passes, recipe.depth, at, is_looked_at=is_looked_at)
        if kind == "facts":
            return number, _statistics(here, passes, window, at, is_looked_at=is_looked_at)
        wanted = countings(passes, recipe).get(kind)
        refs = [ref for ref in (wanted.inputs if wanted else ()) if ref.source in here]
        # Of a picture that can't be held whole, what its middle says.
        bands = _bands(len(set(refs)), window)
        window = bands[len(bands) // 2]
        pixels = read_frame(here, refs, window=window)
        return number, count(kind, passes, recipe, pixels, at, is_looked_at=is_looked_at)
    except DrawstringError as error:
        return number, error.as_dict()
    except Exception as error:
        # One frame's pixels must not stop the counting of all others.
        log.exception("Frame %s can't be counted", number)
        names = ", ".join(os.path.basename(one.path) for one in files)
        return number, {
            "what": f"Frame {number} ({names}) can't be counted: {type(error).__name__}: {error}."
        }


def _distances(
    files: dict[int, FileFacts],
    passes: tuple[Pass, ...],
    depth: DepthSettings,
    at: Moment,
    *,
    is_looked_at: bool,
) -> FrameDistances:
    assert at.place is not None
    views = {view: of_view(passes, view) for view in other_views(passes)}
    measured = {"": of_view(passes, "")} | {v: own for v, own in views.items() if depth_pass(own) is not None}
    position = pass_of(Role.POSITION, measured[""]) if is_looked_at else None
    others = [one for one in measured[""] if one.role is Role.DEPTH and one is not depth_pass(measured[""])]
    twin = others[0].channels[0] if is_looked_at and others else None
    refs = [ref for own in measured.values() for ref in depth_inputs(own) if ref.source in files]
    refs += position.channels[:3] if position else ()
    refs += [twin] if twin and twin.source in files else []
    pixels = read_frame(files, list(dict.fromkeys(refs)), window=at.place.window)
    tallies = {}
    for view, own in measured.items():
        if all(ref in pixels for ref in depth_inputs(own)):
            read = read_distances(pixels, own, depth, at, repair=False)
            tallies[view] = tally(read.z, read.alpha, nothing=read.nothing)
    along = None
    if is_looked_at and depth.arrived.holds is Held.DISTANCES:
        # The numbers as they came, in scene units: what they were taken for does not matter here.
        plain = depth.model_copy(update={"along": depth.arrived.along})
        read = read_distances(pixels, measured[""], plain, at, repair=False)
        points = [np.asarray(pixels[ref], np.float32) for ref in position.channels[:3]] if position else []
        point = (points[0], points[1], points[2]) if len(points) == 3 else None
        beside = np.asarray(pixels[twin], np.float32) if twin and twin in pixels else None
        along = along_of(read.z, read.nothing, read.camera, at.place, point, beside)
    parallax = told_parallax(passes, pixels, at, depth)
    return FrameDistances(tallies.pop(""), tallies, along, parallax)


def _statistics(
    files: dict[int, FileFacts], passes: tuple[Pass, ...], window: Window, at: Moment, *, is_looked_at: bool
) -> dict[int, PassStatistics]:
    counted: dict[int, list[PassStatistics]] = {}
    planes = {ref for one in passes for ref in one.channels if ref.source in files}
    bands = _bands(len(planes), window)
    for i, band in enumerate(bands):
        refs = [ref for one in passes for ref in one.channels if ref.source in files]
        pixels = read_frame(files, refs, window=band)
        # What takes looking at neighbours is told by the middle band of a picture that can't be held whole.
        is_middle = i == len(bands) // 2
        told = tell(passes, pixels, at, is_looked_at=is_looked_at) if is_middle else {}
        if is_middle and len(bands) > 1:
            whole = tell(passes, _whole(files, passes, window), at, is_looked_at=is_looked_at)
            told |= {name: told.get(name, {}) | plain for name, plain in whole.items()}
        for place, one in enumerate(passes):
            if not all(ref in pixels for ref in one.channels):
                continue
            seen = pass_statistics(
                [pixels[ref] for ref in one.channels],
                has_alpha=one.role in COLOUR_ROLES and len(one.channels) == 4,
            )
            if seen.odd:
                seen = replace(seen, odd=(seen.odd[0] + band.y_min - window.y_min, seen.odd[1]))
            counted.setdefault(place, []).append(replace(seen, told=told.get(one.name, {})))
    return {place: joined(several) for place, several in counted.items()}


def _bands(planes: int, window: Window) -> list[Window]:
    """Cut a window into bands that can be held unpacked; nearly every frame is one band."""
    high = max(16, limits.WHOLE_BYTES // max(1, 4 * window.width * planes))
    if high >= window.height:
        return [window]
    tops = range(window.y_min, window.y_max + 1, high)
    return [window._replace(y_min=top, y_max=min(top + high - 1, window.y_max)) for top in tops]


def _whole(files: dict[int, FileFacts], passes: tuple[Pass, ...], window: Window) -> dict[ChannelRef, Stored]:
    """Read beauty and depth whole: of a picture of any size they are a few planes."""
    wanted = [one for one in passes if one.role in (Role.BEAUTY, Role.DEPTH)]
    refs = [ref for one in wanted for ref in one.channels if ref.source in files]
    return read_frame(files, refs, window=window)
