"""One sequence as it came in: frames, usual layout, passes and what is wrong with it."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from drawstring.core.arrays import Stored
from drawstring.core.arrivals.survey import Survey, Surveyed
from drawstring.core.findings import Finding, Severity
from drawstring.core.io.facts import ChannelRef, FileFacts, Window, differences
from drawstring.core.io.sequences import Sequence
from drawstring.core.passes.recognition import Pass, recognise
from drawstring.core.passes.roles import Role

_VERSION = re.compile(r"(?:^|[._/\-])v(?P<number>\d{1,4})(?=$|[._/\-])", re.IGNORECASE)
_CODE = re.compile(r"^(?P<code>[A-Za-z]+[A-Za-z0-9]*?\d+|[A-Za-z0-9]+)")


STRAY = 200
"""From so many missing frames in a row on, a wrong number is likelier than a lost render."""


@dataclass(frozen=True)
class FrameReport:
    """One frame: its number, file and, if it can't be used, why."""

    number: int
    path: str
    size_bytes: int
    mtime_ns: int
    fault: str = ""


@dataclass(frozen=True)
class SequenceReport:
    """A sequence with everything that was found out about it.

    Attributes
    ----------
    folder, pattern : str
    code, view, version : str, str, int
        What the name suggests; 0 where it gives no version.
    frames : list of FrameReport
        Those that are there, by number, usable or not.
    missing : list of int
    facts : FileFacts or None
        Of the most usual layout; None when no frame could be read.
    passes : list of Pass
    findings : list of Finding
    """

    folder: str
    pattern: str
    code: str
    view: str
    version: int
    frames: list[FrameReport]
    missing: list[int]
    facts: FileFacts | None
    passes: list[Pass] = field(default_factory=list)
    findings: list[Finding] = field(default_factory=list)

    @property
    def first(self) -> int:
        """The lowest frame number."""
        return self.frames[0].number

    @property
    def last(self) -> int:
        """The highest frame number."""
        return self.frames[-1].number

    @property
    def unreadable(self) -> list[int]:
        """Frames that are there but can't be used."""
        return [frame.number for frame in self.frames if frame.fault]

    @property
    def data_window(self) -> Window | None:
        """The usual data window, of the first part."""
        return self.facts.parts[0].data_window if self.facts else None

    @property
    def display_window(self) -> Window | None:
        """The usual display window."""
        return self.facts.parts[0].display_window if self.facts else None

    def as_dict(self) -> dict[str, Any]:
        """Give the report as plain data, for JSON."""
        data, display = self.data_window, self.display_window
        return {
            "folder": self.folder,
            "pattern": self.pattern,
            "shot": self.code,
            "view": self.view,
            "version": self.version,
            "first": self.first,
            "last": self.last,
            "missing": self.missing,
            "unreadable": self.unreadable,
            "width": display.width if display else None,
            "height": display.height if display else None,
            "data_window": list(data) if data else None,
            "display_window": list(display) if display else None,
            "compression": self.facts.parts[0].compression if self.facts else None,
            "passes": [
                {
                    "name": one.name,
                    "layer": one.layer,
                    "role": one.role.value,
                    "confidence": one.confidence,
                    "reason": one.reason,
                    "view": one.view,
                    "channels": [ref.name for ref in one.channels],
                }
                for one in self.passes
            ],
            "findings": [finding.as_dict() for finding in self.findings],
        }


def sequence_report(
    sequence: Sequence, surveyed: Survey, sampled: Mapping[ChannelRef, Stored] | None
) -> SequenceReport:
    """Put together what is known of one sequence.

    Parameters
    ----------
    sequence : Sequence
    surveyed : Survey
        Holds every file of the sequence.
    sampled : mapping of ChannelRef to (H, W), optional
        One frame's pixels, for recognition.
    """
    entries = [(number, surveyed.files[path]) for number, path in sequence.files]
    layouts = Counter(entry.layout for _, entry in entries if entry.layout is not None)
    usual = surveyed.facts[layouts.most_common(1)[0][0]] if layouts else None
    findings = _gaps(sequence) + _faults(sequence, entries)
    frames = []
    for number, entry in entries:
        fault = entry.fault["what"] if entry.fault else ""
        if not fault and usual and entry.layout != usual.layout:
            said = "; ".join(differences(surveyed.facts[entry.layout], usual))  # type: ignore[index]
            fault, odd = _odd(sequence, number, said, surveyed.facts[entry.layout], usual)  # type: ignore[index]
            findings.append(odd)
        frames.append(FrameReport(number, entry.path, entry.size_bytes, entry.mtime_ns, fault))
    passes = recognise(usual, sampled) if usual else []
    if usual:
        findings += _pass_findings(sequence, passes)
    code, version = _read_name(sequence)
    return SequenceReport(
        sequence.folder, sequence.pattern, code, usual.parts[0].view if usual else "", version, frames,
        sequence.missing, usual, passes, findings,
    )  # fmt: skip


def _read_name(sequence: Sequence) -> tuple[str, int]:
    """Suggest a shot code and a version from the name, else from the folder."""
    match = _CODE.match(sequence.base)
    version = _VERSION.search(sequence.base) or _VERSION.search(sequence.folder)
    return (match["code"] if match else "shot"), int(version["number"]) if version else 0


def _gaps(sequence: Sequence) -> list[Finding]:
    found = []
    for low, high in sequence.gaps:
        which = f"Frame {low}" if low == high else f"Frames {low} to {high}"
        stray = high - low >= STRAY and "A stray number may be meant: check the padding. "
        found.append(
            Finding(
                "frame-missing",
                Severity.WARNS,
                f"{which} did not arrive.",
                f"{sequence.pattern}, {which[0].lower()}{which[1:]}",
                "The package would have a hole there, and playback a jump.",
                f"{stray or ''}Render what is missing and scan again; the others can go on.",
            )
        )
    for number, path in sequence.duplicates:
        found.append(
            Finding(
                "frame-twice",
                Severity.WARNS,
                f"Frame {number} is there twice, with different padding.",
                path,
                "It is not clear which one is meant; this one was left out.",
                "Remove or rename the wrong one and scan again.",
            )
        )
    if sequence.is_still:
        found.append(
            Finding(
                "still",
                Severity.NOTES,
                f"{sequence.pattern} has no frame number.",
                sequence.pattern,
                "It is taken for a still; a sequence whose padding was forgotten overwrites itself.",
                "If a sequence was meant, render again with a padded frame number in the name.",
            )
        )
    return found


def _faults(sequence: Sequence, entries: list[tuple[int, Surveyed]]) -> list[Finding]:
    return [
        Finding(
            "frame-unreadable",
            Severity.WARNS,
            entry.fault["what"],
            f"{sequence.pattern}, frame {number}",
            entry.fault["why"],
            entry.fault["remedy"],
        )
        for number, entry in entries
        if entry.fault
    ]


def _odd(
    sequence: Sequence, number: int, said: str, facts: FileFacts, usual: FileFacts
) -> tuple[str, Finding]:
    """Tell of a frame that differs; it can't be used when it lacks channels or has other windows."""
    needed = {(part.index, channel.name) for part in usual.parts for channel in part.channels}
    here = {(part.index, channel.name) for part in facts.parts for channel in part.channels}
    windows = [(part.data_window, part.display_window) for part in facts.parts]
    usable = needed <= here and windows == [(part.data_window, part.display_window) for part in usual.parts]
    finding = Finding(
        "frame-odd",
        Severity.NOTES if usable else Severity.WARNS,
        f"Frame {number} differs from the rest: it {said}.",
        f"{sequence.pattern}, frame {number}",
        "All frames of a shot must assemble alike downstream.",
        "It is used as it is." if usable else f"Render frame {number} again with the shot's settings.",
    )
    return ("" if usable else f"Differs from the rest: it {said}."), finding


def _pass_findings(sequence: Sequence, passes: list[Pass]) -> list[Finding]:
    found = [
        Finding(
            "pass-unsure",
            Severity.WARNS,
            f"{one.layer or one.name} was taken for {one.role.value}, but not surely: {one.reason}.",
            f"{sequence.pattern}, {one.layer or one.name}",
            "A pass taken for the wrong thing is packed under the wrong name.",
            "Look at it in the tray and correct its role.",
        )
        for one in passes
        if one.needs_look and one.role is not Role.OTHER
    ]
    if not any(one.role is Role.DEPTH for one in passes):
        found.append(
            Finding(
                "no-depth",
                Severity.NOTES,
                "No depth pass was found.",
                sequence.pattern,
                "Depth, mist and focus can't be made for this shot.",
                "Ask the renderer for depth, or mark Depth as not needed.",
            )
        )
    return found
