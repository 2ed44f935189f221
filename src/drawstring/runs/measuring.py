"""One frame counted: what its passes hold, or what a knot asks for. Runs in a worker."""

from __future__ import annotations

import logging
import os
from contextlib import suppress
from dataclasses import replace
from typing import Any

from drawstring.core.arrays import Stored
from drawstring.core.camera import Moment, moment_of
from drawstring.core.errors import DrawstringError
from drawstring.core.io import limits
from drawstring.core.io.facts import ChannelRef, FileFacts, Window
from drawstring.core.io.frame import read_frame
from drawstring.core.io.headers import read_facts
from drawstring.core.io.packed import digests_of
from drawstring.core.io.pixels import use_threads
from drawstring.core.passes import COLOUR_ROLES, Pass, PassStatistics, Role, joined, pass_statistics
from drawstring.core.recipe import Recipe
from drawstring.core.recipe.counting import FACTS
from drawstring.core.recipe.homes import count, countings, tell
from drawstring.runs.kept_planes import Keeps, keep_sheet
from drawstring.runs.run_plan import SourceFile

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
    """Count one frame: what its passes hold, or what a knot asks for.

    A refusal is an answer, not an exception.

    Parameters
    ----------
    kind : str
        `FACTS`, or the name of a knot.
    recipe : Recipe, optional
        As it stands: how numbers are read.
    is_looked_at : bool
        Whether it is asked, too, what takes longer: whether two renders line up, for instance.

    Returns
    -------
    number, answer
        For `FACTS` a dict of a pass's place to `PassStatistics`; for a knot what its home counts; a dict of
        words when the frame is refused.
    """
    use_threads(1)
    recipe = recipe or Recipe()
    try:
        here = {one.source: read_facts(one.path) for one in files}
        at = moment_of(here, frame=number, window=window, scene_unit=scene_unit)
        if kind == FACTS:
            return number, _statistics(here, passes, window, at, is_looked_at=is_looked_at)
        pixels = _for_knot(kind, here, passes, recipe, window, is_looked_at=is_looked_at)
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


def look_through(
    kind: str, number: int, files: tuple[SourceFile, ...], *asked: Any, keeps: Keeps | None = None
) -> tuple[int, Any, dict[int, tuple[str, ...]]]:
    """Count one frame as `measure_frame` does, and digest what its files hold as it is packed.

    What was unpacked once need not be unpacked again to be copied: equal bytes, equal pixels.

    Parameters
    ----------
    keeps : Keeps, optional
        Where the frame's small pictures are kept, where anybody will look at just this one.

    Returns
    -------
    number, answer, packed
        `packed` by source: a digest of each part, none where a file can't be copied by parts.
    """
    packed: dict[int, tuple[str, ...]] = {}
    if kind == FACTS:
        packed = {one.source: digests_of(one.path) for one in files}
    number, answer = measure_frame(kind, number, files, *asked)
    if kind == FACTS and any(_has_changed(one) for one in files):
        packed = {}
    elif keeps is not None and "what" not in answer:
        with suppress(DrawstringError, OSError):  # then it is unpacked for whoever looks at it
            keep_sheet({one.source: _as_accepted(one) for one in files}, asked[0], asked[1], keeps)
    return number, answer, {source: told for source, told in packed.items() if told}


def _as_accepted(file: SourceFile) -> FileFacts:
    return replace(read_facts(file.path), size_bytes=file.size_bytes, mtime_ns=file.mtime_ns)


def _has_changed(file: SourceFile) -> bool:
    """Whether a file is another one than was accepted: then nothing is known of what was unpacked."""
    try:
        now = os.stat(file.path)
    except OSError:
        return True
    return (now.st_size, now.st_mtime_ns) != (file.size_bytes, file.mtime_ns)


def _for_knot(
    knot: str,
    files: dict[int, FileFacts],
    passes: tuple[Pass, ...],
    recipe: Recipe,
    window: Window,
    *,
    is_looked_at: bool,
) -> dict[ChannelRef, Stored]:
    """Read what a knot counts; of a picture that can't be held whole, its middle where that is enough."""
    wanted = countings(passes, recipe).get(knot)
    if wanted is None:
        return {}
    named = [*wanted.inputs, *wanted.beside, *(wanted.looked_at if is_looked_at else ())]
    refs = [ref for ref in dict.fromkeys(named) if ref.source in files]
    bands = [window] if wanted.is_whole else _bands(len(refs), window)
    return read_frame(files, refs, window=bands[len(bands) // 2])


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
