"""One model for everything that was noticed about a shot, a file or a package.

A finding is a fact with consequences: how grave, where, why it matters downstream, and what mends it.
"""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import asdict, dataclass
from enum import StrEnum
from typing import Any


class Severity(StrEnum):
    """How grave a finding is."""

    STOPS = "stops"
    """The shot can't be packed truthfully until this is mended."""
    WARNS = "warns"
    """Packing goes on; somebody should look first."""
    NOTES = "notes"
    """Good to know."""


class Does(StrEnum):
    """What pressing a mend does."""

    SET = "set"
    """Change settings of the recipe: `values` by dotted name."""
    FRAME = "frame"
    """Show the frame named in `values`."""
    PASS = "pass"
    """Lay the pass named in `values` into the well."""
    TWIN = "twin"
    """Choose the other one of two twins: the pass named in `values`."""
    ASK = "ask"
    """Put frames and passes of an ordered render into the next repair order."""


@dataclass(frozen=True)
class Mend:
    """A press that mends a finding or shows it.

    Attributes
    ----------
    label : str
        What the button says.
    does : Does
    values : tuple of (str, str)
    """

    label: str
    does: Does
    values: tuple[tuple[str, str], ...] = ()


@dataclass(frozen=True)
class Finding:
    """One thing noticed.

    Attributes
    ----------
    code : str
        Stable short name, documented in docs/findings.md.
    severity : Severity
    what : str
        A whole sentence with the numbers in it.
    where : str
        Sequence, frame, pass or pixel.
    why : str
        What would go wrong downstream.
    remedy : str
        What mends it.
    frame : int, optional
    pass_name : str
    pixel : (x, y), optional
        In the display window's coordinates.
    mends : tuple of Mend
    """

    code: str
    severity: Severity
    what: str
    where: str
    why: str
    remedy: str
    frame: int | None = None
    pass_name: str = ""
    pixel: tuple[int, int] | None = None
    mends: tuple[Mend, ...] = ()

    @property
    def fact(self) -> str:
        """A short digest of what was found: when the fact changes, so does this."""
        return hashlib.sha256(f"{self.code}|{self.where}|{self.what}".encode()).hexdigest()[:16]

    def as_dict(self) -> dict[str, Any]:
        """Give the finding as plain data by field."""
        return asdict(self)


def finding_from_dict(plain: Mapping[str, Any]) -> Finding:
    """Read a finding back from plain data; fields that a later version added may be missing."""
    said = dict(plain)
    said["severity"] = Severity(said["severity"])
    said["pixel"] = tuple(said["pixel"]) if said.get("pixel") else None
    said["mends"] = tuple(
        Mend(mend["label"], Does(mend["does"]), tuple((str(a), str(b)) for a, b in mend["values"]))
        for mend in said.get("mends", ())
    )
    return Finding(**said)


def show_frame(number: int) -> Mend:
    """Make the press that shows a frame."""
    return Mend(f"show {number}", Does.FRAME, (("frame", str(number)),))


def show_pass(name: str) -> Mend:
    """Make the press that lays a pass into the well."""
    return Mend("look at it", Does.PASS, (("pass", name),))


ORDER = {Severity.STOPS: 0, Severity.WARNS: 1, Severity.NOTES: 2}


def gravest_first(findings: list[Finding]) -> list[Finding]:
    """Sort by severity, keeping the given order among equals."""
    return sorted(findings, key=lambda finding: ORDER[finding.severity])
