"""What colour space a source was written in, and its values brought into the working space.

Only what the file says and what its kind means is believed; a guess is told as one. Everything is computed in
scene-linear light with Rec. 709 primaries, so a source that holds display values is undone here, by
OpenColorIO's built-in configuration, and nowhere else. Data passes are never touched.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np
import PyOpenColorIO as ocio

from drawstring.core.arrays import Picture
from drawstring.core.colour.view import CONFIG, RENDERED_IN
from drawstring.core.errors import SettingError
from drawstring.core.io.facts import FileFacts, PartFacts

LINEAR = "linear"

SPACES: dict[str, str] = {
    LINEAR: RENDERED_IN,
    "sRGB display": "sRGB Encoded Rec.709 (sRGB)",
    "Rec.1886 video": "Gamma 2.4 Encoded Rec.709",
    "gamma 2.2": "Gamma 2.2 Encoded Rec.709",
    "gamma 1.8": "Gamma 1.8 Encoded Rec.709",
    "ACEScg": "ACEScg",
    "ACES2065-1": "ACES2065-1",
    "linear P3": "Linear P3-D65",
    "linear Rec.2020": "Linear Rec.2020",
    "log (ACEScct)": "ACEScct",
}
"""Our names for the configuration's spaces; the first is the working space."""

WORKING_PRIMARIES = (0.64, 0.33, 0.30, 0.60, 0.15, 0.06, 0.3127, 0.3290)
"""Of the working space: ITU-R BT.709-6, x and y of red, green, blue and white."""

_AP1 = (0.713, 0.293, 0.165, 0.830, 0.128, 0.044, 0.32168, 0.33767)
_AP0 = (0.7347, 0.2653, 0.0, 1.0, 0.0001, -0.077, 0.32168, 0.33767)
_P3 = (0.68, 0.32, 0.265, 0.69, 0.15, 0.06, 0.3127, 0.3290)
_REC2020 = (0.708, 0.292, 0.170, 0.797, 0.131, 0.046, 0.3127, 0.3290)
_PRIMARIES = {
    LINEAR: WORKING_PRIMARIES,
    "ACEScg": _AP1,
    "ACES2065-1": _AP0,
    "linear P3": _P3,
    "linear Rec.2020": _REC2020,
}
"""Chromaticities of red, green, blue and white: BT.709-6, S-2014-004, ST 2065-1, EG 432-1, BT.2020-2."""


def suggest_space(facts: FileFacts, part: int = 0) -> tuple[str, str]:
    """Suggest the colour space in which a source's colours were written, and say why.

    Parameters
    ----------
    facts : FileFacts
    part : int

    Returns
    -------
    (str, str)
        A key of `SPACES`, and the reason.
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


def read_space(text: str, where: str) -> str:
    """Read the name of a colour space.

    Raises
    ------
    SettingError
        There is no such space.
    """
    space = text.strip()
    if space not in SPACES:
        raise SettingError(
            f"There is no colour space “{space}”.", where=where, why="Its colours can't be read.",
            remedy=f"Choose {', '.join(SPACES)}.",
        )  # fmt: skip
    return space


def to_working(picture: Picture, space: str) -> Picture:
    """Bring colours into the working space: scene-linear, Rec. 709 primaries.

    Parameters
    ----------
    picture : (H, W, 3) float32
        Values as they stand in the file.
    space : str
        A key of `SPACES`.

    Returns
    -------
    (H, W, 3) float32

    Raises
    ------
    SettingError
        There is no such space.
    """
    if space == LINEAR:
        return picture
    converted = np.ascontiguousarray(picture, np.float32).copy()
    _processor(space).applyRGB(converted.reshape(-1, 3))
    return converted


@lru_cache(maxsize=16)
def _processor(space: str) -> Any:
    read_space(space, "arrivals.spaces")
    config = ocio.Config.CreateFromBuiltinConfig(CONFIG)
    return config.getProcessor(SPACES[space], RENDERED_IN).getDefaultCPUProcessor()
