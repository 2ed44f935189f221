"""The check everybody does by eye, done by the program.

Can this depth and this range be trusted? Looks at what was counted over all frames and at the
settings; answers with findings.
"""

from __future__ import annotations

from drawstring.core.depth.measure import DepthTally
from drawstring.core.depth.settings import DepthSettings, Overshoot
from drawstring.core.findings import Finding, Severity
from drawstring.core.units import say_length

CLIPPED_MUCH = 0.05
"""From this share on, clipping at one end is told."""

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
    near, far = settings.near, settings.far
    if not tally.seen or near is None or far is None:
        return found
    ends = f"{say_length(tally.nearest, unit)} to {say_length(tally.furthest, unit)}"
    if near > tally.furthest or far < tally.nearest:
        factor = max(near / tally.furthest, tally.nearest / far)
        guess = " The unit looks wrong." if factor > WRONG_UNIT else ""
        found.append(
            Finding(
                "range-misses-all",
                Severity.STOPS,
                f"Nothing lies between near and far: the picture spans {ends}.{guess}",
                where,
                "The whole picture would be one flat value.",
                f"Measure again, or type the distances in {unit}.",
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
