"""What lies in a folder: sequences with their passes, gaps and faults.

The folder is listed, names are grouped, headers surveyed, one frame of each sequence is sampled to
recognise its passes. A single bad file never stops a scan.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from drawstring.core.arrays import Stored
from drawstring.core.arrivals.paths import inside_roots, is_below
from drawstring.core.arrivals.report import SequenceReport, sequence_report
from drawstring.core.arrivals.survey import Survey, survey
from drawstring.core.errors import DrawstringError
from drawstring.core.findings import Finding, Severity, gravest_first
from drawstring.core.io.facts import ChannelRef, FileFacts
from drawstring.core.io.pixels import read_channels
from drawstring.core.io.sequences import group

Surveyor = Callable[[list[str]], Survey]
Sampler = Callable[[str], Mapping[ChannelRef, Stored]]

READ = (".exr",)
PICTURES = (".png", ".tif", ".tiff", ".jpg", ".jpeg", ".dpx", ".hdr", ".tga")


@dataclass(frozen=True)
class Scan:
    """What one folder holds."""

    folder: str
    sequences: list[SequenceReport] = field(default_factory=list)
    findings: list[Finding] = field(default_factory=list)

    def as_dict(self) -> dict[str, object]:
        """Give the scan as plain data, for JSON."""
        return {
            "folder": self.folder,
            "sequences": [report.as_dict() for report in self.sequences],
            "findings": [finding.as_dict() for finding in self.findings],
        }


def sample_pixels(path: str) -> dict[ChannelRef, Stored]:
    """Read every channel of one frame, thinned out: what recognition needs.

    Hundreds of megabytes would travel between processes otherwise; every fourth row and column of a
    large picture tells the same.
    """
    from drawstring.core.io.headers import read_facts

    facts = read_facts(path)
    refs = [ChannelRef(part.index, channel.name) for part in facts.parts for channel in part.channels]
    planes = read_channels(path, refs, facts=facts)
    return {ref: plane[:: _step(plane), :: _step(plane)].copy() for ref, plane in planes.items()}


def _step(plane: Stored) -> int:
    return max(1, int(min(plane.shape)) // 256)


def scan(
    folder: str,
    *,
    roots: Sequence[str],
    surveyor: Surveyor = survey,
    sampler: Sampler = sample_pixels,
) -> Scan:
    """Scan a folder and everything below it.

    Parameters
    ----------
    folder : str
        As typed; must lie below one of the roots.
    roots : sequence of str
        Allowed source roots.
    surveyor, sampler : callable
        How headers and one frame's pixels are read; a caller may hand in ones that use other processes.

    Raises
    ------
    SourceError, MissingError
        The folder is outside the roots, or not there.
    """
    real = inside_roots(folder, roots)
    paths, findings = _list(real, roots)
    if not paths:
        findings.append(
            Finding(
                "folder-empty",
                Severity.STOPS,
                "There is no OpenEXR file in this folder or below it.",
                real,
                "Nothing can be accepted as a shot.",
                "Choose the folder that the renderer wrote to.",
            )
        )
        return Scan(real, [], gravest_first(findings))
    surveyed = surveyor(paths)
    reports = []
    for sequence in group(paths):
        whole = [p for _, p in sequence.files if surveyed.files[p].layout is not None]
        sampled: Mapping[ChannelRef, Stored] | None = None
        if whole:
            # The middle frame: first and last are the ones most often black.
            try:
                sampled = sampler(whole[len(whole) // 2])
            except DrawstringError:
                sampled = None
        report = sequence_report(sequence, surveyed, sampled)
        reports.append(report)
        findings += report.findings
    return Scan(real, reports, gravest_first(findings))


def _list(folder: str, roots: Sequence[str]) -> tuple[list[str], list[Finding]]:
    """List picture files below a folder; what is left out is said."""
    paths: list[str] = []
    outside: list[str] = []
    others: dict[str, int] = {}
    top = [folder] if os.path.isfile(folder) else []
    for place, folders, names in os.walk(folder):
        folders.sort()
        top += [os.path.join(place, name) for name in sorted(names)]
    for path in top:
        ending = os.path.splitext(path)[1].lower()
        if os.path.basename(path).startswith("."):
            continue
        if os.path.islink(path) and not any(is_below(os.path.realpath(path), root) for root in roots):
            outside.append(path)
        elif ending in READ:
            paths.append(path)
        elif ending in PICTURES:
            others[ending] = others.get(ending, 0) + 1
    findings = [
        Finding(
            "link-outside",
            Severity.WARNS,
            f"{os.path.basename(path)} is a link that leads out of the allowed folders.",
            path,
            "It was not read.",
            "Copy the file here, or add its folder to DRAWSTRING_ROOTS.",
        )
        for path in outside
    ]
    findings += [
        Finding(
            "not-openexr",
            Severity.NOTES,
            f"{count} {ending} files were left out.",
            folder,
            "Only OpenEXR is read.",
            "Deliver these passes as OpenEXR if they are needed.",
        )
        for ending, count in sorted(others.items())
    ]
    return paths, findings


def facts_of(surveyed: Survey, path: str) -> FileFacts | None:
    """Give the full facts of a surveyed file's layout (its own path may differ)."""
    layout = surveyed.files[path].layout
    return surveyed.facts[layout] if layout is not None else None
