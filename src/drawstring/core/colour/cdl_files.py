"""ASC CDL corrections in and out: `.cdl`, `.cc` and `.ccc` files, by OpenColorIO.

Source: "ASC Color Decision List (ASC CDL) Transfer Functions and Interchange Syntax", ASC Technology
Committee, version 1.2, 2009.
"""

from __future__ import annotations

import os
from dataclasses import dataclass

import PyOpenColorIO as ocio

from drawstring.core.colour.grade import GradeSettings
from drawstring.core.errors import SettingError, SourceError
from drawstring.core.readers import Colour

KINDS = {"cdl": "ColorDecisionList", "cc": "ColorCorrection", "ccc": "ColorCorrectionCollection"}
"""Endings, and what the standard calls such a document."""

LARGEST = 4 << 20
"""Bytes of a file that is read."""


@dataclass(frozen=True)
class Correction:
    """One correction of a file.

    Attributes
    ----------
    name : str
        Its id; empty where it has none.
    slope, offset, power : (R, G, B)
    saturation : float
    """

    name: str
    slope: Colour
    offset: Colour
    power: Colour
    saturation: float

    def values(self, where: str = "assembly.grade") -> dict[str, str]:
        """Give it as settings that can be typed."""
        three = {"slope": self.slope, "offset": self.offset, "power": self.power}
        said = {f"{where}.{name}": " ".join(f"{v:.9g}" for v in value) for name, value in three.items()}
        return said | {f"{where}.cdl_saturation": f"{self.saturation:.9g}"}


def read_corrections(path: str, called: str = "") -> list[Correction]:
    """Read a file's corrections, in their order.

    Raises
    ------
    SourceError
        It is no such file, or holds none.
    """
    name = called or os.path.basename(path)
    why = "The correction can't be taken over."
    remedy = "Give a .cdl, .cc or .ccc file as the ASC has it."
    if os.path.getsize(path) > LARGEST:
        raise SourceError("It is far too large for corrections.", where=name, why=why, remedy=remedy)
    try:
        group = ocio.CDLTransform.CreateGroupFromFile(path)
        found = [one for one in group if isinstance(one, ocio.CDLTransform)]
    except ocio.Exception as error:
        first = str(error).splitlines()[0].replace(path, name)[:200]
        raise SourceError(f"It can't be read: {first}", where=name, why=why, remedy=remedy) from error
    if not found:
        raise SourceError("It holds no correction.", where=name, why=why, remedy=remedy)
    return [
        Correction(
            str(one.getFormatMetadata().getID()), _three(one.getSlope()), _three(one.getOffset()),
            _three(one.getPower()), float(one.getSat()),
        )
        for one in found
    ]  # fmt: skip


def chosen_correction(corrections: list[Correction], name: str) -> Correction:
    """Give the correction of an id, the only one where no id is named.

    Raises
    ------
    SettingError
        There is none of that id, or several and none is named.
    """
    if not name and len(corrections) == 1:
        return corrections[0]
    match = next((one for one in corrections if one.name == name), None) if name else None
    if match is None:
        known = ", ".join(one.name or "(no id)" for one in corrections[:20])
        several = f"The file holds {len(corrections)} corrections."
        raise SettingError(
            f"There is no correction “{name}”." if name else several,
            where="cdl", why="Nothing was changed.", remedy=f"Name one of: {known}.",
        )  # fmt: skip
    return match


def written_correction(grade: GradeSettings, kind: str, name: str) -> str:
    """Write a correction as the text of a file.

    Parameters
    ----------
    grade : GradeSettings
        As it is at a frame: only slope, offset, power and saturation of the CDL go out.
    kind : str
        "cdl", "cc" or "ccc".
    name : str
        Its id.

    Raises
    ------
    SettingError
        There is no such kind.
    """
    if kind not in KINDS:
        raise SettingError(
            f"There is no kind “{kind}”.", where="cdl", why="Nothing was written.",
            remedy=f"Choose {', '.join(KINDS)}.",
        )  # fmt: skip
    transform = ocio.CDLTransform()
    transform.setSlope(grade.slope)
    transform.setOffset(grade.offset)
    transform.setPower(grade.power)
    transform.setSat(grade.cdl_saturation)
    transform.getFormatMetadata().setID(name)
    group = ocio.GroupTransform([transform])
    return str(group.write(KINDS[kind], config=ocio.Config.CreateRaw()))


def _three(values: list[float]) -> Colour:
    red, green, blue = values
    return float(red), float(green), float(blue)
