"""The check everybody does by eye, done by the program.

Can this depth and this range be trusted? Looks at what was counted over all frames and at the
settings; answers with findings.
"""

from __future__ import annotations

from collections.abc import Mapping

from drawstring.core.depth.measure import DepthTally
from drawstring.core.depth.reading_checks import unit_mends
from drawstring.core.depth.settings import DepthSettings, Edges, Overshoot
from drawstring.core.findings import Does, Finding, Mend, Severity, show_frame
from drawstring.core.io.facts import FileFacts
from drawstring.core.units import say_length

MIXED_MUCH = 0.02
"""From this share of the pixels at edges on, mixed ones are told."""

CLIPPED_MUCH = 0.05
"""From this share on, clipping at one end is told."""

LEAVES = 0.02
"""A frame leaves the range when its end lies beyond near or far by this share."""

CUT = 0.001
"""How close to a clip plane the picture must end to have been cut by it, as a share of its distance."""

WRONG_UNIT = 50.0
"""How many times too near or too far both ends must lie before another unit is suspected."""


def clipped_shares(tally: DepthTally, settings: DepthSettings) -> tuple[float, float]:
    """Give the shares of the seen pixels nearer than near and further than far; 0 where an end is open."""
    nearer = tally.share_nearer(settings.near) if settings.near else 0.0
    further = tally.share_further(settings.far) if settings.far else 0.0
    return nearer, further


def check_pass(tally: DepthTally, *, where: str) -> list[Finding]:
    """Check the measured depth by itself."""
    found = []
    if not tally.seen:
        found.append(
            Finding(
                "depth-all-nothing",
                Severity.STOPS,
                "No pixel of any frame holds a distance.",
                where,
                "A normalised depth would be one flat value.",
                "Switch the depth pass on, check the camera's far clip plane, and render again; "
                "or mark Depth as not needed.",
            )
        )
    elif tally.nearest == tally.furthest:
        found.append(
            Finding(
                "depth-one-distance",
                Severity.WARNS,
                f"Everything lies at {say_length(tally.nearest)}.",
                where,
                "Mist and focus would treat the whole picture alike.",
                "Check that this is the right pass: it may be a constant or a coverage.",
            )
        )
    if tally.mixed > max(MIXED_MUCH * tally.edges, 20):
        found.append(
            Finding(
                "depth-edges",
                Severity.WARNS,
                f"{tally.mixed / tally.edges:.1%} of the pixels at edges mix near and far.",
                where,
                "Mist and focus made from them show a rim around things.",
                "Take the nearer or the further side there, or have depth rendered without filtering.",
                mends=(
                    Mend("show", Does.PASS, (("pass", "depth_edges"),)),
                    Mend("take the nearer", Does.SET, (("depth.edges", "nearer"),)),
                    Mend("take the further", Does.SET, (("depth.edges", "further"),)),
                ),
            )
        )
    if tally.nan:
        found.append(
            Finding(
                "depth-nan",
                Severity.WARNS,
                f"{tally.nan:,} pixels are not numbers (NaN).",
                where,
                "Later filters spread NaN into black or white blocks.",
                "They are treated as “nothing there”. Render again if they fall on an object.",
            )
        )
    if tally.negative:
        found.append(
            Finding(
                "depth-negative",
                Severity.WARNS,
                f"{tally.negative:,} pixels have negative depth.",
                where,
                "Nothing lies behind the camera: the pass may be inverted or offset.",
                "They are treated as “nothing there”. Check the renderer's depth settings.",
            )
        )
    return found


def check_range(tally: DepthTally, settings: DepthSettings, *, unit: str, where: str) -> list[Finding]:
    """Check near and far against what was measured over all frames.

    Parameters
    ----------
    tally : DepthTally
        All frames together.
    settings : DepthSettings
    unit : str
        The scene's unit, for the words.
    where : str
        Which pass of which sequence.

    Returns
    -------
    list of Finding
    """
    found = check_pass(tally, where=where)
    if settings.edges is not Edges.AS_THEY_CAME:
        found = [finding for finding in found if finding.code != "depth-edges"]
    near, far = settings.near, settings.far
    if not tally.seen or near is None or far is None:
        return found
    ends = f"{say_length(tally.nearest, unit)} to {say_length(tally.furthest, unit)}"
    if near > tally.furthest or far < tally.nearest:
        factor = max(near / tally.furthest, tally.nearest / far)
        mends, said = unit_mends(tally, settings, unit)
        guess = f" {said}" if said else " The unit looks wrong." if factor > WRONG_UNIT else ""
        found.append(
            Finding(
                "range-misses-all",
                Severity.STOPS,
                f"Nothing lies between near and far: the picture spans {ends}.{guess}",
                where,
                "The whole picture would be one flat value.",
                f"Take the measured ends, or type the distances in {unit}.",
                mends=mends,
            )
        )
        return found
    nearer, further = clipped_shares(tally, settings)
    becomes = "becomes the end's value" if settings.overshoot is Overshoot.CLAMP else "leaves 0 to 1"
    for share, side, limit in ((nearer, "nearer than near", near), (further, "further than far", far)):
        if share >= CLIPPED_MUCH:
            found.append(
                Finding(
                    "range-clips",
                    Severity.WARNS,
                    f"{share:.1%} of the picture lies {side} ({say_length(limit, unit)}).",
                    where,
                    f"All of it {becomes}, so distances there can't be told apart.",
                    f"Widen the range to {ends}, or leave it if that part needs no depth.",
                )
            )
    span = far - near
    if span > 0 and (tally.furthest - tally.nearest) / span < 0.1:
        found.append(
            Finding(
                "range-too-wide",
                Severity.WARNS,
                f"The picture uses {(tally.furthest - tally.nearest) / span:.1%} of the range.",
                where,
                "Few of the values are used, so steps show in mist and focus.",
                f"Narrow near and far to {ends}.",
            )
        )
    return found


def check_frames(
    ends: Mapping[int, tuple[float, float]], settings: DepthSettings, *, unit: str, where: str
) -> list[Finding]:
    """Check each frame's own ends against near and far: where the picture leaves the range for a while.

    Parameters
    ----------
    ends : mapping of frame number to (nearest, furthest)
    settings : DepthSettings
    unit, where : str
        For the words.
    """
    near, far = settings.near, settings.far
    if near is None or far is None:
        return []
    found = []
    nearer = {n: low for n, (low, _) in ends.items() if low < near * (1 - LEAVES)}
    further = {n: high for n, (_, high) in ends.items() if high > far * (1 + LEAVES)}
    for several, side, end, worst in (
        (nearer, "nearer than near", "near", min),
        (further, "further than far", "far", max),
    ):
        # All frames beyond an end is a choice, told by the share that it clips; some are a surprise.
        if not several or len(several) == len(ends):
            continue
        distance = worst(several.values())
        number = next(n for n, reached in several.items() if reached == distance)
        count = f"{len(several)} of {len(ends)} frames go"
        found.append(
            Finding(
                "range-left",
                Severity.WARNS,
                f"{count if len(several) > 1 else f'Frame {number} goes'} {side}, "
                f"frame {number} to {say_length(distance, unit)}.",
                f"{where}, frame {number}",
                "What leaves the range is clipped there, and comes back into it in other frames.",
                f"Move {end} to {say_length(distance, unit)}, or see whether something strays into view.",
                frame=number,
                mends=(
                    show_frame(number),
                    Mend(
                        f"move {end} to {say_length(distance, unit)}",
                        Does.SET,
                        ((f"depth.{end}", f"{distance:.9g}"),),
                    ),
                ),
            )
        )
    return found


def check_clips(tally: DepthTally, facts: FileFacts, *, unit: str, where: str) -> list[Finding]:
    """Check the camera's clip planes, where the header names them, against what was measured.

    A picture that ends just at a clip plane was cut by it; a far plane ten thousand times the furthest thing
    leaves a depth buffer no precision.
    """
    said = facts.parts[0].metadata if facts.parts else {}
    near, far = said.get("nearClip"), said.get("farClip")
    if not tally.seen or not isinstance(near, int | float) or not isinstance(far, int | float):
        return []
    found = []
    for clip, end, name in ((near, tally.nearest, "near"), (far, tally.furthest, "far")):
        if abs(end - clip) <= CUT * clip:
            found.append(
                Finding(
                    "clip-cuts",
                    Severity.WARNS,
                    f"The picture ends at the camera's {name} clip plane, {say_length(float(clip), unit)}.",
                    where,
                    "What lies beyond the plane is missing from picture and depth.",
                    f"Move that plane {'closer' if name == 'near' else 'further away'} and render again.",
                )
            )
    return found
