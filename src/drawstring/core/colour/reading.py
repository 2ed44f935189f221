"""What colour space a source was written in, and its values brought into the working space.

Only what the file says and what its kind means is believed; a guess is told as one. Everything is computed in
scene-linear light of one working space, so a source that holds display values is undone here, by OpenColorIO,
and nowhere else. Data passes are never touched.
"""

from __future__ import annotations

import numpy as np

from drawstring.core.arrays import Picture
from drawstring.core.colour.management import HOUSE, LINEAR, WORKING, Management, space_steps, through
from drawstring.core.io.facts import FileFacts, PartFacts

_PRIMARIES = {name: primaries for name, (_, primaries) in WORKING.items()}


def suggest_space(facts: FileFacts, part: int = 0) -> tuple[str, str]:
    """Suggest the colour space in which a source's colours were written, and say why.

    Parameters
    ----------
    facts : FileFacts
    part : int

    Returns
    -------
    (str, str)
        A key of `management.SPACES`, and the reason.
    """
    one = facts.parts[part]
    if facts.kind == "openexr":
        return _of_openexr(one)
    types = {channel.pixel_type for channel in one.channels}
    said = str(one.metadata.get("oiio:ColorSpace", "")).lower()
    if facts.kind == "hdr":
        return LINEAR, "Radiance pictures are scene-linear"
    if facts.kind in ("dpx", "cineon"):
        transfer = str(one.metadata.get("dpx:Transfer", "")).lower()
        if "log" in transfer:
            return "log (ACEScct)", f"its header says the transfer is {transfer}; which log is a guess"
        if "linear" in transfer:
            return LINEAR, "its header says the transfer is linear"
        return "Rec.1886 video", "DPX without a known transfer; video is a guess"
    if types <= {"half", "float"}:
        return LINEAR, "it holds floating-point numbers, as scene-linear pictures do"
    bits = "8" if types == {"uint8"} else "16"
    reason = f"{facts.kind.upper()} of {bits} bits holds display values"
    return "sRGB display", f"{reason}, and says sRGB" if "srgb" in said else reason


def _of_openexr(part: PartFacts) -> tuple[str, str]:
    chromaticities = part.metadata.get("chromaticities")
    flat = [float(v) for v in np.ravel(chromaticities)] if isinstance(chromaticities, list | tuple) else []
    if len(flat) == 8:
        for name, primaries in _PRIMARIES.items():
            if np.allclose(flat, primaries, atol=2e-3):
                return name, f"its header's chromaticities are those of {name}"
    said = str(part.metadata.get("colorInteropID", "") or part.metadata.get("oiio:ColorSpace", "")).lower()
    for mark, name in (
        ("lin_ap1", "ACEScg"), ("acescg", "ACEScg"), ("lin_ap0", "ACES2065-1"), ("lin_p3", "linear P3"),
        ("lin_rec2020", "linear Rec.2020"), ("srgb_rec709", "sRGB display"),
    ):  # fmt: skip
        if mark in said:
            return name, f"its header says {said}"
    return LINEAR, "OpenEXR is scene-linear, and its header names no other primaries"


def to_working(picture: Picture, space: str, management: Management = HOUSE) -> Picture:
    """Bring colours into the working space.

    Parameters
    ----------
    picture : (H, W, 3) float32
        Values as they stand in the file.
    space : str
        One of the management's spaces.
    management : Management

    Returns
    -------
    (H, W, 3) float32

    Raises
    ------
    SettingError
        There is no such space.
    """
    if space == management.working:
        return picture
    return through(space_steps(space, management), picture)
