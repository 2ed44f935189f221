"""Whether a depth pass is read for what it is: its unit, its line, its kind of numbers."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from drawstring.core.camera import Camera
from drawstring.core.depth.measure import DepthTally
from drawstring.core.depth.reading import can_be_read, lens_of
from drawstring.core.depth.settings import DepthSettings, Held, LengthUnit
from drawstring.core.findings import Does, Finding, Mend, Severity
from drawstring.core.units import METRES, say_length

CLOSE = 4.0
"""Two ranges look alike when their ends differ by less than this factor."""


def check_reading(
    tally: DepthTally,
    settings: DepthSettings,
    *,
    along: Mapping[str, Any] | None,
    said_unit: str,
    looks_normalised: bool,
    unit: str,
    where: str,
    alpha_is_empty: bool = False,
) -> list[Finding]:
    """Check how the pass is read against what was measured and what its header says.

    Parameters
    ----------
    tally : DepthTally
        As it was measured with these settings.
    along : mapping or None
        Along which line the distances were found to be measured ("is", "by").
    said_unit : str
        The unit that the header names; empty where it names none.
    looks_normalised : bool
        Whether the pass was recognised as values from 0 to 1.
    unit, where : str
        For the words.
    alpha_is_empty : bool
        Whether alpha is 0 in every frame.
    """
    arrived = settings.arrived
    found = []
    if alpha_is_empty and tally.seen:
        found.append(
            Finding(
                "depth-alpha-empty",
                Severity.NOTES,
                "Alpha is 0 everywhere, and the depth pass holds distances all the same.",
                where,
                "Taken at its word, it would say that there is nothing in the picture.",
                "It is not believed here: distances count where there are any. Ask the renderer for alpha "
                "if the picture is to be laid over another.",
            )
        )
    if arrived.holds is Held.SHARES:
        return found
    if looks_normalised and tally.seen and tally.furthest <= 1.001:
        found.append(
            Finding(
                "depth-normalised",
                Severity.WARNS,
                f"The pass spans {say_length(tally.nearest)} to {say_length(tally.furthest)}: "
                "it looks normalised already.",
                where,
                "Read as distances, everything would lie within one unit of the camera.",
                "Say that it holds 0 to 1 and type the two ends it was normalised with, if you know them.",
                mends=(Mend("it holds 0 to 1", Does.SET, (("depth.arrived.holds", Held.SHARES.value),)),),
            )
        )
    elif said_unit in METRES and said_unit != unit and arrived.unit is LengthUnit.SCENE:
        found.append(
            Finding(
                "depth-unit-said",
                Severity.WARNS,
                f"The file says its lengths are in {said_unit}; this show counts in {unit}.",
                where,
                f"Distances would be wrong by {METRES[said_unit] / METRES[unit]:g} times.",
                f"Read the pass in {said_unit}, or leave it if the file is wrong.",
                mends=(Mend(f"read it in {said_unit}", Does.SET, (("depth.arrived.unit", said_unit),)),),
            )
        )
    told = along.get("is") if along else None
    if told and told != arrived.along.value and not looks_normalised:
        by = {
            "position": "the position pass",
            "points": "the position pass",
            "twin": "the other depth pass",
            "planes": "flat surfaces",
        }.get(str(along and along["by"]), "")
        found.append(
            Finding(
                "depth-other-line",
                Severity.WARNS,
                f"The distances were measured along the {told}"
                + (f", as {by} show." if by else ": a picture of all directions has no axis."),
                where,
                "Read the other way, flat things come out curved towards the corners.",
                f"Read it as along the {told}; near, far, mist and focus then mean what they say.",
                mends=(Mend(f"it is along the {told}", Does.SET, (("depth.arrived.along", told),)),),
            )
        )
    elif along and told is None and tally.seen:
        found.append(
            Finding(
                "depth-line-unsure",
                Severity.NOTES,
                "Whether distances are along the ray or the axis could not be told.",
                where,
                "In the corners of a wide picture the two differ; in the middle they do not.",
                f"It is read as along the {arrived.along.says}: ask the renderer, "
                "or have a position pass rendered.",
            )
        )
    return found + _ways(tally, where)


def unit_mends(tally: DepthTally, settings: DepthSettings, unit: str) -> tuple[tuple[Mend, ...], str]:
    """Find the unit in which near and far, or the pass, would fit the other; both are offered.

    Parameters
    ----------
    tally : DepthTally
    settings : DepthSettings
        Near and far set, and nothing lying between them.
    unit : str
        The scene's.

    Returns
    -------
    mends : tuple of Mend
    said : str
        What it looks like; empty where no unit fits.
    """
    near, far = settings.near, settings.far
    if near is None or far is None:
        return (), ""
    typed, came = [], []
    for other in METRES:
        if other == unit:
            continue
        factor = METRES[other] / METRES[unit]
        typed.append((max(_apart(near * factor, tally.nearest), _apart(far * factor, tally.furthest)), other))
        came.append((max(_apart(tally.nearest * factor, near), _apart(tally.furthest * factor, far)), other))
    mends, said = [], []
    off, other = min(typed)
    if off < CLOSE:
        factor = METRES[other] / METRES[unit]
        ends = (("depth.near", f"{near * factor:.9g}"), ("depth.far", f"{far * factor:.9g}"))
        mends.append(Mend(f"they were meant in {other}", Does.SET, ends))
        said.append(f"near and far look like {other}")
    off, other = min(came)
    # A range that was right for the pass before tells that this one came in another unit.
    if off < CLOSE:
        mends.append(Mend(f"read the pass in {other}", Does.SET, (("depth.arrived.unit", other),)))
        said.append(f"the pass looks like {other}")
    sentence = " or ".join(said)
    return tuple(mends), f"{sentence[:1].upper()}{sentence[1:]}." if said else ""


def _apart(a: float, b: float) -> float:
    return max(a / b, b / a)


def check_known(
    settings: DepthSettings, camera: Camera, where: str, *, focal_share: float | None = None
) -> list[Finding]:
    """Check that everything is known that the reading needs, before anything is measured.

    That is the ends of values from 0 to 1, and the lens where rays and axis are turned into each other.

    Parameters
    ----------
    focal_share : float, optional
        Focal length as a share of the film's width, where points or another depth pass told it.
    """
    found: list[Finding] = []
    arrived = settings.arrived
    if arrived.along is not settings.along and not lens_of(arrived, camera).has_lens:
        found.append(
            Finding(
                "depth-lens-unknown",
                Severity.STOPS,
                f"Distances along the {arrived.along.says} are to be used along the "
                f"{settings.along.says}, but no lens is known.",
                where,
                "Without its angle, one can't be turned into the other.",
                "Type focal length and film width, or use the distances as they came.",
                mends=(
                    *_lens_mends(focal_share),
                    Mend("use them as they came", Does.SET, (("depth.along", arrived.along.value),)),
                ),
            )
        )
    if can_be_read(settings):
        return found
    return [
        *found,
        Finding(
            "depth-ends-unknown",
            Severity.STOPS,
            "The pass holds values from 0 to 1, and the distances of its ends are not known.",
            where,
            "A value between 0 and 1 stands for no distance without them.",
            "Type the near and far with which it was normalised; or have real depth rendered.",
        ),
    ]


FILM_MM = 36.0
"""Width of the film for which a measured lens is told; only the quotient matters."""


def _lens_mends(focal_share: float | None) -> tuple[Mend, ...]:
    if focal_share is None:
        return ()
    focal = f"{focal_share * FILM_MM:.4g}"
    values = (("depth.arrived.focal_mm", focal), ("depth.arrived.filmback_mm", f"{FILM_MM:g}"))
    return (Mend(f"take the measured lens, {focal} mm on {FILM_MM:g} mm", Does.SET, values),)


def _ways(tally: DepthTally, where: str) -> list[Finding]:
    ways = [
        f"{count:,} pixels as {name}"
        for name, count in (("infinity", tally.infinite), ("0", tally.zero), ("a huge number", tally.huge))
        if count
    ]
    if len(ways) < 2:
        return []
    return [
        Finding(
            "depth-nothing-mixed",
            Severity.NOTES,
            f"“Nothing there” is written in {len(ways)} ways: {', '.join(ways)}.",
            where,
            "Programs downstream usually know one of them and take the other for a distance.",
            "Here all of them count as nothing, and the normalised depth holds one value for them.",
        )
    ]
