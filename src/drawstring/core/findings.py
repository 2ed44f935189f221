"""One model for everything that was noticed about a shot, a file or a package.

A finding is a fact with consequences: how grave, where, why it matters downstream, and what mends it.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass
from enum import StrEnum


class Severity(StrEnum):
    """How grave a finding is."""

    STOPS = "stops"
    """The shot can't be packed truthfully until this is mended."""
    WARNS = "warns"
    """Packing goes on; somebody should look first."""
    NOTES = "notes"
    """Good to know."""


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
    """

    code: str
    severity: Severity
    what: str
    where: str
    why: str
    remedy: str

    def as_dict(self) -> dict[str, str]:
        """Give the finding as plain text by field."""
        return asdict(self)


ORDER = {Severity.STOPS: 0, Severity.WARNS: 1, Severity.NOTES: 2}


def gravest_first(findings: list[Finding]) -> list[Finding]:
    """Sort by severity, keeping the given order among equals."""
    return sorted(findings, key=lambda finding: ORDER[finding.severity])
