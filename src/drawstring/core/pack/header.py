"""What the packed file's header says: what the source said, and what was done to it.

Attribute names are OpenEXR's own where it defines one; ours begin with `drawstring.`.
"""

from __future__ import annotations

from collections.abc import Mapping
from fractions import Fraction
from typing import Any

from drawstring.core.colour.management import HOUSE, Management
from drawstring.core.io.attributes import Exact, told
from drawstring.core.io.facts import FileFacts

SOFTWARE = "drawstring 0.1.0"
DATA_ID = "data"
"""Of the Color Interop Forum: what is no colour at all."""
_OF_COLOUR = frozenset({"chromaticities", "colorInteropID", "adoptedNeutral", "oiio:ColorSpace"})


def header_of(
    facts: FileFacts,
    *,
    shot: str,
    frame: int,
    version: int,
    recipe_digest: str,
    scene_unit: str,
    management: Management = HOUSE,
    by_knots: Mapping[str, Any] | None = None,
    is_converted: bool = False,
    alpha: str = "premultiplied",
    profile: str = "",
    frame_rate: float = 0.0,
    source_version: int = 0,
) -> dict[str, Any]:
    """Write the attributes of one packed frame.

    Parameters
    ----------
    facts : FileFacts
        The source; its own attributes are kept.
    shot : str
    frame, version : int
    recipe_digest : str
        Which settings made the file.
    scene_unit : str
        Unit of all distances.
    management : Management
        Of its colours.
    by_knots : mapping of attribute to value, optional
        What knots say of what they made (`core.recipe.homes.header_by_knots`).
    is_converted : bool
        Whether colours were brought into the working space: then the source's own say no longer holds.
    alpha : str
        "premultiplied" or "straight", as colours go out.
    profile : str
        Name and version of the profile that was asked for.
    frame_rate : float
        Frames a second; 0 where it is not known.
    source_version : int
        Of the delivery; 0 where it has none.
    """
    source = facts.parts[0]
    kept: Mapping[str, Any] = source.metadata
    said: dict[str, Any] = {
        key: value
        for key, value in told(kept, source.kinds).items()
        if (isinstance(value, Exact) or _can_be_written(value)) and not key.startswith("drawstring.")
    }
    if is_converted:
        said = {key: value for key, value in said.items() if key not in _OF_COLOUR}
        said["chromaticities"] = list(management.primaries)
    said |= {
        "software": SOFTWARE,
        "drawstring.shot": shot,
        "drawstring.frame": frame,
        "drawstring.version": version,
        "drawstring.recipe": recipe_digest,
        "drawstring.sceneUnit": scene_unit,
    }
    said["imageCounter"] = frame
    if frame_rate > 0:
        said["framesPerSecond"] = _rate(said.get("framesPerSecond"), frame_rate)
        said["drawstring.frameRate"] = float(frame_rate)
        said.setdefault("timeCode", time_code(frame, frame_rate))
    if source_version:
        said["drawstring.sourceVersion"] = source_version
    said.setdefault("chromaticities", list(management.primaries))
    # "Color Interop ID" of the ASWF's Color Interop Forum.
    said["colorInteropID"] = management.interop_id
    said["drawstring.alpha"] = alpha
    if profile:
        said["drawstring.profile"] = profile
    return said | dict(by_knots or {})


_OVER_1001 = (24, 30, 48, 60, 120)


def _rate(kept: Any, frame_rate: float) -> Any:
    """Give the rate as a fraction: the source's own where it is this rate, else the broadcasters' for it."""
    if isinstance(kept, Exact) and kept.kind.startswith("rational") and abs(kept.value - frame_rate) < 1e-3:
        return kept
    for whole in _OVER_1001:
        if abs(frame_rate - whole * 1000 / 1001) < 5e-3:
            return Fraction(whole * 1000, 1001)
    return Fraction(frame_rate).limit_denominator(1001)


def time_code(frame: int, frame_rate: float) -> list[int]:
    """Give hours, minutes, seconds and frame, counted without dropping (SMPTE ST 12-1:2014).

    Examples
    --------
    >>> time_code(1001, 24)
    [0, 0, 41, 17]
    """
    rate = max(1, round(frame_rate))
    seconds, rest = divmod(max(0, frame), rate)
    return [seconds // 3600 % 24, seconds // 60 % 60, seconds % 60, rest]


def _can_be_written(value: Any) -> bool:
    if isinstance(value, str | int | float):
        return True
    if not isinstance(value, list) or not value:
        return False
    if all(isinstance(item, str) for item in value):
        return True
    flat = [item for row in value for item in (row if isinstance(row, list) else [row])]
    return len(flat) in (2, 3, 8, 9, 16) and all(isinstance(item, int | float) for item in flat)
